-- Fee schedules: one for everybody, one for those who pay themselves, and one for any payer or plan of a payer that has its own.
-- Each says which one is asked where it has no price.
create table fee_schedules (
    code text primary key check (code ~ '^[a-z0-9][a-z0-9-]{0,39}$'),
    name text not null,
    holds_for text not null check (holds_for in ('everybody', 'self_pay', 'payer')),
    payer_id uuid references payers,
    plan text not null default '',
    falls_back text references fee_schedules,
    check ((holds_for = 'payer') = (payer_id is not null)),
    check (plan = '' or payer_id is not null),
    check (falls_back is distinct from code)
);
create unique index on fee_schedules (lower(name));
create unique index on fee_schedules (holds_for) where holds_for <> 'payer';
create unique index on fee_schedules (payer_id, lower(plan)) where payer_id is not null;
create index on fee_schedules (falls_back);
insert into fee_schedules (code, name, holds_for, falls_back)
values ('standard', 'Standard', 'everybody', null), ('self-pay', 'Self-pay', 'self_pay', 'standard');

-- Prices that were set together (a file, a raise), with what they took the place of, so that all of it can be taken back.
create table price_changes (
    id uuid primary key,
    what text not null,
    at timestamptz not null,
    by text not null,
    before jsonb not null,
    taken_back_at timestamptz
);
alter table prices
    add foreign key (schedule) references fee_schedules,
    add column change_id uuid references price_changes;
create index on prices (schedule);
create index on prices (change_id);

-- What the catalogue says of a service besides its name: with what a line of it begins, and what a claim for it wants.
alter table services
    add column modifiers text[] not null default '{}',
    add column units integer not null default 1 check (units between 1 and 999),
    add column most_units integer check (most_units between 1 and 999),
    add column place text not null default '',
    add column diagnoses text[] not null default '{}',
    add column needs text[] not null default '{}',
    add column not_with text[] not null default '{}',
    add column starts_on date,
    add column ends_on date,
    add check (ends_on >= starts_on);

-- A line may be charged at another price than the schedule's, with the reason; once charged it says by which schedule it was.
alter table charge_lines
    add column own_price_cents bigint check (own_price_cents > 0),
    add column own_price_reason text not null default '',
    add column schedule text references fee_schedules,
    add check ((own_price_cents is null) = (own_price_reason = ''));
create index on charge_lines (schedule) where schedule is not null;
