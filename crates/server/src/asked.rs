//! Days as addresses and forms give them: only those of a clinic's calendar, so that no reckoning with one can
//! leave the calendar of the program.

use chrono::NaiveDate;
use harbor_core::fields::typed_date::{YEARS, is_usable};
use serde::de::{Deserialize, Deserializer, Error};

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
