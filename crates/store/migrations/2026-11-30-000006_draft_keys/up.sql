-- The key under which a browser keeps what somebody typed and the server has not got: one for each person who works here, told to nobody
-- else. Two random UUIDs (RFC 9562, version 4) have 244 random bits; with 256 places it is an AES key.
create table draft_keys (
    staff_id uuid primary key references staff,
    key text not null check (key ~ '^[0-9a-f]{64}$')
);
create function give_draft_key() returns trigger language plpgsql as $$
begin
    insert into draft_keys values (new.id, replace(gen_random_uuid()::text || gen_random_uuid()::text, '-', ''));
    return null;
end $$;
create trigger give_draft_key after insert on staff for each row execute function give_draft_key();
insert into draft_keys select id, replace(gen_random_uuid()::text || gen_random_uuid()::text, '-', '') from staff;
