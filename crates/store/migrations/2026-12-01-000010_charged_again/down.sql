alter table ledger_entries drop column payer_id, drop column guarantor_id;
alter table claims drop column replaces_id;
alter table claims add unique (visit_id, coverage_id);
alter table ledger_transactions drop constraint ledger_transactions_kind_check;
alter table ledger_transactions add constraint ledger_transactions_kind_check check (kind in
    ('charge', 'payment', 'decision', 'reversal', 'adjustment', 'void', 'refund', 'credit', 'carried_over', 'till'));
drop table charge_corrections;
