-- What cannot be said without words or twins goes with its words in front.
update problems set code = left(title, 60) where code = '';
delete from problems p where twin and exists (select from problems o where o.person_id = p.person_id and o.code = p.code and o.id < p.id);
drop index problems_once;
drop index problems_in_words_once;
alter table problems drop column twin;
alter table problems drop constraint problems_check;
alter table problems add constraint problems_person_id_code_key unique (person_id, code);
create or replace function keep_former() returns trigger language plpgsql as $$
begin
    -- A merge gives an entry another person; what it says stays.
    if to_jsonb(old) - 'person_id' <> to_jsonb(new) - 'person_id' then
        insert into list_versions (list, entry_id, said) values (tg_table_name, old.id, to_jsonb(old) - 'person_id');
    end if;
    return null;
end $$;
