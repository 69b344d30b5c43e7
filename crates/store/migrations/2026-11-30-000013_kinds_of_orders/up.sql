-- Orders of every kind, with or without a visit: the order belongs to the person.
alter table orders alter column visit_id drop not null;
alter table orders add column kind text not null default 'laboratory'
    check (kind in ('laboratory', 'imaging', 'procedure', 'referral'));
alter table orders alter column kind drop default;
alter table orders add column priority text not null default 'routine' check (priority in ('routine', 'urgent', 'stat'));
alter table orders alter column priority drop default;
-- What is to be found out, by whom, and what of the chart goes with it.
alter table orders add column request jsonb not null default '{}';
alter table orders alter column request drop default;
-- Who laid it there, when that is not who signs it; whose it was before it was taken over; when it was signed.
alter table orders add column prepared_by text not null default '';
alter table orders alter column prepared_by drop default;
alter table orders add column taken_over_from text not null default '';
alter table orders alter column taken_over_from drop default;
alter table orders add column signed_at timestamptz;
update orders set signed_at = coalesce(sent_at, ordered_at) where state <> 'draft' and requisition is not null;
alter table orders add column done_at timestamptz;
alter table orders add column done_by text not null default '';
alter table orders alter column done_by drop default;

alter table orders drop constraint orders_state_check;
alter table orders add constraint orders_state_check
    check (state in ('draft', 'sending', 'requested', 'accepted', 'specimen_taken', 'in_progress', 'preliminary', 'resulted',
                     'done', 'rejected', 'cancelled'));
drop index orders_open, orders_open_of, orders_open_tests;
create index orders_open on orders (ordered_at) where state in ('sending', 'requested', 'accepted', 'specimen_taken', 'in_progress', 'preliminary', 'rejected');
create index orders_open_of on orders (orderer_id, ordered_at) where state in ('sending', 'requested', 'accepted', 'specimen_taken', 'in_progress', 'preliminary', 'rejected');
create index orders_open_tests on orders (loinc) where state in ('sending', 'requested', 'accepted', 'specimen_taken', 'in_progress', 'preliminary', 'rejected');
create index orders_to_sign on orders (orderer_id, ordered_at) where state = 'draft';

-- An order lies under diagnoses of its visit, or, without a visit, under problems of the person: their words stay as they were.
alter table order_diagnoses alter column visit_id drop not null;
alter table order_diagnoses add column title text not null default '';
update order_diagnoses d set title = r.title from note_runs r where r.visit_id = d.visit_id and r.code = d.code;
alter table order_diagnoses alter column title drop default;
