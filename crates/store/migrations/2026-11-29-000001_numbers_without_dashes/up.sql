-- A subscriber number is found however its dashes were typed.
create index coverages_number_undashed on coverages (replace(subscriber_number, '-', ''));
