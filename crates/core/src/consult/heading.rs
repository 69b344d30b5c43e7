//! What stands over a note: how the visit was done, who answers for it, and whose hand wrote it.

use crate::fields::typed_date::in_words;
use crate::schedule::VisitKind;
use chrono::NaiveDate;

/// What is known of how a note came about.
#[derive(Debug, Clone)]
pub struct Heading<'a> {
    pub kind: VisitKind,
    pub appointment: bool,
    /// The day of the visit.
    pub day: NaiveDate,
    pub clinician: &'a str,
    pub supervising: Option<&'a str>,
    /// As documented.
    pub minutes: Option<i32>,
    /// Who wrote in it, in the order of the parts, and on which day.
    pub hands: Vec<(&'a str, NaiveDate)>,
}

impl Heading<'_> {
    /// Who wrote in it beside its clinician: never shown as the clinician's own hand.
    pub fn others(&self) -> Vec<&str> {
        let mut out: Vec<&str> = Vec::new();
        for (name, _) in &self.hands {
            if *name != self.clinician && !out.contains(name) {
                out.push(name);
            }
        }
        out
    }

    /// `by telephone, supervised by Dr. A, 20 minutes, written by B for Dr. C, written up on Dec 1, 2026`.
    pub fn in_words(&self) -> String {
        let mut said = vec![self.kind.label().to_lowercase()];
        if !self.appointment {
            said.push("without appointment".into());
        }
        if let Some(name) = self.supervising {
            said.push(format!("supervised by {name}"));
        }
        if let Some(minutes) = self.minutes {
            said.push(format!("{minutes} minutes"));
        }
        let others = self.others();
        if !others.is_empty() {
            let clinician = if self.clinician.is_empty() { "the clinician" } else { self.clinician };
            said.push(format!("written by {} for {clinician}", others.join(", ")));
        }
        // What was written on a later day than the visit says so.
        if let Some(last) = self.hands.iter().map(|(_, day)| *day).max().filter(|last| *last > self.day) {
            said.push(format!("written up on {}", in_words(last)));
        }
        said.join(", ")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn day(d: u32) -> NaiveDate {
        NaiveDate::from_ymd_opt(2026, 11, d).unwrap()
    }

    fn plain<'a>() -> Heading<'a> {
        Heading {
            kind: VisitKind::InPerson,
            appointment: true,
            day: day(20),
            clinician: "Dr. A",
            supervising: None,
            minutes: None,
            hands: vec![("Dr. A", day(20))],
        }
    }

    #[test]
    fn ones_own_note_of_the_day_says_no_more_than_how_it_was() {
        assert_eq!(plain().in_words(), "in person");
    }

    #[test]
    fn anothers_hand_and_a_later_day_are_told() {
        let heading = Heading {
            appointment: false,
            supervising: Some("Dr. S"),
            minutes: Some(20),
            hands: vec![("B", day(20)), ("Dr. A", day(23)), ("B", day(21))],
            ..plain()
        };
        let expected = format!(
            "in person, without appointment, supervised by Dr. S, 20 minutes, written by B for Dr. A, written up on {}",
            in_words(day(23))
        );
        assert_eq!(heading.in_words(), expected);
    }
}
