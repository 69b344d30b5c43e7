-- Money at the desk: payments by several means for several people, into a till that somebody counts.

-- One account for each means in place of one till. What was posted before says its means in its memo.
alter table ledger_entries drop constraint ledger_entries_account_check;
alter table ledger_entries disable trigger append_only;
update ledger_entries set account =
    case when split_part(memo, ' ', 1) in ('cash', 'card', 'cheque', 'transfer') then split_part(memo, ' ', 1) else 'cash' end
    where account = 'till';
alter table ledger_entries enable trigger append_only;
alter table ledger_entries add constraint ledger_entries_account_check check (account in
    ('payer', 'patient', 'unapplied', 'fees', 'write_off', 'cash', 'card', 'cheque', 'transfer', 'bank', 'payer_adjustment', 'opening'));
alter table ledger_transactions drop constraint ledger_transactions_kind_check;
alter table ledger_transactions add constraint ledger_transactions_kind_check check (kind in
    ('charge', 'payment', 'decision', 'reversal', 'adjustment', 'void', 'refund', 'credit', 'carried_over'));

-- A till lasts from its first movement to its count; a site has one at a time.
create table tills (
    id uuid primary key,
    site_id uuid not null references sites,
    began_at timestamptz not null,
    opening_cents bigint not null default 0 check (opening_cents >= 0),
    opened_at timestamptz,
    opened_by text,
    closed_at timestamptz,
    closed_by text,
    -- Cents by means, as they stood when it was closed.
    expected jsonb,
    counted jsonb,
    stays_cents bigint,
    reason text not null default '',
    check ((closed_at is null) = (counted is null) and (closed_at is null) = (expected is null)
        and (closed_at is null) = (stays_cents is null))
);
create unique index tills_one_open on tills (site_id) where closed_at is null;
create index on tills (site_id, began_at);

create function refuse_closed_till() returns trigger language plpgsql as $$
begin
    if old.closed_at is not null then
        raise exception 'a closed till is not changed: a slip is put right in the next one' using errcode = 'integrity_constraint_violation';
    end if;
    return new;
end $$;
create trigger closed_till before update or delete on tills for each row execute function refuse_closed_till();

create table payments (
    id uuid primary key,
    kind text not null check (kind in ('payment', 'void', 'refund')),
    -- The payment that is taken back.
    of_payment uuid references payments,
    -- Who pays, or is given something back.
    person_id uuid not null references people,
    site_id uuid not null references sites,
    till_id uuid not null references tills,
    -- Below zero when money goes out.
    cents bigint not null check (cents <> 0 and (cents > 0) = (kind = 'payment')),
    at timestamptz not null,
    by text not null,
    reason text not null default '',
    idempotency_key text not null unique,
    check ((kind = 'void') = (of_payment is not null)),
    check (kind = 'payment' or reason <> '')
);
create unique index payments_voided_once on payments (of_payment);
create index on payments (person_id, at);
create index on payments (till_id);

create table payment_means (
    id bigserial primary key,
    payment_id uuid not null references payments,
    method text not null check (method in ('cash', 'card', 'cheque', 'transfer')),
    cents bigint not null check (cents <> 0),
    reference text not null default '',
    check (method <> 'cheque' or reference <> '')
);
create index on payment_means (payment_id);
create index on payment_means (reference) where method = 'cheque';

alter table ledger_transactions add column payment_id uuid references payments;
create index on ledger_transactions (payment_id);
create index on ledger_transactions (person_id) where visit_id is null;

create trigger append_only before update or delete on payments for each row execute function refuse_change();
create trigger append_only before update or delete on payment_means for each row execute function refuse_change();

create function refuse_money_into_closed_till() returns trigger language plpgsql as $$
begin
    if exists (select 1 from tills where id = new.till_id and closed_at is not null) then
        raise exception 'the till is closed' using errcode = 'integrity_constraint_violation';
    end if;
    return new;
end $$;
create trigger open_till before insert on payments for each row execute function refuse_money_into_closed_till();

-- What came in by each means is what the ledger says, to the cent.
create function payment_agrees() returns trigger language plpgsql as $$
declare
    wrong text;
begin
    select string_agg(coalesce(m.method, e.account), ', ') into wrong
    from (select method, sum(cents) as cents from payment_means where payment_id = new.id group by method) m
    full join (select account, sum(cents) as cents from ledger_entries
        where transaction_id in (select id from ledger_transactions where payment_id = new.id)
            and account in ('cash', 'card', 'cheque', 'transfer') group by account) e on e.account = m.method
    where m.cents is distinct from e.cents;
    if wrong is not null or new.cents is distinct from (select sum(cents) from payment_means where payment_id = new.id) then
        raise exception 'payment % and its entries disagree: %', new.id, coalesce(wrong, 'the sum') using errcode = 'check_violation';
    end if;
    return null;
end $$;
create constraint trigger agrees after insert on payments deferrable initially deferred
    for each row execute function payment_agrees();

-- What the card terminal was asked for, written before it is asked: whatever breaks off then, its own record
-- tells what became of it.
create table card_requests (
    key uuid primary key,
    person_id uuid not null references people,
    cents bigint not null check (cents > 0),
    -- The whole payment, as it is posted when the terminal says yes.
    payment jsonb not null,
    asked_at timestamptz not null,
    asked_by text not null,
    staff_id uuid references staff,
    state text not null check (state in ('asked', 'posted', 'declined', 'not_charged')),
    word text not null default ''
);
create index on card_requests (asked_at) where state = 'asked';
create index on card_requests (person_id) where state = 'asked';
