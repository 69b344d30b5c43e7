//! The policies of somebody: held, asked about, put on cards, and what the patient will owe.

pub mod cards;
pub mod policies;
pub mod referrals;
pub mod share;
