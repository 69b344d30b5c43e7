drop table denial_events;
drop table denials;
update remittances set trace = trace || '#' || part where part > 0;
alter table remittances drop column part;
alter table remittances add unique (payer_code, trace);
alter table payers drop column correction_days, drop column appeal_days;
alter table remitted_claims drop column decision, drop column matched_at, drop column matched_by;
alter table ledger_transactions drop constraint ledger_transactions_kind_check;
alter table ledger_transactions disable trigger append_only;
update ledger_transactions set kind = 'adjustment' where kind in ('passed_on', 'to_patient', 'given_up', 'matched');
alter table ledger_transactions enable trigger append_only;
alter table ledger_transactions add constraint ledger_transactions_kind_check check (kind in
    ('charge', 'uncharge', 'payment', 'decision', 'reversal', 'adjustment', 'void', 'refund', 'credit', 'carried_over', 'till'));
alter table ledger_entries drop constraint ledger_entries_account_check;
alter table ledger_entries disable trigger append_only;
update ledger_entries set account = 'payer_adjustment'
where account in ('unmatched', 'interest', 'takeback', 'forward_balance');
update ledger_entries set account = 'write_off' where account = 'given_up';
alter table ledger_entries enable trigger append_only;
alter table ledger_entries add constraint ledger_entries_account_check check (account in ('payer', 'patient', 'unapplied',
    'fees', 'write_off', 'cash', 'card', 'cheque', 'transfer', 'bank', 'payer_adjustment', 'opening', 'till_difference'));
