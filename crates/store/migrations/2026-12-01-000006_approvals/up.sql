-- How a payer stands to a medicine of somebody: a covered use that was chosen, or a request and what became of it.
create table approvals (
    id uuid primary key,
    prescription_id uuid not null references prescriptions,
    person_id uuid not null references people,
    coverage_id uuid not null references coverages,
    payer_id uuid not null references payers,
    product_code text not null,
    state text not null check (state in ('covered', 'asking', 'waiting', 'granted', 'refused', 'withdrawn')),
    covered_use text not null,
    reason text not null,
    answers jsonb not null default '[]',
    asked_at timestamptz not null,
    asked_by text not null,
    sent_document_id uuid references documents,
    number text not null default '',
    until date,
    refusal text not null default '',
    decided_at timestamptz,
    check (state <> 'granted' or number <> ''),
    check (state <> 'refused' or refusal <> '')
);
-- One that stands for each prescription.
create unique index approvals_standing on approvals (prescription_id) where state <> 'withdrawn';
create index on approvals (person_id);
create index on approvals (coverage_id);
create index approvals_waiting on approvals (asked_at) where state in ('asking', 'waiting');
