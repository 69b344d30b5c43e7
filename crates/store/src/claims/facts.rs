//! What claims are made of, for any number of them in a fixed number of queries.

use super::accidents;
use crate::house::staff;
use crate::money::ledger;
use crate::rows::Coverage;
use crate::rows::{Accident, Claim, Payer, Person, RemittedClaim, Service, Site, Staff, VisitBilling};
use crate::schema::{coverages, visit_diagnoses};
use crate::visit_line::visits;
use crate::{Conn, Result, StoreError, charges, coverage, people};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::claims::assembling::{
    AccidentCause, AccidentOnRecord, ChargedLine, ClaimFacts, EmployerOnRecord, OnRecord, PayerAfter, PayerBefore,
    PayerOfClaim,
};
use harbor_core::claims::{AddressOnClaim, ClaimState, Facility, Frequency, ProviderOnClaim};
use harbor_core::money::Cents;
use std::collections::HashMap;
use uuid::Uuid;

fn on_record(p: &Person) -> OnRecord {
    OnRecord {
        last: p.last_name.clone(),
        first: p.first_name.clone(),
        middle: p.middle_name.clone(),
        birth_date: p.birth_date,
        sex: p.sex.map(|s| *s),
        address: AddressOnClaim {
            line: p.address_line.clone(),
            line2: p.address_line2.clone(),
            city: p.city.clone(),
            state: p.state.clone(),
            postal_code: p.postal_code.clone(),
        },
    }
}

fn provider(s: &Staff) -> ProviderOnClaim {
    ProviderOnClaim {
        last_or_name: s.last_name.clone(),
        first: s.first_name.clone(),
        npi: s.npi.clone().unwrap_or_default(),
        taxonomy: s.taxonomy.clone().unwrap_or_default(),
    }
}

fn of_site(s: &Site) -> AddressOnClaim {
    AddressOnClaim {
        line: s.address_line.clone(),
        line2: String::new(),
        city: s.city.clone(),
        state: s.state.clone(),
        postal_code: s.postal_code.clone(),
    }
}

fn employer(a: &Accident) -> EmployerOnRecord {
    EmployerOnRecord {
        name: a.employer.clone(),
        address: AddressOnClaim {
            line: a.employer_line.clone(),
            line2: String::new(),
            city: a.employer_city.clone(),
            state: a.employer_state.clone(),
            postal_code: a.employer_postal_code.clone(),
        },
    }
}

/// By id, so that each is found without a walk.
fn by<T>(rows: Vec<T>, id: impl Fn(&T) -> Uuid) -> HashMap<Uuid, T> {
    rows.into_iter().map(|row| (id(&row), row)).collect()
}

/// What payers decided of claims of these visits and did not take back, with the day.
async fn decided_before(conn: &mut Conn, visits: &[Uuid]) -> Result<Vec<(Claim, RemittedClaim, NaiveDate)>> {
    use crate::schema::{claims as c, remittances as r, remitted_claims as d};
    let all: Vec<(Claim, RemittedClaim, NaiveDate)> = d::table
        .inner_join(c::table.on(d::claim_id.eq(c::id.nullable())))
        .inner_join(r::table.on(r::id.eq(d::remittance_id)))
        .filter(c::visit_id.eq_any(visits).and(c::state.ne(ClaimState::Void.code())))
        .order((c::made_at, c::id, d::id))
        .select((Claim::as_select(), RemittedClaim::as_select(), r::paid_on))
        .load(conn)
        .await?;
    // Of each claim the last one stands; where that takes back what was before it, none does. A forecast decides nothing.
    let mut last: Vec<(Claim, RemittedClaim, NaiveDate)> = Vec::new();
    for one in all.into_iter().filter(|(_, d, _)| d.status != "25") {
        last.retain(|(claim, ..)| claim.id != one.0.id);
        last.push(one);
    }
    last.retain(|(_, d, _)| d.status != "22");
    Ok(last)
}

/// The facts of these claims, in their order.
pub async fn facts(conn: &mut Conn, rows: &[Claim]) -> Result<Vec<ClaimFacts>> {
    let visit_ids: Vec<Uuid> = rows.iter().map(|c| c.visit_id).collect();
    let visits = visits::many(conn, &visit_ids).await?;
    let policy_ids: Vec<Uuid> = rows.iter().map(|c| c.coverage_id).collect();
    let policies: Vec<Coverage> =
        coverages::table.filter(coverages::id.eq_any(&policy_ids)).select(Coverage::as_select()).load(conn).await?;
    let policies = by(policies, |c| c.id);
    let named = visits.values().map(|v| v.person_id).chain(policies.values().filter_map(|c| c.holder_id));
    let persons = people::by_id(conn, named).await?;
    let payers: HashMap<Uuid, Payer> = by(coverage::payers(conn).await?, |p| p.id);
    let staff_by_id = by(staff::all(conn).await?, |s| s.id);
    let sites = by(staff::sites(conn).await?, |s| s.id);
    let services: HashMap<String, Service> =
        charges::services(conn).await?.into_iter().map(|s| (s.code.clone(), s)).collect();
    let mut lines: HashMap<Uuid, Vec<ChargedLine>> = HashMap::new();
    for l in charges::lines_of(conn, &visit_ids).await? {
        let service = services.get(&l.service_code);
        lines.entry(l.visit_id).or_default().push(ChargedLine {
            number: u32::try_from(l.number).unwrap_or(0),
            external_code: service.map(|s| s.external_code.clone()).unwrap_or_default(),
            service: l.service_code,
            modifiers: l.modifiers,
            units: u32::try_from(l.units).unwrap_or(0),
            place: service.map(|s| s.place.clone()).unwrap_or_default(),
            price: l.price_cents.map(Cents::new),
            pointers: l.pointers.iter().filter_map(|p| u8::try_from(*p).ok()).collect(),
        });
    }
    let mut diagnoses: HashMap<Uuid, Vec<String>> = HashMap::new();
    let found: Vec<(Uuid, String)> = {
        use visit_diagnoses as d;
        let all = d::table.filter(d::visit_id.eq_any(&visit_ids)).order((d::visit_id, d::position));
        all.select((d::visit_id, d::code)).load(conn).await?
    };
    for (visit, code) in found {
        diagnoses.entry(visit).or_default().push(code);
    }
    let approved = crate::prescribing::approvals::numbers_of_visits(conn, &visit_ids).await?;
    let balances = ledger::balances(conn, &visit_ids).await?;
    let hurt: Vec<Uuid> = visits.values().filter(|v| v.accident_date.is_some()).map(|v| v.person_id).collect();
    let known_accidents = accidents::of_people(conn, &hurt).await?;
    let said = by(accidents::billing(conn, &visit_ids).await?, |b: &VisitBilling| b.visit_id);
    let referred = coverage::referrals::named_by(conn, &visit_ids).await?;
    let supervised = crate::consult::heads::supervised(conn, &visit_ids).await?;
    let replaced: Vec<Uuid> = rows.iter().filter_map(|c| c.replaces_id).collect();
    let numbers_before: HashMap<Uuid, String> =
        super::many(conn, &replaced).await?.into_iter().map(|c| (c.id, c.payer_claim_number)).collect();
    let decided = decided_before(conn, &visit_ids).await?;
    let held_by: Vec<Uuid> = decided.iter().map(|(c, ..)| c.coverage_id).collect();
    let earlier: Vec<Coverage> =
        coverages::table.filter(coverages::id.eq_any(&held_by)).select(Coverage::as_select()).load(conn).await?;
    let earlier = by(earlier, |c| c.id);
    let owners: Vec<Uuid> = visits.values().map(|v| v.person_id).collect();
    let all_policies = coverage::of_people(conn, &owners).await?;
    let held = earlier.values().chain(&all_policies).filter_map(|c| c.holder_id);
    let holders = people::by_id(conn, held).await?;
    let clinic = staff::clinic(conn).await?;
    let billed_from = AddressOnClaim {
        line: clinic.address_line,
        line2: String::new(),
        city: clinic.city,
        state: clinic.state,
        postal_code: clinic.postal_code,
    };
    let missing = |what| StoreError::NotFound(what);
    let on_claim = |policy: &Coverage, payer: &Payer| PayerOfClaim {
        name: payer.name.clone(),
        id: payer.payer_code.clone(),
        filing_code: payer.filing_code.clone(),
        employment: payer.employment,
        rank: *policy.rank,
        relationship: *policy.relationship,
        subscriber_number: policy.subscriber_number.clone(),
        group_number: policy.group_number.clone(),
    };
    let decided_by_others = |row: &Claim| {
        let of = |(claim, decision, on): &(Claim, RemittedClaim, NaiveDate)| {
            let policy = earlier.get(&claim.coverage_id)?;
            Some(PayerBefore {
                payer: on_claim(policy, payers.get(&claim.payer_id)?),
                holder: policy.holder_id.and_then(|id| holders.get(&id)).map(on_record),
                decision: decision.decision.as_ref()?.whole(decision),
                on: *on,
            })
        };
        let others = decided.iter().filter(|(c, ..)| c.visit_id == row.visit_id && c.payer_id != row.payer_id);
        others.filter(|(c, ..)| (c.made_at, c.id) < (row.made_at, row.id)).filter_map(of).collect::<Vec<_>>()
    };
    // Whoever is asked after a claim's own policy, as the visit's cause has them; two policies of one payer are its own matter.
    let asked_after = |row: &Claim, visit: &crate::rows::Visit| {
        let at_work = accidents::is_at_work(&known_accidents, visit);
        let is_fund = |id| payers.get(&id).is_some_and(|p| p.employment);
        let paying = coverage::paying_by_cause(&all_policies, visit, at_work, is_fund);
        let later = paying.into_iter().skip_while(|c| c.id != row.coverage_id).skip(1);
        let of = |policy: &Coverage| {
            let holder = policy.holder_id.and_then(|id| holders.get(&id)).map(on_record);
            Some(PayerAfter { payer: on_claim(policy, payers.get(&policy.payer_id)?), holder })
        };
        later.filter(|c| c.payer_id != row.payer_id).filter_map(of).collect::<Vec<_>>()
    };
    rows.iter()
        .map(|row| {
            let visit = visits.get(&row.visit_id).ok_or_else(|| missing("visit"))?;
            // One that the payer has already and that was put right here takes its own place there.
            let again = !row.payer_claim_number.is_empty();
            let before = match (again, row.replaces_id) {
                (true, _) => Some(row.payer_claim_number.clone()),
                // A first one that goes after a void replaces nothing.
                (false, Some(id)) if *row.frequency != Frequency::Original => numbers_before.get(&id).cloned(),
                (false, _) => None,
            };
            let policy = policies.get(&row.coverage_id).ok_or_else(|| missing("policy"))?;
            let payer = payers.get(&row.payer_id).ok_or_else(|| missing("payer"))?;
            let clinician = staff_by_id.get(&visit.clinician_id).ok_or_else(|| missing("clinician"))?;
            let patient = persons.get(&visit.person_id).ok_or_else(|| missing("person"))?;
            let holder =
                policy.holder_id.map(|id| persons.get(&id).ok_or_else(|| missing("policyholder"))).transpose()?;
            let site = sites.get(&visit.site_id);
            let accident = accidents::of_visit(&known_accidents, visit);
            let said = said.get(&visit.id);
            let referral = referred.get(&visit.id);
            let supervising = supervised.get(&visit.id).and_then(|id| staff_by_id.get(id));
            Ok(ClaimFacts {
                number: row.number.clone(),
                frequency: if again { Frequency::Replacement } else { *row.frequency },
                replaces: before.unwrap_or_default(),
                payer: on_claim(policy, payer),
                patient: on_record(patient),
                holder: holder.map(on_record),
                employer: accident.filter(|a| !a.employer.is_empty()).map(employer),
                rendering: provider(clinician),
                supervising: supervising.map(provider),
                referring: referral.filter(|r| !r.from_last.is_empty()).map(|r| ProviderOnClaim {
                    last_or_name: r.from_last.clone(),
                    first: r.from_first.clone(),
                    npi: r.from_npi.clone(),
                    taxonomy: String::new(),
                }),
                referral: referral.map(|r| r.number.clone()).filter(|n| !n.is_empty()),
                kind: *visit.kind,
                site: site.map(|s| s.place_of_service.clone()).unwrap_or_default(),
                place: Facility {
                    name: site.map(|s| s.name.clone()).unwrap_or_default(),
                    address: site.map(of_site).unwrap_or_default(),
                },
                billed_from: billed_from.clone(),
                day: visit.day,
                // Of one whose cause nobody told, only the day is known.
                accident: visit.accident_date.map(|date| AccidentOnRecord {
                    date,
                    cause: accident.map_or(AccidentCause::Other, |a| *a.cause),
                    state: accident.map(|a| a.state.clone()).unwrap_or_default(),
                    number: accident.map(|a| a.number.clone()).unwrap_or_default(),
                }),
                onset: said.and_then(|s| s.onset),
                last_seen: said.and_then(|s| s.last_seen),
                approval: approved.get(&(visit.id, row.payer_id)).cloned(),
                diagnoses: diagnoses.get(&visit.id).cloned().unwrap_or_default(),
                lines: lines.get(&visit.id).cloned().unwrap_or_default(),
                before: decided_by_others(row),
                after: asked_after(row, visit),
                patient_paid: balances.get(&visit.id).map(|b| b.paid_by_patient).unwrap_or_default(),
            })
        })
        .collect()
}
