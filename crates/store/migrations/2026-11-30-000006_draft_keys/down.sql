drop trigger give_draft_key on staff;
drop function give_draft_key;
drop table draft_keys;
