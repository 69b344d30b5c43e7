drop index orders_by, orders_hands, orders_open_kind;
alter table orders drop constraint orders_policy;
alter table orders drop column bill_to, drop column coverage_id, drop column taken_where, drop column taken_at,
    drop column taken_by;
