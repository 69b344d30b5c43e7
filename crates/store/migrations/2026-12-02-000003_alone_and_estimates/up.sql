-- A charge without a visit: somebody was asked for a form, bought a brace, or did not come. It has no note and no claim.
alter table visits drop constraint visits_kind_check;
alter table visits add constraint visits_kind_check
    check (kind in ('in_person', 'phone', 'video', 'home', 'administrative', 'charge'));
-- After a step back they are known by the row in the place of their visit type.
update visits set kind = 'charge' where visit_type_id = '00000000-0000-0000-0000-001d160a104e';
set constraints all immediate;
alter table visits add constraint visits_charge_is_alone
    check (kind <> 'charge' or (self_pay and not appointment and coverage_id is null));

create function guard_charge_alone() returns trigger language plpgsql as $$
begin
    if tg_table_name = 'visits' then
        if (old.kind = 'charge') <> (new.kind = 'charge') then
            raise exception 'a charge alone becomes no visit' using errcode = 'check_violation', constraint = 'charge_stays_alone';
        end if;
    elsif exists (select 1 from visits where id = new.visit_id and kind = 'charge') then
        raise exception 'a charge alone has no note' using errcode = 'check_violation', constraint = 'charge_stays_alone';
    end if;
    return new;
end $$;
create trigger charge_stays_alone before update of kind on visits
    for each row when (old.kind is distinct from new.kind) execute function guard_charge_alone();
create trigger charge_has_no_signature before insert on note_signatures
    for each row execute function guard_charge_alone();
create trigger charge_has_no_head before insert on note_heads for each row execute function guard_charge_alone();
create trigger charge_has_no_run before insert on note_runs for each row execute function guard_charge_alone();
create trigger charge_has_no_part before insert on note_parts for each row execute function guard_charge_alone();

-- What the patient asked to keep from the plan (45 CFR 164.522(a)(1)(vi)): no claim of such a visit is made.
create table kept_from_plan (
    visit_id uuid primary key references visits,
    asked_at timestamptz not null,
    asked_by text not null
);
create function guard_kept_from_plan() returns trigger language plpgsql as $$
begin
    -- The visit is named by another column in either table.
    if exists (select 1 from kept_from_plan where visit_id = (to_jsonb(new) ->> tg_argv[0])::uuid) then
        raise exception 'the visit is kept from the plan'
            using errcode = 'check_violation', constraint = 'kept_from_plan';
    end if;
    return new;
end $$;
create trigger kept_from_plan before insert on claims for each row execute function guard_kept_from_plan('visit_id');
create trigger kept_from_plan before update of coverage_id, self_pay on visits
    for each row when (new.coverage_id is not null or not new.self_pay) execute function guard_kept_from_plan('id');

-- Written estimates of what care will cost (45 CFR 149.610), as they were given: append-only, each with its paper.
create table written_estimates (
    id uuid primary key,
    person_id uuid not null references people,
    visit_id uuid references visits,
    -- The day of the care; nothing where it is not booked.
    day date,
    reason text not null,
    lines jsonb not null,
    total_cents bigint not null check (total_cents >= 0),
    made_at timestamptz not null,
    made_by text not null,
    paper bytea not null
);
create index on written_estimates (person_id, made_at);
create index on written_estimates (visit_id) where visit_id is not null;
-- Whose it is follows a merge; nothing else is ever changed.
create trigger append_only
    before delete or update of visit_id, day, reason, lines, total_cents, made_at, made_by, paper on written_estimates
    for each row execute function refuse_change();
