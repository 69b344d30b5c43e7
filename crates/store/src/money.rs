//! Money: the ledger, what is owed, what was paid, tills, the card terminal, remittances, denial work.

pub mod accounts;
pub mod carried_over;
mod debtors;
pub mod denials;
pub mod ledger;
pub mod payments;
pub mod remittances;
pub mod terminal;
pub mod tills;
