drop table result_filings, result_questions, result_looks, report_files;
drop index results_waiting;
alter table lab_reports add column content jsonb not null default '[]';
update lab_reports r set content = coalesce((
    select jsonb_agg(jsonb_build_object('loinc', v.loinc, 'name', v.name, 'number', v.number, 'text', v.words, 'unit', v.unit,
        'low', v.low, 'high', v.high, 'flag', v.flag) order by v.position)
    from result_values v where v.report_id = r.id), '[]');
alter table lab_reports alter column content drop default,
    drop column name, drop column performer, drop column conclusion, drop column subject, drop column urgency,
    drop column reviewer_id, drop column reviewed_by_id;
drop table result_values;
