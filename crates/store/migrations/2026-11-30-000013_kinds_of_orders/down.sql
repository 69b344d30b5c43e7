delete from order_diagnoses where visit_id is null;
alter table order_diagnoses drop column title;
alter table order_diagnoses alter column visit_id set not null;
drop index orders_open, orders_open_of, orders_open_tests, orders_to_sign;
update orders set state = 'accepted' where state in ('specimen_taken', 'in_progress');
update orders set state = 'resulted' where state = 'done';
alter table orders drop constraint orders_state_check;
alter table orders add constraint orders_state_check
    check (state in ('draft', 'sending', 'requested', 'accepted', 'preliminary', 'resulted', 'rejected', 'cancelled'));
create index orders_open on orders (ordered_at) where state in ('sending', 'requested', 'accepted', 'preliminary', 'rejected');
create index orders_open_of on orders (orderer_id, ordered_at) where state in ('sending', 'requested', 'accepted', 'preliminary', 'rejected');
create index orders_open_tests on orders (loinc) where state in ('sending', 'requested', 'accepted', 'preliminary', 'rejected');
alter table orders drop column done_by, drop column done_at, drop column signed_at, drop column taken_over_from,
    drop column prepared_by, drop column request, drop column priority, drop column kind;
-- Orders without a visit have no place in the older tables.
update lab_reports set order_id = null where order_id in (select id from orders where visit_id is null);
delete from orders where visit_id is null;
alter table orders alter column visit_id set not null;
