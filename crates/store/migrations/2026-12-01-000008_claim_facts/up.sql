-- The work list of claims goes by when they were made, also within a state or a payer.
create index claims_made on claims (made_at desc, id desc);
drop index claims_state_idx;
create index claims_state_made on claims (state, made_at desc, id desc);
create index claims_payer_made on claims (payer_id, made_at desc, id desc);

-- Sites have an address of their own: a claim tells where the service took place when it is not where the clinic bills from.
-- Empty where a site lies at the clinic's address.
alter table sites
    add column address_line text not null default '',
    add column city text not null default '',
    add column state text not null default '',
    add column postal_code text not null default '';

-- Until when a payer takes a claim; unknown where nobody has told.
alter table payers add column filing_days integer check (filing_days between 1 and 1000);

-- Levels are for somebody new or somebody known; what is done in the house makes its charge by itself.
alter table services
    add column new_patient boolean,
    add column procedure boolean not null default false,
    add column done text[] not null default '{}';

-- A line that stands by itself says why; one that somebody took off does not come back.
alter table charge_lines
    add column reason text not null default '',
    add column by_itself boolean not null default false;
create table charges_taken_off (
    visit_id uuid not null references visits,
    service_code text not null references services,
    at timestamptz not null,
    by text not null,
    primary key (visit_id, service_code)
);

-- An accident as it is kept with the person: the visits for it name its day. The number is the payer's own of it.
create table accidents (
    id uuid primary key,
    person_id uuid not null references people,
    happened_on date not null,
    cause text not null check (cause in ('EM', 'AA', 'OA')),
    state text not null default '',
    number text not null default '',
    employer text not null default '',
    employer_line text not null default '',
    employer_city text not null default '',
    employer_state text not null default '',
    employer_postal_code text not null default '',
    told_at timestamptz not null,
    told_by text not null,
    check (state <> '' or cause <> 'AA')
);
create index on accidents (person_id, happened_on);

-- One sequence for all interchanges that go out, whatever is in them: no control number is used twice to one receiver.
create sequence interchange_controls;
select setval(
    'interchange_controls',
    greatest((select coalesce(max(control), 0) + 1 from batches), (select last_value from batch_controls)),
    false
);
drop sequence batch_controls;

-- What a claim tells of a visit besides its lines and diagnoses; a row once somebody says something of it.
create table visit_billing (
    visit_id uuid primary key references visits,
    onset date,
    last_seen date,
    referral text not null default '',
    referring_last text not null default '',
    referring_first text not null default '',
    referring_npi text not null default '',
    -- Pairs of codes with a + between, which the note says are unrelated where the guidelines presume the contrary.
    unrelated text[] not null default '{}',
    said_at timestamptz not null,
    said_by text not null
);

-- What the clearing house said that belongs to nothing we know: somebody looks at it.
create table stray_answers (
    id uuid primary key,
    document_id uuid not null references documents,
    kind text not null,
    sentence text not null,
    at timestamptz not null,
    seen_at timestamptz,
    seen_by text not null default ''
);
create index stray_answers_open on stray_answers (at) where seen_at is null;
