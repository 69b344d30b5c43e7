-- What was handed to the laboratory and to the pharmacy, byte for byte.
alter table orders add column sent_document_id uuid references documents;
alter table prescriptions add column sent_document_id uuid references documents;

-- An order is open until somebody has read what came of it: what the laboratory refused, and what was cancelled after it was
-- sent, says why.
alter table orders drop constraint orders_state_check;
alter table orders add constraint orders_state_check
    check (state in ('draft', 'sending', 'requested', 'accepted', 'preliminary', 'resulted', 'rejected', 'cancelled'));
alter table orders add column state_reason text not null default '';
alter table orders alter column state_reason drop default;
create index orders_open on orders (ordered_at) where state in ('sending', 'requested', 'accepted', 'preliminary', 'rejected');
create index orders_open_of on orders (orderer_id, ordered_at) where state in ('sending', 'requested', 'accepted', 'preliminary', 'rejected');
create index orders_open_tests on orders (loinc) where state in ('sending', 'requested', 'accepted', 'preliminary', 'rejected');
