-- Who pays the laboratory; nothing is not said yet. Of insurance the policy of that day.
alter table orders add column bill_to text check (bill_to in ('clinic', 'patient', 'insurance'));
alter table orders add column coverage_id uuid references coverages;
alter table orders add constraint orders_policy check (coverage_id is null or bill_to = 'insurance');
create index on orders (coverage_id) where coverage_id is not null;
-- When the specimen was taken, and by whom; and where it is to be taken.
alter table orders add column taken_where text not null default 'here' check (taken_where in ('here', 'laboratory'));
alter table orders alter column taken_where drop default;
alter table orders add column taken_at timestamptz;
alter table orders add column taken_by text not null default '';
alter table orders alter column taken_by drop default;
-- What waits for hands in this house: specimens to take, things to do.
create index orders_hands on orders (ordered_at)
    where state in ('requested', 'accepted', 'sending') and taken_at is null and kind in ('laboratory', 'procedure') and taken_where = 'here';
-- What somebody orders most.
create index orders_by on orders (orderer_id, ordered_at);
-- Everything open, of one kind.
create index orders_open_kind on orders (kind, ordered_at) where state in ('sending', 'requested', 'accepted', 'specimen_taken', 'in_progress', 'preliminary', 'rejected');
