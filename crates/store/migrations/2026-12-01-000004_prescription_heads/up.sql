-- What was signed together, with one signature, under the prescriber's own numbers as they were then.
create table prescription_heads (
    id uuid primary key,
    person_id uuid not null references people,
    prescriber_id uuid not null references staff,
    prescriber_name text not null,
    npi text not null,
    dea text not null,
    signed_at timestamptz not null
);
create index on prescription_heads (person_id);

alter table staff add column dea text not null default '';

alter table prescriptions
    add column head_id uuid references prescription_heads,
    -- In the core's own words, which it reads back; empty where it was written before there were any.
    add column dosage text not null default '',
    add column unit text not null default 'tablet',
    add column substitution boolean not null default true,
    add column note text not null default '',
    -- Serious findings with the reason why each was overridden.
    add column overrides jsonb not null default '[]',
    -- The one that this one takes the place of, and the one that it repeats.
    add column replaces_id uuid references prescriptions,
    add column renews_id uuid references prescriptions,
    alter column visit_id drop not null,
    drop constraint prescriptions_state_check,
    add constraint prescriptions_state_check check (state in ('draft', 'sending', 'sent', 'printed',
        'partly_dispensed', 'dispensed', 'refused', 'stopping', 'stopped')),
    add check (head_id is null or diagnosis is not null);

insert into prescription_heads
    select p.id, p.person_id, p.prescriber_id, p.prescribed_by, coalesce(s.npi, ''), '', coalesce(p.sent_at, p.prescribed_at)
    from prescriptions p join staff s on s.id = p.prescriber_id
    where p.state not in ('draft', 'stopped') and p.diagnosis is not null;
update prescriptions set head_id = id where exists (select from prescription_heads h where h.id = prescriptions.id);
update prescriptions set overrides = coalesce((
        select jsonb_agg(jsonb_build_object('about', '', 'sentence', w ->> 'sentence', 'reason', override_reason))
        from jsonb_array_elements(warnings) w where w ->> 'severity' = 'serious'), '[]')
    where override_reason <> '';
update prescriptions set warnings = coalesce((
        select jsonb_agg(w || '{"about": ""}') from jsonb_array_elements(warnings) w), '[]');
alter table prescriptions drop column override_reason, drop column as_needed;

-- Why a prescription stands no more: stopped here, or refused by the pharmacy.
create table prescription_ends (
    prescription_id uuid primary key references prescriptions,
    refused boolean not null,
    ended_at timestamptz not null,
    ended_by text not null,
    reason text not null
);

-- What is taken because it is prescribed here: the same medicine, told apart from what is merely taken.
alter table medicines add column prescription_id uuid references prescriptions;

-- What a pharmacy handed out.
create table dispenses (
    id uuid primary key,
    prescription_id uuid not null references prescriptions,
    -- The pharmacy's own word for it: the same one twice is one.
    reference text not null unique,
    dispensed_on date not null,
    quantity double precision not null check (quantity > 0),
    days integer check (days > 0),
    in_part boolean not null,
    document_id uuid references documents
);
create index on dispenses (prescription_id, dispensed_on desc);

-- A pharmacy asks for another round.
create table renewal_requests (
    id uuid primary key,
    prescription_id uuid not null references prescriptions,
    reference text not null unique,
    asked_at timestamptz not null,
    note text not null,
    document_id uuid references documents,
    answer text check (answer in ('yes', 'changed', 'no')),
    answered_at timestamptz,
    answered_by text not null default '',
    reason text not null default '',
    -- What was prescribed in answer.
    new_id uuid references prescriptions,
    told_at timestamptz,
    check ((answer is null) = (answered_at is null)),
    check (answer is distinct from 'no' or reason <> '')
);
create index on renewal_requests (prescription_id);
create index renewal_requests_waiting on renewal_requests (asked_at) where answer is null;
