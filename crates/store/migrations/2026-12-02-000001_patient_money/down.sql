drop index remitted_claims_of, remitted_claims_waiting, remitted_claims_number, remitted_claims_patient, remittances_trace,
    remittances_newest;
drop table call_notes, plan_debts, payment_plans, statements, statement_runs, confidential_visits, statement_wishes;
drop table reductions, hardships, money_rules;
drop trigger closed_month on ledger_transactions;
drop function refuse_closed_month;
drop table closed_months;
drop trigger keep_open_debts on ledger_entries;
drop function keep_open_debts;
drop view standing_debts;
drop table open_debts;
drop view merged_people;
alter table ledger_entries drop constraint ledger_entries_account_check;
alter table ledger_entries disable trigger append_only;
update ledger_entries set account = 'given_up' where account in ('discount', 'hardship', 'small_balance', 'bad_debt');
alter table ledger_entries enable trigger append_only;
alter table ledger_entries add constraint ledger_entries_account_check check (account in ('payer', 'patient', 'unapplied',
    'fees', 'write_off', 'given_up', 'cash', 'card', 'cheque', 'transfer', 'bank', 'unmatched', 'interest', 'takeback',
    'forward_balance', 'payer_adjustment', 'opening', 'till_difference'));
alter table ledger_transactions drop constraint ledger_transactions_kind_check;
alter table ledger_transactions disable trigger append_only;
update ledger_transactions set kind = 'given_up' where kind in ('reduction', 'reduction_back');
alter table ledger_transactions enable trigger append_only;
alter table ledger_transactions add constraint ledger_transactions_kind_check check (kind in
    ('charge', 'uncharge', 'payment', 'decision', 'reversal', 'adjustment', 'passed_on', 'to_patient', 'given_up', 'matched',
     'void', 'refund', 'credit', 'carried_over', 'till'));
delete from messages where purpose = 'statement';
alter table messages drop constraint messages_purpose_check,
  add constraint messages_purpose_check check (purpose in ('rebooked', 'no_time', 'handed_over', 'receipt', 'result_here'));
