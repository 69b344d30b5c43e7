-- What the clinic takes off a patient's debt stands under its own name, apart from contracts and denials.
alter table ledger_entries drop constraint ledger_entries_account_check;
alter table ledger_entries add constraint ledger_entries_account_check check (account in ('payer', 'patient', 'unapplied',
    'fees', 'write_off', 'given_up', 'discount', 'hardship', 'small_balance', 'bad_debt', 'cash', 'card', 'cheque',
    'transfer', 'bank', 'unmatched', 'interest', 'takeback', 'forward_balance', 'payer_adjustment', 'opening',
    'till_difference'));
alter table ledger_transactions drop constraint ledger_transactions_kind_check;
alter table ledger_transactions add constraint ledger_transactions_kind_check check (kind in
    ('charge', 'uncharge', 'payment', 'decision', 'reversal', 'adjustment', 'passed_on', 'to_patient', 'given_up',
     'reduction', 'reduction_back', 'matched', 'void', 'refund', 'credit', 'carried_over', 'till'));

-- Remittances are looked for by trace, claim and patient, and by what of them waits.
create index remitted_claims_of on remitted_claims (remittance_id);
create index remitted_claims_waiting on remitted_claims (remittance_id) where claim_id is null;
create index remitted_claims_number on remitted_claims (claim_number);
create index remitted_claims_patient on remitted_claims (upper(patient_name) text_pattern_ops);
create index remittances_trace on remittances (upper(trace) text_pattern_ops);
create index remittances_newest on remittances (posted_at desc, id desc);

-- Those whose record was merged, and who stands for them now.
create view merged_people as
    with recursive final (record, person) as (
        select id, merged_into from people where merged_into is not null
        union
        select f.record, p.merged_into from final f join people p on p.id = f.person where p.merged_into is not null)
    select f.record, f.person from final f join people p on p.id = f.person where p.merged_into is null;

-- What is open, kept by the database from the entries alone: a report over all debts must not read every entry ever made. The
-- ids are those of the entries, also of records that were merged since; merged_people tells who stands for them.
create table open_debts (
    id bigint generated always as identity primary key,
    account text not null check (account in ('payer', 'patient')),
    visit_id uuid,
    -- Of what is owed for no visit.
    person_id uuid,
    payer_id uuid,
    guarantor_id uuid,
    cents bigint not null,
    -- Since when there is something, and when the last entry was made.
    since timestamptz not null,
    last_at timestamptz not null,
    unique nulls not distinct (account, visit_id, person_id, payer_id, guarantor_id)
);
create index on open_debts (guarantor_id) where account = 'patient';
create index on open_debts (payer_id) where account = 'payer';
create index on open_debts (visit_id);
create index on open_debts (person_id);
create index open_debts_paid on open_debts (id) where cents = 0;

create function keep_open_debts() returns trigger language plpgsql as $$
begin
    insert into open_debts as o (account, visit_id, person_id, payer_id, guarantor_id, cents, since, last_at)
    select e.account, t.visit_id, case when t.visit_id is null then t.person_id end, e.payer_id, e.guarantor_id,
           sum(e.cents), min(t.posted_at), max(t.posted_at)
    from added e join ledger_transactions t on t.id = e.transaction_id
    where e.account in ('payer', 'patient')
    group by 1, 2, 3, 4, 5
    order by 2, 3, 1
    on conflict (account, visit_id, person_id, payer_id, guarantor_id) do update
        set cents = o.cents + excluded.cents, last_at = greatest(o.last_at, excluded.last_at),
            since = case when o.cents = 0 then excluded.since else o.since end;
    delete from open_debts where cents = 0;
    return null;
end $$;
create trigger keep_open_debts after insert on ledger_entries referencing new table as added
    for each statement execute function keep_open_debts();

insert into open_debts (account, visit_id, person_id, payer_id, guarantor_id, cents, since, last_at)
select e.account, t.visit_id, case when t.visit_id is null then t.person_id end, e.payer_id, e.guarantor_id,
       sum(e.cents), min(t.posted_at), max(t.posted_at)
from ledger_entries e join ledger_transactions t on t.id = e.transaction_id
where e.account in ('payer', 'patient')
group by 1, 2, 3, 4, 5 having sum(e.cents) <> 0;

-- Each with who stands for it now, and the days from which on it may be called old.
create view standing_debts as
    select o.id, o.account, o.visit_id, coalesce(v.person_id, mp.person, o.person_id) as person_id, o.payer_id,
           o.guarantor_id as guarantor_record,
           case when o.account = 'patient'
               then coalesce(mg.person, o.guarantor_id, v.person_id, mp.person, o.person_id) end as guarantor_id,
           v.clinician_id, v.site_id, coalesce(v.day, (o.since at time zone c.zone)::date) as service_day,
           (o.since at time zone c.zone)::date as owed_day, (o.last_at at time zone c.zone)::date as last_day, o.cents
    from open_debts o cross join clinic c left join visits v on v.id = o.visit_id
    left join merged_people mp on mp.record = o.person_id left join merged_people mg on mg.record = o.guarantor_id;

-- A closed month takes no entries; what is put right later lands in the open one.
create table closed_months (
    month date primary key check (extract(day from month) = 1),
    closed_at timestamptz not null,
    closed_by text not null,
    -- What it came to, account by account.
    sums jsonb not null
);
create trigger append_only before update or delete on closed_months for each row execute function refuse_change();

create function refuse_closed_month() returns trigger language plpgsql as $$
declare
    zone text;
    closed date;
begin
    -- Who closes a month waits for those who post, and they for it.
    perform pg_advisory_xact_lock_shared(hashtext('closed_months'));
    select max(month) into closed from closed_months;
    if closed is not null then
        select c.zone into zone from clinic c;
        if (new.posted_at at time zone zone)::date < closed + interval '1 month' then
            raise exception 'the month of % is closed', new.posted_at using errcode = 'integrity_constraint_violation', constraint = 'closed_month';
        end if;
    end if;
    return new;
end $$;
create trigger closed_month before insert on ledger_transactions for each row execute function refuse_closed_month();

-- What the clinic has decided about patients' money. One row.
create table money_rules (
    id smallint primary key default 1 check (id = 1),
    age_bounds integer[] not null default '{30,60,90,120}',
    -- Between two statements to the same guarantor.
    statement_days integer not null default 28 check (statement_days between 7 and 366),
    -- Below it no statement is sent.
    statement_least_cents bigint not null default 500 check (statement_least_cents between 0 and 10000),
    -- Up to it a household's whole debt may be taken off as not worth the postage.
    small_balance_cents bigint not null default 300 check (small_balance_cents between 0 and 10000),
    -- What must have been sent, and how long ago the first, before a debt is given up as bad.
    bad_debt_statements integer not null default 3 check (bad_debt_statements between 0 and 12),
    bad_debt_days integer not null default 90 check (bad_debt_days between 0 and 1000),
    -- How to pay, on every statement.
    how_to_pay text not null default ''
);
insert into money_rules default values;

-- Somebody who showed that they cannot pay all: so much of each debt may be taken off in these days.
create table hardships (
    id uuid primary key,
    person_id uuid not null references people,
    percent integer not null check (percent between 1 and 100),
    from_day date not null,
    to_day date not null check (to_day >= from_day),
    shown text not null check (shown <> ''),
    at timestamptz not null,
    by text not null,
    ended_at timestamptz
);
create index on hardships (person_id);

-- What was taken off a patient's debt, or is to be when a second person agrees.
create table reductions (
    id uuid primary key,
    visit_id uuid not null references visits,
    kind text not null check (kind in ('discount', 'hardship', 'small_balance', 'bad_debt')),
    cents bigint not null check (cents > 0),
    reason text not null check (reason <> ''),
    state text not null check (state in ('wanted', 'made', 'not_agreed', 'taken_back')),
    asked_at timestamptz not null,
    asked_by uuid not null references staff,
    settled_at timestamptz,
    settled_by uuid references staff,
    back_at timestamptz,
    back_by uuid references staff,
    back_reason text
);
create index on reductions (visit_id);
create index on reductions (asked_at) where state = 'wanted';

-- How somebody gets statements; the newest row holds, so that a merge loses none.
create table statement_wishes (
    id uuid primary key,
    person_id uuid not null references people,
    -- None is sent, with the reason; empty: they are.
    held_because text not null default '',
    large_type boolean not null default false,
    by_email boolean not null default false,
    -- Where alone they want to be written to (45 CFR 164.522(b)); empty: where they live.
    other_address text not null default '',
    at timestamptz not null,
    by text not null
);
create index on statement_wishes (person_id, at desc);

-- Visits that never stand on somebody else's statement, as a minor's own confidential one.
create table confidential_visits (
    visit_id uuid primary key references visits,
    at timestamptz not null,
    by text not null
);

create table statement_runs (
    id uuid primary key,
    at timestamptz not null,
    by text not null,
    -- So many were to be made; made so far; those that were no longer due when their turn came, or could not be made.
    asked integer not null,
    made integer not null default 0,
    passed_over integer not null default 0,
    ended_at timestamptz
);

create table statements (
    id uuid primary key,
    run_id uuid references statement_runs,
    -- Who owes, and to whom it goes: another one where a patient's own is confidential.
    guarantor_id uuid not null references people,
    to_person_id uuid not null references people,
    at timestamptz not null,
    by text not null,
    cents bigint not null check (cents > 0),
    way text not null check (way in ('letter', 'email')),
    document_id uuid not null references documents,
    -- What stands on it, to be set again together with others.
    facts jsonb not null,
    visits uuid[] not null
);
create index on statements (guarantor_id, at desc);
create index on statements (to_person_id, at desc);
create index on statements (run_id);

-- A debt paid in parts.
create table payment_plans (
    id uuid primary key,
    guarantor_id uuid not null references people,
    instalment_cents bigint not null check (instalment_cents > 0),
    every text not null check (every in ('two_weeks', 'month')),
    first_on date not null,
    at timestamptz not null,
    by text not null,
    ended_at timestamptz,
    ended_by text,
    ended_because text
);
create index on payment_plans (guarantor_id);

-- What it is for, and how much of each was owed when it began.
create table plan_debts (
    plan_id uuid not null references payment_plans,
    visit_id uuid not null references visits,
    cents bigint not null check (cents > 0),
    primary key (plan_id, visit_id)
);
create index on plan_debts (visit_id);

-- What was said on the telephone about a debt, what was promised, and when to call again.
create table call_notes (
    id uuid primary key,
    guarantor_id uuid not null references people,
    at timestamptz not null,
    by text not null,
    sentence text not null,
    promised_cents bigint check (promised_cents > 0),
    promised_on date,
    -- What was owed when it was promised, so that what came since can be told.
    owed_cents bigint not null,
    again_on date,
    check ((promised_cents is null) = (promised_on is null))
);
create index on call_notes (guarantor_id, at desc);

alter table messages drop constraint messages_purpose_check,
  add constraint messages_purpose_check
    check (purpose in ('rebooked', 'no_time', 'handed_over', 'receipt', 'result_here', 'statement'));
