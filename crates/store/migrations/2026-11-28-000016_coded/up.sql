-- A code that was not asked for is no code: nothing stands for nothing. What may stand in a coded column is checked.
alter table registrations
    alter column marital_status drop default, alter column marital_status drop not null,
    alter column race drop default, alter column race drop not null,
    alter column ethnicity drop default, alter column ethnicity drop not null;
update registrations set marital_status = nullif(marital_status, ''), race = nullif(race, ''), ethnicity = nullif(ethnicity, '');
alter table allergies alter column severity drop default, alter column severity drop not null;
update allergies set severity = nullif(severity, '');
alter table allergies add check (severity in ('mild', 'moderate', 'severe'));
alter table measurements add check (standing in ('low', 'usual', 'high', 'impossible'));
alter table claims add check (frequency in ('1', '7', '8'));
alter table messages add check (purpose in ('rebooked', 'no_time', 'receipt'));
