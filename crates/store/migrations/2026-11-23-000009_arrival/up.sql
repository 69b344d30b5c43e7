-- Arrival: the clinic's own walk, alerts that are acknowledged, forms that are signed; its rooms and thresholds.

alter table clinic
    add column wait_long integer not null default 15,
    add column wait_too_long integer not null default 30,
    add column late_after integer not null default 10,
    add column did_not_come_after integer not null default 60,
    add constraint clinic_thresholds check (wait_long between 1 and 240 and wait_too_long between wait_long + 1 and 480
        and late_after between 1 and 240 and did_not_come_after between late_after and 600);

-- Where a room lies in the clinic's own drawing of itself; one that is not used any more stays with its visits.
alter table rooms
    add column place_x integer not null default 0 check (place_x between 0 and 11),
    add column place_y integer not null default 0 check (place_y between 0 and 11),
    add column active boolean not null default true;
update rooms r set place_x = n.n % 4, place_y = n.n / 4
from (select id, (row_number() over (partition by site_id order by sort) - 1)::integer as n from rooms) n where n.id = r.id;

-- The steps of check-in in their order: of a visit type, or of all others.
create table check_in_walks (
    id uuid primary key,
    visit_type_id uuid references visit_types,
    steps text[] not null check (cardinality(steps) > 0),
    unique nulls not distinct (visit_type_id)
);

create table alert_rules (
    id uuid primary key,
    sentence text not null,
    conditions jsonb not null,
    active boolean not null default true
);

create table alert_acknowledgements (
    id bigserial primary key,
    visit_id uuid not null references visits,
    -- The rule, or a word for what every clinic is alerted to.
    rule text not null,
    sentence text not null,
    at timestamptz not null,
    by text not null,
    -- Other words are read again.
    unique (visit_id, rule, sentence)
);
create trigger append_only before update or delete on alert_acknowledgements for each row execute function refuse_change();

create table forms (
    id uuid primary key,
    name text not null,
    body text not null,
    -- A signature holds so many months; nothing: for ever.
    valid_months integer check (valid_months between 1 and 120),
    active boolean not null default true,
    sort integer not null default 0
);

create table signed_forms (
    id uuid primary key,
    form_id uuid not null references forms,
    person_id uuid not null references people,
    visit_id uuid references visits,
    -- The words as they were signed.
    name text not null,
    body text not null,
    signer text not null,
    -- On paper: the clinic keeps the sheet itself.
    kind text not null check (kind in ('drawn', 'typed', 'paper')),
    strokes jsonb not null default '[]',
    at timestamptz not null,
    by text not null,
    paper bytea,
    check ((kind = 'paper') = (paper is null))
);
create index on signed_forms (person_id);
create trigger append_only before update or delete on signed_forms for each row execute function refuse_change();
