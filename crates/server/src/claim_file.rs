//! Who bills, and how a file to the clearing house is stamped.

use crate::problem::Problem;
use crate::state::State;
use harbor_core::claims::assembling::{ClaimLacks, assemble, plain, plain_address};
use harbor_core::claims::{self as core, AddressOnClaim, Biller, Frequency};
use harbor_formats::x12::{self, Stamp};
use harbor_store::charges::again;
use harbor_store::rows::Claim;
use harbor_store::{Conn, claims as store};
use std::collections::HashMap;

pub fn biller(state: &State) -> Biller {
    let c = &state.clinic;
    Biller {
        organisation: plain(&c.name),
        npi: c.npi.clone(),
        taxonomy: c.taxonomy.clone(),
        tax_id: c.tax_id.clone(),
        address: plain_address(&AddressOnClaim {
            line: c.address_line.clone(),
            line2: String::new(),
            city: c.city.clone(),
            state: c.state.clone(),
            postal_code: c.postal_code.clone(),
        }),
        pay_to: None,
        contact: "BILLING OFFICE".into(),
        telephone: c.telephone.clone(),
        submitter_id: c.submitter_id.clone(),
        receiver_name: plain(&c.clearing_house),
        receiver_id: c.clearing_house_id.clone(),
    }
}

/// The claims as they are sent, in their order: from the records as they are now; and one that voids another with what that one
/// told, from the file in which it went out.
pub async fn assembled(conn: &mut Conn, rows: &[Claim]) -> Result<Vec<core::Claim>, Problem> {
    let (voids, others): (Vec<Claim>, Vec<Claim>) =
        rows.iter().cloned().partition(|row| *row.frequency == Frequency::Void);
    let mut made: HashMap<String, core::Claim> = HashMap::new();
    for facts in store::facts(conn, &others).await? {
        let claim = assemble(facts)?;
        made.insert(claim.number.clone(), claim);
    }
    for row in voids {
        made.insert(row.number.clone(), voiding(conn, &row).await?);
    }
    Ok(rows.iter().filter_map(|row| made.remove(&row.number)).collect())
}

/// What goes into a file: the claims with their rows, and what is left out for now, each with why.
pub struct ToSend {
    pub claims: Vec<core::Claim>,
    pub rows: Vec<Claim>,
    pub left_out: Vec<String>,
}

/// Parts what can be sent from what must wait: for an acknowledgement, or until charges that are open again are charged. Anything
/// else that a claim lacks is refused.
pub async fn to_send(conn: &mut Conn, rows: &[Claim]) -> Result<ToSend, Problem> {
    let before: Vec<uuid::Uuid> = rows.iter().filter_map(|row| row.replaces_id).collect();
    let numbered = store::many(conn, &before).await?;
    let visits: Vec<uuid::Uuid> = rows.iter().map(|row| row.visit_id).collect();
    let open = again::open_among(conn, &visits).await?;
    let waits = |row: &Claim| {
        if open.contains(&row.visit_id) {
            return Some(format!("The charges of claim {} are open again; charge them again first.", row.number));
        }
        let before = numbered.iter().find(|b| Some(b.id) == row.replaces_id)?;
        if !before.payer_claim_number.is_empty() || !row.payer_claim_number.is_empty() {
            return None;
        }
        Some(match *row.frequency {
            Frequency::Original => {
                let (own, void) = (&row.number, &before.number);
                format!("Claim {own} goes once the payer has acknowledged {void}, which voids the one before.")
            }
            _ => ClaimLacks::NumberBefore { claim: row.number.clone() }.to_string(),
        })
    };
    let left_out: Vec<String> = rows.iter().filter_map(waits).collect();
    let rows: Vec<Claim> = rows.iter().filter(|row| waits(row).is_none()).cloned().collect();
    if rows.is_empty() {
        return Err(Problem::refused("waits", left_out.join(" ")));
    }
    let claims = assembled(conn, &rows).await?;
    Ok(ToSend { claims, rows, left_out })
}

/// The claim that voids another (CLM05-3 8).
async fn voiding(conn: &mut Conn, row: &Claim) -> Result<core::Claim, Problem> {
    let before = store::get(conn, row.replaces_id.ok_or_else(|| Problem::not_found("claim that is voided"))?).await?;
    if before.payer_claim_number.is_empty() {
        return Err(ClaimLacks::NumberBefore { claim: row.number.clone() }.into());
    }
    let lost =
        || Problem::refused("unreadable", format!("The file in which {} went out cannot be read.", before.number));
    let batch = store::batch(conn, before.batch_id.ok_or_else(lost)?).await?;
    let content = store::document(conn, batch.document_id).await?.content;
    let text = x12::envelope::decode(&content);
    let document = x12::read(&text).map_err(|_| lost())?;
    let sets = document.interchanges.iter().flat_map(|i| &i.groups).flat_map(|g| &g.sets);
    let sent = sets.filter_map(|set| x12::claim::read(set).ok()).flat_map(|batch| batch.claims);
    let as_sent = sent.into_iter().find(|claim| claim.number == before.number).ok_or_else(lost)?;
    Ok(core::Claim {
        number: row.number.clone(),
        frequency: Frequency::Void.code().into(),
        original_reference: Some(before.payer_claim_number),
        ..as_sent
    })
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
