//! Today: what waits for the one who is signed in, oldest and most urgent first.

mod money;
mod prescribing;

use super::views::{BlockerView, MarkView, PersonCard, VisitCard};
use crate::access::Me;
use crate::api::orders::hands::{ForHands, for_hands};
use crate::api::orders::waiting::late;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json};
use chrono::{DateTime, Duration, NaiveTime, Utc};
use harbor_core::arrival::Stage;
use harbor_core::fields::typed_date::in_words;
use harbor_core::house::permissions::Role;
use harbor_core::orders::review::Urgency;
use harbor_core::orders::rising::rises;
use harbor_core::orders::{OrderKind, ReportStatus};
use harbor_core::people::OPENINGS_TOLD_FOR;
use harbor_core::people::messages::{Purpose, ToDo};
use harbor_core::schedule::at_local;
use harbor_core::visit_line::Mark;
use harbor_core::visit_line::work_list::{
    CALL, CHART_OPENED, COSIGN, COUNT_TILL, DO_HERE, ENTER_LETTER, OVERDUE_ORDER, PRINT_LETTER, REBOOK,
    REFUSED_TOMORROW, REVIEW_RESULT, SIGN_ORDER, STRAY_ANSWER, Standing, TAKE_SPECIMEN, Task, TaskPlace,
    UNREAD_CRITICAL, task,
};
use harbor_store::claims::stray;
use harbor_store::consult::heads;
use harbor_store::house::staff;
use harbor_store::money::remittances::letters::LETTER;
use harbor_store::money::tills;
use harbor_store::orders::OpenOf;
use harbor_store::orders::results::{self, rising, stand_ins};
use harbor_store::people::{messages, registration};
use harbor_store::rows::StrayAnswer;
use harbor_store::rows::{ChartOpening, Message, NOT_LIVE, Order, Person, Till};
use harbor_store::schedule::away;
use harbor_store::visit_line::{facts, visits};
use harbor_store::{Conn, jobs, orders, people};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// Deadlines of denials are told so long ahead.
const DENIALS_AHEAD: chrono::Duration = chrono::Duration::days(7);

/// One thing to do.
#[derive(Debug, Clone, Serialize, ToSchema)]
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
    #[serde(skip)]
    rank: u8,
}

impl Waiting {
    fn of(task: Task, sentence: String, since: Option<DateTime<Utc>>) -> Waiting {
        Waiting {
            group: task.group.into(),
            sentence,
            since,
            place: task.place.code().into(),
            action: task.action.into(),
            card: None,
            blockers: vec![],
            person: None,
            result_id: None,
            rank: task.rank,
        }
    }
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
    let mut of_today = visits::charged_on(&mut conn, today).await?;
    let mut unfinished = match me.role {
        Role::Clinician => visits::uncharged_before(&mut conn, me.staff.id, today).await?,
        _ => visits::unfinished_before(&mut conn, today).await?,
    };
    unfinished.extend(of_today.iter().filter(|v| !v.settled && !NOT_LIVE.contains(&v.stage().code())).cloned());
    of_today.retain(|v| !v.is_charge_alone());
    let gathered = facts::gather(&mut conn, unfinished, state.asked_today()).await?;
    let mut waiting: Vec<Waiting> = Vec::new();
    for g in &gathered {
        let line = g.line();
        let standing =
            Standing { stage: g.visit.stage(), past: g.visit.day < today, own: g.visit.clinician_id == me.staff.id };
        let (Some(mark), Some(task)) = (line.current, task(me.role, &line, standing)) else { continue };
        let at = |m: Mark| line.marks.iter().find(|x| x.mark == m).and_then(|x| x.reached.as_ref()).map(|r| r.at);
        let before = line.marks.iter().rev().filter_map(|x| x.reached.as_ref()).map(|r| r.at).next();
        let since = if mark == Mark::Here { Some(g.visit.starts_at) } else { at(mark).or(before) };
        let card = VisitCard::of(g, today);
        // What check-in left open stands behind the present mark.
        let behind = task.place == TaskPlace::CheckIn && mark != Mark::CheckedIn;
        let stands = |m: &&MarkView| if behind { !m.blockers.is_empty() } else { m.current };
        let blockers: Vec<BlockerView> =
            card.line.marks.iter().find(stands).map(|m| m.blockers.clone()).unwrap_or_default();
        let sentence = blockers.first().map(|b| b.sentence.clone()).unwrap_or_default();
        waiting.push(Waiting { card: Some(card), blockers, ..Waiting::of(task, sentence, since) });
    }
    waiting.extend(match me.role {
        Role::Clinician => [
            unseen_results(&mut conn, &state, &me).await?,
            orders_to_sign(&mut conn, &state, &me).await?,
            overdue_orders(&mut conn, &state, &me).await?,
            to_cosign(&mut conn, &state, &me).await?,
            prescribing::of_prescriber(&mut conn, &state, &me).await?,
        ]
        .concat(),
        Role::FrontDesk => [
            refused_tomorrow(&mut conn, &state).await?,
            to_rebook(&mut conn, &state).await?,
            to_tell(&mut conn, &state, false).await?,
            tills_to_count(&mut conn, &state).await?,
        ]
        .concat(),
        Role::Biller => {
            [money::waiting(&mut conn, &state, me.staff.id).await?, stray_answers(&mut conn).await?].concat()
        }
        Role::Manager => [
            unread_critical(&mut conn, &state).await?,
            opened_charts(&mut conn, &state).await?,
            prescribing::overridden_lately(&mut conn, &state).await?,
            money::waiting(&mut conn, &state, me.staff.id).await?,
        ]
        .concat(),
        Role::Assistant => {
            [for_hands_here(&mut conn, &state, &me).await?, to_tell(&mut conn, &state, true).await?].concat()
        }
    });
    let mut troubles = Vec::new();
    for (kind, _, attempts, error) in jobs::troubled(&mut conn).await? {
        troubles.push(format!(
            "{} could not be handed over yet ({error}); tried {attempts} times, tried again by itself.",
            kind.label()
        ));
    }
    let marks = visits::marks_of(&mut conn, &of_today.iter().map(|v| v.id).collect::<Vec<_>>()).await?;
    let seen_today = marks.values().filter(|m| m.has(Mark::Seen)).count();
    waiting.sort_by(|a, b| (a.rank, &a.group, a.since).cmp(&(b.rank, &b.group, b.since)));
    Ok(Json(TodayView {
        waiting,
        troubles,
        visits_today: of_today.iter().filter(|v| v.stage != Stage::Cancelled).count(),
        seen_today,
        present: of_today.iter().filter(|v| v.stage().is_present()).count(),
    }))
}

/// What the clearing house said that belongs to nothing we know.
async fn stray_answers(conn: &mut Conn) -> Result<Vec<Waiting>, Problem> {
    let open = stray::open(conn).await?;
    let task = |a: &StrayAnswer| if a.kind == LETTER { ENTER_LETTER } else { STRAY_ANSWER };
    Ok(open.into_iter().map(|a| Waiting::of(task(&a), a.sentence, Some(a.at))).collect())
}

/// Notes that others signed under this clinician's supervision, the oldest first.
async fn to_cosign(conn: &mut Conn, state: &State, me: &Me) -> Result<Vec<Waiting>, Problem> {
    let waiting = heads::to_cosign(conn, me.staff.id).await?;
    let gathered = facts::gather(conn, waiting, state.asked_today()).await?;
    let one = |g: &facts::Gathered| {
        let signed = g.facts.marks.get(Mark::Signed);
        let said = signed.map(|r| format!("Signed by {}.", r.by)).unwrap_or_default();
        let waits = Waiting::of(COSIGN, said, signed.map(|r| r.at));
        Waiting { card: Some(VisitCard::of(g, state.today())), ..waits }
    };
    Ok(gathered.iter().map(one).collect())
}

/// Critical results that nobody signed for longer than the clinic allows: that there are such, and with whom they lie.
async fn unread_critical(conn: &mut Conn, state: &State) -> Result<Vec<Waiting>, Problem> {
    let minutes = staff::clinic(conn).await?.thresholds().critical;
    let names: Vec<(Uuid, String)> = staff::all(conn).await?.into_iter().map(|s| (s.id, s.name)).collect();
    let mut out = Vec::new();
    for r in rising::unread_critical(conn).await? {
        if !rises(r.received_at, minutes, state.now()) {
            continue;
        }
        let steps = rising::risings_of(conn, r.id).await?.len();
        let with = names.iter().find(|(id, _)| Some(*id) == r.reviewer_id).map_or("any clinician", |(_, n)| n);
        let waited = (state.now() - r.received_at).num_minutes();
        let rose = if steps == 0 { String::new() } else { format!("; handed on {steps} times by itself") };
        let sentence = format!("Unread for {waited} min, with {with}{rose}.");
        out.push(Waiting::of(UNREAD_CRITICAL, sentence, Some(r.received_at)));
    }
    Ok(out)
}

/// Orders without a visit that wait for one's signature, and those of somebody who has left.
async fn orders_to_sign(conn: &mut Conn, state: &State, me: &Me) -> Result<Vec<Waiting>, Problem> {
    let unsigned = orders::to_sign(conn, me.staff.id).await?;
    let beside: Vec<(Order, Person)> =
        unsigned.into_iter().filter(|(o, _)| o.visit_id.is_none() || o.orderer_id != me.staff.id).collect();
    let persons: Vec<Uuid> = beside.iter().map(|(_, p)| p.id).collect();
    let closed = registration::closed_charts(conn, &persons, me.staff.id, state.now()).await?;
    let one = |(o, p): (Order, Person)| {
        let sentence = match (closed.contains(&p.id), o.prepared_by.as_str()) {
            (true, _) => "An order of a chart under restriction.".to_owned(),
            (false, _) if o.orderer_id != me.staff.id => format!("{}, of {}, who has left.", o.test_name, o.ordered_by),
            (false, "") => format!("{}.", o.test_name),
            (false, by) => format!("{}, prepared by {by}.", o.test_name),
        };
        let waits = Waiting::of(SIGN_ORDER, sentence, Some(o.ordered_at));
        Waiting { person: Some(PersonCard::of(&p, state.today())), ..waits }
    };
    Ok(beside.into_iter().map(one).collect())
}

/// Specimens to take, and what is to be done here.
async fn for_hands_here(conn: &mut Conn, state: &State, me: &Me) -> Result<Vec<Waiting>, Problem> {
    let one = |w: ForHands| {
        let task = if w.kind() == OrderKind::Laboratory { TAKE_SPECIMEN } else { DO_HERE };
        let waits = Waiting::of(task, w.sentence(), Some(w.since()));
        Waiting { person: Some(w.person()), ..waits }
    };
    Ok(for_hands(conn, state, me).await?.into_iter().map(one).collect())
}

/// Orders of one's own that are overdue, or that the laboratory refused.
async fn overdue_orders(conn: &mut Conn, state: &State, me: &Me) -> Result<Vec<Waiting>, Problem> {
    let (open, _) = orders::open(conn, &OpenOf { orderer: Some(me.staff.id), ..OpenOf::default() }).await?;
    let usual = staff::clinic(conn).await?.usual_days.0;
    let persons: Vec<Uuid> = open.iter().map(|(_, p)| p.id).collect();
    let closed = registration::closed_charts(conn, &persons, me.staff.id, state.now()).await?;
    let one = |(o, p): (Order, Person)| {
        let late = late(state, &usual, &o)?;
        let sentence = match closed.contains(&p.id) {
            true => "An order of a chart under restriction.".to_owned(),
            false => format!("{}: {late}.", o.test_name),
        };
        let waits = Waiting::of(OVERDUE_ORDER, sentence, Some(o.ordered_at));
        Some(Waiting { person: Some(PersonCard::of(&p, state.today())), ..waits })
    };
    Ok(open.into_iter().filter_map(one).collect())
}

async fn unseen_results(conn: &mut Conn, state: &State, me: &Me) -> Result<Vec<Waiting>, Problem> {
    let readers = stand_ins::readers(conn, me.staff.id, state.today()).await?;
    let mut out = Vec::new();
    for w in results::waiting(conn, Some(&readers)).await?.0 {
        let r = w.report.row;
        let person = w.person.map(|p| PersonCard::of(&p, state.today()));
        let sentence = match (&person, *r.status) {
            (None, _) => format!("Result {} belongs to nobody for certain.", r.number),
            _ if *r.urgency == Urgency::Critical => "Critical: somebody has to know at once.".into(),
            (_, ReportStatus::Corrected) => "A corrected result replaces an earlier one.".into(),
            _ => String::new(),
        };
        let waits = Waiting::of(REVIEW_RESULT, sentence, Some(r.received_at));
        out.push(Waiting { person, result_id: Some(r.id), ..waits });
    }
    Ok(out)
}

/// Tomorrow's visits whose coverage the payer refused.
async fn refused_tomorrow(conn: &mut Conn, state: &State) -> Result<Vec<Waiting>, Problem> {
    let today = state.today();
    let tomorrow = visits::of_day(conn, today + Duration::days(1)).await?;
    let mut out = Vec::new();
    for g in &facts::gather(conn, tomorrow, state.asked_today()).await? {
        let line = g.line();
        let Some(refused) = line.blockers().find(|b| b.code == "benefits_refused") else { continue };
        let waits = Waiting::of(REFUSED_TOMORROW, refused.sentence.clone(), Some(g.visit.starts_at));
        out.push(Waiting { card: Some(VisitCard::of(g, today)), ..waits });
    }
    Ok(out)
}

/// Visits whose shift was cancelled, the soonest first.
async fn to_rebook(conn: &mut Conn, state: &State) -> Result<Vec<Waiting>, Problem> {
    let waiting = away::rebooking_list(conn).await?;
    let gathered = facts::gather(conn, waiting, state.asked_today()).await?;
    let said = |g: &facts::Gathered| {
        let local = g.visit.starts_at.with_timezone(&state.zone);
        format!("Was to come {}, but the shift falls out.", local.format("%a %b %-d at %H:%M"))
    };
    let one = |g: &facts::Gathered| Waiting {
        card: Some(VisitCard::of(g, state.today())),
        ..Waiting::of(REBOOK, said(g), Some(g.visit.starts_at))
    };
    Ok(gathered.iter().map(one).collect())
}

/// Whom no message reaches, and letters for the printer. Who is called about a result is called by somebody who may see it.
async fn to_tell(conn: &mut Conn, state: &State, of_results: bool) -> Result<Vec<Waiting>, Problem> {
    let rows = messages::recent(conn, state.now()).await?;
    let persons = people::by_id(conn, rows.iter().map(|m| m.person_id)).await?;
    let one = |m: &Message| {
        let task = match m.to_do() {
            ToDo::Call => CALL,
            ToDo::PrintLetter => PRINT_LETTER,
            ToDo::Nothing => return None,
        };
        let of_result = *m.purpose == Purpose::ResultHere && m.to_do() == ToDo::Call;
        if of_result != of_results {
            return None;
        }
        let said = format!("{}: {}", m.subject, if m.fate.is_empty() { &m.why } else { &m.fate });
        let person = persons.get(&m.person_id).map(|p| PersonCard::of(p, state.today()));
        Some(Waiting { person, ..Waiting::of(task, said, Some(m.made_at)) })
    };
    Ok(rows.iter().filter_map(one).collect())
}

/// Tills of earlier days that are still open.
async fn tills_to_count(conn: &mut Conn, state: &State) -> Result<Vec<Waiting>, Problem> {
    let midnight = at_local(state.zone, state.today(), NaiveTime::MIN);
    let said = |(till, site): (Till, String)| {
        let sentence = format!("{site}: open since {}.", in_words(state.local_day(till.began_at)));
        Waiting::of(COUNT_TILL, sentence, Some(till.began_at))
    };
    Ok(tills::open_since_before(conn, midnight).await?.into_iter().map(said).collect())
}

/// Restricted charts that were opened lately, with the reasons.
async fn opened_charts(conn: &mut Conn, state: &State) -> Result<Vec<Waiting>, Problem> {
    let openings = registration::openings_since(conn, state.now() - OPENINGS_TOLD_FOR).await?;
    let persons = people::by_id(conn, openings.iter().map(|o| o.person_id)).await?;
    let waits = |o: ChartOpening| Waiting {
        person: persons.get(&o.person_id).map(|p| PersonCard::of(p, state.today())),
        ..Waiting::of(CHART_OPENED, format!("{}: {}", o.staff_name, o.reason), Some(o.at))
    };
    Ok(openings.into_iter().map(waits).collect())
}
