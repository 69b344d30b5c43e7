-- Registration in full: what is asked besides name and address, consents with their history,
-- households, restricted charts, and records found to be one person.

alter table clinic add column required_fields text[] not null
    default '{birthDate,sex,address,phone,email,privacyNotice}';

-- False for somebody who only answers for a patient, or holds a policy.
alter table people add column patient boolean not null default true;
-- Set while this record is merged into another one.
alter table people add column merged_into uuid references people check (merged_into <> id);

create table registrations (
    person_id uuid primary key references people,
    gender_identity text not null default '',
    pronouns text not null default '',
    marital_status text not null default '',
    interpreter boolean not null default false,
    race text not null default '',
    ethnicity text not null default '',
    occupation text not null default '',
    employer text not null default '',
    -- The record's number in another system.
    outside_id text not null default '',
    emergency_name text not null default '',
    emergency_phone text,
    emergency_relation text not null default '',
    pharmacy_id uuid references pharmacies,
    usual_site_id uuid references sites,
    outside_clinician text not null default '',
    referred_by text not null default '',
    heard_from text not null default '',
    -- The chart opens only with a reason, which is recorded.
    restricted boolean not null default false
);

create table consents (
    id uuid primary key,
    person_id uuid not null references people,
    kind text not null check (kind in ('voice', 'text', 'email', 'privacy_notice', 'online_access')),
    given boolean not null,
    recorded_at timestamptz not null,
    recorded_by text not null
);
create index on consents (person_id, kind, recorded_at);
insert into consents (id, person_id, kind, given, recorded_at, recorded_by)
    select gen_random_uuid(), id, 'privacy_notice', true, privacy_notice_at, 'before consents had a history'
    from people where privacy_notice_at is not null;
create trigger consents_append_only before update or delete on consents
    for each row execute function refuse_change();

-- Both directions of a link are kept, so that a household is one look.
create table relations (
    person_id uuid not null references people,
    other_id uuid not null references people,
    -- What `other_id` is to `person_id`.
    kind text not null check (kind in ('parent', 'child', 'sibling', 'partner', 'guardian', 'ward', 'other')),
    primary key (person_id, other_id),
    check (person_id <> other_id)
);

create table chart_openings (
    id uuid primary key,
    person_id uuid not null references people,
    staff_id uuid not null references staff,
    staff_name text not null,
    reason text not null check (reason <> ''),
    at timestamptz not null
);
create index on chart_openings (person_id, staff_id, at);
create trigger chart_openings_append_only before update or delete on chart_openings
    for each row execute function refuse_change();

create table merges (
    id uuid primary key,
    kept_id uuid not null references people,
    gone_id uuid not null references people,
    -- By table: the rows that moved, and the rows that the kept record had before.
    moved jsonb not null,
    stayed jsonb not null,
    merged_at timestamptz not null,
    merged_by text not null,
    undone_at timestamptz,
    undone_by text,
    check (kept_id <> gone_id)
);
create unique index merges_standing on merges (gone_id) where undone_at is null;
