alter table list_reviews drop column reviewed_by_id;
alter table note_parts drop column reviewed_by_id, drop column written_by_id;
