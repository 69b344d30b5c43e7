//! A charge without a visit: a form that was filled in, a brace that was sold, an appointment that nobody came to. It is the
//! patient's own (no payer is asked for what no note documents), so it is charged at once.

use crate::arrival::unbooked::LATEST_DAYS;
use crate::money::Cents;
use chrono::NaiveDate;

/// What is to be charged.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ChargeAlone<'a> {
    pub service: &'a str,
    /// A level of visits: it wants a note.
    pub is_level: bool,
    /// The catalogue does not have it on that day.
    pub out_of_time: bool,
    /// What it costs who pays alone.
    pub price: Option<Cents>,
    pub day: NaiveDate,
    pub today: NaiveDate,
}

#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum AloneRefusal {
    #[error("This day is still to come.")]
    ToCome,
    #[error("That is more than {LATEST_DAYS} days ago.")]
    TooLongAgo,
    #[error("{0} is the level of a visit; write the visit up instead.")]
    Level(String),
    #[error("{0} is not offered on that day.")]
    OutOfTime(String),
    #[error("{0} has no price for who pays alone; set it in the catalogue.")]
    NoPrice(String),
}

impl AloneRefusal {
    /// The field that it is about.
    pub fn field(&self) -> &'static str {
        match self {
            AloneRefusal::ToCome | AloneRefusal::TooLongAgo => "day",
            AloneRefusal::Level(_) | AloneRefusal::OutOfTime(_) | AloneRefusal::NoPrice(_) => "service",
        }
    }
}

/// What is charged, or why not.
pub fn charge_alone(c: &ChargeAlone) -> Result<Cents, AloneRefusal> {
    let service = || c.service.to_owned();
    if c.day > c.today {
        return Err(AloneRefusal::ToCome);
    }
    if (c.today - c.day).num_days() > LATEST_DAYS {
        return Err(AloneRefusal::TooLongAgo);
    }
    if c.is_level {
        return Err(AloneRefusal::Level(service()));
    }
    if c.out_of_time {
        return Err(AloneRefusal::OutOfTime(service()));
    }
    c.price.filter(|p| p.is_positive()).ok_or_else(|| AloneRefusal::NoPrice(service()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use chrono::Days;

    #[test]
    fn what_needs_a_note_or_has_no_price_is_not_charged_alone() {
        let today = NaiveDate::from_ymd_opt(2026, 11, 23).unwrap();
        let form = ChargeAlone {
            service: "Form completed",
            is_level: false,
            out_of_time: false,
            price: Some(Cents::new(2_500)),
            day: today,
            today,
        };
        let field = |c: ChargeAlone| charge_alone(&c).unwrap_err().field();
        assert_eq!(charge_alone(&form), Ok(Cents::new(2_500)));
        assert_eq!(charge_alone(&ChargeAlone { day: today - Days::new(365), ..form }), Ok(Cents::new(2_500)));
        assert_eq!(field(ChargeAlone { day: today - Days::new(366), ..form }), "day");
        assert_eq!(field(ChargeAlone { day: today + Days::new(1), ..form }), "day");
        assert_eq!(field(ChargeAlone { is_level: true, ..form }), "service");
        assert_eq!(field(ChargeAlone { out_of_time: true, ..form }), "service");
        assert_eq!(field(ChargeAlone { price: Some(Cents::ZERO), ..form }), "service");
        let unpriced = charge_alone(&ChargeAlone { price: None, ..form }).unwrap_err().to_string();
        assert_eq!(unpriced, "Form completed has no price for who pays alone; set it in the catalogue.");
    }
}
