//! Money: what is owed for a visit, accounts, payments, tills, remittances, denial work;
//! receivables, reductions, statements, plans, calls, the months of the books.

pub mod accounts;
pub mod by_hand;
pub mod calls;
pub mod denials;
pub mod months;
pub mod owed;
pub mod payments;
pub mod receivables;
pub mod reductions;
pub mod refunds;
pub mod remittances;
pub mod rules;
pub mod statements;
pub mod tills;
