-- Receipts have short numbers, which can be said on the telephone.
create sequence receipt_numbers start 10001;
alter table payments add number bigint not null default nextval('receipt_numbers') unique;
