//! Money: what is owed for a visit, accounts, payments, tills, remittances, denial work.

pub mod accounts;
pub mod by_hand;
pub mod denials;
pub mod owed;
pub mod payments;
pub mod refunds;
pub mod remittances;
pub mod tills;
