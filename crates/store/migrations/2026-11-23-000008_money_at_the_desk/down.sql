drop table card_requests;
drop trigger agrees on payments;
alter table ledger_transactions drop column payment_id;
drop table payment_means, payments, tills;
drop function payment_agrees, refuse_money_into_closed_till, refuse_closed_till;
