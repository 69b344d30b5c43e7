-- A problem may stand on the list in words, until its code is known. Each stands there once: by its code, or by its words.
-- Where two records with the same problem became one, both stand, as twins: what they say of it may differ.
alter table problems drop constraint problems_person_id_code_key;
alter table problems
    add column twin boolean not null default false,
    add check (code <> '' or title <> '');
create unique index problems_once on problems (person_id, code) where code <> '' and not twin;
create unique index problems_in_words_once on problems (person_id, lower(title)) where code = '' and not twin;

create or replace function keep_former() returns trigger language plpgsql as $$
begin
    -- A merge gives an entry another person; what it says stays.
    if to_jsonb(old) - 'person_id' - 'twin' <> to_jsonb(new) - 'person_id' - 'twin' then
        insert into list_versions (list, entry_id, said) values (tg_table_name, old.id, to_jsonb(old) - 'person_id' - 'twin');
    end if;
    return null;
end $$;
