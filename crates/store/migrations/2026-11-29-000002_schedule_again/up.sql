-- Whom a visit type is for, in whole years; nothing: for everybody.
alter table visit_types
  add from_age integer constraint visit_types_from_age check (from_age between 0 and 130),
  add to_age integer constraint visit_types_to_age check (to_age between 0 and 130 and to_age >= coalesce(from_age, 0));
-- Whoever was handed over to another clinician is told.
alter table messages drop constraint messages_purpose_check,
  add constraint messages_purpose_check check (purpose in ('rebooked', 'no_time', 'handed_over', 'receipt'));
