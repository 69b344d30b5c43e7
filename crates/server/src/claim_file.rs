//! From the clinic's records to a claim as it is sent.

use crate::problem::Problem;
use crate::state::State;
use harbor_core::charges::place_of_service;
use harbor_core::claims::{Accident, AddressOnClaim, Biller, Claim, ClaimLine, PersonOnClaim, ProviderOnClaim};
use harbor_core::money::Cents;
use harbor_core::money::ledger::Account;
use harbor_core::people::{Sex, fold};
use harbor_formats::x12::Stamp;
use harbor_store::consult::chart;
use harbor_store::house::staff;
use harbor_store::money::ledger;
use harbor_store::rows::Person;
use harbor_store::visit_line::visits;
use harbor_store::{Conn, charges, coverage, people, rows};

/// Capitals without accents, as payers' systems take them.
fn plain(text: &str) -> String {
    // Hyphens belong to names and are lawful; folding would take them.
    text.split('-').map(fold).collect::<Vec<_>>().join("-").to_uppercase()
}

fn person(p: &Person) -> Result<PersonOnClaim, Problem> {
    let lacks =
        |what: &str| Problem::refused("claim-check", format!("{} {} has no {what}.", p.first_name, p.last_name));
    Ok(PersonOnClaim {
        last: plain(&p.last_name),
        first: plain(&p.first_name),
        middle: plain(&p.middle_name),
        birth_date: p.birth_date.ok_or_else(|| lacks("birth date"))?,
        sex: p.sex.map_or(Sex::Unknown, |s| *s).code().into(),
        address: AddressOnClaim {
            line: plain(&p.address_line),
            line2: plain(&p.address_line2),
            city: plain(&p.city),
            state: p.state.clone(),
            postal_code: p.postal_code.replace('-', ""),
        },
    })
}

pub fn biller(state: &State) -> Biller {
    let c = &state.clinic;
    Biller {
        organisation: plain(&c.name),
        npi: c.npi.clone(),
        taxonomy: c.taxonomy.clone(),
        tax_id: c.tax_id.clone(),
        address: AddressOnClaim {
            line: plain(&c.address_line),
            line2: String::new(),
            city: plain(&c.city),
            state: c.state.clone(),
            postal_code: c.postal_code.replace('-', ""),
        },
        contact: "BILLING OFFICE".into(),
        telephone: c.telephone.clone(),
        submitter_id: c.submitter_id.clone(),
        receiver_name: plain(&c.clearing_house),
        receiver_id: c.clearing_house_id.clone(),
    }
}

pub fn stamp(state: &State, control: u32) -> Stamp {
    Stamp {
        at: state.now().with_timezone(&state.zone).naive_local(),
        control,
        production: state.clinic.production,
        sender: state.clinic.submitter_id.clone(),
        receiver: state.clinic.clearing_house_id.clone(),
    }
}

/// Gathers one claim.
pub async fn build_claim(conn: &mut Conn, row: &rows::Claim) -> Result<Claim, Problem> {
    let visit = visits::get(conn, row.visit_id).await?;
    let patient = people::get(conn, visit.person_id).await?;
    let policy = coverage::get(conn, row.coverage_id).await?;
    let payer = coverage::payer(conn, row.payer_id).await?;
    let clinician = staff::get(conn, visit.clinician_id).await?;
    let holder = match policy.holder_id {
        Some(id) => people::get(conn, id).await?,
        None => patient.clone(),
    };
    let relationship = *policy.relationship;
    let services = charges::services(conn).await?;
    let sites = staff::sites(conn).await?;
    let site = sites.iter().find(|s| s.id == visit.site_id).map_or("", |s| s.place_of_service.as_str());
    let Some(place) = place_of_service(*visit.kind, site).filter(|p| !p.is_empty()) else {
        return Err(Problem::refused("place", format!("Claim {}: the site has no place of service.", row.number)));
    };
    let own = charges::lines_of(conn, &[visit.id]).await?;
    if let Some(line) = own.iter().find(|l| l.price_cents.is_none()) {
        let said = format!("Claim {}: {} has no price on {}.", row.number, line.service_code, visit.day);
        return Err(Problem::refused("price", said));
    }
    let lines = own.into_iter().map(|l| ClaimLine {
        control: format!("{}-{}", row.number, l.number),
        code: services.iter().find(|s| s.code == l.service_code).map(|s| s.external_code.clone()).unwrap_or_default(),
        modifiers: l.modifiers,
        fee: Cents::new(l.price_cents.unwrap_or(0)).times(u32::try_from(l.units).unwrap_or(0)).unwrap_or_default(),
        units: u32::try_from(l.units).unwrap_or(0),
        pointers: l.pointers.iter().filter_map(|p| u8::try_from(*p).ok()).collect(),
        service_date: visit.day,
    });
    let lines: Vec<ClaimLine> = lines.collect();
    // What the patient has paid so far, never more than the claim.
    let total: Cents = lines.iter().map(|l| l.fee).sum();
    let history = ledger::history(conn, visit.id).await?;
    let till = history
        .iter()
        .flat_map(|(_, e)| e)
        .filter(|e| e.account.method().is_some() || e.account == Account::Unapplied)
        .map(|e| e.amount)
        .sum::<Cents>();
    let accident = visit.accident_date.map(|date| Accident {
        cause: if payer.employment { "EM".into() } else { "OA".into() },
        date,
        state: None,
    });
    let replaced = !row.payer_claim_number.is_empty();
    Ok(Claim {
        number: row.number.clone(),
        payer_name: plain(&payer.name),
        payer_id: payer.payer_code,
        filing_code: payer.filing_code,
        rank: *policy.rank,
        subscriber_number: policy.subscriber_number,
        group_number: policy.group_number,
        subscriber: person(&holder)?,
        relationship,
        patient: if policy.holder_id.is_some() { Some(person(&patient)?) } else { None },
        place_of_service: place.to_owned(),
        frequency: if replaced { "7".into() } else { "1".into() },
        original_reference: replaced.then(|| row.payer_claim_number.clone()),
        accident,
        patient_paid: till.max(Cents::ZERO).min(total),
        prior_authorisation: None,
        referral: None,
        diagnoses: chart::diagnoses_of(conn, visit.id).await?.iter().map(|d| d.code.replace('.', "")).collect(),
        rendering: ProviderOnClaim {
            last_or_name: plain(&clinician.last_name),
            first: plain(&clinician.first_name),
            npi: clinician.npi.unwrap_or_default(),
            taxonomy: clinician.taxonomy.unwrap_or_default(),
        },
        referring: None,
        supervising: None,
        facility: None,
        lines,
    })
}
