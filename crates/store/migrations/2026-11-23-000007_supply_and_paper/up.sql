-- Where working time comes from, lists without times, series, who waits for something earlier, and what is
-- told to patients about their times.

-- So many days ahead shifts are made from the templates.
alter table clinic add column supply_days integer not null default 120 check (supply_days between 7 and 400);

-- A type that is not used any more stays with the visits that had it.
alter table visit_types add column active boolean not null default true;

-- Working time that comes every week, or every so many weeks. Times are minutes of the local day.
create table shift_templates (
    id uuid primary key,
    clinician_id uuid not null references staff,
    site_id uuid not null references sites,
    -- Monday is 1.
    weekday integer not null check (weekday between 1 and 7),
    from_minute integer not null check (from_minute between 0 and 1439),
    to_minute integer not null check (to_minute between 1 and 1439 and to_minute > from_minute),
    every_weeks integer not null default 1 check (every_weeks between 1 and 8),
    begins_on date not null,
    ends_on date check (ends_on >= begins_on),
    version integer not null default 1,
    -- Templates that pause may take turns; the core knows when they meet.
    exclude using gist (clinician_id with =, weekday with =, int4range(from_minute, to_minute) with &&,
        daterange(begins_on, ends_on, '[]') with &&) where (every_weeks = 1)
);

create table template_runs (
    template_id uuid not null references shift_templates on delete cascade,
    sort integer not null,
    count integer not null check (count between 1 and 200),
    minutes integer not null check (minutes between 5 and 600),
    visit_type_id uuid references visit_types,
    held_for text check (held_for <> ''),
    clinic text not null default '',
    primary key (template_id, sort),
    check ((visit_type_id is null) <> (held_for is null))
);

-- A slot of a template is long enough for its type, and the slots fit into the shift.
create function guard_template() returns trigger language plpgsql as $$
declare
    needed integer;
    has integer;
begin
    if exists (select from template_runs r join visit_types t on t.id = r.visit_type_id
        where r.template_id = new.template_id and t.minutes > r.minutes) then
        raise exception 'harbor: a visit type takes longer than its slot' using errcode = 'check_violation';
    end if;
    select sum(r.count * r.minutes) into needed from template_runs r where r.template_id = new.template_id;
    select to_minute - from_minute into has from shift_templates where id = new.template_id;
    if needed > has then
        raise exception 'harbor: the slots are longer than the shift' using errcode = 'check_violation';
    end if;
    return new;
end $$;
create constraint trigger guard_template after insert or update on template_runs
    deferrable initially deferred for each row execute function guard_template();

-- Days that are not as the week says: of the clinic, of a site, or of one clinician.
create table supply_exceptions (
    id uuid primary key,
    clinician_id uuid references staff,
    site_id uuid references sites,
    from_day date not null,
    to_day date not null check (to_day >= from_day),
    reason text not null check (reason <> ''),
    made_at timestamptz not null,
    made_by text not null,
    removed_at timestamptz,
    check (clinician_id is null or site_id is null)
);
create index on supply_exceptions (from_day, to_day) where removed_at is null;

-- Nothing: a one-off shift.
alter table shifts add column template_id uuid references shift_templates;
create index on shifts (template_id, starts_at);
create index on shifts (starts_at);

-- Groups of clinicians to look at together: one's own, or the clinic's when nobody owns it.
create table clinician_groups (
    id uuid primary key,
    name text not null check (name <> ''),
    owner_id uuid references staff,
    members uuid[] not null check (cardinality(members) > 0)
);
create unique index on clinician_groups (coalesce(owner_id, '00000000-0000-0000-0000-000000000000'), lower(name));

-- Lists without times: home visits in the order of the round, walk-ins in the order of arrival.
create table untimed_lists (
    id uuid primary key,
    name text not null unique check (name <> ''),
    kind text not null check (kind in ('home', 'walk_in')),
    clinician_id uuid not null references staff,
    site_id uuid not null references sites,
    visit_type_id uuid not null references visit_types,
    -- Weekdays on which there is one, Monday is 1.
    weekdays integer[] not null check (cardinality(weekdays) > 0),
    from_minute integer not null check (from_minute between 0 and 1438),
    to_minute integer not null check (to_minute between 1 and 1439 and to_minute > from_minute),
    -- No more than so many a day.
    most integer not null check (most between 1 and 200),
    active boolean not null default true
);
create table list_entries (
    visit_id uuid primary key references visits,
    list_id uuid not null references untimed_lists,
    day date not null,
    place integer not null
);
create index on list_entries (day, list_id);

create table series (
    id uuid primary key,
    person_id uuid not null references people,
    -- In words: every 2 weeks, 6 times.
    rule text not null,
    made_at timestamptz not null,
    made_by text not null
);
create table series_visits (
    visit_id uuid primary key references visits,
    series_id uuid not null references series
);
create index on series_visits (series_id);

-- Who wants something earlier, or waits for a time at all.
create table waiting (
    id uuid primary key,
    person_id uuid not null references people,
    -- The visit that they have and would give up for an earlier one.
    visit_id uuid references visits,
    visit_type_id uuid not null references visit_types,
    clinician_ids uuid[] not null default '{}',
    site_ids uuid[] not null default '{}',
    weekdays integer[] not null default '{}',
    from_minute integer not null default 0,
    to_minute integer not null default 1440 check (to_minute > from_minute),
    not_before date,
    urgent boolean not null default false,
    note text not null default '',
    made_at timestamptz not null,
    made_by text not null,
    -- placed, or withdrawn.
    closed_as text check (closed_as in ('placed', 'withdrawn')),
    closed_at timestamptz,
    check ((closed_as is null) = (closed_at is null))
);
create index on waiting (made_at) where closed_as is null;
create unique index on waiting (visit_id) where closed_as is null;

-- When and where a person can come at all; a plan never goes against it.
create table person_limits (
    person_id uuid primary key references people,
    site_ids uuid[] not null default '{}',
    weekdays integer[] not null default '{}',
    same_clinician boolean not null default true,
    note text not null default ''
);

-- That the way to reach a person was asked and is right.
create table contact_confirmations (
    id bigserial primary key,
    person_id uuid not null references people,
    phone text,
    email text,
    at timestamptz not null,
    by text not null
);
create index on contact_confirmations (person_id, id);
create trigger append_only before update or delete on contact_confirmations
    for each row execute function refuse_change();

-- What patients are told, each by the way that they agreed to.
create table messages (
    id uuid primary key,
    person_id uuid not null references people,
    visit_id uuid references visits,
    -- rebooked, cancelled, no_time
    purpose text not null,
    channel text not null check (channel in ('text', 'email', 'letter', 'call')),
    -- Telephone number, e-mail address or nothing for a letter.
    reach text not null default '',
    -- Why this way and not another one.
    why text not null,
    subject text not null,
    body text not null,
    state text not null check (state in ('waiting', 'sent', 'delivered', 'failed', 'bounced', 'printed', 'called', 'not_reached')),
    fate text not null default '',
    made_at timestamptz not null,
    made_by text not null,
    state_at timestamptz not null,
    state_by text not null
);
create index on messages (person_id, made_at);
create index on messages (made_at) where state in ('waiting', 'failed', 'bounced', 'not_reached');

-- A clinician's days as a calendar; the address is the secret, of which only the hash is kept.
create table calendar_feeds (
    token_hash bytea primary key,
    staff_id uuid not null references staff,
    made_at timestamptz not null,
    ended_at timestamptz
);
create unique index on calendar_feeds (staff_id) where ended_at is null;

-- As before, and never on a day on which nobody works by the templates.
create or replace function guard_booking() returns trigger language plpgsql as $$
declare
    shift record;
    kind record;
    zone text;
begin
    if new.slot_id is null or new.stage <> 'booked' or new.rebook then
        return new;
    end if;
    if tg_op = 'UPDATE' and new.slot_id = old.slot_id and new.starts_at = old.starts_at
        and new.clinician_id = old.clinician_id and new.person_id = old.person_id and old.stage = 'booked' and not old.rebook then
        return new;
    end if;
    if exists (select from people where id = new.person_id and deceased_on is not null) then
        raise exception 'harbor: the person has died; no visit can be booked' using errcode = 'check_violation';
    end if;
    if new.ends_at <= new.placed_at then
        raise exception 'harbor: this time has passed' using errcode = 'check_violation';
    end if;
    select s.starts_at, s.ends_at, s.cancelled_at, s.template_id, s.clinician_id, s.site_id into shift
        from shifts s join slots on slots.shift_id = s.id where slots.id = new.slot_id;
    if shift.cancelled_at is not null or new.starts_at < shift.starts_at
        or (new.ends_at > shift.ends_at and not new.extra) then
        raise exception 'harbor: the clinician does not work at this time' using errcode = 'check_violation';
    end if;
    select clinic.zone into zone from clinic;
    if shift.template_id is not null and exists (select from supply_exceptions e where e.removed_at is null
        and (new.starts_at at time zone zone)::date between e.from_day and e.to_day
        and (e.clinician_id is null or e.clinician_id = shift.clinician_id)
        and (e.site_id is null or e.site_id = shift.site_id)) then
        raise exception 'harbor: nobody works on this day' using errcode = 'check_violation';
    end if;
    if exists (select from slots where clinician_id = new.clinician_id and held_for is not null and not withdrawn
        and starts_at < new.ends_at and ends_at > new.starts_at) then
        raise exception 'harbor: this time is held' using errcode = 'check_violation';
    end if;
    select release_days into kind from visit_types where id = new.visit_type_id;
    if kind.release_days is not null then
        if (new.placed_at at time zone zone)::date < (new.starts_at at time zone zone)::date - kind.release_days then
            raise exception 'harbor: this time is not open for booking yet' using errcode = 'check_violation';
        end if;
    end if;
    return new;
end $$;

-- A list without times takes nobody who has died either.
create function guard_entry() returns trigger language plpgsql as $$
begin
    if exists (select from visits v join people p on p.id = v.person_id
        where v.id = new.visit_id and p.deceased_on is not null) then
        raise exception 'harbor: the person has died; no visit can be booked' using errcode = 'check_violation';
    end if;
    if (select count(*) from list_entries e join visits v on v.id = e.visit_id
        where e.list_id = new.list_id and e.day = new.day and v.stage <> 'cancelled' and e.visit_id <> new.visit_id)
        >= (select most from untimed_lists where id = new.list_id) then
        raise exception 'harbor: the list of this day is full' using errcode = 'check_violation';
    end if;
    return new;
end $$;
create trigger guard_entry before insert or update on list_entries for each row execute function guard_entry();
