//! Charges: what was done, at which price, at which level, and whether a payer will take it.
//!
//! - [`alone`]: a charge without a visit
//! - [`by_itself`]: the lines that stand there by themselves, from what was done and documented
//! - [`catalogue`]: a service as it is typed or comes in a file
//! - [`estimates`]: the written estimate for who pays alone
//! - [`fee_schedules`]: which schedule holds for a visit, and what a service costs by it
//! - [`claim_check`]: everything that a payer would refuse, told while it can still be put right
//! - [`level`]: the level of a visit, by minutes or by complexity, with its reasons
//! - [`of_day`]: the sheet of a day
//! - [`suits`]: which codes fit a sex or an age

pub mod alone;
pub mod by_itself;
pub mod catalogue;
pub mod claim_check;
pub mod estimates;
pub mod fee_schedules;
pub mod level;
pub mod of_day;
pub mod suits;

pub use claim_check::{ClaimCandidate, ClaimCheck, ClaimFault, PolicyOnClaim, check_claim};

use crate::money::Cents;
use crate::schedule::VisitKind;
use chrono::NaiveDate;
use fee_schedules::ServiceNeed;

/// A charge line as the check sees it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ChargeLine {
    pub number: u32,
    pub service: String,
    /// The external code; empty when the catalogue has none.
    pub code: String,
    pub modifiers: Vec<String>,
    pub units: u32,
    /// The price of one unit; nothing when no fee schedule in force has one.
    pub price: Option<Cents>,
    pub pointers: Vec<u8>,
    /// The level of a visit, of which there is one.
    pub is_level: bool,
    /// Something that was done besides, such as an injection or a repair.
    pub is_procedure: bool,
    pub catalogued: Catalogued,
}

coded! {
    /// How charges that were opened again came to an end.
    CorrectionEnd {
        Charged = "charged", "charged again";
        Left = "left", "left as they were";
        TakenBack = "taken_back", "taken back";
    }
}

/// What the catalogue says of a line's service.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Catalogued {
    /// The catalogue's own code.
    pub service: String,
    /// So many units a visit.
    pub most_units: Option<u32>,
    /// What a claim for it cannot do without.
    pub needs: Vec<ServiceNeed>,
    /// Services of the catalogue that are not charged beside it.
    pub not_with: Vec<String>,
    /// The catalogue had it on no day such as the visit's.
    pub out_of_time: bool,
}

impl ChargeLine {
    pub fn fee(&self) -> Option<Cents> {
        self.price.and_then(|p| p.times(self.units))
    }
}

/// The fees of the lines as they are charged, by line number: price times units.
///
/// Refused when a line has no price, or a fee leaves the range of money.
pub fn fees(lines: &[ChargeLine]) -> Result<Vec<(u32, Cents)>, String> {
    lines
        .iter()
        .map(|line| {
            let Some(_) = line.price else { return Err(format!("Line {}: {} has no fee.", line.number, line.service)) };
            let fee = line.fee().ok_or_else(|| format!("Line {}: the fee is too large.", line.number))?;
            Ok((line.number, fee))
        })
        .collect()
}

/// The day from which a new price holds. The first price of a service holds wherever one was missing,
/// so also for visits of earlier days; a later one from its own day on.
pub fn price_holds_from(first: bool, set_on: NaiveDate) -> NaiveDate {
    if first { NaiveDate::from_ymd_opt(2000, 1, 1).unwrap_or(set_on).min(set_on) } else { set_on }
}

/// Where the service took place, as the claim tells it (place of service codes of the Centers for Medicare & Medicaid
/// Services, X12 CLM05-1): the site's own code for whoever came, 12 for a visit at home, 10 for one by telephone or video,
/// during which the patient is taken to be at home. An administrative entry and a charge alone have none, since nothing is claimed for it.
pub fn place_of_service(kind: VisitKind, site: &str) -> Option<&str> {
    match kind {
        VisitKind::InPerson => Some(site),
        VisitKind::Home => Some("12"),
        VisitKind::Phone | VisitKind::Video => Some("10"),
        VisitKind::Administrative | VisitKind::Charge => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn fees_are_price_times_units_or_a_refusal_that_names_the_line() {
        let line = |number, units, price| ChargeLine {
            number,
            service: "Visit".into(),
            code: "IH214".into(),
            modifiers: vec![],
            units,
            price,
            pointers: vec![1],
            is_level: false,
            is_procedure: false,
            catalogued: Catalogued::default(),
        };
        let two = [line(1, 1, Some(Cents::new(19_500))), line(2, 3, Some(Cents::new(1_250)))];
        assert_eq!(fees(&two), Ok(vec![(1, Cents::new(19_500)), (2, Cents::new(3_750))]));
        assert_eq!(fees(&[line(1, 1, None)]), Err("Line 1: Visit has no fee.".to_owned()));
        let huge = fees(&[line(4, u32::MAX, Some(Cents::new(i64::MAX / 2)))]);
        assert_eq!(huge, Err("Line 4: the fee is too large.".to_owned()));
    }

    #[test]
    fn only_the_first_price_reaches_back() {
        let day = |y, m, d| NaiveDate::from_ymd_opt(y, m, d).unwrap();
        assert_eq!(price_holds_from(true, day(2026, 11, 23)), day(2000, 1, 1));
        assert_eq!(price_holds_from(false, day(2026, 11, 23)), day(2026, 11, 23));
        assert_eq!(price_holds_from(true, day(1999, 1, 1)), day(1999, 1, 1), "never later than asked");
    }

    #[test]
    fn the_place_of_service_follows_the_visit_and_its_site() {
        assert_eq!(place_of_service(VisitKind::InPerson, "11"), Some("11"));
        assert_eq!(place_of_service(VisitKind::InPerson, "20"), Some("20"), "an urgent-care site");
        assert_eq!(place_of_service(VisitKind::Home, "11"), Some("12"));
        assert_eq!(place_of_service(VisitKind::Video, "11"), Some("10"));
        assert_eq!(place_of_service(VisitKind::Administrative, "11"), None);
    }
}
