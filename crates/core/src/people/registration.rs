//! Registration: what a record still lacks before a visit.

use super::Sex;
use super::names::is_minor;
use chrono::NaiveDate;

/// The facts of a record that decide whether it is complete enough for a visit.
#[derive(Debug, Clone, Default)]
pub struct RecordFacts {
    pub birth_date: Option<NaiveDate>,
    pub sex: Option<Sex>,
    pub has_address: bool,
    pub has_phone: bool,
    pub has_email_or_declined: bool,
    pub has_responsible_party: bool,
    pub privacy_notice: bool,
}

/// What a record lacks, by field, in the order of the registration form.
pub fn gaps(facts: &RecordFacts, on: NaiveDate) -> Vec<(&'static str, &'static str)> {
    let minor = facts.birth_date.is_some_and(|b| is_minor(b, on));
    [
        (facts.birth_date.is_none(), ("birthDate", "birth date")),
        (facts.sex.is_none(), ("sex", "sex")),
        (!facts.has_address, ("address", "address")),
        (!facts.has_phone, ("phone", "telephone")),
        (!facts.has_email_or_declined, ("email", "e-mail, or that it was declined")),
        (!facts.privacy_notice, ("privacyNotice", "privacy notice given")),
        (minor && !facts.has_responsible_party, ("responsibleParty", "responsible party for a minor")),
    ]
    .into_iter()
    .filter_map(|(lacking, gap)| lacking.then_some(gap))
    .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn day(y: i32, m: u32, d: u32) -> NaiveDate {
        NaiveDate::from_ymd_opt(y, m, d).unwrap()
    }

    #[test]
    fn gaps_follow_the_form_and_the_age() {
        let on = day(2026, 11, 23);
        let child = RecordFacts { birth_date: Some(day(2019, 1, 1)), ..RecordFacts::default() };
        assert!(gaps(&child, on).iter().any(|(f, _)| *f == "responsibleParty"));
        let adult = RecordFacts {
            birth_date: Some(day(1980, 1, 1)),
            sex: Some(Sex::Female),
            has_address: true,
            has_phone: true,
            has_email_or_declined: true,
            has_responsible_party: false,
            privacy_notice: true,
        };
        assert_eq!(gaps(&adult, on), []);
    }
}
