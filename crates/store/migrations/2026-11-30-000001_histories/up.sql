-- How a measurement was taken: position, side or place. A value whose age is not known is not judged.
alter table measurements add column manner text not null default '';
alter table measurements drop constraint measurements_standing_check;
alter table measurements add constraint measurements_standing_check
    check (standing in ('low', 'usual', 'high', 'impossible', 'unjudged'));

-- Since when, as exactly as it is known: a year, a month or a day. What was entered by mistake is struck, and stays.
alter table problems
    add column since text not null default '' check (since ~ '^([0-9]{4}(-[0-9]{2}(-[0-9]{2})?)?)?$'),
    -- The visit whose diagnosis brought it about, if one did.
    add column visit_id uuid references visits,
    add column struck_at timestamptz;
alter table problems drop constraint problems_state_check;
alter table problems add constraint problems_state_check
    check (state in ('active', 'inactive', 'resolved', 'recurrence', 'remission'));
create index on problems (visit_id) where visit_id is not null;
alter table medicines
    add column how text not null default '',
    add column since text not null default '' check (since ~ '^([0-9]{4}(-[0-9]{2}(-[0-9]{2})?)?)?$'),
    add column struck_at timestamptz;

-- Family, social, surgical and hospital history, immunisations. Every change is a row of its own: the last version of an entry
-- is what holds, and what it said before is still read.
create table histories (
    id uuid primary key,
    entry_id uuid not null,
    version integer not null check (version > 0),
    person_id uuid not null references people,
    -- Where it was told; nothing when it was told without a visit.
    visit_id uuid references visits,
    kind text not null check (kind in ('family', 'social', 'surgical', 'hospital', 'immunisation')),
    detail jsonb not null,
    -- Why it no longer holds.
    ended text,
    recorded_at timestamptz not null,
    recorded_by text not null,
    unique (entry_id, version)
);
create index on histories (person_id, entry_id, version);
create index on histories (visit_id) where visit_id is not null;

-- A merge gives an entry another person; what was told stays.
create function refuse_history_change() returns trigger language plpgsql as $$
begin
    if tg_op = 'UPDATE' and to_jsonb(old) - 'person_id' = to_jsonb(new) - 'person_id' then
        return new;
    end if;
    raise exception '% is append-only: a slip is put right by a new row', tg_table_name using errcode = 'integrity_constraint_violation', constraint = 'append_only';
end $$;
create trigger append_only before update or delete on histories for each row execute function refuse_history_change();
create trigger no_truncate before truncate on histories for each statement execute function refuse_change();
