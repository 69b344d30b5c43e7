-- How a visit was done and is documented: who supervises it, and how long it took.
create table note_heads (
    visit_id uuid primary key references visits,
    supervising_id uuid references staff,
    minutes integer check (minutes between 1 and 720),
    updated_at timestamptz not null,
    updated_by text not null
);
create index on note_heads (supervising_id) where supervising_id is not null;

-- The supervising clinician signs under the signature, for the same digest.
create table note_cosignatures (
    visit_id uuid primary key references note_signatures,
    signed_at timestamptz not null,
    signed_by text not null,
    signer_id uuid not null references staff,
    digest text not null
);
create trigger append_only before update or delete on note_cosignatures for each row execute function refuse_change();
create trigger no_truncate before truncate on note_cosignatures for each statement execute function refuse_change();

-- A note that was written in error stays, and is read as struck.
create table struck_notes (
    visit_id uuid primary key references visits,
    struck_at timestamptz not null,
    struck_by text not null,
    reason text not null check (reason <> '')
);
create trigger append_only before update or delete on struck_notes for each row execute function refuse_change();
create trigger no_truncate before truncate on struck_notes for each statement execute function refuse_change();
create trigger hold_note before insert on struck_notes for each row execute function hold_note();

-- In a struck note nobody writes, signs or changes the head.
create function refuse_struck_note() returns trigger language plpgsql as $$
begin
    perform pg_advisory_xact_lock_shared(7301, hashtext(new.visit_id::text));
    if exists (select from struck_notes s where s.visit_id = new.visit_id) then
        raise exception 'harbor: the note is struck' using errcode = 'integrity_constraint_violation', constraint = 'note_is_struck';
    end if;
    return new;
end $$;
create trigger struck_note before insert or update on note_parts for each row execute function refuse_struck_note();
create trigger struck_note before insert on note_signatures for each row execute function refuse_struck_note();
create trigger struck_note before insert on note_cosignatures for each row execute function refuse_struck_note();
create trigger struck_note before insert or update on note_heads for each row execute function refuse_struck_note();
-- What is signed of a head stays as it was signed.
create trigger signed_note before insert or update or delete on note_heads for each row execute function refuse_signed_note();
