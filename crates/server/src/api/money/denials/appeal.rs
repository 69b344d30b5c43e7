//! The letter of appeal: the facts of the claim, what was denied and why, and the clinic's words.

use super::{DenialView, dollars, views};
use crate::access::Me;
use crate::api::schedule::paper::set;
use crate::papers::head;
use crate::problem::Problem;
use crate::state::State;
use harbor_core::fields::typed_date::in_words;
use harbor_paper::Sheet;
use harbor_store::money::{denials as store, remittances};
use harbor_store::{claims, coverage};
use serde_json::{Value, json};
use uuid::Uuid;

/// What the letter begins with; the one who writes it says why.
pub(super) fn proposed(view: &DenialView) -> String {
    format!(
        "We ask you to look at your decision about the visit of {} again. You did not pay {}. ",
        in_words(view.day),
        dollars(view.denial.cents)
    )
}

/// The letter as a PDF.
pub(super) async fn letter(state: &State, me: &Me, id: Uuid, words: &str) -> Result<Vec<u8>, Problem> {
    let mut conn = state.store.reader().await?;
    let row = store::get(&mut conn, id).await?;
    let decision = remittances::remitted(&mut conn, row.remitted_claim_id).await?;
    let remittance = remittances::get(&mut conn, decision.remittance_id).await?;
    let claim = claims::get(&mut conn, row.claim_id).await?;
    let policy = coverage::get(&mut conn, claim.coverage_id).await?;
    let payer = coverage::payers(&mut conn).await?.into_iter().find(|p| p.id == row.payer_id);
    let payer = payer.ok_or_else(|| Problem::not_found("payer"))?;
    let view = views(&mut conn, state, vec![row]).await?.pop().ok_or_else(|| Problem::not_found("denial"))?;
    drop(conn);
    let mut facts = vec![
        ("Patient", view.person.name.clone()),
        ("Born", view.person.birth_date.map(in_words).unwrap_or_default()),
        ("Policy number", policy.subscriber_number),
        ("Group", policy.group_number),
        ("Our claim", claim.number.clone()),
        ("Your claim", claim.payer_claim_number),
        ("Day of the visit", in_words(view.day)),
        ("Charged", dollars(claim.total_cents)),
        ("Paid", dollars(decision.paid_cents)),
        ("Your decision", format!("{}, trace {}", in_words(remittance.paid_on), remittance.trace)),
    ];
    facts.retain(|(_, words)| !words.is_empty());
    let fact = |(label, words): &(&str, String)| json!({ "label": label, "words": words });
    let denied =
        |r: &super::DeniedView| json!({ "amount": dollars(r.cents), "words": format!("{} ({})", r.words, r.code) });
    let to: Vec<String> = [payer.name.clone(), payer.address].into_iter().filter(|l| !l.is_empty()).collect();
    let data = json!({
        "head": head(state),
        "title": format!("Appeal: claim {}", claim.number),
        "to": to,
        "date": in_words(state.today()),
        "facts": facts.iter().map(fact).collect::<Vec<Value>>(),
        "denied": view.reasons.iter().map(denied).collect::<Vec<Value>>(),
        "words": words.lines().filter(|l| !l.trim().is_empty()).collect::<Vec<&str>>(),
        "signed": me.staff.name,
    });
    set(Sheet::Appeal, data).await
}
