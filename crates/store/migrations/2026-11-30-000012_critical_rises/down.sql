drop table result_risings;
alter table clinic drop column critical_after;
