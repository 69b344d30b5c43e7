-- What came to the bank, and which payments it is: append-only; what was matched wrongly is taken apart by a row that says the
-- opposite. Nothing of it is posted.
create table deposits (
    id uuid primary key,
    day date not null,
    cents bigint not null check (cents <> 0),
    -- What the bank says of it.
    reference text not null,
    entered_at timestamptz not null,
    entered_by text not null
);
create index on deposits (day, id);

create table deposit_parts (
    id uuid primary key,
    deposit_id uuid not null references deposits,
    remittance_id uuid not null references remittances,
    cents bigint not null check (cents <> 0),
    at timestamptz not null,
    by text not null
);
create index on deposit_parts (deposit_id);
create index on deposit_parts (remittance_id);

-- What is no payment of a payer, or never came, with the reason that somebody gave.
create table deposit_explanations (
    id uuid primary key,
    deposit_id uuid references deposits,
    remittance_id uuid references remittances,
    cents bigint not null check (cents <> 0),
    reason text not null check (reason <> ''),
    at timestamptz not null,
    by text not null,
    check (num_nonnulls(deposit_id, remittance_id) = 1)
);
create index on deposit_explanations (deposit_id) where deposit_id is not null;
create index on deposit_explanations (remittance_id) where remittance_id is not null;

create trigger append_only before update or delete on deposits for each row execute function refuse_change();
create trigger append_only before update or delete on deposit_parts for each row execute function refuse_change();
create trigger append_only before update or delete on deposit_explanations for each row execute function refuse_change();

-- What is still to be matched of every deposit and of every payment that moves money.
create view open_deposits as
    select d.id, d.cents
        - coalesce((select sum(p.cents) from deposit_parts p where p.deposit_id = d.id), 0)::bigint
        - coalesce((select sum(e.cents) from deposit_explanations e where e.deposit_id = d.id), 0)::bigint as open_cents
    from deposits d;
create view open_payments as
    select r.id, r.amount_cents
        - coalesce((select sum(p.cents) from deposit_parts p where p.remittance_id = r.id), 0)::bigint
        - coalesce((select sum(e.cents) from deposit_explanations e where e.remittance_id = r.id), 0)::bigint as open_cents
    from remittances r where r.amount_cents <> 0;

-- Neither a deposit nor a payment is matched beyond itself.
create function guard_deposit() returns trigger language plpgsql as $$
declare
    whole bigint;
    rest bigint;
begin
    if new.deposit_id is not null then
        select d.cents, o.open_cents into whole, rest from deposits d join open_deposits o using (id) where id = new.deposit_id;
        if rest <> 0 and sign(rest) <> sign(whole) or abs(rest) > abs(whole) then
            raise exception 'a deposit is matched beyond itself' using errcode = 'check_violation', constraint = 'deposit_within';
        end if;
    end if;
    if new.remittance_id is not null then
        select r.amount_cents, o.open_cents into whole, rest from remittances r left join open_payments o using (id)
            where id = new.remittance_id;
        if rest is null or rest <> 0 and sign(rest) <> sign(whole) or abs(rest) > abs(whole) then
            raise exception 'a payment is matched beyond itself' using errcode = 'check_violation', constraint = 'deposit_within';
        end if;
    end if;
    return new;
end $$;
create trigger deposit_within after insert on deposit_parts for each row execute function guard_deposit();
create trigger deposit_within after insert on deposit_explanations for each row execute function guard_deposit();
