-- The clinic's own stages between the fixed ones; visits without an appointment; when the clinician was done.

create table own_stages (
    id uuid primary key,
    name text not null check (name <> ''),
    -- The fixed stage within which it lies.
    after_stage text not null check (after_stage in ('here', 'checked_in', 'in_room', 'with_clinician')),
    place text not null check (place in ('room', 'lab', 'waiting')),
    -- Everybody passes it; otherwise it is only chosen.
    walked boolean not null,
    sort integer not null default 0,
    active boolean not null default true,
    check (place <> 'room' or after_stage in ('in_room', 'with_clinician')),
    unique (id, after_stage)
);
create unique index own_stages_one_name on own_stages (lower(name)) where (active);

alter table visits
    add column own_stage_id uuid,
    -- Nobody is at an own stage of another fixed one.
    add constraint visits_within_stage foreign key (own_stage_id, stage) references own_stages (id, after_stage),
    -- What came without an appointment takes nobody's time from the schedule.
    add column appointment boolean not null default true,
    add constraint visits_unbooked_are_extra check (appointment or extra),
    add column done_at timestamptz;
update visits set done_at = coalesce(left_at, stage_at) where seen_at is not null and stage in ('ready_to_leave', 'left');

-- Open times read the slots of the shifts in question.
create index on slots (shift_id, visit_type_id);
