delete from messages where purpose = 'result_here';
alter table messages drop constraint messages_purpose_check,
  add constraint messages_purpose_check check (purpose in ('rebooked', 'no_time', 'handed_over', 'receipt'));
alter table clinic drop column usual_days;
drop table stand_ins;
drop table order_repeats;
drop table order_sets;
