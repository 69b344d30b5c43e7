-- What is written stays true, also when two hands write at one moment.

-- The diagnoses and measurements that stood beside a note when it was signed; part of what its digest is of.
alter table note_signatures add column facts text not null default '';

-- A note is signed or written in, never both at once: whoever does either holds the note until the end of the
-- transaction (writers share it), and looks at the signature after that.
create or replace function refuse_signed_note() returns trigger language plpgsql as $$
declare
    note uuid := coalesce(new.visit_id, old.visit_id);
begin
    perform pg_advisory_xact_lock_shared(7301, hashtext(note::text));
    if exists (select 1 from note_signatures s where s.visit_id = note) then
        raise exception 'the note is signed; add an addendum' using errcode = 'integrity_constraint_violation';
    end if;
    return coalesce(new, old);
end $$;

create function hold_note() returns trigger language plpgsql as $$
begin
    perform pg_advisory_xact_lock(7301, hashtext(new.visit_id::text));
    return new;
end $$;
create trigger hold_note before insert on note_signatures for each row execute function hold_note();
create trigger no_truncate before truncate on note_signatures for each statement execute function refuse_change();
create trigger no_truncate before truncate on addenda for each statement execute function refuse_change();
create trigger no_truncate before truncate on note_parts for each statement execute function refuse_change();

-- Beside a signed note nothing changes silently: the same transaction adds an addendum.
create function told_beside_note() returns trigger language plpgsql as $$
declare
    note uuid := coalesce(new.visit_id, old.visit_id);
begin
    perform pg_advisory_xact_lock_shared(7301, hashtext(note::text));
    if exists (select 1 from note_signatures s where s.visit_id = note and s.xmin::text <> pg_current_xact_id()::xid::text)
        and not exists (select 1 from addenda a where a.visit_id = note and a.xmin::text = pg_current_xact_id()::xid::text) then
        raise exception 'harbor: the note is signed; what changes beside it is told in an addendum' using errcode = 'check_violation';
    end if;
    return null;
end $$;
create constraint trigger told_beside_note after insert or update of visit_id, code, title, position or delete on visit_diagnoses
    deferrable initially deferred for each row execute function told_beside_note();
-- A merge gives measurements another person; what was measured stays.
create constraint trigger told_beside_note after insert or update of visit_id, measure, tenths, taken_at, struck_at or delete on measurements
    deferrable initially deferred for each row execute function told_beside_note();

-- Merging ---------------------------------------------------------------------------------------------------------

-- What the kept record had before, by field, so that parting gives everything back.
alter table merges add column filled jsonb not null default '{}';

-- A record that others were merged into is merged into nobody, and nobody is merged into a record that is gone: no
-- chain, no ring. Both records are held, the lower id first, whoever begins.
create function no_merge_in_a_ring() returns trigger language plpgsql as $$
begin
    if new.merged_into is null then
        return new;
    end if;
    perform pg_advisory_xact_lock(7302, hashtext(least(new.id, new.merged_into)::text));
    perform pg_advisory_xact_lock(7302, hashtext(greatest(new.id, new.merged_into)::text));
    if exists (select 1 from people where id = new.merged_into and merged_into is not null)
        or exists (select 1 from people where merged_into = new.id) then
        raise exception 'harbor: one of the records is merged already' using errcode = 'check_violation';
    end if;
    return new;
end $$;
create trigger no_merge_in_a_ring before insert or update of merged_into on people
    for each row execute function no_merge_in_a_ring();

-- Booking -----------------------------------------------------------------------------------------------------------

-- A visit that has a time from a slot has one that is offered: nobody is left in a slot that was withdrawn.
create function no_visit_in_a_withdrawn_slot() returns trigger language plpgsql as $$
begin
    if tg_table_name = 'slots' then
        if exists (select 1 from visits v join slots s on s.id = v.slot_id where s.id = new.id and s.withdrawn
            and v.stage = 'booked' and not v.rebook) then
            raise exception 'harbor: somebody is booked in a time that falls out; try again' using errcode = 'check_violation';
        end if;
    elsif exists (select 1 from visits v join slots s on s.id = v.slot_id where v.id = new.id and s.withdrawn
        and v.stage = 'booked' and not v.rebook) then
        raise exception 'harbor: this time has just fallen out; choose another' using errcode = 'check_violation';
    end if;
    return null;
end $$;
create constraint trigger no_visit_in_a_withdrawn_slot after insert or update on visits
    deferrable initially deferred for each row execute function no_visit_in_a_withdrawn_slot();
create constraint trigger no_visit_in_a_withdrawn_slot after update of withdrawn on slots
    deferrable initially deferred for each row when (new.withdrawn) execute function no_visit_in_a_withdrawn_slot();

-- Money ---------------------------------------------------------------------------------------------------------------

-- Money goes back on the card that it came from.
alter table payments add column card_of uuid references payments check (card_of is null or kind = 'refund');
create index on payments (card_of) where card_of is not null;

-- What a counted till differed by is on the books, like everything else.
alter table ledger_entries drop constraint ledger_entries_account_check;
alter table ledger_entries add constraint ledger_entries_account_check check (account in ('payer', 'patient', 'unapplied',
    'fees', 'write_off', 'cash', 'card', 'cheque', 'transfer', 'bank', 'payer_adjustment', 'opening', 'till_difference'));
alter table ledger_transactions drop constraint ledger_transactions_kind_check;
alter table ledger_transactions add constraint ledger_transactions_kind_check check (kind in
    ('charge', 'payment', 'decision', 'reversal', 'adjustment', 'void', 'refund', 'credit', 'carried_over', 'till'));
