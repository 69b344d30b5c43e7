//! Registration: which facts a clinic asks for, what a record still lacks, and who may answer for whom.

use super::names::{age_in_words, is_minor};
use chrono::{Duration, NaiveDate};
use std::collections::BTreeSet;

coded! {
    /// A part of the registration form, with a completeness of its own.
    Section {
        Identity = "identity", "Who it is";
        Contact = "contact", "Address and contact";
        Responsible = "responsible", "Who answers, and the household";
        Consents = "consents", "Consents";
        About = "about", "About the person";
        Clinic = "clinic", "With this clinic";
    }
}

coded! {
    /// A fact that a clinic may require at registration.
    Field {
        BirthDate = "birthDate", "birth date";
        Sex = "sex", "sex";
        GenderIdentity = "genderIdentity", "gender identity";
        Pronouns = "pronouns", "pronouns";
        Address = "address", "address";
        Phone = "phone", "telephone";
        Email = "email", "e-mail, or that it was declined";
        EmergencyContact = "emergencyContact", "emergency contact";
        /// Never a choice: required of every minor.
        ResponsibleParty = "responsibleParty", "responsible party for a minor";
        PrivacyNotice = "privacyNotice", "privacy notice given";
        MessageConsents = "messageConsents", "consent to messages, given or not";
        Language = "language", "language";
        MaritalStatus = "maritalStatus", "marital status";
        Race = "race", "race, or that it was declined";
        Ethnicity = "ethnicity", "ethnicity, or that it was declined";
        Occupation = "occupation", "occupation";
        Employer = "employer", "employer";
        UsualClinician = "usualClinician", "usual clinician";
        UsualSite = "usualSite", "usual site";
        Pharmacy = "pharmacy", "preferred pharmacy";
        HeardFrom = "heardFrom", "how they heard of the clinic";
    }
}

impl Field {
    /// The part of the form that the field stands in.
    pub fn section(self) -> Section {
        use Field::*;
        match self {
            BirthDate | Sex | GenderIdentity | Pronouns => Section::Identity,
            Address | Phone | Email | EmergencyContact => Section::Contact,
            ResponsibleParty => Section::Responsible,
            PrivacyNotice | MessageConsents => Section::Consents,
            Language | MaritalStatus | Race | Ethnicity | Occupation | Employer => Section::About,
            UsualClinician | UsualSite | Pharmacy | HeardFrom => Section::Clinic,
        }
    }

    /// The fields that a manager may require or not.
    pub fn choices() -> impl Iterator<Item = Field> {
        Field::ALL.iter().copied().filter(|f| *f != Field::ResponsibleParty)
    }
}

/// What a clinic requires until it decides otherwise.
pub const USUALLY_REQUIRED: [Field; 6] =
    [Field::BirthDate, Field::Sex, Field::Address, Field::Phone, Field::Email, Field::PrivacyNotice];

/// What a record lacks of what is required, in the order of the form. A minor needs a responsible
/// party whatever the clinic requires.
pub fn gaps(required: &[Field], present: &[Field], birth: Option<NaiveDate>, on: NaiveDate) -> Vec<Field> {
    let minor = birth.is_some_and(|b| is_minor(b, on));
    let wanted = |f: &Field| if *f == Field::ResponsibleParty { minor } else { required.contains(f) };
    Field::ALL.iter().filter(|f| wanted(f) && !present.contains(f)).copied().collect()
}

coded! {
    /// What a person may agree to or decline; each answer is kept with its date and who recorded it.
    Consent {
        PrivacyNotice = "privacy_notice", "Privacy notice given";
        Text = "text", "Text messages";
        Voice = "voice", "Voice messages";
        Email = "email", "E-mail";
        OnlineAccess = "online_access", "Online access";
    }
}

coded! {
    MaritalStatus {
        Single = "single", "Single";
        Married = "married", "Married";
        Partnered = "partnered", "Living with a partner";
        Separated = "separated", "Separated";
        Divorced = "divorced", "Divorced";
        Widowed = "widowed", "Widowed";
        Declined = "declined", "Declined to say";
    }
}

coded! {
    /// The categories of the United States census standard (OMB Directive 15 of 1997).
    Race {
        AmericanIndian = "american_indian", "American Indian or Alaska Native";
        Asian = "asian", "Asian";
        Black = "black", "Black or African American";
        PacificIslander = "pacific_islander", "Native Hawaiian or other Pacific Islander";
        White = "white", "White";
        Several = "several", "More than one";
        Other = "other", "Other";
        Declined = "declined", "Declined to say";
    }
}

coded! {
    /// The categories of the United States census standard (OMB Directive 15 of 1997).
    Ethnicity {
        Hispanic = "hispanic", "Hispanic or Latino";
        NotHispanic = "not_hispanic", "Not Hispanic or Latino";
        Declined = "declined", "Declined to say";
    }
}

coded! {
    /// How somebody of the household is related to the patient.
    Relation {
        Parent = "parent", "parent";
        Child = "child", "child";
        Sibling = "sibling", "brother or sister";
        Partner = "partner", "husband, wife or partner";
        Guardian = "guardian", "guardian";
        Ward = "ward", "in their care";
        Other = "other", "of the household";
    }
}

impl Relation {
    /// The same link seen from the other side.
    pub fn inverse(self) -> Relation {
        use Relation::*;
        match self {
            Parent => Child,
            Child => Parent,
            Guardian => Ward,
            Ward => Guardian,
            Sibling | Partner | Other => self,
        }
    }
}

/// A chart under restriction stays open for so long to the one who gave a reason.
pub const RESTRICTED_OPEN_FOR: Duration = Duration::hours(12);

/// The manager is told of restricted charts that were opened within this time.
pub const OPENINGS_TOLD_FOR: Duration = Duration::hours(24);

/// Checks the reason for opening a restricted chart: it must say something.
pub fn opening_reason(typed: &str) -> Result<String, String> {
    let reason = crate::fields::line("Reason", typed, 200)?;
    // Dots, one letter held down or a single short word tell a manager nothing.
    let letters: BTreeSet<char> = reason.chars().filter(|c| c.is_alphabetic()).flat_map(char::to_lowercase).collect();
    let words = reason.split_whitespace().filter(|w| w.chars().any(char::is_alphanumeric)).count();
    if letters.len() < 4 || (words < 2 && reason.chars().count() < 8) {
        return Err("Say in a few words why; the manager reads it.".into());
    }
    Ok(reason)
}

/// Why a date of death cannot be.
pub fn death_refusal(birth: Option<NaiveDate>, died: NaiveDate) -> Option<&'static str> {
    birth.filter(|b| died < *b).map(|_| "Nobody dies before they are born; check both dates.")
}

/// Somebody who is to answer for a patient.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Party<Id> {
    pub id: Id,
    pub name: String,
    pub birth_date: Option<NaiveDate>,
    pub deceased: bool,
    /// Those who answer for the party, the nearest first.
    pub answered_by: Vec<Id>,
}

/// Why somebody cannot be the responsible party of a patient.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum PartyRefusal {
    #[error("Leave the responsible party empty when the patient answers for themselves.")]
    Oneself,
    #[error("{0} is deceased; choose somebody else.")]
    Deceased(String),
    #[error("{0} is {1} old; a minor cannot answer for somebody.")]
    Minor(String, String),
    #[error("This patient answers for {0}; choose somebody who does not depend on the patient.")]
    Circle(String),
}

/// Checks that the party may answer for the patient on the day.
pub fn may_answer<Id: PartialEq>(patient: &Id, party: &Party<Id>, on: NaiveDate) -> Result<(), PartyRefusal> {
    if party.id == *patient {
        return Err(PartyRefusal::Oneself);
    }
    if party.deceased {
        return Err(PartyRefusal::Deceased(party.name.clone()));
    }
    if let Some(birth) = party.birth_date.filter(|b| is_minor(*b, on)) {
        return Err(PartyRefusal::Minor(party.name.clone(), age_in_words(birth, on)));
    }
    if party.answered_by.contains(patient) {
        return Err(PartyRefusal::Circle(party.name.clone()));
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn day(y: i32, m: u32, d: u32) -> NaiveDate {
        NaiveDate::from_ymd_opt(y, m, d).unwrap()
    }

    const ON: fn() -> NaiveDate = || day(2026, 11, 23);

    #[test]
    fn gaps_follow_what_the_clinic_requires_and_the_age() {
        let all = gaps(&USUALLY_REQUIRED, &[], None, ON());
        assert_eq!(all, USUALLY_REQUIRED, "in the order of the form");
        let child = gaps(&[], &[], Some(day(2019, 1, 1)), ON());
        assert_eq!(child, [Field::ResponsibleParty], "whatever the clinic requires");
        assert_eq!(gaps(&[], &[Field::ResponsibleParty], Some(day(2019, 1, 1)), ON()), []);
        let grown = gaps(&[Field::Employer, Field::Sex], &[Field::Sex], Some(day(1980, 1, 1)), ON());
        assert_eq!(grown, [Field::Employer]);
        assert_eq!(gaps(&[], &[], Some(day(2008, 11, 23)), ON()), [], "of age on the eighteenth birthday");
    }

    #[test]
    fn every_field_stands_in_one_section_and_the_minor_rule_is_no_choice() {
        for section in Section::ALL {
            assert!(Field::ALL.iter().any(|f| f.section() == *section), "{section} has a field");
        }
        assert!(Field::choices().all(|f| f != Field::ResponsibleParty));
        assert_eq!(Field::choices().count(), Field::ALL.len() - 1);
    }

    fn party(born: Option<NaiveDate>) -> Party<u32> {
        Party { id: 2, name: "Joris Achterberg".into(), birth_date: born, deceased: false, answered_by: vec![] }
    }

    #[test]
    fn who_may_answer_for_somebody() {
        let grown = party(Some(day(1984, 6, 2)));
        assert_eq!(may_answer(&1, &grown, ON()), Ok(()));
        assert_eq!(may_answer(&1, &party(None), ON()), Ok(()), "an unknown age is asked about elsewhere");
        assert_eq!(may_answer(&2, &grown, ON()), Err(PartyRefusal::Oneself));
        let said = may_answer(&1, &party(Some(day(2012, 1, 1))), ON()).unwrap_err().to_string();
        assert_eq!(said, "Joris Achterberg is 14 y old; a minor cannot answer for somebody.");
        let dead = Party { deceased: true, ..grown.clone() };
        assert!(matches!(may_answer(&1, &dead, ON()), Err(PartyRefusal::Deceased(_))));
        let circle = Party { answered_by: vec![7, 1], ..grown };
        assert!(matches!(may_answer(&1, &circle, ON()), Err(PartyRefusal::Circle(_))), "also over a third person");
    }

    #[test]
    fn a_reason_says_something_and_death_follows_birth() {
        for nothing in [" ", "ok", "a\u{7}bcd", ".....", "12345", "aaaaaaaaa", "a b", "x", "- - - - -", "why"] {
            assert!(opening_reason(nothing).is_err(), "{nothing} says nothing");
        }
        assert!(opening_reason("emergency").is_ok() && opening_reason("seen now").is_ok());
        assert_eq!(opening_reason("  I room him now "), Ok("I room him now".to_owned()));
        assert!(death_refusal(Some(day(1999, 2, 13)), day(1999, 2, 12)).is_some());
        assert_eq!(death_refusal(Some(day(1999, 2, 13)), day(1999, 2, 13)), None, "on the day of birth");
        assert_eq!(death_refusal(None, day(1990, 1, 1)), None);
    }

    #[test]
    fn a_relation_and_its_inverse_mean_the_same_link() {
        for relation in Relation::ALL {
            assert_eq!(relation.inverse().inverse(), *relation);
        }
        assert_eq!(Relation::Parent.inverse(), Relation::Child);
        assert_eq!(Relation::Sibling.inverse(), Relation::Sibling);
    }
}
