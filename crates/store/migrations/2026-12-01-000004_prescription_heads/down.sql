drop table renewal_requests;
drop table dispenses;
drop table prescription_ends;
alter table medicines drop column prescription_id;
delete from prescriptions where visit_id is null;
update prescriptions set state = 'stopped' where state in ('printed', 'refused', 'stopping');
update prescriptions set state = 'dispensed' where state = 'partly_dispensed';
alter table prescriptions
    add column override_reason text not null default '',
    drop constraint prescriptions_state_check,
    add constraint prescriptions_state_check check (state in ('draft', 'sending', 'sent', 'dispensed', 'stopped')),
    alter column visit_id set not null,
    drop column head_id,
    drop column dosage,
    drop column unit,
    drop column substitution,
    drop column note,
    drop column overrides,
    drop column replaces_id,
    drop column renews_id,
    add column as_needed boolean not null default false;
alter table staff drop column dea;
drop table prescription_heads;
