-- What is ordered together: of the clinic, or of one clinician.
create table order_sets (
    id uuid primary key,
    owner_id uuid references staff,
    name text not null check (name <> ''),
    items text[] not null check (cardinality(items) between 1 and 40)
);
create unique index on order_sets (coalesce(owner_id, '00000000-0000-0000-0000-000000000000'::uuid), lower(name));

-- What comes due again by itself. Without a day that comes, it has ended, and why is told.
create table order_repeats (
    id uuid primary key,
    person_id uuid not null references people,
    orderer_id uuid not null references staff,
    test_code text not null,
    test_name text not null,
    -- The diagnoses that it lies under, where they are problems still.
    under text[] not null,
    months int not null check (months between 1 and 60),
    until date not null,
    due date,
    begun_at timestamptz not null,
    begun_by text not null,
    ended_why text not null default ''
);
alter table order_repeats alter column ended_why drop default;
create index on order_repeats (person_id);
create index order_repeats_due on order_repeats (due) where due is not null;

-- Who reads the results of somebody who is away: a colleague, or, without one, any clinician.
create table stand_ins (
    staff_id uuid primary key references staff,
    deputy_id uuid references staff,
    from_day date not null,
    to_day date not null check (to_day >= from_day),
    set_by text not null,
    check (deputy_id <> staff_id)
);

-- In how many days a result usually is here, where the clinic says otherwise than the list.
alter table clinic add column usual_days jsonb not null default '{}';
alter table clinic alter column usual_days drop default;

-- That a result is here may be told, without what it says.
alter table messages drop constraint messages_purpose_check,
  add constraint messages_purpose_check check (purpose in ('rebooked', 'no_time', 'handed_over', 'receipt', 'result_here'));
