//! 837P professional claims, 005010X222A1.

mod faults;
mod others;
mod reading;
mod telling;
mod writing;

pub use faults::faults;
pub use reading::read;
pub use telling::{ToldSegment, told};
pub use writing::write;

use super::envelope::Segment;
use crate::Located;
use chrono::NaiveDate;
use harbor_core::claims::{Biller, Claim};
use harbor_core::money::Cents;

pub const VERSION: &str = "005010X222A1";

/// A batch as it was read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Batch {
    pub reference: String,
    /// BHT04.
    pub written: Option<NaiveDate>,
    pub biller: Biller,
    pub claims: Vec<Claim>,
}

pub(super) fn amount(s: &Segment, element: usize) -> Result<Cents, Located> {
    money(s, element, s.get(element))
}

/// The amount that stands as this text in this element.
pub(super) fn money(s: &Segment, element: usize, text: &str) -> Result<Cents, Located> {
    Cents::parse_decimal(text).map_err(|_| s.wrong(Some(element), "an amount such as 125.5"))
}
