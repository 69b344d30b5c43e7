drop table merges, chart_openings, relations, consents, registrations;
alter table people drop column merged_into, drop column patient;
alter table clinic drop column required_fields;
