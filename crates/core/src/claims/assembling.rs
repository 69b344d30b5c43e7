//! From the clinic's records to a claim as it is sent: capitals without accents as payers' systems take them, and a
//! refusal where a fact is missing, never a blank or a zero in its place.

use super::{Accident, AddressOnClaim, Claim, ClaimLine, Frequency, PersonOnClaim, ProviderOnClaim};
use crate::charges::place_of_service;
use crate::coverage::{Rank, Relationship};
use crate::money::Cents;
use crate::people::{Sex, fold};
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

/// A charge as it was completed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ChargedLine {
    pub number: u32,
    /// The service by the clinic's own code, for sentences, and by the payers'.
    pub service: String,
    pub external_code: String,
    pub modifiers: Vec<String>,
    pub units: u32,
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
    /// The payer's own number of the claim that this one replaces; empty for a first one.
    pub replaces: String,
    pub payer: PayerOfClaim,
    pub patient: OnRecord,
    /// Who holds the policy, when it is not the patient.
    pub holder: Option<OnRecord>,
    pub rendering: ProviderOnClaim,
    pub kind: VisitKind,
    /// The place of service of the site (X12 CLM05-1).
    pub site: String,
    pub day: NaiveDate,
    pub accident: Option<NaiveDate>,
    /// The payer's number of what it approved for the visit.
    pub approval: Option<String>,
    /// As they are written, with their dots, the main one first.
    pub diagnoses: Vec<String>,
    pub lines: Vec<ChargedLine>,
    /// At the desk for this visit so far; may be negative when more went back than came.
    pub patient_paid: Cents,
}

/// Why no claim can be made of the facts.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ClaimLacks {
    #[error("Claim {claim}: {name} has no birth date.")]
    BirthDate { claim: String, name: String },
    #[error("Claim {claim}: the site has no place of service.")]
    Place { claim: String },
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
            ClaimLacks::BirthDate { .. } => "claim-check",
            ClaimLacks::Place { .. } => "place",
            ClaimLacks::Lines { .. } => "lines",
            ClaimLacks::Price { .. } => "price",
            ClaimLacks::Code { .. } => "service-code",
        }
    }
}

/// Capitals without accents. Hyphens belong to names and are lawful; folding would take them.
pub fn plain(text: &str) -> String {
    text.split('-').map(fold).collect::<Vec<_>>().join("-").to_uppercase()
}

/// An address in capitals, its postal code without the dash.
pub fn plain_address(a: &AddressOnClaim) -> AddressOnClaim {
    AddressOnClaim {
        line: plain(&a.line),
        line2: plain(&a.line2),
        city: plain(&a.city),
        state: a.state.clone(),
        postal_code: a.postal_code.replace('-', ""),
    }
}

fn person(claim: &str, p: &OnRecord) -> Result<PersonOnClaim, ClaimLacks> {
    let lacks = || ClaimLacks::BirthDate { claim: claim.to_owned(), name: format!("{} {}", p.first, p.last) };
    Ok(PersonOnClaim {
        last: plain(&p.last),
        first: plain(&p.first),
        middle: plain(&p.middle),
        birth_date: p.birth_date.ok_or_else(lacks)?,
        sex: p.sex.unwrap_or(Sex::Unknown).code().into(),
        address: plain_address(&p.address),
    })
}

/// The claim of a visit for one payer.
///
/// # Errors
/// When the patient or the policyholder has no birth date, the site no place of service, nothing was charged, or a line
/// has no price or no code.
pub fn assemble(f: ClaimFacts) -> Result<Claim, ClaimLacks> {
    let claim = f.number.clone();
    let place = place_of_service(f.kind, &f.site).filter(|p| !p.is_empty());
    let place_of_service = place.ok_or_else(|| ClaimLacks::Place { claim: claim.clone() })?.to_owned();
    if f.lines.is_empty() {
        return Err(ClaimLacks::Lines { claim });
    }
    let lines: Vec<ClaimLine> = f.lines.into_iter().map(|l| line(&claim, f.day, l)).collect::<Result<_, _>>()?;
    let total: Cents = lines.iter().map(|l| l.fee).sum();
    let patient = person(&claim, &f.patient)?;
    let holder = f.holder.as_ref().map(|h| person(&claim, h)).transpose()?;
    let (subscriber, patient) = match holder {
        Some(holder) => (holder, Some(patient)),
        None => (patient, None),
    };
    let replaced = Some(f.replaces).filter(|n| !n.is_empty());
    Ok(Claim {
        number: f.number,
        payer_name: plain(&f.payer.name),
        payer_id: f.payer.id,
        filing_code: f.payer.filing_code,
        rank: f.payer.rank,
        subscriber_number: f.payer.subscriber_number,
        group_number: f.payer.group_number,
        subscriber,
        relationship: f.payer.relationship,
        patient,
        place_of_service,
        frequency: if replaced.is_some() { Frequency::Replacement } else { Frequency::Original }.code().into(),
        original_reference: replaced,
        accident: f.accident.map(|date| Accident {
            cause: if f.payer.employment { "EM" } else { "OA" }.into(),
            date,
            state: None,
        }),
        // What the patient has paid so far, never more than the claim.
        patient_paid: f.patient_paid.max(Cents::ZERO).min(total),
        prior_authorisation: f.approval,
        referral: None,
        diagnoses: f.diagnoses.iter().map(|d| d.replace('.', "")).collect(),
        rendering: ProviderOnClaim {
            last_or_name: plain(&f.rendering.last_or_name),
            first: plain(&f.rendering.first),
            ..f.rendering
        },
        referring: None,
        supervising: None,
        facility: None,
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
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn day() -> NaiveDate {
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

    fn facts() -> ClaimFacts {
        ClaimFacts {
            number: "C-1".into(),
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
            rendering: ProviderOnClaim { last_or_name: "Brandão".into(), ..Default::default() },
            kind: VisitKind::InPerson,
            site: "11".into(),
            day: day(),
            accident: None,
            approval: Some("PA-7".into()),
            diagnoses: vec!["E11.9".into()],
            lines: vec![ChargedLine {
                number: 1,
                service: "visit".into(),
                external_code: "V3".into(),
                modifiers: vec![],
                units: 2,
                price: Some(Cents::new(6_000)),
                pointers: vec![1],
            }],
            patient_paid: Cents::new(2_500),
        }
    }

    #[test]
    fn a_claim_is_written_as_payers_take_it() {
        let claim = assemble(facts()).expect("a claim");
        assert_eq!((claim.subscriber.last.as_str(), claim.subscriber.first.as_str()), ("NUNEZ-ORTEGA", "ZOE"));
        assert_eq!(claim.subscriber.address.postal_code, "041012210");
        assert_eq!(claim.subscriber.sex, "U", "nobody told the sex, so none is guessed");
        assert_eq!((claim.diagnoses[0].as_str(), claim.rendering.last_or_name.as_str()), ("E119", "BRANDAO"));
        assert_eq!((claim.total(), claim.lines[0].control.as_str()), (Cents::new(12_000), "C-1-1"));
        assert_eq!((claim.frequency.as_str(), claim.original_reference), ("1", None));
        assert!(claim.patient.is_none(), "the patient is the subscriber");
        assert_eq!(claim.prior_authorisation.as_deref(), Some("PA-7"));
    }

    #[test]
    fn a_childs_claim_names_both_and_a_replacement_names_what_it_replaces() {
        let claim = assemble(ClaimFacts { holder: Some(somebody("Ines")), replaces: "P77".into(), ..facts() });
        let claim = claim.expect("a claim");
        assert_eq!(claim.subscriber.first, "INES");
        assert_eq!(claim.patient.map(|p| p.first), Some("ZOE".into()));
        assert_eq!((claim.frequency.as_str(), claim.original_reference.as_deref()), ("7", Some("P77")));
    }

    #[test]
    fn what_was_paid_is_never_more_than_the_claim_nor_less_than_nothing() {
        for (paid, told) in [(2_500, 2_500), (99_999, 12_000), (-300, 0)] {
            let claim = assemble(ClaimFacts { patient_paid: Cents::new(paid), ..facts() }).expect("a claim");
            assert_eq!(claim.patient_paid, Cents::new(told));
        }
    }

    #[test]
    fn an_accident_at_work_says_so_only_where_the_payer_is_for_that() {
        let mut work = ClaimFacts { accident: Some(day()), ..facts() };
        assert_eq!(assemble(work.clone()).expect("a claim").accident.map(|a| a.cause), Some("OA".into()));
        work.payer.employment = true;
        assert_eq!(assemble(work).expect("a claim").accident.map(|a| a.cause), Some("EM".into()));
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
        assert_eq!(spoilt(|f| f.kind = VisitKind::Administrative), "place");
        assert_eq!(spoilt(|f| f.patient.birth_date = None), "claim-check");
        assert_eq!(spoilt(|f| f.holder = Some(OnRecord::default())), "claim-check");
    }
}
