-- Finding people stays equally fast for any number of them: slips and sounds are looked for among the
-- different words that names are made of, which are few, and people then by whole words.

drop index people_folded, people_sounds, people_phone;
alter table people drop column sounds;

-- Every word of every name, the first one to four letters of each, the birth year and the birth date:
-- a search is then a few words that all must be there.
create function find_words(folded text, birth_date date) returns text[] language sql immutable parallel safe as $$
    select array(
        select distinct found from unnest(string_to_array(trim(folded), ' ')) as word, lateral unnest(array[
            word, '^' || left(word, 1), '^' || left(word, 2), '^' || left(word, 3), '^' || left(word, 4)]) as found
        where word <> ''
    ) || case when birth_date is null then '{}'::text[] else array[
        'year ' || extract(year from birth_date)::integer,
        'date ' || (birth_date - date '2000-01-01')] end
$$;
alter table people add column find_words text[] not null
    generated always as (find_words(folded, birth_date)) stored;
create index people_find_words on people using gin (find_words) with (fastupdate = off);
create index people_in_order on people (last_name, first_name, birth_date);

create index people_phone on people (phone text_pattern_ops);
create index people_phone_end on people (reverse(phone) text_pattern_ops);
create index people_other_phone on people (other_phone text_pattern_ops);
create index people_other_phone_end on people (reverse(other_phone) text_pattern_ops);

create table name_words (
    word text collate "C" primary key,
    -- How the core hears it; nothing until the core was asked.
    sounds text[]
);
create index name_words_like on name_words using gin ((word collate "default") gin_trgm_ops);
-- Likeness costs far more than the planner believes; told so, it asks the index also of a young table.
alter function similarity_op(text, text) cost 500;
create index name_words_sounds on name_words using gin (sounds);
create index name_words_unheard on name_words (word) where sounds is null;

create function keep_name_words() returns trigger language plpgsql as $$
begin
    insert into name_words (word)
        select distinct word from unnest(string_to_array(trim(new.folded), ' ')) as word where word <> '' order by word
        on conflict do nothing;
    return null;
end $$;
create trigger keep_name_words after insert or update of folded on people
    for each row execute function keep_name_words();

insert into name_words (word)
    select distinct word from people, unnest(string_to_array(trim(folded), ' ')) as word where word <> ''
    on conflict do nothing;
