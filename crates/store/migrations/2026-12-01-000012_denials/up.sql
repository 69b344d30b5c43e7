-- Each amount stands under its own name: what waits to be matched, what payers add, keep or carry outside claims, and what
-- somebody gave up after a denial.
alter table ledger_entries drop constraint ledger_entries_account_check;
alter table ledger_entries disable trigger append_only;
update ledger_entries set account = case
        when memo = 'unmatched claim' then 'unmatched'
        when memo like 'L6 %' then 'interest'
        when memo like 'WO %' then 'takeback'
        when memo like 'FB %' then 'forward_balance'
        else account end
where account = 'payer_adjustment';
alter table ledger_entries enable trigger append_only;
alter table ledger_entries add constraint ledger_entries_account_check check (account in ('payer', 'patient', 'unapplied',
    'fees', 'write_off', 'given_up', 'cash', 'card', 'cheque', 'transfer', 'bank', 'unmatched', 'interest', 'takeback',
    'forward_balance', 'payer_adjustment', 'opening', 'till_difference'));
alter table ledger_transactions drop constraint ledger_transactions_kind_check;
alter table ledger_transactions add constraint ledger_transactions_kind_check check (kind in
    ('charge', 'uncharge', 'payment', 'decision', 'reversal', 'adjustment', 'passed_on', 'to_patient', 'given_up', 'matched',
     'void', 'refund', 'credit', 'carried_over', 'till'));

-- What a payer decided, line by line, as it came: for matching by hand and for the claim to the next payer. Of decisions from
-- before, only their sentences are kept.
alter table remitted_claims
    add column decision jsonb,
    add column matched_at timestamptz,
    add column matched_by text;

-- A file may hold two payments under one trace: they are told apart by their place among those.
alter table remittances add column part integer not null default 0;
alter table remittances drop constraint remittances_payer_code_trace_key;
alter table remittances add unique (payer_code, trace, part);

-- So long after its decision a payer takes a corrected claim, and an appeal; nothing while nobody has told.
alter table payers
    add column correction_days integer check (correction_days between 1 and 1000),
    add column appeal_days integer check (appeal_days between 1 and 1000);

-- What a payer did not pay and no contract gives up: work until it is paid after all, passed on, or given up.
create table denials (
    id uuid primary key,
    remitted_claim_id uuid not null unique references remitted_claims,
    claim_id uuid not null references claims,
    visit_id uuid not null references visits,
    payer_id uuid not null references payers,
    cents bigint not null check (cents > 0),
    amounts jsonb not null,
    state text not null check (state in ('open', 'asked', 'appealed', 'corrected', 'second_wanted', 'paid_after_all',
        'denied_again', 'taken_back', 'passed_on', 'to_patient', 'given_up')),
    raised_at timestamptz not null,
    correct_by date,
    appeal_by date,
    -- When somebody looks again: the first deadline, or the day that was set.
    due_on date,
    owner_id uuid references staff,
    won_cents bigint not null default 0,
    -- Who wants to give it up, where a second person must agree.
    wanted_by uuid references staff,
    wanted_reason text,
    ended_at timestamptz,
    check ((wanted_by is null) = (wanted_reason is null)),
    check ((ended_at is null) = (state in ('open', 'asked', 'appealed', 'corrected', 'second_wanted')))
);
create index on denials (claim_id);
create index on denials (visit_id);
create index on denials (payer_id);
create index on denials (due_on, id) where ended_at is null;

create table denial_events (
    id bigint generated always as identity primary key,
    denial_id uuid not null references denials,
    at timestamptz not null,
    by text not null,
    state text not null,
    sentence text not null,
    document_id uuid references documents
);
create index on denial_events (denial_id);
create trigger append_only before update or delete on denial_events for each row execute function refuse_change();
