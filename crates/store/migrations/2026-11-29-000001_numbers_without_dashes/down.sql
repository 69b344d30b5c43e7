drop index coverages_number_undashed;
