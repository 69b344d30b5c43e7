//! What addresses and forms give before the core has judged it. Days are only those of a clinic's calendar, so that no
//! reckoning with one can leave the calendar of the program. Numbers come as they were typed, so that nonsense is told at
//! its field and never taken for an empty one.

use chrono::NaiveDate;
use harbor_core::fields::Faults;
use harbor_core::fields::typed_date::{YEARS, is_usable};
use serde::de::{Deserialize, Deserializer, Error};
use std::ops::RangeInclusive;
use utoipa::ToSchema;

/// A whole number as it was typed; one that was not typed is taken as well.
#[derive(Debug, Clone, serde::Deserialize, ToSchema)]
#[serde(untagged)]
pub enum Typed {
    Number(i64),
    Text(String),
}

impl Typed {
    /// The number, or nothing when the field was left empty or is at fault.
    pub fn whole(of: Option<&Typed>, faults: &mut Faults, field: &str, range: RangeInclusive<i64>) -> Option<i64> {
        let read = match of? {
            Typed::Number(n) => Some(*n),
            Typed::Text(text) if text.trim().is_empty() => return None,
            Typed::Text(text) => text.trim().parse().ok(),
        };
        let fits = read.filter(|n| range.contains(n));
        if fits.is_none() {
            faults.add(field, format!("A whole number from {} to {} is wanted.", range.start(), range.end()));
        }
        fits
    }
}

impl Typed {
    /// A number that must be typed; 0 where the field is at fault.
    pub fn wanted(&self, faults: &mut Faults, field: &str, range: RangeInclusive<i64>) -> i64 {
        if matches!(self, Typed::Text(text) if text.trim().is_empty()) {
            faults.add(field, format!("A whole number from {} to {} is wanted.", range.start(), range.end()));
            return 0;
        }
        Typed::whole(Some(self), faults, field, range).unwrap_or_default()
    }
}

fn usable<E: Error>(day: NaiveDate) -> Result<NaiveDate, E> {
    if is_usable(day) {
        Ok(day)
    } else {
        Err(E::custom(format!("a day between {} and {} is wanted", YEARS.start, YEARS.end - 1)))
    }
}

pub fn day<'de, D: Deserializer<'de>>(from: D) -> Result<NaiveDate, D::Error> {
    usable(NaiveDate::deserialize(from)?)
}

/// With `#[serde(default)]`, since a day that is not given is none.
pub fn some_day<'de, D: Deserializer<'de>>(from: D) -> Result<Option<NaiveDate>, D::Error> {
    Option::deserialize(from)?.map(usable).transpose()
}
