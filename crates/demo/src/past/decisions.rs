//! What payers decided on the claims that lie behind: each Friday one remittance a payer, as a file, so that the account of
//! every visit says why something is left for the patient.

use super::Rows;
use crate::money_in::{adjustment, decided};
use crate::{World, at};
use anyhow::Result;
use chrono::{DateTime, Datelike, Days, NaiveDate, Utc, Weekday};
use diesel_async::RunQueryDsl;
use harbor_core::money::Cents;
use harbor_core::money::remittance::AdjustmentGroup::{Contractual, PatientResponsibility};
use harbor_core::money::remittance::{Remittance, RemittedClaim};
use harbor_formats::x12::{Stamp, remittance};
use harbor_store::documents::Doc;
use harbor_store::rows::{Claim, Coverage, Document, Payer, RemittedClaim as Row, Visit};
use harbor_store::{Conn, schema};
use std::collections::BTreeMap;
use uuid::Uuid;

/// A decision on a claim, and the transaction that posts it.
pub(super) struct Decided {
    pub(super) payer: usize,
    pub(super) friday: NaiveDate,
    pub(super) claim_id: Uuid,
    pub(super) transaction: Uuid,
    pub(super) as_sent: RemittedClaim,
}

/// The Friday on which a payer decides about a visit: a week after it, and never one to come.
pub(super) fn friday_after(visit: NaiveDate, today: NaiveDate) -> Option<NaiveDate> {
    let friday = |day: NaiveDate| {
        let ahead = (Weekday::Fri.num_days_from_monday() + 7 - day.weekday().num_days_from_monday()) % 7;
        day + Days::new(u64::from(ahead))
    };
    let last = friday(today - Days::new(7)).min(today - Days::new(1));
    let usual = friday(visit + Days::new(7));
    Some(usual.min(last)).filter(|day| *day > visit)
}

/// When a remittance of a day comes in.
pub(super) fn comes_in(friday: NaiveDate) -> DateTime<Utc> {
    at(friday, 15, 30)
}

/// What the patient owes of a fee by the plans of the demo's payers, as the payer words it.
pub(super) fn shares(payer: usize, fee: Cents) -> Vec<(&'static str, Cents)> {
    let copay = Cents::new(2500);
    match payer {
        0 => vec![("3", copay), ("2", (fee.share(6500) - copay).share(2000))],
        1 => vec![("1", fee.share(7500))],
        _ => vec![],
    }
}

/// The decision on a claim with one line, as the payer sends it.
pub(super) fn decide(
    world: &World,
    payer: usize,
    claim: &Claim,
    visit: &Visit,
    policy: &Coverage,
) -> Option<RemittedClaim> {
    let person = world.people.iter().find(|p| p.id == visit.person_id)?;
    let fee = Cents::new(claim.total_cents);
    let allowed = fee.share([6500, 7500, 5500, 9000][payer]);
    let mut why = vec![adjustment(Contractual, "45", fee - allowed)];
    why.extend(shares(payer, fee).into_iter().map(|(reason, share)| adjustment(PatientResponsibility, reason, share)));
    let paid = fee - why.iter().map(|a| a.amount).sum();
    let decided = decided(claim, visit, person, "1", paid, why);
    Some(RemittedClaim { subscriber_number: policy.subscriber_number.as_str().into(), ..decided })
}

/// Writes the remittances, and whose decision each transaction posts.
pub(super) async fn store(world: &mut World, rows: &mut Rows, conn: &mut Conn) -> Result<()> {
    let mut by_file: BTreeMap<(NaiveDate, usize), Vec<Decided>> = BTreeMap::new();
    for decided in std::mem::take(&mut rows.decided) {
        by_file.entry((decided.friday, decided.payer)).or_default().push(decided);
    }
    for (n, ((friday, payer), all)) in by_file.into_iter().enumerate() {
        let payer = world.payers[payer].clone();
        file(world, rows, conn, (n, friday, &payer), all).await?;
    }
    Ok(())
}

async fn file(
    world: &mut World,
    rows: &mut Rows,
    conn: &mut Conn,
    (n, friday, payer): (usize, NaiveDate, &Payer),
    all: Vec<Decided>,
) -> Result<()> {
    let came = comes_in(friday);
    let r = Remittance {
        payer_name: payer.name.to_uppercase(),
        payer_id: payer.payer_code.clone(),
        payee_name: "INDIGO HARBOR FAMILY CLINIC".into(),
        payee_npi: String::new(),
        trace: format!("EFT{}", friday.format("%y%m%d")),
        method: "ACH".into(),
        date: friday,
        amount: all.iter().map(|d| d.as_sent.paid).sum(),
        claims: all.iter().map(|d| d.as_sent.clone()).collect(),
        provider_adjustments: vec![],
    };
    let stamp = Stamp {
        at: came.naive_utc(),
        control: 70_001 + u32::try_from(n)?,
        production: false,
        sender: "CAUSEWAY".into(),
        receiver: "INDIGOHBR".into(),
    };
    let content =
        remittance::write(&stamp, &harbor_standins::payer::desk(&r.payer_id), std::slice::from_ref(&r)).into_bytes();
    let document = Document {
        id: world.ids.fresh(),
        kind: "835".into(),
        direction: "in".into(),
        sha256: harbor_store::claims::digest(&content),
        content,
        at: came,
    };
    let remittance = harbor_store::rows::Remittance {
        id: world.ids.fresh(),
        payer_name: r.payer_name.clone(),
        payer_code: r.payer_id.clone(),
        trace: r.trace.clone(),
        method: r.method.clone(),
        amount_cents: r.amount.get(),
        paid_on: r.date,
        document_id: document.id,
        outside_claims: Doc(vec![]),
        posted_at: came,
        posted_by: "Agathe Marlowe".into(),
        part: 0,
    };
    diesel::insert_into(schema::documents::table).values(&document).execute(conn).await?;
    diesel::insert_into(schema::remittances::table).values(&remittance).execute(conn).await?;
    for d in all {
        let posts = rows.transactions.iter_mut().find(|t| t.id == d.transaction);
        if let Some(transaction) = posts {
            transaction.remittance_id = Some(remittance.id);
            transaction.memo = format!("{} trace {}", r.payer_name, r.trace);
        }
        let c = &d.as_sent;
        rows.remitted.push(Row {
            id: world.ids.fresh(),
            remittance_id: remittance.id,
            claim_number: c.claim_number.to_string(),
            claim_id: Some(d.claim_id),
            patient_name: format!("{} {}", c.patient_first, c.patient_last),
            subscriber_number: c.subscriber_number.to_string(),
            status: c.status.to_string(),
            charged_cents: c.charged.get(),
            paid_cents: c.paid.get(),
            share_cents: c.patient_share.get(),
            explanation: c.explanation(),
            transaction_id: Some(d.transaction),
            decision: Some(Doc(harbor_store::documents::Decided::of(c))),
            matched_at: None,
            matched_by: None,
        });
    }
    Ok(())
}
