//! What prescriptions ask of a prescriber today: to be signed, renewed, approved, or written anew.

use super::Waiting;
use crate::access::Me;
use crate::api::prescribing::overridden::LATELY;
use crate::api::visit_line::views::PersonCard;
use crate::problem::Problem;
use crate::state::State;
use chrono::Duration;
use chrono::{DateTime, Utc};
use harbor_core::prescribing::approvals::ApprovalState;
use harbor_core::visit_line::work_list::{
    APPROVAL_REFUSED, APPROVAL_WAITS, OVERRIDDEN, PHARMACY_REFUSED, RENEWAL_ASKED, SIGN_PRESCRIPTION, Task,
};
use harbor_store::Conn;
use harbor_store::people::registration::closed_charts;
use harbor_store::prescribing::{self as store, approvals, renewals};
use harbor_store::rows::Person;
use std::collections::BTreeSet;
use uuid::Uuid;

/// One thing that waits about a prescription: what is done, about whom, what is told of an open and of a closed chart.
struct Thing {
    task: Task,
    person: Person,
    sentence: String,
    closed: &'static str,
    since: DateTime<Utc>,
}

pub async fn of_prescriber(conn: &mut Conn, state: &State, me: &Me) -> Result<Vec<Waiting>, Problem> {
    let mut things = Vec::new();
    for (request, p, person) in renewals::waiting_for(conn, me.staff.id).await? {
        let sentence = format!("{}.", p.medicine);
        let closed = "A renewal of a chart under restriction.";
        things.push(Thing { task: RENEWAL_ASKED, person, sentence, closed, since: request.asked_at });
    }
    for (p, person) in store::to_sign_beside_visits(conn, me.staff.id).await? {
        let sentence = format!("{}.", p.medicine);
        let closed = "A prescription of a chart under restriction.";
        things.push(Thing { task: SIGN_PRESCRIPTION, person, sentence, closed, since: p.prescribed_at });
    }
    for (end, p, person) in store::refused_by_pharmacy(conn, me.staff.id, state.now()).await? {
        let sentence = format!("{}: {}.", p.medicine, end.reason);
        let closed = "A prescription of a chart under restriction.";
        things.push(Thing { task: PHARMACY_REFUSED, person, sentence, closed, since: end.ended_at });
    }
    for (a, p, person) in approvals::waiting_for(conn, me.staff.id).await? {
        let refused = *a.state == ApprovalState::Refused;
        let sentence = if refused { format!("{}: {}.", p.medicine, a.refusal) } else { format!("{}.", p.medicine) };
        let (task, since) = if refused { (APPROVAL_REFUSED, a.decided_at) } else { (APPROVAL_WAITS, None) };
        let closed = "An approval of a chart under restriction.";
        things.push(Thing { task, person, sentence, closed, since: since.unwrap_or(a.asked_at) });
    }
    let persons: BTreeSet<Uuid> = things.iter().map(|t| t.person.id).collect();
    let persons: Vec<Uuid> = persons.into_iter().collect();
    let shut = closed_charts(conn, &persons, me.staff.id, state.now()).await?;
    let one = |t: Thing| {
        let sentence = if shut.contains(&t.person.id) { t.closed.to_owned() } else { t.sentence };
        let waits = Waiting::of(t.task, sentence, Some(t.since));
        Waiting { person: Some(PersonCard::of(&t.person, state.today())), ..waits }
    };
    Ok(things.into_iter().map(one).collect())
}

/// How many serious warnings were overridden in the last week; nothing where none was.
pub async fn overridden_lately(conn: &mut Conn, state: &State) -> Result<Vec<Waiting>, Problem> {
    let rows = store::overridden_since(conn, state.now() - Duration::days(LATELY.into())).await?;
    let Some(last) = rows.first() else { return Ok(vec![]) };
    let sentence = match rows.len() {
        1 => format!("One serious warning in {LATELY} days."),
        n => format!("{n} serious warnings in {LATELY} days."),
    };
    Ok(vec![Waiting::of(OVERRIDDEN, sentence, Some(last.at))])
}
