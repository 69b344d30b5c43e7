-- Who comes in: sessions that a person can see and end, machines that are known, guesses that are counted.

alter table clinic
    -- A screen that nobody touches locks after so many minutes.
    add column lock_minutes integer not null default 10 check (lock_minutes between 1 and 60),
    -- The roles that sign in with a second factor.
    add column second_factor_roles text[] not null default '{}';

alter table staff
    -- Shared secret of the second factor (RFC 6238); nothing: none is set up.
    add column totp_secret bytea,
    -- The last time step that was used, so that a code serves once.
    add column totp_step bigint not null default 0,
    -- Hashes of the recovery codes that are left.
    add column recovery_codes text[] not null default '{}',
    -- The sites one works at; empty: all of them.
    add column site_ids uuid[] not null default '{}';

delete from sessions;
alter table sessions
    add column id uuid not null unique,
    add column locked_at timestamptz,
    add column machine text not null default '',
    add column agent text not null default '';
create index on sessions (staff_id);

-- A machine that somebody signed in at before: it is not held up by what others guess.
create table devices (
    token_hash bytea not null,
    staff_id uuid not null references staff,
    first_at timestamptz not null default now(),
    last_at timestamptz not null default now(),
    primary key (token_hash, staff_id)
);

alter table sign_in_attempts
    add column machine text not null default '',
    -- The known device that was tried at.
    add column device bytea;
create index on sign_in_attempts (machine, at);

-- A link by which somebody sets their password, once.
create table password_links (
    token_hash bytea primary key,
    staff_id uuid not null references staff,
    made_at timestamptz not null default now(),
    made_by text not null,
    ends_at timestamptz not null,
    used_at timestamptz
);

-- What a session has in front of it, so that a screen that looks again is not recorded as a look.
create table look_marks (
    session_id uuid not null,
    what text not null,
    person_id uuid not null,
    at timestamptz not null,
    primary key (session_id, what, person_id)
);

-- Setting and lifting a restriction is an act of its own, with its reason.
create table restrictions (
    id uuid primary key,
    person_id uuid not null references people,
    restricted boolean not null,
    reason text not null check (reason <> ''),
    at timestamptz not null,
    by text not null
);
create index on restrictions (person_id, at);
create trigger append_only before update or delete on restrictions for each row execute function refuse_change();
create trigger no_truncate before truncate on restrictions for each statement execute function refuse_change();
