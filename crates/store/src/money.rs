//! Money: the ledger, what is owed, what was paid, tills, the card terminal, remittances, denial work; what is asked of
//! patients: open debts, reductions, plans, statements, calls; the months of the books.

pub mod accounts;
pub mod calls;
pub mod carried_over;
mod debtors;
pub mod denials;
pub mod deposits;
pub mod ledger;
pub mod months;
pub mod open_debts;
pub mod payments;
pub mod plans;
pub mod receivables;
pub mod reductions;
pub mod remittances;
pub mod rules;
pub mod statements;
pub mod terminal;
pub mod tills;
