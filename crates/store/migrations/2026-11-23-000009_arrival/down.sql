drop table signed_forms, forms, alert_acknowledgements, alert_rules, check_in_walks;
alter table rooms drop column place_x, drop column place_y, drop column active;
alter table clinic drop constraint clinic_thresholds, drop column wait_long, drop column wait_too_long,
    drop column late_after, drop column did_not_come_after;
