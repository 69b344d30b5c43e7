alter table messages drop constraint messages_purpose_check;
alter table claims drop constraint claims_frequency_check;
alter table measurements drop constraint measurements_standing_check;
alter table allergies drop constraint allergies_severity_check;
update allergies set severity = coalesce(severity, '');
alter table allergies alter column severity set not null, alter column severity set default '';
update registrations set marital_status = coalesce(marital_status, ''), race = coalesce(race, ''), ethnicity = coalesce(ethnicity, '');
alter table registrations
    alter column marital_status set not null, alter column marital_status set default '',
    alter column race set not null, alter column race set default '',
    alter column ethnicity set not null, alter column ethnicity set default '';
