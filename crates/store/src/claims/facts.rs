//! What claims are made of, for any number of them in a fixed number of queries.

use crate::house::staff;
use crate::money::ledger;
use crate::rows::Coverage;
use crate::rows::{Claim, Payer, Person, Service};
use crate::schema::{coverages, visit_diagnoses};
use crate::visit_line::visits;
use crate::{Conn, Result, StoreError, charges, coverage, people};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::claims::assembling::{ChargedLine, ClaimFacts, OnRecord, PayerOfClaim};
use harbor_core::claims::{AddressOnClaim, ProviderOnClaim};
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

/// By id, so that each is found without a walk.
fn by<T>(rows: Vec<T>, id: impl Fn(&T) -> Uuid) -> HashMap<Uuid, T> {
    rows.into_iter().map(|row| (id(&row), row)).collect()
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
    let missing = |what| StoreError::NotFound(what);
    rows.iter()
        .map(|row| {
            let visit = visits.get(&row.visit_id).ok_or_else(|| missing("visit"))?;
            let policy = policies.get(&row.coverage_id).ok_or_else(|| missing("policy"))?;
            let payer = payers.get(&row.payer_id).ok_or_else(|| missing("payer"))?;
            let clinician = staff_by_id.get(&visit.clinician_id).ok_or_else(|| missing("clinician"))?;
            let patient = persons.get(&visit.person_id).ok_or_else(|| missing("person"))?;
            let holder =
                policy.holder_id.map(|id| persons.get(&id).ok_or_else(|| missing("policyholder"))).transpose()?;
            Ok(ClaimFacts {
                number: row.number.clone(),
                replaces: row.payer_claim_number.clone(),
                payer: PayerOfClaim {
                    name: payer.name.clone(),
                    id: payer.payer_code.clone(),
                    filing_code: payer.filing_code.clone(),
                    employment: payer.employment,
                    rank: *policy.rank,
                    relationship: *policy.relationship,
                    subscriber_number: policy.subscriber_number.clone(),
                    group_number: policy.group_number.clone(),
                },
                patient: on_record(patient),
                holder: holder.map(on_record),
                rendering: ProviderOnClaim {
                    last_or_name: clinician.last_name.clone(),
                    first: clinician.first_name.clone(),
                    npi: clinician.npi.clone().unwrap_or_default(),
                    taxonomy: clinician.taxonomy.clone().unwrap_or_default(),
                },
                kind: *visit.kind,
                site: sites.get(&visit.site_id).map(|s| s.place_of_service.clone()).unwrap_or_default(),
                day: visit.day,
                accident: visit.accident_date,
                approval: approved.get(&(visit.id, row.payer_id)).cloned(),
                diagnoses: diagnoses.get(&visit.id).cloned().unwrap_or_default(),
                lines: lines.get(&visit.id).cloned().unwrap_or_default(),
                patient_paid: balances.get(&visit.id).map(|b| b.paid_by_patient).unwrap_or_default(),
            })
        })
        .collect()
}
