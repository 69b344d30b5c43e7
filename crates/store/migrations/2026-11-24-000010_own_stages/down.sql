drop index slots_shift_id_visit_type_id_idx;
alter table visits drop column done_at, drop column appointment, drop column own_stage_id;
drop table own_stages;
