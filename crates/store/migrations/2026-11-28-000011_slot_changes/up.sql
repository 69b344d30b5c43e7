-- What happened to the slots of a day is read by the day.
create index on slot_events (starts_at);
