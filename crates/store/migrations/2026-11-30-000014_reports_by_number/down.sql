drop index lab_reports_number_idx;
