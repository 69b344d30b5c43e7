//! What waits of money: decisions that match nothing, denials with a deadline, and what a second person must agree to.

use super::{DENIALS_AHEAD, Waiting};
use crate::api::visit_line::views::VisitCard;
use crate::problem::Problem;
use crate::state::State;
use harbor_core::money::Cents;
use harbor_core::visit_line::work_list::{AGREE_REDUCTION, DENIALS, MATCH_DEPOSITS, MATCH_LINE};
use harbor_store::Conn;
use harbor_store::money::{denials, deposits, reductions, remittances};
use harbor_store::rows::RemittedClaim;
use harbor_store::visit_line::{facts, visits};
use uuid::Uuid;

pub(super) async fn waiting(conn: &mut Conn, state: &State, me: Uuid) -> Result<Vec<Waiting>, Problem> {
    let all = [
        unmatched_lines(conn).await?,
        denials_due(conn, state, me).await?,
        reductions_to_agree(conn, state, me).await?,
        bank_to_match(conn, state).await?,
    ];
    Ok(all.concat())
}

/// Deposits that are no payment yet, and payments whose money should have come.
async fn bank_to_match(conn: &mut Conn, state: &State) -> Result<Vec<Waiting>, Problem> {
    let open = deposits::unmatched(conn).await?;
    let late = deposits::overdue(conn, state.today()).await?;
    let sum = |cents: Vec<Cents>| cents.into_iter().sum::<Cents>();
    let mut said = Vec::new();
    if !open.is_empty() {
        let all = sum(open.iter().map(|d| d.open).collect());
        let sentence = format!("{all} in the bank is matched to no payment ({} deposits).", open.len());
        said.push(Waiting::of(MATCH_DEPOSITS, sentence, None));
    }
    if !late.is_empty() {
        let all = sum(late.iter().map(|m| m.open).collect());
        let sentence = format!("{all} was paid and has not come to the bank ({} payments).", late.len());
        said.push(Waiting::of(MATCH_DEPOSITS, sentence, None));
    }
    Ok(said)
}

/// Remittance lines that match no claim of ours.
async fn unmatched_lines(conn: &mut Conn) -> Result<Vec<Waiting>, Problem> {
    let lines = remittances::unmatched(conn).await?;
    let unknown = lines.into_iter().filter(|l| l.claim_id.is_none());
    let said = |l: RemittedClaim| {
        let charged = Cents::new(l.charged_cents);
        format!("{}, charged {charged}, matches no claim of ours.", l.claim_number)
    };
    Ok(unknown.map(|l| Waiting::of(MATCH_LINE, said(l), None)).collect())
}

/// Denials of which something is due within a week, those of which nobody knows the payer's days, and those that somebody wants
/// to give up, for the others who may agree.
async fn denials_due(conn: &mut Conn, state: &State, me: Uuid) -> Result<Vec<Waiting>, Problem> {
    let due = denials::waiting(conn, state.today() + DENIALS_AHEAD, me).await?;
    let mut said = Vec::new();
    for (n, what) in [
        (due.soon, "with a deadline within a week, or past"),
        (due.undated, "of payers whose days nobody knows"),
        (due.to_agree, "that somebody wants to give up: a second person must agree"),
    ] {
        if n > 0 {
            let one = if n == 1 { "One denial".to_owned() } else { format!("{n} denials") };
            said.push(Waiting::of(DENIALS, format!("{one} {what}."), None));
        }
    }
    Ok(said)
}

/// What somebody else wants to take off a patient's debt.
async fn reductions_to_agree(conn: &mut Conn, state: &State, me: Uuid) -> Result<Vec<Waiting>, Problem> {
    let wanted: Vec<_> = reductions::wanted(conn).await?.into_iter().filter(|r| r.asked_by != me).collect();
    let about = visits::many(conn, &wanted.iter().map(|r| r.visit_id).collect::<Vec<_>>()).await?;
    let gathered = facts::gather(conn, about.into_values().collect(), state.asked_today()).await?;
    let waits = |r: &harbor_store::rows::Reduction| {
        let of = gathered.iter().find(|g| g.visit.id == r.visit_id)?;
        let said = format!("{} of {}: {}.", r.kind.label(), Cents::new(r.cents), r.reason);
        let card = Some(VisitCard::of(of, state.today()));
        Some(Waiting { card, ..Waiting::of(AGREE_REDUCTION, said, Some(r.asked_at)) })
    };
    Ok(wanted.iter().filter_map(waits).collect())
}
