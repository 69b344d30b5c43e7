-- What came in with one file, so that it can be taken back as a whole.
create table imports (
    id uuid primary key,
    kind text not null check (kind in ('people', 'policies', 'balances')),
    file_name text not null,
    started_at timestamptz not null,
    by text not null,
    -- Lines of the file, and how many of them were gone through.
    lines integer not null,
    done integer not null default 0,
    added integer not null default 0,
    -- Nothing while it goes on, and for good when it broke off.
    ended_at timestamptz,
    undone_at timestamptz,
    undone_by text,
    -- How many people of it stayed when it was taken back: they had been worked with.
    stayed integer not null default 0,
    check ((undone_at is null) = (undone_by is null))
);
create index on imports (started_at);
-- No references: what was taken back is gone, and the list of it stays.
create table import_items (
    import_id uuid not null references imports,
    kind text not null check (kind in ('person', 'policy', 'balance')),
    item_id uuid not null,
    primary key (import_id, kind, item_id)
);
-- A record can only go when nothing points at it: each place that may is found by an index, or every deletion reads whole
-- tables.
create index on people (merged_into) where merged_into is not null;
create index on people (responsible_id) where responsible_id is not null;
create index on coverages (holder_id) where holder_id is not null;
create index on benefit_checks (person_id);
create index on orders (person_id);
create index on relations (other_id);
create index on merges (kept_id);
create index on series (person_id);
create index on waiting (person_id);
create index on visits (coverage_id) where coverage_id is not null;
create index on claims (coverage_id);
