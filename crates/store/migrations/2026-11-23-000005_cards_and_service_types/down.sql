alter table benefit_checks drop column sent;
drop table coverage_cards;
alter table services drop column service_type;
