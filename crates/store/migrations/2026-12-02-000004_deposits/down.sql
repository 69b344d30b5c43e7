drop view open_payments;
drop view open_deposits;
drop table deposit_explanations;
drop table deposit_parts;
drop table deposits;
drop function guard_deposit();
