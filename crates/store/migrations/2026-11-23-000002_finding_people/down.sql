drop trigger keep_name_words on people;
drop function keep_name_words;
drop table name_words;
alter table people drop column find_words;
drop index people_in_order, people_phone, people_phone_end, people_other_phone, people_other_phone_end;
alter table people add column sounds text[] not null default '{}';
create index people_folded on people using gin (folded gin_trgm_ops);
create index people_sounds on people using gin (sounds);
create index people_phone on people using gin (phone gin_trgm_ops);
