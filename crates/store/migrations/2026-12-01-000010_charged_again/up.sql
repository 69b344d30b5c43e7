-- Charges that were completed are opened again with a reason, and charged again, left as they were, or taken back: what stood
-- before is kept with each.
create table charge_corrections (
    id uuid primary key,
    visit_id uuid not null references visits,
    number integer not null,
    reason text not null check (reason <> ''),
    begun_at timestamptz not null,
    begun_by text not null,
    before jsonb not null,
    outcome text check (outcome in ('charged', 'left', 'taken_back')),
    ended_at timestamptz,
    ended_by text,
    unique (visit_id, number),
    check ((outcome is null) = (ended_at is null) and (ended_at is null) = (ended_by is null))
);
create unique index on charge_corrections (visit_id) where outcome is null;

-- The chain of a claim's versions: each names the one whose place it takes at the payer.
alter table claims add column replaces_id uuid references claims;
-- One first claim to a policy stands at a time.
alter table claims drop constraint claims_visit_id_coverage_id_key;
create unique index on claims (visit_id, coverage_id) where replaces_id is null and state <> 'void';
-- One at a time takes a claim's place; those that were withdrawn do not.
create unique index on claims (replaces_id) where state <> 'void';

-- Every debt says who owes it: a payer, or the one who answers for the patient. Older entries are told by their claim, and by
-- who answers for the patient today.
alter table ledger_entries
    add column payer_id uuid references payers,
    add column guarantor_id uuid references people;
alter table ledger_entries disable trigger append_only;
update ledger_entries e
set payer_id = c.payer_id
from ledger_transactions t, claims c
where t.id = e.transaction_id and c.id = t.claim_id and e.account = 'payer';
update ledger_entries e
set guarantor_id = coalesce(p.responsible_id, p.id)
from ledger_transactions t, people p
where t.id = e.transaction_id and p.id = t.person_id and e.account = 'patient';
alter table ledger_entries enable trigger append_only;
create index on ledger_entries (payer_id) where payer_id is not null;
create index on ledger_entries (guarantor_id) where guarantor_id is not null;
alter table ledger_transactions drop constraint ledger_transactions_kind_check;
alter table ledger_transactions add constraint ledger_transactions_kind_check check (kind in
    ('charge', 'uncharge', 'payment', 'decision', 'reversal', 'adjustment', 'void', 'refund', 'credit', 'carried_over', 'till'));
