-- Booking in all its ways, moving, slots changed by hand, and what happens when a clinician is away.

alter table clinic
    add column cancel_reasons text[] not null default
        '{patient ill,patient forgot,no longer needed,no transport,clinician away,clinic closed,booked by mistake,patient died}',
    -- Whether a visit needs a reason at booking.
    add column reason_required boolean not null default true;

alter table visit_types
    -- Opens for booking so many days before its own day; nothing: always open.
    add column release_days integer check (release_days between 0 and 365),
    -- The roles that may book it.
    add column booked_by text[] not null default '{front_desk,assistant,clinician,manager}',
    -- Whether patients may book it themselves.
    add column online boolean not null default false,
    -- A tint of the card besides glyph and edge.
    add column ground text not null default 'sheet' check (ground in ('sheet', 'tide', 'kelp', 'brass', 'indigo'));

alter table shifts add column cancel_reason text;

alter table slots
    -- A named clinic inside the shift, such as immunisations.
    add column clinic text not null default '',
    -- Changed by a person: a new template leaves it as it is.
    add column by_hand boolean not null default false,
    -- Of a cancelled shift: it takes no time any more.
    add column withdrawn boolean not null default false;
alter table slots drop constraint slots_clinician_id_tstzrange_excl;
alter table slots add constraint slots_clinician_id_tstzrange_excl
    exclude using gist (clinician_id with =, tstzrange(starts_at, ends_at) with &&) where (not withdrawn);

alter table visits
    -- The slot's own type, when the visit was put over another one.
    add column over_type_id uuid references visit_types,
    -- When it was given its present time: the guards below compare with it, not with a clock.
    add column placed_at timestamptz,
    add column cancelled_by text check (cancelled_by in ('patient', 'clinic')),
    -- Its shift was cancelled: it waits for a new time.
    add column rebook boolean not null default false;
alter table visits drop constraint visits_clinician_id_tstzrange_excl;
alter table visits add constraint visits_clinician_id_tstzrange_excl
    exclude using gist (clinician_id with =, tstzrange(starts_at, ends_at) with &&)
    where (stage not in ('cancelled', 'did_not_come', 'left_unseen') and not extra and not rebook);
update visits set placed_at = booked_at;
alter table visits alter column placed_at set not null;
create index on visits (starts_at) where rebook;

-- Everything that ever happened to a slot, also to one that is no more.
create table slot_events (
    id bigserial primary key,
    slot_id uuid not null,
    clinician_id uuid not null references staff,
    starts_at timestamptz not null,
    ends_at timestamptz not null,
    what text not null,
    detail text not null default '',
    at timestamptz not null,
    by text not null
);
create index on slot_events (slot_id, id);
create index on slot_events (clinician_id, starts_at);
create trigger append_only before update or delete on slot_events for each row execute function refuse_change();

-- Every time that a visit had.
create table visit_moves (
    id bigserial primary key,
    visit_id uuid not null references visits,
    from_starts_at timestamptz not null,
    from_clinician_id uuid not null references staff,
    to_starts_at timestamptz not null,
    to_clinician_id uuid not null references staff,
    reason text not null default '',
    at timestamptz not null,
    by text not null
);
create index on visit_moves (visit_id, id);
create trigger append_only before update or delete on visit_moves for each row execute function refuse_change();

-- A short note to a clinician, pinned to a time.
create table schedule_notes (
    id uuid primary key,
    clinician_id uuid not null references staff,
    at timestamptz not null,
    body text not null check (body <> ''),
    made_at timestamptz not null,
    made_by text not null,
    removed_at timestamptz
);
create index on schedule_notes (at) where removed_at is null;

-- What a program must not book, whatever it believes. It speaks when a visit gets a time from a slot.
create function guard_booking() returns trigger language plpgsql as $$
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
    select s.starts_at, s.ends_at, s.cancelled_at into shift
        from shifts s join slots on slots.shift_id = s.id where slots.id = new.slot_id;
    if shift.cancelled_at is not null or new.starts_at < shift.starts_at
        or (new.ends_at > shift.ends_at and not new.extra) then
        raise exception 'harbor: the clinician does not work at this time' using errcode = 'check_violation';
    end if;
    if exists (select from slots where clinician_id = new.clinician_id and held_for is not null and not withdrawn
        and starts_at < new.ends_at and ends_at > new.starts_at) then
        raise exception 'harbor: this time is held' using errcode = 'check_violation';
    end if;
    select release_days into kind from visit_types where id = new.visit_type_id;
    if kind.release_days is not null then
        select clinic.zone into zone from clinic;
        if (new.placed_at at time zone zone)::date < (new.starts_at at time zone zone)::date - kind.release_days then
            raise exception 'harbor: this time is not open for booking yet' using errcode = 'check_violation';
        end if;
    end if;
    return new;
end $$;
create trigger guard_booking before insert or update on visits for each row execute function guard_booking();
