//! From the clinic's records to a claim as it is sent: capitals without accents as payers' systems take them, and a
//! refusal where a fact is missing, never a blank or a zero in its place.

mod before;

pub use before::{PayerAfter, PayerBefore};

use super::lawful::{most, written};
use super::{
    Accident, AddressOnClaim, Claim, ClaimLine, Facility, Frequency, PersonOnClaim, ProviderOnClaim, Subscriber,
};
use crate::charges::place_of_service;
use crate::coverage::{Rank, Relationship};
use crate::money::Cents;
use crate::people::Sex;
use crate::schedule::VisitKind;
use chrono::NaiveDate;

/// Somebody as the clinic has them on record.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct OnRecord {
    pub last: String,
    pub first: String,
    pub middle: String,
    pub birth_date: Option<NaiveDate>,
    pub sex: Option<Sex>,
    pub address: AddressOnClaim,
}

/// An accident as it is kept with the person.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AccidentOnRecord {
    pub date: NaiveDate,
    pub cause: AccidentCause,
    pub state: String,
    /// The payer's own number of it; empty where it gave none.
    pub number: String,
}

/// Who employs the patient.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct EmployerOnRecord {
    pub name: String,
    pub address: AddressOnClaim,
}

coded! {
    /// What caused the visit (X12 CLM11).
    AccidentCause {
        Work = "EM", "at work";
        Auto = "AA", "with a motor vehicle";
        Other = "OA", "other";
    }
}

/// A charge as it was completed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ChargedLine {
    pub number: u32,
    /// The service by the clinic's own code, for sentences, and by the payers'.
    pub service: String,
    pub external_code: String,
    pub modifiers: Vec<String>,
    pub units: u32,
    /// Where such a service takes place, where the catalogue says so; empty otherwise.
    pub place: String,
    /// Of one unit.
    pub price: Option<Cents>,
    pub pointers: Vec<u8>,
}

/// Who pays, and under which policy.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PayerOfClaim {
    pub name: String,
    pub id: String,
    pub filing_code: String,
    /// Pays for accidents at work.
    pub employment: bool,
    pub rank: Rank,
    pub relationship: Relationship,
    pub subscriber_number: String,
    pub group_number: String,
}

/// What one claim is made of.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ClaimFacts {
    pub number: String,
    /// It takes the place of another at the payer.
    pub frequency: Frequency,
    /// The payer's own number of that one; empty for a first one.
    pub replaces: String,
    pub payer: PayerOfClaim,
    pub patient: OnRecord,
    /// Who holds the policy, when it is not the patient.
    pub holder: Option<OnRecord>,
    /// Who employs the patient: at an accident at work the policy is the employer's.
    pub employer: Option<EmployerOnRecord>,
    pub rendering: ProviderOnClaim,
    pub supervising: Option<ProviderOnClaim>,
    pub referring: Option<ProviderOnClaim>,
    /// The payer's number of the referral.
    pub referral: Option<String>,
    pub kind: VisitKind,
    /// The place of service of the site (X12 CLM05-1).
    pub site: String,
    pub day: NaiveDate,
    /// The site's own name and address; the address empty where it has none of its own.
    pub place: Facility,
    /// Where the clinic bills from: only what is elsewhere is told.
    pub billed_from: AddressOnClaim,
    pub accident: Option<AccidentOnRecord>,
    pub onset: Option<NaiveDate>,
    pub last_seen: Option<NaiveDate>,
    /// The payer's number of what it approved for the visit.
    pub approval: Option<String>,
    /// As they are written, with their dots, the main one first.
    pub diagnoses: Vec<String>,
    pub lines: Vec<ChargedLine>,
    /// Payers that decided before, in their order.
    pub before: Vec<PayerBefore>,
    /// Payers that are asked after this one, in their order.
    pub after: Vec<PayerAfter>,
    /// At the desk for this visit so far; may be negative when more went back than came.
    pub patient_paid: Cents,
}

/// Why no claim can be made of the facts.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ClaimLacks {
    #[error("Claim {claim}: {name} has no birth date.")]
    BirthDate { claim: String, name: String },
    #[error("Claim {claim}: the name {name} has no letters that payers take; write it as it stands on the card.")]
    Letters { claim: String, name: String },
    #[error("Claim {claim}: the site has no place of service.")]
    Place { claim: String },
    #[error(
        "Claim {claim}: the payer's number of the claim before it is not known yet; it comes with the acknowledgement."
    )]
    NumberBefore { claim: String },
    #[error("Claim {claim}: nothing was charged.")]
    Lines { claim: String },
    #[error("Claim {claim}: {service} has no price on {day}.")]
    Price { claim: String, service: String, day: NaiveDate },
    #[error("Claim {claim}: {service} has no code that payers know.")]
    Code { claim: String, service: String },
}

impl ClaimLacks {
    /// Stable, for programs.
    pub const fn code(&self) -> &'static str {
        match self {
            ClaimLacks::BirthDate { .. } | ClaimLacks::Letters { .. } => "claim-check",
            ClaimLacks::Place { .. } => "place",
            ClaimLacks::NumberBefore { .. } => "number-before",
            ClaimLacks::Lines { .. } => "lines",
            ClaimLacks::Price { .. } => "price",
            ClaimLacks::Code { .. } => "service-code",
        }
    }
}

/// The name of an organisation as it is sent.
pub fn plain(text: &str) -> String {
    written(text, most::LAST_NAME).text
}

/// An address as it is sent, its postal code without the dash.
pub fn plain_address(a: &AddressOnClaim) -> AddressOnClaim {
    AddressOnClaim {
        line: written(&a.line, most::STREET).text,
        line2: written(&a.line2, most::STREET).text,
        city: written(&a.city, most::CITY).text,
        state: a.state.clone(),
        postal_code: a.postal_code.replace('-', ""),
    }
}

fn plain_provider(p: ProviderOnClaim) -> ProviderOnClaim {
    ProviderOnClaim { last_or_name: plain(&p.last_or_name), first: written(&p.first, most::FIRST_NAME).text, ..p }
}

fn person(claim: &str, p: &OnRecord) -> Result<PersonOnClaim, ClaimLacks> {
    let name = || format!("{} {}", p.first, p.last);
    let birth_date = p.birth_date.ok_or_else(|| ClaimLacks::BirthDate { claim: claim.to_owned(), name: name() })?;
    let last = written(&p.last, most::LAST_NAME).text;
    if last.is_empty() {
        return Err(ClaimLacks::Letters { claim: claim.to_owned(), name: name() });
    }
    Ok(PersonOnClaim {
        last,
        first: written(&p.first, most::FIRST_NAME).text,
        middle: written(&p.middle, most::MIDDLE_NAME).text,
        birth_date,
        sex: p.sex.unwrap_or(Sex::Unknown).code().into(),
        address: plain_address(&p.address),
    })
}

/// The claim of a visit for one payer.
///
/// # Errors
/// When it takes the place of a claim of which the payer's number is not known, the patient or the policyholder has no birth date, the site no place of service, nothing was charged, or a line
/// has no price or no code.
pub fn assemble(f: ClaimFacts) -> Result<Claim, ClaimLacks> {
    let claim = f.number.clone();
    let place = place_of_service(f.kind, &f.site).filter(|p| !p.is_empty());
    let place_of_service = place.ok_or_else(|| ClaimLacks::Place { claim: claim.clone() })?.to_owned();
    if f.lines.is_empty() {
        return Err(ClaimLacks::Lines { claim });
    }
    if f.frequency != Frequency::Original && f.replaces.is_empty() {
        return Err(ClaimLacks::NumberBefore { claim });
    }
    let mut lines: Vec<ClaimLine> = f.lines.into_iter().map(|l| line(&claim, f.day, l)).collect::<Result<_, _>>()?;
    for line in &mut lines {
        line.place = line.place.take().filter(|p| *p != place_of_service);
    }
    let total: Cents = lines.iter().map(|l| l.fee).sum();
    let paid_here = f.patient_paid.max(Cents::ZERO).min(total);
    let mut others = Vec::new();
    for before in f.before {
        let id = before.payer.id.clone();
        let (earlier, of_lines) = before.told(&f.patient, &lines, paid_here);
        for (number, decision) in of_lines {
            let line = usize::try_from(number).ok().and_then(|n| lines.get_mut(n.checked_sub(1)?));
            if let Some(line) = line {
                line.decided.push((id.clone(), decision));
            }
        }
        others.push(earlier);
    }
    others.extend(f.after.into_iter().map(|after| after.told(&f.patient)));
    let patient = person(&claim, &f.patient)?;
    let at_work = f.payer.employment;
    let subscriber = match (f.employer.filter(|_| at_work), &f.holder) {
        (Some(employer), _) => {
            let address = plain_address(&employer.address);
            Some(Subscriber::Employer { name: plain(&employer.name), address })
        }
        (None, Some(holder)) => Some(Subscriber::Person(person(&claim, holder)?)),
        (None, None) => None,
    };
    let facility = f.place;
    let elsewhere = !facility.address.line.is_empty() && facility.address != f.billed_from;
    let facility =
        elsewhere.then(|| Facility { name: plain(&facility.name), address: plain_address(&facility.address) });
    let replaced = Some(f.replaces).filter(|n| !n.is_empty());
    Ok(Claim {
        number: f.number,
        payer_name: plain(&f.payer.name),
        payer_id: f.payer.id,
        filing_code: f.payer.filing_code,
        rank: f.payer.rank,
        subscriber_number: f.payer.subscriber_number,
        group_number: f.payer.group_number,
        patient,
        subscriber,
        relationship: f.payer.relationship,
        place_of_service,
        frequency: f.frequency.code().into(),
        original_reference: replaced,
        accident: f.accident.map(|a| Accident {
            cause: if at_work { AccidentCause::Work } else { a.cause }.code().into(),
            date: a.date,
            state: Some(a.state).filter(|s| a.cause == AccidentCause::Auto && !s.is_empty()),
            number: a.number,
        }),
        onset: f.onset,
        last_seen: f.last_seen,
        attachments: vec![],
        // What the patient has paid so far, never more than the claim.
        patient_paid: paid_here,
        prior_authorisation: f.approval,
        referral: f.referral,
        diagnoses: f.diagnoses.iter().map(|d| d.replace('.', "")).collect(),
        rendering: plain_provider(f.rendering),
        referring: f.referring.map(plain_provider),
        supervising: f.supervising.map(plain_provider),
        facility,
        others,
        lines,
    })
}

fn line(claim: &str, day: NaiveDate, l: ChargedLine) -> Result<ClaimLine, ClaimLacks> {
    let lacks_price = || ClaimLacks::Price { claim: claim.to_owned(), service: l.service.clone(), day };
    let fee = l.price.and_then(|p| p.times(l.units)).ok_or_else(lacks_price)?;
    if l.external_code.is_empty() {
        return Err(ClaimLacks::Code { claim: claim.to_owned(), service: l.service });
    }
    Ok(ClaimLine {
        control: format!("{claim}-{}", l.number),
        code: l.external_code,
        modifiers: l.modifiers,
        fee,
        units: l.units,
        pointers: l.pointers,
        service_date: day,
        place: Some(l.place).filter(|p| !p.is_empty()),
        decided: vec![],
    })
}

#[cfg(test)]
pub(super) mod tests {
    use super::*;

    pub(super) fn day() -> NaiveDate {
        NaiveDate::from_ymd_opt(2026, 9, 14).expect("a day")
    }

    fn somebody(first: &str) -> OnRecord {
        OnRecord {
            last: "Núñez-Ortega".into(),
            first: first.into(),
            birth_date: NaiveDate::from_ymd_opt(1980, 2, 29),
            sex: None,
            address: AddressOnClaim {
                line: "4 Quai Façade".into(),
                postal_code: "04101-2210".into(),
                ..Default::default()
            },
            ..Default::default()
        }
    }

    pub(super) fn facts() -> ClaimFacts {
        ClaimFacts {
            number: "C-1".into(),
            frequency: Frequency::Original,
            replaces: String::new(),
            payer: PayerOfClaim {
                name: "Tidewater Mutual".into(),
                id: "TW100".into(),
                filing_code: "CI".into(),
                employment: false,
                rank: Rank::First,
                relationship: Relationship::SelfHolder,
                subscriber_number: "S1".into(),
                group_number: String::new(),
            },
            patient: somebody("Zoë"),
            holder: None,
            employer: None,
            rendering: ProviderOnClaim { last_or_name: "Brandão".into(), ..Default::default() },
            supervising: None,
            referring: None,
            referral: None,
            kind: VisitKind::InPerson,
            site: "11".into(),
            day: day(),
            place: Facility { name: "Lantern Hill".into(), address: AddressOnClaim::default() },
            billed_from: AddressOnClaim::default(),
            accident: None,
            onset: None,
            last_seen: None,
            approval: Some("PA-7".into()),
            diagnoses: vec!["E11.9".into()],
            lines: vec![ChargedLine {
                number: 1,
                service: "visit".into(),
                external_code: "V3".into(),
                modifiers: vec![],
                units: 2,
                place: String::new(),
                price: Some(Cents::new(6_000)),
                pointers: vec![1],
            }],
            before: vec![],
            after: vec![],
            patient_paid: Cents::new(2_500),
        }
    }

    #[test]
    fn a_claim_is_written_as_payers_take_it() {
        let claim = assemble(facts()).expect("a claim");
        assert_eq!((claim.patient.last.as_str(), claim.patient.first.as_str()), ("NUNEZ-ORTEGA", "ZOE"));
        assert_eq!(claim.patient.address.postal_code, "041012210");
        assert_eq!(claim.patient.sex, "U", "nobody told the sex, so none is guessed");
        assert_eq!((claim.diagnoses[0].as_str(), claim.rendering.last_or_name.as_str()), ("E119", "BRANDAO"));
        assert_eq!((claim.total(), claim.lines[0].control.as_str()), (Cents::new(12_000), "C-1-1"));
        assert_eq!((claim.frequency.as_str(), claim.original_reference), ("1", None));
        assert_eq!(
            (claim.subscriber, claim.facility),
            (None, None),
            "the patient is the subscriber, at the clinic's own address"
        );
        assert_eq!(claim.prior_authorisation.as_deref(), Some("PA-7"));
    }

    #[test]
    fn a_childs_claim_names_both_and_a_replacement_names_what_it_replaces() {
        let claim = assemble(ClaimFacts {
            holder: Some(somebody("Ines")),
            frequency: Frequency::Replacement,
            replaces: "P77".into(),
            ..facts()
        });
        let claim = claim.expect("a claim");
        assert!(
            matches!(&claim.subscriber, Some(Subscriber::Person(p)) if p.first == "INES"),
            "{:?}",
            claim.subscriber
        );
        assert_eq!(claim.patient.first, "ZOE");
        assert_eq!((claim.frequency.as_str(), claim.original_reference.as_deref()), ("7", Some("P77")));
    }

    #[test]
    fn a_line_tells_its_place_where_that_is_not_the_claims() {
        let of = |place: &str| {
            let mut f = facts();
            f.lines[0].place = place.into();
            assemble(f).expect("a claim").lines[0].place.clone()
        };
        assert_eq!((of(""), of("11"), of("81")), (None, None, Some("81".into())));
    }

    #[test]
    fn what_was_paid_is_never_more_than_the_claim_nor_less_than_nothing() {
        for (paid, told) in [(2_500, 2_500), (99_999, 12_000), (-300, 0)] {
            let claim = assemble(ClaimFacts { patient_paid: Cents::new(paid), ..facts() }).expect("a claim");
            assert_eq!(claim.patient_paid, Cents::new(told));
        }
    }

    #[test]
    fn an_accident_at_work_is_the_employers_where_the_payer_is_for_that() {
        let accident = |cause, state: &str| {
            Some(AccidentOnRecord { date: day(), cause, state: state.into(), number: "W-88".into() })
        };
        let employer = EmployerOnRecord { name: "Kelp & Sons".into(), address: AddressOnClaim::default() };
        let mut work = ClaimFacts { accident: accident(AccidentCause::Other, ""), employer: Some(employer), ..facts() };
        let other = assemble(work.clone()).expect("a claim");
        assert_eq!((other.accident.map(|a| a.cause), other.subscriber), (Some("OA".into()), None));
        work.payer.employment = true;
        let at_work = assemble(work).expect("a claim");
        assert!(matches!(&at_work.subscriber, Some(Subscriber::Employer { name, .. }) if name == "KELP & SONS"));
        assert_eq!(at_work.accident.map(|a| (a.cause, a.number)), Some(("EM".into(), "W-88".into())));
        let auto = assemble(ClaimFacts { accident: accident(AccidentCause::Auto, "ME"), ..facts() }).expect("a claim");
        assert_eq!(auto.accident.and_then(|a| a.state), Some("ME".into()));
    }

    #[test]
    fn only_a_site_elsewhere_is_told() {
        let at = |line: &str| AddressOnClaim { line: line.into(), ..Default::default() };
        let of = |line: &str| {
            let place = Facility { name: "Lantern Hill".into(), address: at(line) };
            assemble(ClaimFacts { place, billed_from: at("1 Quay"), ..facts() }).expect("a claim").facility
        };
        assert_eq!((of("1 Quay"), of("")), (None, None));
        assert_eq!(of("7 Hill").map(|f| (f.name, f.address.line)), Some(("LANTERN HILL".into(), "7 HILL".into())));
    }

    #[test]
    fn what_is_missing_is_said_and_never_filled_in() {
        let spoilt = |spoil: fn(&mut ClaimFacts)| {
            let mut f = facts();
            spoil(&mut f);
            assemble(f).expect_err("refused").code()
        };
        assert_eq!(spoilt(|f| f.lines[0].price = None), "price");
        assert_eq!(spoilt(|f| f.lines[0].external_code.clear()), "service-code");
        assert_eq!(spoilt(|f| f.lines.clear()), "lines");
        assert_eq!(spoilt(|f| f.site.clear()), "place");
        assert_eq!(spoilt(|f| f.frequency = Frequency::Replacement), "number-before");
        assert_eq!(spoilt(|f| f.kind = VisitKind::Administrative), "place");
        assert_eq!(spoilt(|f| f.patient.birth_date = None), "claim-check");
        assert_eq!(spoilt(|f| f.holder = Some(OnRecord::default())), "claim-check");
        assert_eq!(spoilt(|f| f.patient.last = "Иванов".into()), "claim-check");
    }
}
