-- A part of a note may be signed before the rest of it. From then on it stays as it was signed.
create table part_signatures (
    part_id uuid primary key references note_parts,
    visit_id uuid not null references visits,
    signed_at timestamptz not null,
    signed_by text not null,
    digest text not null
);
create index on part_signatures (visit_id);
create trigger append_only before update or delete on part_signatures for each row execute function refuse_change();
create trigger no_truncate before truncate on part_signatures for each statement execute function refuse_change();
-- Whoever signs holds the note, as for the note as a whole.
create trigger hold_note before insert on part_signatures for each row execute function hold_note();
create trigger signed_note before insert on part_signatures for each row execute function refuse_signed_note();
create trigger struck_note before insert on part_signatures for each row execute function refuse_struck_note();

create function refuse_signed_part() returns trigger language plpgsql as $$
begin
    perform pg_advisory_xact_lock_shared(7301, hashtext(old.visit_id::text));
    if exists (select from part_signatures s where s.part_id = old.id) then
        raise exception 'harbor: the part is signed' using errcode = 'integrity_constraint_violation', constraint = 'part_is_signed';
    end if;
    return coalesce(new, old);
end $$;
create trigger signed_part before update or delete on note_parts for each row execute function refuse_signed_part();
