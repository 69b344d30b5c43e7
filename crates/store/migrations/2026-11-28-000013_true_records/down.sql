alter table ledger_transactions drop constraint ledger_transactions_kind_check;
alter table ledger_transactions add constraint ledger_transactions_kind_check check (kind in
    ('charge', 'payment', 'decision', 'reversal', 'adjustment', 'void', 'refund', 'credit', 'carried_over'));
alter table ledger_entries drop constraint ledger_entries_account_check;
alter table ledger_entries add constraint ledger_entries_account_check check (account in ('payer', 'patient', 'unapplied',
    'fees', 'write_off', 'cash', 'card', 'cheque', 'transfer', 'bank', 'payer_adjustment', 'opening'));
alter table payments drop column card_of;
drop trigger no_visit_in_a_withdrawn_slot on slots;
drop trigger no_visit_in_a_withdrawn_slot on visits;
drop function no_visit_in_a_withdrawn_slot();
drop trigger no_merge_in_a_ring on people;
drop function no_merge_in_a_ring();
alter table merges drop column filled;
drop trigger told_beside_note on measurements;
drop trigger told_beside_note on visit_diagnoses;
drop function told_beside_note();
drop trigger no_truncate on note_parts;
drop trigger no_truncate on addenda;
drop trigger no_truncate on note_signatures;
drop trigger hold_note on note_signatures;
drop function hold_note();
create or replace function refuse_signed_note() returns trigger language plpgsql as $$
begin
    if exists (select 1 from note_signatures s where s.visit_id = coalesce(new.visit_id, old.visit_id)) then
        raise exception 'the note is signed; add an addendum' using errcode = 'integrity_constraint_violation';
    end if;
    return coalesce(new, old);
end $$;
alter table note_signatures drop column facts;
