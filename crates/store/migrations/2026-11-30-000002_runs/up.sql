-- A note grows by runs: one per problem handled, begun in words or with a code. The diagnoses of a visit are its runs
-- that have a code, in the order of the runs.
alter table order_diagnoses drop constraint order_diagnoses_visit_id_code_fkey;
alter table prescriptions drop constraint prescriptions_visit_id_diagnosis_fkey;
alter table visit_diagnoses rename to note_runs;
alter table note_runs rename constraint visit_diagnoses_position_check to note_runs_position_check;
alter table note_runs rename constraint visit_diagnoses_visit_id_position_key to note_runs_visit_id_position_key;
alter table note_runs rename constraint visit_diagnoses_visit_id_fkey to note_runs_visit_id_fkey;
alter table note_runs drop constraint visit_diagnoses_pkey;
alter table note_runs
    add column id uuid not null default gen_random_uuid(),
    alter column code drop not null,
    add primary key (id),
    add unique (visit_id, code),
    add unique (visit_id, id);
-- A run that gets another code takes what lies in it along.
alter table order_diagnoses add foreign key (visit_id, code) references note_runs (visit_id, code) on update cascade;
alter table prescriptions
    add foreign key (visit_id, diagnosis) references note_runs (visit_id, code) on update cascade;

create view visit_diagnoses as
    select visit_id, code, title, (row_number() over (partition by visit_id order by position))::integer as position
    from note_runs where code is not null;

-- A part of a note: of one of its runs, or of the note as a whole.
alter table note_parts
    add column id uuid not null default gen_random_uuid(),
    add column run_id uuid,
    -- The visit whose text it began with; `carried` until somebody touched or reviewed it.
    add column carried_from uuid references visits,
    add column carried boolean not null default false,
    add column reviewed_at timestamptz,
    add column reviewed_by text,
    add check ((reviewed_at is null) = (reviewed_by is null)),
    add check (not carried or carried_from is not null and reviewed_at is null);
alter table note_parts drop constraint note_parts_pkey;
alter table note_parts
    add primary key (id),
    add unique nulls not distinct (visit_id, run_id, part),
    add foreign key (visit_id, run_id) references note_runs (visit_id, id);

-- Unsigned notes go on by runs: what was written of one problem goes into its run. A signed note stays as it was signed.
update note_parts p set run_id = r.id from note_runs r
where r.visit_id = p.visit_id and p.part in ('history', 'assessment', 'plan')
    and (select count(*) from note_runs o where o.visit_id = p.visit_id) = 1
    and not exists (select from note_signatures s where s.visit_id = p.visit_id);

-- Who looked through a list, and when. Whatever changes the list takes the mark away: nothing is shown as reviewed that
-- nobody reviewed.
create table list_reviews (
    person_id uuid not null references people,
    list text not null check (list in ('allergies', 'medicines', 'problems', 'histories')),
    visit_id uuid references visits,
    reviewed_at timestamptz not null,
    reviewed_by text not null,
    primary key (person_id, list)
);
create function no_longer_reviewed() returns trigger language plpgsql as $$
begin
    delete from list_reviews where list = tg_argv[0] and person_id in (new.person_id, old.person_id);
    return null;
end $$;
create trigger no_longer_reviewed after insert or update or delete on allergies
    for each row execute function no_longer_reviewed('allergies');
create trigger no_longer_reviewed after insert or update or delete on medicines
    for each row execute function no_longer_reviewed('medicines');
create trigger no_longer_reviewed after insert or update or delete on problems
    for each row execute function no_longer_reviewed('problems');
create trigger no_longer_reviewed after insert or update on histories
    for each row execute function no_longer_reviewed('histories');
create function none_known_not_reviewed() returns trigger language plpgsql as $$
begin
    delete from list_reviews r where r.person_id in (new.person_id, old.person_id) and r.list in (new.list, old.list);
    return null;
end $$;
create trigger no_longer_reviewed after insert or update or delete on none_known
    for each row execute function none_known_not_reviewed();
