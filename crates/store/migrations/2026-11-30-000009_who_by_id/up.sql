-- Who wrote or reviewed something is judged by who it was: two people may have one name. Where the name of a row is that
-- of exactly one member of staff it was them; else nobody is taken for the writer.
alter table note_parts add column written_by_id uuid references staff, add column reviewed_by_id uuid references staff;
alter table list_reviews add column reviewed_by_id uuid references staff;
create temporary table named on commit drop as select name, min(id::text)::uuid as id from staff group by name having count(*) = 1;
alter table note_parts disable trigger user;
update note_parts p set written_by_id = (select id from named n where n.name = p.updated_by),
                        reviewed_by_id = (select id from named n where n.name = p.reviewed_by);
alter table note_parts enable trigger user;
alter table list_reviews disable trigger user;
update list_reviews r set reviewed_by_id = (select id from named n where n.name = r.reviewed_by);
alter table list_reviews enable trigger user;
