drop trigger guard_booking on visits;
drop function guard_booking;
drop table schedule_notes;
drop table visit_moves;
drop table slot_events;
alter table visits drop constraint visits_clinician_id_tstzrange_excl;
alter table visits add exclude using gist (clinician_id with =, tstzrange(starts_at, ends_at) with &&)
    where (stage not in ('cancelled', 'did_not_come', 'left_unseen') and not extra);
alter table visits drop column over_type_id, drop column placed_at, drop column cancelled_by, drop column rebook;
alter table slots drop constraint slots_clinician_id_tstzrange_excl;
alter table slots add exclude using gist (clinician_id with =, tstzrange(starts_at, ends_at) with &&);
alter table slots drop column clinic, drop column by_hand, drop column withdrawn;
alter table shifts drop column cancel_reason;
alter table visit_types drop column release_days, drop column booked_by, drop column online, drop column ground;
alter table clinic drop column cancel_reasons, drop column reason_required;
