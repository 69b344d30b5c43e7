-- What somebody looks for again and again in a list, under a name of their own.
create table saved_views (
    id uuid primary key,
    staff_id uuid not null references staff,
    place text not null check (place in ('claims')),
    name text not null check (name <> ''),
    asked text not null
);
create unique index on saved_views (staff_id, place, lower(name));
