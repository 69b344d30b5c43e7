-- The words of a note as they are searched within one person's notes.
alter table note_parts add column searched tsvector generated always as (to_tsvector('english', body)) stored;

alter table allergies
    add column kind text not null default 'allergy' check (kind in ('allergy', 'intolerance', 'side_effect')),
    add column since text not null default '' check (since ~ '^([0-9]{4}(-[0-9]{2}(-[0-9]{2})?)?)?$'),
    add column source text not null default 'told' check (source in ('told', 'list', 'other_clinic', 'here')),
    add column end_reason text not null default '';
alter table medicines
    add column until text not null default '' check (until ~ '^([0-9]{4}(-[0-9]{2}(-[0-9]{2})?)?)?$'),
    add column source text not null default 'told' check (source in ('told', 'list', 'other_clinic', 'here')),
    add column reason text not null default '';
update medicines set source = 'here' where note like 'prescribed%';
alter table problems
    add column weight text check (weight in ('major', 'minor')),
    add column end_reason text not null default '';

-- What an entry of a list said before it was changed; who changed it when stands in the row that follows.
create table list_versions (
    id uuid primary key default gen_random_uuid(),
    list text not null check (list in ('allergies', 'medicines', 'problems')),
    entry_id uuid not null,
    said jsonb not null
);
create index on list_versions (entry_id);
create function keep_former() returns trigger language plpgsql as $$
begin
    -- A merge gives an entry another person; what it says stays.
    if to_jsonb(old) - 'person_id' <> to_jsonb(new) - 'person_id' then
        insert into list_versions (list, entry_id, said) values (tg_table_name, old.id, to_jsonb(old) - 'person_id');
    end if;
    return null;
end $$;
create trigger keep_former after update on allergies for each row execute function keep_former();
create trigger keep_former after update on medicines for each row execute function keep_former();
create trigger keep_former after update on problems for each row execute function keep_former();
create trigger append_only before update or delete on list_versions for each row execute function refuse_change();
create trigger no_truncate before truncate on list_versions for each statement execute function refuse_change();
