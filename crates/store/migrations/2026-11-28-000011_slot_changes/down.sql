drop index slot_events_starts_at_idx;
