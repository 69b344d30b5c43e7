//! Money: what is owed for a visit, accounts, payments, tills, remittances, denial work;
//! receivables, reductions, statements, plans, calls, the months of the books.

pub mod accounts;
pub mod by_hand;
pub mod calls;
pub mod denials;
pub mod deposits;
pub mod letters;
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

use chrono::NaiveDate;
use harbor_core::fields::Faults;
use harbor_core::fields::typed_date::{self, Sense};

/// A day as it is typed, today or later; nothing where nothing is typed.
fn coming(faults: &mut Faults, field: &str, typed: &str, today: NaiveDate) -> Option<NaiveDate> {
    if typed.trim().is_empty() {
        return None;
    }
    match typed_date::parse(typed, today, Sense::Any) {
        Ok(day) if day >= today => Some(day),
        Ok(_) => {
            faults.add(field, "Choose today or a later day.");
            None
        }
        Err(why) => {
            faults.add(field, why.to_string());
            None
        }
    }
}
