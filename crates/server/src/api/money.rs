//! Money: what is owed for a visit, accounts, payments, tills, remittances.

pub mod accounts;
pub mod owed;
pub mod payments;
pub mod refunds;
pub mod remittances;
pub mod tills;
