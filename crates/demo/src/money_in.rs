//! A remittance that came in before the demo opens: payments, denials, a decision taken back, a sum
//! outside any claim, and one line that matches nothing of ours.

use crate::World;
use anyhow::{Context, Result};
use chrono::Duration;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::claims::ClaimState;
use harbor_core::money::Cents;
use harbor_core::money::ledger::Posting;
use harbor_core::money::remittance::{
    Adjustment, AdjustmentGroup, ProviderAdjustment, Remittance, RemittedClaim, RemittedLine,
};
use harbor_formats::x12::{Stamp, remittance};
use harbor_store::money::remittances::SoughtRemittances;
use harbor_store::rows::{Claim, Person, Visit};
use harbor_store::{Change, schema};

const PAYER: &str = "SALTM";

pub(crate) fn adjustment(group: AdjustmentGroup, reason: &str, amount: Cents) -> Adjustment {
    Adjustment { group, reason: reason.into(), amount, quantity: None }
}

/// The payer's decision on one claim, with one line.
pub(crate) fn decided(
    claim: &Claim,
    visit: &Visit,
    person: &Person,
    status: &str,
    paid: Cents,
    why: Vec<Adjustment>,
) -> RemittedClaim {
    let charged = paid + why.iter().map(|a| a.amount).sum();
    let share = why.iter().filter(|a| a.group == AdjustmentGroup::PatientResponsibility).map(|a| a.amount).sum();
    RemittedClaim {
        claim_number: claim.number.as_str().into(),
        status: status.into(),
        charged,
        paid,
        patient_share: share,
        filing_code: "12".into(),
        payer_claim_number: format!("P{}", claim.number).into(),
        patient_last: person.last_name.to_uppercase().into(),
        patient_first: person.first_name.to_uppercase().into(),
        lines: vec![RemittedLine {
            line_control: format!("{}-1", claim.number).into(),
            service_code: "IH214".into(),
            charged,
            paid,
            units: "1".into(),
            service_date: Some(visit.day),
            adjustments: why,
            ..RemittedLine::default()
        }],
        ..RemittedClaim::default()
    }
}

pub async fn build(world: &World, change: &mut Change<'_>) -> Result<()> {
    use schema::{claims as c, people as p, visits as v};
    let payer = world.payers.iter().find(|p| p.payer_code == PAYER).context("the payer of the remittance")?;
    let rows: Vec<(Claim, Visit, Person)> = c::table
        .inner_join(v::table)
        .inner_join(p::table.on(p::id.eq(v::person_id)))
        .filter(c::payer_id.eq(payer.id).and(c::state.eq_any(["accepted", "paid"])))
        .order((v::starts_at.desc(), c::number))
        .limit(60)
        .select((Claim::as_select(), Visit::as_select(), Person::as_select()))
        .load(change.conn())
        .await?;
    let waiting: Vec<_> = rows.iter().filter(|(c, ..)| c.state == ClaimState::Accepted).rev().take(6).collect();
    let settled = rows.iter().filter(|(c, ..)| c.state == ClaimState::Paid).nth(3).context("a settled claim")?;
    use AdjustmentGroup::{Contractual, PatientResponsibility};
    let mut claims = Vec::new();
    for (n, (claim, visit, person)) in waiting.into_iter().enumerate() {
        let fee = Cents::new(claim.total_cents);
        // Denied in three ways: something is missing, an approval was needed, and nobody knows them as insured.
        let denied = match n {
            1 => Some((Contractual, "16")),
            3 => Some((Contractual, "197")),
            4 => Some((PatientResponsibility, "31")),
            _ => None,
        };
        if let Some((group, reason)) = denied {
            claims.push(decided(claim, visit, person, "4", Cents::ZERO, vec![adjustment(group, reason, fee)]));
            continue;
        }
        let (off, copay) = (fee.share(3500), Cents::new(2500));
        let why = vec![adjustment(Contractual, "45", off), adjustment(PatientResponsibility, "3", copay)];
        claims.push(decided(claim, visit, person, "1", fee - off - copay, why));
    }
    // Taken back as it was decided: the same amounts, negative.
    let (claim, visit, person) = settled;
    let fee = Cents::new(claim.total_cents);
    let before = harbor_store::money::ledger::history(change.conn(), visit.id).await?;
    let sum = |account| {
        let decision = before.iter().filter(|(t, _)| t.kind == Posting::Decision).flat_map(|(_, entries)| entries);
        decision.filter(|e| e.account == account).map(|e| e.amount).sum::<Cents>()
    };
    let (off, share) =
        (sum(harbor_core::money::ledger::Account::WriteOff), sum(harbor_core::money::ledger::Account::Patient));
    let why = vec![adjustment(Contractual, "45", -off), adjustment(PatientResponsibility, "3", -share)];
    claims.push(decided(claim, visit, person, "22", -(fee - off - share), why));
    // Nobody here has this number: another clinic's, or mistyped by the payer.
    claims.push(RemittedClaim {
        claim_number: "C99312".into(),
        status: "1".into(),
        charged: Cents::new(9_000),
        paid: Cents::new(6_200),
        patient_last: "QUARRY".into(),
        patient_first: "INEZ".into(),
        adjustments: vec![adjustment(Contractual, "45", Cents::new(2_800))],
        ..RemittedClaim::default()
    });
    let outside = ProviderAdjustment { reason: "L6".into(), reference: "INTEREST".into(), amount: Cents::new(-140) };
    let paid: Cents = claims.iter().map(|c| c.paid).sum();
    let came = crate::at(world.day, 7, 10);
    let r = Remittance {
        payer_name: payer.name.to_uppercase(),
        payer_id: payer.payer_code.clone(),
        payee_name: "INDIGO HARBOR FAMILY CLINIC".into(),
        payee_npi: String::new(),
        trace: format!("EFT{}", world.day.format("%y%m%d")),
        method: "ACH".into(),
        date: world.day,
        amount: paid - outside.amount,
        claims,
        provider_adjustments: vec![outside],
    };
    let stamp = Stamp {
        at: (came - Duration::hours(2)).naive_utc(),
        control: 88_001,
        production: false,
        sender: "CAUSEWAY".into(),
        receiver: "INDIGOHBR".into(),
    };
    let text = remittance::write(&stamp, &harbor_standins::payer::desk(&r.payer_id), std::slice::from_ref(&r));
    let now = std::mem::replace(&mut change.now, came);
    let (document, _) = change.keep_document("835", "in", text.as_bytes()).await?;
    change.post_remittance(document, &r, 0).await?;
    // The bank has it already, less its fee; and patients' money, of which nobody has said yet what it is.
    let short = r.amount - Cents::new(1_500);
    change.add_deposit(world.day, short, &format!("ACH SALTMARSH MUTUAL {}", r.trace)).await?;
    let before = world.day - chrono::Days::new(3);
    change.add_deposit(before, Cents::new(41_250), "COUNTER DEPOSIT QUAYSIDE").await?;
    // What was paid before came whole.
    let all = SoughtRemittances::default();
    for earlier in harbor_store::money::remittances::page(change.conn(), &all, 1_000).await? {
        let amount = Cents::new(earlier.amount_cents);
        if earlier.paid_on < world.day && !amount.is_zero() {
            let reference = format!("ACH {} {}", earlier.payer_name, earlier.trace);
            change.add_deposit(earlier.paid_on, amount, &reference).await?;
        }
    }
    change.now = now;
    Ok(())
}
