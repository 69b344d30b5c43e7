-- Each report that comes asks for those of its number before.
create index on lab_reports (number);
