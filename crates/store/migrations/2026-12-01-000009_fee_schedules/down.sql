alter table charge_lines drop column own_price_cents, drop column own_price_reason, drop column schedule;
alter table services
    drop column modifiers, drop column units, drop column most_units, drop column place, drop column diagnoses,
    drop column needs, drop column not_with, drop column starts_on, drop column ends_on;
-- The steps before know one fee schedule.
delete from prices where schedule <> 'standard';
alter table prices drop column change_id, drop constraint prices_schedule_fkey;
drop table price_changes;
drop table fee_schedules;
