//! A claim for a payer that takes paper: what goes into each numbered field of the professional claim form, in our own words.
//!
//! Only the numbers of the fields are the form's; artwork and wording are ours. What does not stand on a claim has no field here.

use super::{Biller, Claim, PersonOnClaim, Subscriber};
use chrono::NaiveDate;

/// A numbered field with what goes into it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FormField {
    pub number: &'static str,
    pub label: &'static str,
    pub value: String,
}

/// One service line (fields 24A to 24J).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FormLine {
    pub day: String,
    pub place: String,
    pub service: String,
    /// Letters of the diagnoses, A being the first.
    pub pointers: String,
    pub charge: String,
    pub units: String,
    pub rendering: String,
}

/// A claim as the form has it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PaperForm {
    pub fields: Vec<FormField>,
    pub lines: Vec<FormLine>,
}

/// So many lines one form holds; more go onto another of the same claim.
pub const LINES_OF_A_FORM: usize = 6;

fn day(d: NaiveDate) -> String {
    d.format("%m/%d/%Y").to_string()
}

fn joined<'a>(parts: impl IntoIterator<Item = &'a str>, between: &str) -> String {
    parts.into_iter().filter(|p| !p.is_empty()).collect::<Vec<_>>().join(between)
}

fn name(p: &PersonOnClaim) -> String {
    joined([p.last.as_str(), p.first.as_str(), p.middle.as_str()], ", ")
}

fn address(a: &super::AddressOnClaim) -> String {
    let place = joined([a.state.as_str(), a.postal_code.as_str()], " ");
    joined([a.line.as_str(), a.line2.as_str(), a.city.as_str(), place.as_str()], ", ")
}

/// The letter of a diagnosis by its place on the claim, 1 being A.
fn letter(place: u8) -> char {
    char::from(b'A'.saturating_add(place.saturating_sub(1)).min(b'L'))
}

/// The fields of a claim that have something in them, in the form's order.
pub fn paper_form(c: &Claim, b: &Biller) -> PaperForm {
    let holder = match &c.subscriber {
        Some(Subscriber::Person(p)) => (name(p), address(&p.address), day(p.birth_date), p.sex.clone()),
        Some(Subscriber::Employer { name, address: a }) => (name.clone(), address(a), String::new(), String::new()),
        None => (name(&c.patient), address(&c.patient.address), day(c.patient.birth_date), c.patient.sex.clone()),
    };
    let yes_or_no = |yes: bool| if yes { "yes" } else { "no" }.to_owned();
    let caused = |cause: &str| yes_or_no(c.accident.as_ref().is_some_and(|a| a.cause == cause));
    let state = c.accident.as_ref().and_then(|a| a.state.clone()).unwrap_or_default();
    let other = c.others.first();
    let diagnoses: Vec<String> =
        (1..).zip(&c.diagnoses).map(|(place, code)| format!("{} {code}", letter(place))).collect();
    let referring = c.referring.as_ref();
    let since = c.onset.map(|d| format!("{} (431)", day(d)));
    let accident = c.accident.as_ref().map(|a| format!("{} (439)", day(a.date)));
    let again = c.original_reference.as_ref().map(|reference| format!("{} {reference}", c.frequency));
    let fields = [
        ("1", "Kind of plan", c.filing_code.clone()),
        ("1a", "Subscriber's number", c.subscriber_number.clone()),
        ("2", "Patient", name(&c.patient)),
        ("3", "Born, and sex", format!("{} {}", day(c.patient.birth_date), c.patient.sex)),
        ("4", "Subscriber", holder.0),
        ("5", "Patient's address", address(&c.patient.address)),
        ("6", "Patient is the subscriber's", c.relationship.label().to_lowercase()),
        ("7", "Subscriber's address", holder.1),
        (
            "9",
            "Subscriber of the other plan",
            other.map(|o| joined([o.subscriber_last.as_str(), o.subscriber_first.as_str()], ", ")).unwrap_or_default(),
        ),
        ("9a", "Its number", other.map(|o| o.subscriber_number.clone()).unwrap_or_default()),
        ("9d", "The other plan", other.map(|o| o.name.clone()).unwrap_or_default()),
        ("10a", "Caused by work", caused("EM")),
        ("10b", "Caused by a motor vehicle, and in which state", joined([caused("AA").as_str(), state.as_str()], " ")),
        ("10c", "Caused by another accident", caused("OA")),
        ("11", "Group", c.group_number.clone()),
        ("11a", "Subscriber born, and sex", joined([holder.2.as_str(), holder.3.as_str()], " ")),
        ("11c", "Plan", c.payer_name.clone()),
        ("11d", "There is another plan", yes_or_no(other.is_some())),
        ("12", "Patient's signature", "on file".into()),
        ("13", "Subscriber's signature", "on file".into()),
        ("14", "Since when", since.or(accident).unwrap_or_default()),
        ("15", "Last seen for it", c.last_seen.map(|d| format!("{} (304)", day(d))).unwrap_or_default()),
        (
            "17",
            "Referred by",
            referring.map(|p| joined([p.first.as_str(), p.last_or_name.as_str()], " ")).unwrap_or_default(),
        ),
        ("17b", "Provider number of that", referring.map(|p| p.npi.clone()).unwrap_or_default()),
        ("21", "Diagnoses (ICD-10-CM, indicator 0)", diagnoses.join("  ")),
        ("22", "Replaces (7) or voids (8), and the payer's number of it", again.unwrap_or_default()),
        (
            "23",
            "Authorisation or referral",
            c.prior_authorisation.clone().or_else(|| c.referral.clone()).unwrap_or_default(),
        ),
        ("25", "Tax number of the clinic", b.tax_id.clone()),
        ("26", "Claim number of the clinic", c.number.clone()),
        ("27", "Benefits go to the clinic", "yes".into()),
        ("28", "Charged in all", c.total().to_string()),
        ("29", "Paid so far", c.patient_paid.to_string()),
        ("31", "Done by", joined([c.rendering.first.as_str(), c.rendering.last_or_name.as_str()], " ")),
        (
            "32",
            "Where",
            c.facility.as_ref().map(|f| format!("{}, {}", f.name, address(&f.address))).unwrap_or_default(),
        ),
        ("33", "Billed by", format!("{}, {}, {}", b.organisation, address(&b.address), b.telephone)),
        ("33a", "Provider number of the clinic", b.npi.clone()),
        ("33b", "Taxonomy of the clinic", b.taxonomy.clone()),
    ];
    let line = |l: &super::ClaimLine| FormLine {
        day: day(l.service_date),
        place: l.place.clone().unwrap_or_else(|| c.place_of_service.clone()),
        service: joined(std::iter::once(l.code.as_str()).chain(l.modifiers.iter().map(String::as_str)), " "),
        pointers: l.pointers.iter().map(|p| letter(*p)).collect(),
        charge: l.fee.to_string(),
        units: l.units.to_string(),
        rendering: c.rendering.npi.clone(),
    };
    let field = |(number, label, value): (&'static str, &'static str, String)| FormField { number, label, value };
    PaperForm {
        fields: fields.into_iter().map(field).filter(|f| !f.value.is_empty()).collect(),
        lines: c.lines.iter().map(line).collect(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::claims::{Accident, AddressOnClaim, ClaimLine, ProviderOnClaim};
    use crate::coverage::{Rank, Relationship};
    use crate::money::Cents;

    fn on(m: u32, d: u32) -> NaiveDate {
        NaiveDate::from_ymd_opt(2026, m, d).expect("a day")
    }

    fn somebody(first: &str) -> PersonOnClaim {
        PersonOnClaim {
            last: "QUARRIE".into(),
            first: first.into(),
            middle: String::new(),
            birth_date: on(2, 13),
            sex: "F".into(),
            address: AddressOnClaim {
                line: "7 ROPEWALK".into(),
                city: "PORT CALDER".into(),
                state: "ME".into(),
                postal_code: "04998".into(),
                line2: String::new(),
            },
        }
    }

    fn claim() -> Claim {
        let line = |n: u8, place: Option<&str>| ClaimLine {
            control: format!("C1-{n}"),
            code: "IH214".into(),
            modifiers: vec!["25".into()],
            fee: Cents::new(19_500),
            units: 2,
            place: place.map(Into::into),
            pointers: vec![2, 1],
            service_date: on(11, 23),
            decided: vec![],
        };
        Claim {
            number: "C1".into(),
            payer_name: "SALTMARSH".into(),
            payer_id: "SALTM".into(),
            filing_code: "CI".into(),
            rank: Rank::First,
            subscriber_number: "SM1".into(),
            group_number: String::new(),
            patient: somebody("INES"),
            subscriber: None,
            relationship: Relationship::SelfHolder,
            place_of_service: "11".into(),
            frequency: "1".into(),
            original_reference: None,
            accident: None,
            onset: None,
            last_seen: None,
            attachments: vec![],
            patient_paid: Cents::new(2_500),
            prior_authorisation: None,
            referral: Some("R7".into()),
            diagnoses: vec!["R053".into(), "I10".into()],
            rendering: ProviderOnClaim {
                last_or_name: "VALCOURT".into(),
                first: "ORIANE".into(),
                npi: "1900000015".into(),
                taxonomy: String::new(),
            },
            referring: None,
            supervising: None,
            facility: None,
            others: vec![],
            lines: vec![line(1, None), line(2, Some("81"))],
        }
    }

    fn biller() -> Biller {
        Biller {
            organisation: "CLINIC".into(),
            npi: "1800000014".into(),
            taxonomy: "261QP2300X".into(),
            tax_id: "990000001".into(),
            address: AddressOnClaim::default(),
            pay_to: None,
            contact: String::new(),
            telephone: "2075550100".into(),
            submitter_id: String::new(),
            receiver_name: String::new(),
            receiver_id: String::new(),
        }
    }

    fn field(c: &Claim, number: &str) -> Option<String> {
        paper_form(c, &biller()).fields.into_iter().find(|f| f.number == number).map(|f| f.value)
    }

    #[test]
    fn each_fact_stands_in_its_field_and_what_nobody_said_has_none() {
        let c = claim();
        for (number, value) in [
            ("1a", "SM1"),
            ("2", "QUARRIE, INES"),
            ("3", "02/13/2026 F"),
            ("4", "QUARRIE, INES"),
            ("10a", "no"),
            ("10b", "no"),
            ("11d", "no"),
            ("21", "A R053  B I10"),
            ("23", "R7"),
            ("26", "C1"),
            ("28", "390.00"),
            ("29", "25.00"),
            ("33a", "1800000014"),
        ] {
            assert_eq!(field(&c, number).as_deref(), Some(value), "field {number}");
        }
        for number in ["9", "11", "14", "17", "22", "32"] {
            assert_eq!(field(&c, number), None, "field {number}");
        }
        let lines = paper_form(&c, &biller()).lines;
        assert_eq!(
            (lines[0].pointers.as_str(), lines[0].service.as_str(), lines[0].place.as_str()),
            ("BA", "IH214 25", "11")
        );
        assert_eq!((lines[1].place.as_str(), lines[1].units.as_str(), lines[1].charge.as_str()), ("81", "2", "195.00"));
    }

    #[test]
    fn a_childs_policy_an_accident_and_a_replacement_are_told() {
        let mut c = claim();
        c.subscriber = Some(Subscriber::Person(somebody("TOM")));
        c.relationship = Relationship::Child;
        c.accident =
            Some(Accident { cause: "AA".into(), date: on(11, 2), state: Some("ME".into()), number: String::new() });
        (c.frequency, c.original_reference) = ("7".into(), Some("P900".into()));
        assert_eq!(field(&c, "4").as_deref(), Some("QUARRIE, TOM"));
        assert_eq!(field(&c, "10b").as_deref(), Some("yes ME"));
        assert_eq!(field(&c, "14").as_deref(), Some("11/02/2026 (439)"));
        assert_eq!(field(&c, "22").as_deref(), Some("7 P900"));
        c.subscriber = Some(Subscriber::Employer { name: "KELP & SONS".into(), address: AddressOnClaim::default() });
        assert_eq!(field(&c, "4").as_deref(), Some("KELP & SONS"));
        assert_eq!(field(&c, "11a"), None, "an employer is not born");
    }
}
