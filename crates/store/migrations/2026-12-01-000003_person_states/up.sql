-- What is true of a person for a time: said at a date, asked where it matters. A later word replaces an earlier one; none is
-- changed, so that what was known at any day stays known.
create table person_states (
    id uuid primary key,
    person_id uuid not null references people,
    state text not null check (state in ('pregnant', 'breastfeeding')),
    holds boolean not null,
    -- Of a pregnancy: the day that the child is expected.
    due date check (due is null or (state = 'pregnant' and holds)),
    said_on date not null,
    recorded_at timestamptz not null,
    recorded_by text not null
);
create index on person_states (person_id, state, recorded_at desc);
