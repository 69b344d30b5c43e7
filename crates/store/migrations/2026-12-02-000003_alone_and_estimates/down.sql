drop table written_estimates;
drop trigger kept_from_plan on claims;
drop trigger kept_from_plan on visits;
drop function guard_kept_from_plan();
drop table kept_from_plan;
drop trigger charge_stays_alone on visits;
drop trigger charge_has_no_signature on note_signatures;
drop trigger charge_has_no_head on note_heads;
drop trigger charge_has_no_run on note_runs;
drop trigger charge_has_no_part on note_parts;
drop function guard_charge_alone();
alter table visits drop constraint visits_charge_is_alone;
-- What was charged alone stays on the books, as an administrative entry.
update visits set kind = 'administrative' where kind = 'charge';
-- What is checked at the end of a change is checked now: a table with checks that wait is not altered.
set constraints all immediate;
alter table visits drop constraint visits_kind_check;
alter table visits add constraint visits_kind_check
    check (kind in ('in_person', 'phone', 'video', 'home', 'administrative'));
