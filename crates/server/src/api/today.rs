//! Today: what waits for the one who is signed in, oldest and most urgent first.

use super::views::{BlockerView, PersonCard, VisitCard};
use crate::access::Me;
use crate::problem::Answer;
use crate::state::State;
use actix_web::web::{Data, Json};
use chrono::{DateTime, Duration, Utc};
use harbor_core::arrival::Stage;
use harbor_core::permissions::Role;
use harbor_core::visit_line::{Mark, visit_line};
use harbor_core::work_list::{Standing, task};
use harbor_store::people::registration;
use harbor_store::{facts, jobs, orders, remittances, visits};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// One thing to do.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Waiting {
    /// What is done next with it; the groups of the page.
    group: String,
    sentence: String,
    since: Option<DateTime<Utc>>,
    place: String,
    /// The word on its one button.
    action: String,
    card: Option<VisitCard>,
    blockers: Vec<BlockerView>,
    person: Option<PersonCard>,
    result_id: Option<Uuid>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct TodayView {
    waiting: Vec<Waiting>,
    /// Work to the outside that is being tried again.
    troubles: Vec<String>,
    visits_today: usize,
    seen_today: usize,
    present: usize,
}

#[utoipa::path(get, path = "/api/today", responses((status = 200, body = TodayView)))]
pub async fn show(state: Data<State>, me: Me) -> Answer<TodayView> {
    let today = state.today();
    let mut conn = state.store.reader().await?;
    let of_today = visits::of_day(&mut conn, today).await?;
    let unfinished = visits::unfinished(&mut conn, today, today - Duration::days(120)).await?;
    let gathered = facts::gather(&mut conn, unfinished, &state.tables.diagnoses).await?;
    let mut waiting: Vec<(u8, Waiting)> = Vec::new();
    for g in &gathered {
        let line = visit_line(&g.facts);
        let standing = Standing {
            stage: Stage::from_code(&g.visit.stage).unwrap_or(Stage::Booked),
            past: g.visit.day < today,
            own: g.visit.clinician_id == me.staff.id,
        };
        let (Some(mark), Some(task)) = (line.current, task(me.role, &line, standing)) else { continue };
        let at = |m: Mark| line.marks.iter().find(|x| x.mark == m).and_then(|x| x.reached.as_ref()).map(|r| r.at);
        let before = line.marks.iter().rev().filter_map(|x| x.reached.as_ref()).map(|r| r.at).next();
        let since = if mark == Mark::Here { Some(g.visit.starts_at) } else { at(mark).or(before) };
        let card = VisitCard::of(g, today);
        let blockers: Vec<BlockerView> =
            card.line.marks.iter().find(|m| m.current).map(|m| m.blockers.clone()).unwrap_or_default();
        waiting.push((
            task.rank,
            Waiting {
                group: task.group.into(),
                sentence: blockers.first().map(|b| b.sentence.clone()).unwrap_or_default(),
                since,
                place: task.place.code().into(),
                action: task.action.into(),
                card: Some(card),
                blockers,
                person: None,
                result_id: None,
            },
        ));
    }
    if me.role == Role::Clinician {
        for (rank, w) in unseen_results(&mut conn, &state, &me).await? {
            waiting.push((rank, w));
        }
    }
    let mut troubles = Vec::new();
    if matches!(me.role, Role::Biller | Role::Manager) {
        for line in remittances::unmatched(&mut conn).await? {
            if line.transaction_id.is_none() && line.claim_id.is_none() {
                waiting.push((
                    4,
                    Waiting {
                        group: "Match remittance lines".into(),
                        sentence: format!("{} for {} matches no claim of ours.", line.claim_number, line.patient_name),
                        since: None,
                        place: "remittances".into(),
                        action: "Open remittances".into(),
                        card: None,
                        blockers: vec![],
                        person: None,
                        result_id: None,
                    },
                ));
            }
        }
    }
    if me.role == Role::FrontDesk {
        let tomorrow = visits::of_day(&mut conn, today + Duration::days(1)).await?;
        for g in &facts::gather(&mut conn, tomorrow, &state.tables.diagnoses).await? {
            let line = visit_line(&g.facts);
            let Some(refused) = line.blockers().find(|b| b.code == "benefits_refused") else { continue };
            waiting.push((
                1,
                Waiting {
                    group: "Coverage refused for tomorrow".into(),
                    sentence: refused.sentence.clone(),
                    since: Some(g.visit.starts_at),
                    place: "check_in".into(),
                    action: "Fix coverage".into(),
                    card: Some(VisitCard::of(g, today)),
                    blockers: vec![],
                    person: None,
                    result_id: None,
                },
            ));
        }
    }
    if me.role == Role::Manager {
        let since = state.now() - Duration::hours(24);
        for o in registration::openings_since(&mut conn, since).await? {
            let person = harbor_store::people::get(&mut conn, o.person_id).await?;
            waiting.push((
                0,
                Waiting {
                    group: "Restricted charts opened".into(),
                    sentence: format!("{}: {}", o.staff_name, o.reason),
                    since: Some(o.at),
                    place: "person".into(),
                    action: "Open record".into(),
                    card: None,
                    blockers: vec![],
                    person: Some(PersonCard::of(&person, today)),
                    result_id: None,
                },
            ));
        }
    }
    for (kind, _, attempts, error) in jobs::troubled(&mut conn).await? {
        let what = match kind.as_str() {
            "send_orders" => "Orders to the laboratory",
            "send_prescription" => "A prescription to the pharmacy",
            "send_batch" => "A batch to the clearing house",
            "ask_benefits" => "A benefits check",
            _ => "A message",
        };
        troubles.push(format!(
            "{what} could not be handed over yet ({error}); tried {attempts} times, tried again by itself."
        ));
    }
    waiting.sort_by_key(|(rank, w)| (*rank, w.since));
    Ok(Json(TodayView {
        waiting: waiting.into_iter().map(|(_, w)| w).collect(),
        troubles,
        visits_today: of_today.iter().filter(|v| v.stage != "cancelled").count(),
        seen_today: of_today.iter().filter(|v| v.seen_at.is_some()).count(),
        present: of_today.iter().filter(|v| Stage::from_code(&v.stage).is_some_and(|s| s.is_present())).count(),
    }))
}

async fn unseen_results(
    conn: &mut harbor_store::Conn,
    state: &State,
    me: &Me,
) -> Result<Vec<(u8, Waiting)>, crate::problem::Problem> {
    let mut out = Vec::new();
    for w in orders::unreviewed_with_context(conn).await? {
        if w.order.is_some_and(|order| order.orderer_id != me.staff.id) {
            continue;
        }
        let r = w.report;
        let person = w.person.map(|p| PersonCard::of(&p, state.today()));
        let sentence = match (&person, r.status.as_str()) {
            (None, _) => format!("Result {} belongs to nobody for certain.", r.number),
            (_, "corrected") => "A corrected result replaces an earlier one.".into(),
            _ => String::new(),
        };
        out.push((
            2,
            Waiting {
                group: "Review results".into(),
                sentence,
                since: Some(r.received_at),
                place: "results".into(),
                action: "Review".into(),
                card: None,
                blockers: vec![],
                person,
                result_id: Some(r.id),
            },
        ));
    }
    Ok(out)
}
