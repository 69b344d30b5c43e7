drop trigger keep_former on allergies;
drop trigger keep_former on medicines;
drop trigger keep_former on problems;
drop function keep_former;
drop table list_versions;
alter table problems drop column weight, drop column end_reason;
alter table medicines drop column until, drop column source, drop column reason;
alter table allergies drop column kind, drop column since, drop column source, drop column end_reason;
alter table note_parts drop column searched;
