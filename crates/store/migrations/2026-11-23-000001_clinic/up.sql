-- The clinic's tables. What a wrong program must never do is made impossible here: a double booking,
-- a double posting, a changed ledger or audit row, an edited signed note.

create extension if not exists btree_gist;
create extension if not exists pg_trgm;

-- House ---------------------------------------------------------------------------------------

create table clinic (
    id smallint primary key default 1 check (id = 1),
    name text not null,
    zone text not null,
    npi text not null,
    tax_id text not null,
    taxonomy text not null,
    address_line text not null,
    city text not null,
    state text not null,
    postal_code text not null,
    telephone text not null,
    submitter_id text not null,
    clearing_house text not null,
    clearing_house_id text not null,
    production boolean not null default false
);

create table sites (
    id uuid primary key,
    name text not null unique,
    place_of_service text not null,
    sort integer not null
);

create table rooms (
    id uuid primary key,
    site_id uuid not null references sites,
    name text not null,
    kind text not null check (kind in ('exam', 'lab', 'checkout')),
    sort integer not null,
    unique (site_id, name)
);

create table staff (
    id uuid primary key,
    login text not null unique,
    name text not null,
    last_name text not null,
    first_name text not null,
    role text not null check (role in ('front_desk', 'assistant', 'clinician', 'biller', 'manager')),
    specialty text not null default '',
    npi text,
    taxonomy text,
    password_hash text not null,
    active boolean not null default true,
    sort integer not null default 0
);

create table sessions (
    token_hash bytea primary key,
    staff_id uuid not null references staff,
    csrf text not null,
    created_at timestamptz not null default now(),
    seen_at timestamptz not null default now()
);

create table sign_in_attempts (
    id bigserial primary key,
    login text not null,
    at timestamptz not null default now(),
    succeeded boolean not null
);
create index on sign_in_attempts (login, at);

-- People --------------------------------------------------------------------------------------

create sequence record_numbers start 10001;

create table people (
    id uuid primary key,
    record_number text not null unique default 'IH-' || nextval('record_numbers'),
    first_name text not null check (first_name <> ''),
    last_name text not null check (last_name <> ''),
    middle_name text not null default '',
    preferred_name text not null default '',
    former_name text not null default '',
    birth_date date check (birth_date > '1850-01-01'),
    sex text check (sex in ('F', 'M', 'U')),
    phone text,
    other_phone text,
    email text,
    email_declined boolean not null default false,
    address_line text not null default '',
    address_line2 text not null default '',
    city text not null default '',
    state text not null default '',
    postal_code text not null default '',
    language text not null default '',
    responsible_id uuid references people,
    usual_clinician_id uuid references staff,
    chart_alert text not null default '',
    billing_note text not null default '',
    privacy_notice_at timestamptz,
    self_pay_told_at timestamptz,
    self_pay_told_by text,
    deceased_on date,
    -- Computed by the core when a name is saved: all names folded, and how they sound.
    folded text not null,
    sounds text[] not null default '{}',
    version integer not null default 1,
    created_at timestamptz not null default now(),
    check (responsible_id <> id)
);
create index people_folded on people using gin (folded gin_trgm_ops);
create index people_sounds on people using gin (sounds);
create index people_birth on people (birth_date);
create index people_phone on people using gin (phone gin_trgm_ops);

create table payers (
    id uuid primary key,
    name text not null unique,
    payer_code text not null unique,
    filing_code text not null,
    -- Pays only for accidents at work.
    employment boolean not null default false,
    telephone text not null default '',
    address text not null default ''
);

create table coverages (
    id uuid primary key,
    person_id uuid not null references people,
    rank text not null check (rank in ('P', 'S', 'T')),
    payer_id uuid not null references payers,
    plan_name text not null default '',
    subscriber_number text not null,
    group_number text not null default '',
    relationship text not null check (relationship in ('18', '01', '19', 'G8')),
    -- The policyholder, when it is not the patient.
    holder_id uuid references people,
    starts_on date not null,
    ends_on date check (ends_on >= starts_on),
    copay_cents bigint check (copay_cents >= 0),
    version integer not null default 1,
    check ((relationship = '18') = (holder_id is null)),
    -- One policy of a rank at a time: an old one is ended, never overwritten.
    exclude using gist (person_id with =, rank with =, daterange(starts_on, ends_on, '[]') with &&)
);
create index on coverages (subscriber_number);

-- Schedule ------------------------------------------------------------------------------------

create table visit_types (
    id uuid primary key,
    name text not null unique,
    glyph text not null,
    pattern text not null,
    minutes integer not null check (minutes between 5 and 480),
    -- Services that a visit of this type usually brings; the share estimate starts from them.
    services text[] not null default '{}',
    sort integer not null
);

create table shifts (
    id uuid primary key,
    clinician_id uuid not null references staff,
    site_id uuid not null references sites,
    starts_at timestamptz not null,
    ends_at timestamptz not null,
    cancelled_at timestamptz,
    check (ends_at > starts_at),
    exclude using gist (clinician_id with =, tstzrange(starts_at, ends_at) with &&) where (cancelled_at is null)
);

create table slots (
    id uuid primary key,
    shift_id uuid not null references shifts,
    clinician_id uuid not null references staff,
    visit_type_id uuid references visit_types,
    starts_at timestamptz not null,
    ends_at timestamptz not null,
    -- What the time is held for; a held slot cannot be booked.
    held_for text,
    check (ends_at > starts_at),
    check (held_for is not null or visit_type_id is not null),
    exclude using gist (clinician_id with =, tstzrange(starts_at, ends_at) with &&)
);
create index on slots (starts_at);

create table visits (
    id uuid primary key,
    person_id uuid not null references people,
    clinician_id uuid not null references staff,
    site_id uuid not null references sites,
    visit_type_id uuid not null references visit_types,
    slot_id uuid references slots,
    kind text not null default 'in_person' check (kind in ('in_person', 'phone', 'video', 'home', 'administrative')),
    starts_at timestamptz not null,
    ends_at timestamptz not null check (ends_at > starts_at),
    -- The local day at the clinic, for call-signs and lists.
    day date not null,
    reason text not null default '',
    booking_note text not null default '',
    call_sign text not null,
    stage text not null default 'booked' check (stage in ('booked', 'here', 'checked_in', 'in_room', 'with_clinician',
        'ready_to_leave', 'left', 'left_unseen', 'did_not_come', 'cancelled')),
    stage_at timestamptz not null,
    room_id uuid references rooms,
    extra boolean not null default false,
    self_pay boolean not null default false,
    coverage_id uuid references coverages,
    accident_date date,
    cancel_reason text,
    booked_at timestamptz not null, booked_by text not null,
    here_at timestamptz, here_by text,
    checked_in_at timestamptz, checked_in_by text,
    roomed_at timestamptz, roomed_by text,
    seen_at timestamptz, seen_by text,
    left_at timestamptz, left_by text,
    signed_at timestamptz, signed_by text,
    charged_at timestamptz, charged_by text,
    claimed_at timestamptz, claimed_by text,
    settled_at timestamptz, settled_by text,
    version integer not null default 1,
    unique (day, call_sign),
    exclude using gist (clinician_id with =, tstzrange(starts_at, ends_at) with &&)
        where (stage not in ('cancelled', 'did_not_come', 'left_unseen') and not extra)
);
create index on visits (day, site_id);
create index on visits (person_id, starts_at);
create index on visits (clinician_id, starts_at);
create unique index visits_one_per_slot on visits (slot_id) where (stage not in ('cancelled', 'did_not_come') and not extra);
create unique index visits_one_per_room on visits (room_id, day) where (room_id is not null and stage in ('in_room', 'with_clinician'));

create table benefit_checks (
    id uuid primary key,
    coverage_id uuid not null references coverages,
    person_id uuid not null references people,
    visit_id uuid references visits,
    service_date date not null,
    trace text not null unique,
    state text not null check (state in ('waiting', 'answered', 'failed')),
    -- The facts that were sent, by their codes.
    facts text[] not null,
    asked_at timestamptz not null,
    asked_by text not null,
    answered_at timestamptz,
    answer jsonb,
    failure text
);
create index on benefit_checks (coverage_id, asked_at);

-- Chart ---------------------------------------------------------------------------------------

create table measurements (
    id uuid primary key,
    visit_id uuid not null references visits,
    person_id uuid not null references people,
    measure text not null,
    tenths integer not null,
    standing text not null,
    typed text not null default '',
    taken_at timestamptz not null,
    taken_by text not null,
    struck_at timestamptz
);
create index on measurements (person_id, taken_at);

create table allergies (
    id uuid primary key,
    person_id uuid not null references people,
    substance text not null,
    reaction text not null default '',
    severity text not null default '',
    ended_at timestamptz,
    recorded_at timestamptz not null,
    recorded_by text not null
);
create index on allergies (person_id);

create table medicines (
    id uuid primary key,
    person_id uuid not null references people,
    name text not null,
    product_code text,
    state text not null check (state in ('taking', 'not_taking', 'stopped', 'unknown')),
    note text not null default '',
    recorded_at timestamptz not null,
    recorded_by text not null
);
create index on medicines (person_id);

create table problems (
    id uuid primary key,
    person_id uuid not null references people,
    code text not null,
    title text not null,
    state text not null check (state in ('active', 'inactive', 'resolved')),
    recorded_at timestamptz not null,
    recorded_by text not null,
    unique (person_id, code)
);

create table none_known (
    person_id uuid not null references people,
    list text not null check (list in ('allergies', 'medicines', 'problems')),
    stated_at timestamptz not null,
    stated_by text not null,
    primary key (person_id, list)
);

create table note_parts (
    visit_id uuid not null references visits,
    part text not null,
    body text not null,
    version integer not null default 1,
    updated_at timestamptz not null,
    updated_by text not null,
    primary key (visit_id, part)
);

create table note_signatures (
    visit_id uuid primary key references visits,
    signed_at timestamptz not null,
    signed_by text not null,
    digest text not null
);

create table addenda (
    id uuid primary key,
    visit_id uuid not null references visits,
    body text not null,
    added_at timestamptz not null,
    added_by text not null
);

create table visit_diagnoses (
    visit_id uuid not null references visits,
    code text not null,
    title text not null,
    position integer not null check (position between 1 and 12),
    primary key (visit_id, code),
    unique (visit_id, position) deferrable initially deferred
);

-- Orders and prescriptions ----------------------------------------------------------------------

create table orders (
    id uuid primary key,
    visit_id uuid not null references visits,
    person_id uuid not null references people,
    test_code text not null,
    test_name text not null,
    loinc text not null,
    specimen text not null default '',
    state text not null check (state in ('draft', 'sending', 'requested', 'accepted', 'resulted', 'cancelled')),
    answers jsonb not null default '[]',
    placement_reason text not null default '',
    requisition text,
    ordered_at timestamptz not null,
    ordered_by text not null,
    orderer_id uuid not null references staff,
    sent_at timestamptz
);
create index on orders (visit_id);
create index on orders (requisition);

create table order_diagnoses (
    order_id uuid not null references orders on delete cascade,
    visit_id uuid not null,
    code text not null,
    primary key (order_id, code),
    foreign key (visit_id, code) references visit_diagnoses (visit_id, code)
);

create table lab_reports (
    id uuid primary key,
    number text not null,
    order_id uuid references orders,
    person_id uuid references people,
    record_number text not null default '',
    status text not null,
    issued_at timestamptz not null,
    received_at timestamptz not null,
    content jsonb not null,
    digest text not null unique,
    replaces uuid references lab_reports,
    replaced boolean not null default false,
    reviewed_at timestamptz,
    reviewed_by text,
    review_comment text not null default ''
);
create index on lab_reports (person_id);
create index on lab_reports (order_id);

create table pharmacies (
    id uuid primary key,
    name text not null unique,
    telephone text not null
);

create table prescriptions (
    id uuid primary key,
    visit_id uuid not null references visits,
    person_id uuid not null references people,
    product_code text not null,
    medicine text not null,
    dose double precision not null check (dose > 0),
    per_day double precision not null check (per_day > 0),
    days integer not null check (days > 0),
    as_needed boolean not null default false,
    quantity integer not null check (quantity > 0),
    refills integer not null check (refills between 0 and 12),
    instructions text not null,
    diagnosis text,
    pharmacy_id uuid references pharmacies,
    state text not null check (state in ('draft', 'sending', 'sent', 'dispensed', 'stopped')),
    warnings jsonb not null default '[]',
    override_reason text not null default '',
    prescribed_at timestamptz not null,
    prescribed_by text not null,
    prescriber_id uuid not null references staff,
    sent_at timestamptz,
    foreign key (visit_id, diagnosis) references visit_diagnoses (visit_id, code)
);
create index on prescriptions (visit_id);
create index on prescriptions (person_id);

-- Charges and claims ----------------------------------------------------------------------------

create table services (
    code text primary key,
    name text not null,
    external_code text not null default '',
    level smallint
);

create table prices (
    id uuid primary key,
    service_code text not null references services,
    schedule text not null default 'standard',
    cents bigint not null check (cents >= 0),
    starts_on date not null,
    ends_on date check (ends_on >= starts_on),
    exclude using gist (service_code with =, schedule with =, daterange(starts_on, ends_on, '[]') with &&)
);

create table charge_lines (
    id uuid primary key,
    visit_id uuid not null references visits,
    number integer not null check (number between 1 and 50),
    service_code text not null references services,
    modifiers text[] not null default '{}',
    units integer not null check (units between 0 and 999),
    pointers integer[] not null default '{}',
    -- Fixed when the charges are completed; until then the fee schedule decides.
    price_cents bigint,
    unique (visit_id, number)
);

create table documents (
    id uuid primary key,
    kind text not null,
    direction text not null check (direction in ('in', 'out')),
    sha256 text not null,
    content bytea not null,
    at timestamptz not null,
    unique (direction, kind, sha256)
);

create sequence batch_controls start 1001;

create table batches (
    id uuid primary key,
    control bigint not null unique,
    document_id uuid not null references documents,
    state text not null check (state in ('sending', 'sent', 'accepted', 'rejected')),
    claims integer not null,
    total_cents bigint not null,
    made_at timestamptz not null,
    made_by text not null,
    answer text not null default ''
);

create sequence claim_numbers start 20001;

create table claims (
    id uuid primary key,
    number text not null unique default 'C' || nextval('claim_numbers'),
    visit_id uuid not null references visits,
    coverage_id uuid not null references coverages,
    payer_id uuid not null references payers,
    state text not null check (state in ('ready', 'sent', 'accepted', 'rejected', 'paid', 'denied', 'void')),
    frequency text not null default '1',
    original_reference text,
    payer_claim_number text not null default '',
    total_cents bigint not null,
    batch_id uuid references batches,
    reasons text[] not null default '{}',
    made_at timestamptz not null,
    unique (visit_id, coverage_id)
);
create index on claims (state);

create table claim_events (
    id bigserial primary key,
    claim_id uuid not null references claims,
    at timestamptz not null,
    state text not null,
    sentence text not null
);
create index on claim_events (claim_id);

-- Money -----------------------------------------------------------------------------------------

create table remittances (
    id uuid primary key,
    payer_name text not null,
    payer_code text not null,
    trace text not null,
    method text not null,
    amount_cents bigint not null,
    paid_on date not null,
    document_id uuid not null references documents,
    outside_claims jsonb not null default '[]',
    posted_at timestamptz not null,
    posted_by text not null,
    -- Posted once, however often it is uploaded.
    unique (payer_code, trace)
);

create table ledger_transactions (
    id uuid primary key,
    kind text not null check (kind in ('charge', 'payment', 'decision', 'reversal', 'adjustment')),
    visit_id uuid references visits,
    person_id uuid references people,
    claim_id uuid references claims,
    remittance_id uuid references remittances,
    idempotency_key text not null unique,
    posted_at timestamptz not null,
    posted_by text not null,
    memo text not null default ''
);
create index on ledger_transactions (visit_id);

create table ledger_entries (
    id bigserial primary key,
    transaction_id uuid not null references ledger_transactions,
    account text not null check (account in ('payer', 'patient', 'fees', 'write_off', 'till', 'bank', 'payer_adjustment')),
    cents bigint not null check (cents <> 0),
    line integer,
    memo text not null default ''
);
create index on ledger_entries (transaction_id);

create table remitted_claims (
    id uuid primary key,
    remittance_id uuid not null references remittances,
    claim_number text not null,
    claim_id uuid references claims,
    patient_name text not null,
    subscriber_number text not null,
    status text not null,
    charged_cents bigint not null,
    paid_cents bigint not null,
    share_cents bigint not null,
    explanation text[] not null,
    -- Nothing while it waits to be matched by a person.
    transaction_id uuid references ledger_transactions
);
create index on remitted_claims (claim_id);

create function refuse_change() returns trigger language plpgsql as $$
begin
    raise exception '% is append-only: a slip is put right by a new row', tg_table_name using errcode = 'integrity_constraint_violation';
end $$;

create trigger append_only before update or delete on ledger_transactions for each row execute function refuse_change();
create trigger append_only before update or delete on ledger_entries for each row execute function refuse_change();
create trigger no_truncate before truncate on ledger_entries for each statement execute function refuse_change();

create function ledger_sums_to_zero() returns trigger language plpgsql as $$
declare
    total bigint;
begin
    select sum(cents) into total from ledger_entries where transaction_id = new.transaction_id;
    if total <> 0 then
        raise exception 'ledger transaction % is off by % cents', new.transaction_id, total using errcode = 'check_violation';
    end if;
    return null;
end $$;

create constraint trigger sums_to_zero after insert on ledger_entries
    deferrable initially deferred for each row execute function ledger_sums_to_zero();

-- A signed note is fixed -------------------------------------------------------------------------

create function refuse_signed_note() returns trigger language plpgsql as $$
begin
    if exists (select 1 from note_signatures s where s.visit_id = coalesce(new.visit_id, old.visit_id)) then
        raise exception 'the note is signed; add an addendum' using errcode = 'integrity_constraint_violation';
    end if;
    return coalesce(new, old);
end $$;

create trigger signed_note before insert or update or delete on note_parts for each row execute function refuse_signed_note();
create trigger append_only before update or delete on note_signatures for each row execute function refuse_change();
create trigger append_only before update or delete on addenda for each row execute function refuse_change();

-- Audit -------------------------------------------------------------------------------------------

create table audit (
    seq bigint primary key,
    at timestamptz not null,
    staff_id uuid,
    staff_name text not null,
    action text not null,
    entity text not null,
    entity_id uuid,
    person_id uuid,
    detail text not null,
    previous text not null,
    hash text not null unique
);
create index on audit (person_id, at);
create trigger append_only before update or delete on audit for each row execute function refuse_change();
create trigger no_truncate before truncate on audit for each statement execute function refuse_change();

-- Work that goes on by itself -----------------------------------------------------------------------

create table jobs (
    id bigserial primary key,
    kind text not null,
    subject uuid not null,
    state text not null default 'waiting' check (state in ('waiting', 'done', 'given_up')),
    attempts integer not null default 0,
    due_at timestamptz not null default now(),
    last_error text not null default '',
    made_at timestamptz not null default now(),
    -- One piece of work of a kind for a thing, so that nothing is sent twice.
    unique (kind, subject)
);
create index jobs_due on jobs (due_at) where state = 'waiting';
