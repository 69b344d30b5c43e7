drop index orders_open, orders_open_of, orders_open_tests;
update orders set state = 'accepted' where state in ('preliminary', 'rejected');
alter table orders drop constraint orders_state_check;
alter table orders add constraint orders_state_check
    check (state in ('draft', 'sending', 'requested', 'accepted', 'resulted', 'cancelled'));
alter table orders drop column state_reason;
alter table orders drop column sent_document_id;
alter table prescriptions drop column sent_document_id;
