alter table visit_types drop from_age, drop to_age;
delete from messages where purpose = 'handed_over';
alter table messages drop constraint messages_purpose_check,
  add constraint messages_purpose_check check (purpose in ('rebooked', 'no_time', 'receipt'));
