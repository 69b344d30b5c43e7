drop trigger no_longer_reviewed on none_known;
drop function none_known_not_reviewed;
drop trigger no_longer_reviewed on histories;
drop trigger no_longer_reviewed on problems;
drop trigger no_longer_reviewed on medicines;
drop trigger no_longer_reviewed on allergies;
drop function no_longer_reviewed;
drop table list_reviews;
-- What stood in the runs of one note becomes one text for each part again.
create temporary table joined as
    select p.visit_id, p.part, string_agg(p.body, E'\n' order by r.position nulls first) as body, max(p.version) as version,
        max(p.updated_at) as updated_at, (array_agg(p.updated_by order by p.updated_at desc))[1] as updated_by
    from note_parts p left join note_runs r on r.id = p.run_id group by p.visit_id, p.part;
alter table note_parts disable trigger user;
delete from note_parts;
alter table note_parts drop column run_id, drop column id, drop column carried, drop column carried_from,
    drop column reviewed_at, drop column reviewed_by;
alter table note_parts add primary key (visit_id, part);
insert into note_parts (visit_id, part, body, version, updated_at, updated_by) select * from joined;
alter table note_parts enable trigger user;
drop table joined;
drop view visit_diagnoses;
alter table prescriptions drop constraint prescriptions_visit_id_diagnosis_fkey;
alter table order_diagnoses drop constraint order_diagnoses_visit_id_code_fkey;
delete from note_runs where code is null;
alter table note_runs drop column id, drop constraint note_runs_visit_id_code_key;
alter table note_runs alter column code set not null;
alter table note_runs add constraint visit_diagnoses_pkey primary key (visit_id, code);
alter table note_runs rename constraint note_runs_position_check to visit_diagnoses_position_check;
alter table note_runs rename constraint note_runs_visit_id_position_key to visit_diagnoses_visit_id_position_key;
alter table note_runs rename constraint note_runs_visit_id_fkey to visit_diagnoses_visit_id_fkey;
alter table note_runs rename to visit_diagnoses;
alter table order_diagnoses add foreign key (visit_id, code) references visit_diagnoses (visit_id, code);
alter table prescriptions add foreign key (visit_id, diagnosis) references visit_diagnoses (visit_id, code);
