alter table visits drop column done_at, drop column appointment, drop column own_stage_id;
drop table own_stages;
