drop trigger if exists guard_entry on list_entries;
alter table shifts drop column template_id;
drop table calendar_feeds;
drop table messages;
drop table contact_confirmations;
drop table person_limits;
drop table waiting;
drop table series_visits;
drop table series;
drop table list_entries;
drop table untimed_lists;
drop table clinician_groups;
drop table supply_exceptions;
drop table template_runs;
drop table shift_templates;
drop function guard_entry;
drop function guard_template;
drop index shifts_starts_at_idx;
alter table visit_types drop column active;
alter table clinic drop column supply_days;
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
