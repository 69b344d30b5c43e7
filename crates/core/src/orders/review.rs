//! How pressing a result is, and which may be signed together.

use super::values::{Interpretation, ReportedValue};
use super::{ReportStatus, truth::is_result};

coded! {
    /// How pressing a report is, the most pressing first.
    Urgency {
        Critical = "critical", "critical";
        Outside = "outside", "outside the range";
        /// Words, or numbers without a range: only a reader knows.
        Untold = "untold", "to be read";
        Usual = "usual", "as usual";
    }
}

/// How pressing a report is by what it says.
pub fn urgency(values: &[ReportedValue]) -> Urgency {
    let flags = || values.iter().map(|v| v.interpretation);
    if flags().any(|f| f.is_some_and(Interpretation::is_critical)) {
        Urgency::Critical
    } else if flags().any(|f| f.is_some_and(Interpretation::is_outside)) {
        Urgency::Outside
    } else if !values.is_empty() && flags().all(|f| f.is_some_and(Interpretation::is_usual)) {
        Urgency::Usual
    } else {
        Urgency::Untold
    }
}

/// What is known of a report when it is to be signed together with others.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Signable {
    pub status: ReportStatus,
    pub urgency: Urgency,
    /// It stands in the place of another: what changed is to be read.
    pub replaces: bool,
    pub person_is_certain: bool,
    /// Whoever signs had it before their eyes.
    pub seen: bool,
}

/// Why a report is not signed together with others; each that has such a reason is signed alone.
pub fn not_together(report: Signable) -> Option<&'static str> {
    if !report.person_is_certain {
        return Some("Its person is not certain.");
    }
    if !is_result(report.status) {
        return Some("It is no result yet.");
    }
    if report.status != ReportStatus::Final || report.replaces {
        return Some("It is preliminary or was corrected; read it alone.");
    }
    if report.urgency != Urgency::Usual {
        return Some("Not everything in it is as usual; read it alone.");
    }
    if !report.seen {
        return Some("You have not looked at it.");
    }
    None
}

#[cfg(test)]
mod tests {
    use super::super::values::{FlaggedBy, Said};
    use super::*;

    #[test]
    fn the_worst_value_tells_how_pressing_a_report_is() {
        let value = |n| ReportedValue::measured("2823-3", "Potassium", n, "mmol/L", 3.5, 5.1);
        let words = ReportedValue::new("600-7", "Blood culture", Said::Words("no growth".into()));
        let mut critical = value(7.1);
        critical.interpretation = Some(Interpretation::CriticalHigh);
        critical.flagged_by = Some(FlaggedBy::Laboratory);
        assert_eq!(urgency(&[value(4.0), value(4.2)]), Urgency::Usual);
        assert_eq!(urgency(&[value(4.0), words.clone()]), Urgency::Untold);
        assert_eq!(urgency(&[words, value(5.4)]), Urgency::Outside);
        assert_eq!(urgency(&[value(5.4), critical]), Urgency::Critical);
        assert_eq!(urgency(&[]), Urgency::Untold);
        assert!(Urgency::Critical < Urgency::Outside, "sorted as they are to be read");
        // Negative is good news of one test and bad news of another.
        let mut negative = value(4.0);
        negative.interpretation = Some(Interpretation::Negative);
        assert_eq!(urgency(&[negative]), Urgency::Untold);
    }

    #[test]
    fn only_what_was_seen_and_is_as_usual_is_signed_together() {
        let usual = Signable {
            status: ReportStatus::Final,
            urgency: Urgency::Usual,
            replaces: false,
            person_is_certain: true,
            seen: true,
        };
        assert_eq!(not_together(usual), None);
        for (report, says) in [
            (Signable { seen: false, ..usual }, "not looked"),
            (Signable { urgency: Urgency::Outside, ..usual }, "Not everything"),
            (Signable { urgency: Urgency::Untold, ..usual }, "Not everything"),
            (Signable { replaces: true, ..usual }, "corrected"),
            (Signable { status: ReportStatus::Corrected, ..usual }, "corrected"),
            (Signable { status: ReportStatus::Preliminary, ..usual }, "preliminary"),
            (Signable { status: ReportStatus::Cancelled, ..usual }, "no result"),
            (Signable { person_is_certain: false, ..usual }, "not certain"),
        ] {
            assert!(not_together(report).is_some_and(|s| s.contains(says)), "{report:?}");
        }
    }
}
