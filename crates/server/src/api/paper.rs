//! What is printed, and calendars: lists of days, slips, letters, the call list, iCalendar.

use super::messages::to_do_about;
use super::{DONE, Done};
use crate::access::Me;
use crate::paper::{self, Sheet, telephone};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpResponse;
use actix_web::http::header;
use actix_web::web::{Data, Json, Path, Query};
use chrono::{DateTime, Duration, NaiveDate, Utc};
use harbor_core::fields::Faults;
use harbor_core::messages::ToDo;
use harbor_formats::calendar::{self, Entry};
use harbor_store::rows::{Message, Person, Visit};
use harbor_store::{Conn, feeds, lists, messages, people, schedule, staff, visits};
use rand::Rng;
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::collections::HashMap;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// Days ahead and behind that a calendar feed shows.
const FEED_DAYS: i64 = 42;
const FEED_BEHIND: i64 = 7;
/// A print holds at most so many days.
const MOST_DAYS: i64 = 31;

fn pdf(name: &str, content: Vec<u8>) -> HttpResponse {
    HttpResponse::Ok()
        .content_type("application/pdf")
        .insert_header((header::CONTENT_DISPOSITION, format!("inline; filename=\"{name}.pdf\"")))
        .body(content)
}

/// Setting takes the processor for a moment, so it leaves the other requests alone.
async fn set(sheet: Sheet, data: Value) -> Result<Vec<u8>, Problem> {
    let set = actix_web::web::block(move || paper::set(sheet, &data)).await;
    set.map_err(|e| anyhow::anyhow!("{e}")).and_then(|r| r).map_err(|error| {
        tracing::error!(%error, "setting a paper");
        Problem::refused("paper", "The paper cannot be set; tell whoever looks after the program.")
    })
}

fn head(state: &State) -> Value {
    let c = &state.clinic;
    json!({
        "clinic": c.name,
        "address": format!("{}, {}, {} {}", c.address_line, c.city, c.state, c.postal_code),
        "telephone": telephone(&c.telephone),
        "printed": state.now().with_timezone(&state.zone).format("%a %b %-d %Y at %H:%M").to_string(),
    })
}

fn local(state: &State, at: DateTime<Utc>, pattern: &str) -> String {
    at.with_timezone(&state.zone).format(pattern).to_string()
}

/// The words that rows refer to.
struct Names {
    staff: HashMap<Uuid, String>,
    sites: HashMap<Uuid, String>,
    types: HashMap<Uuid, String>,
}

impl Names {
    async fn load(conn: &mut Conn) -> Result<Names, Problem> {
        Ok(Names {
            staff: staff::all(conn).await?.into_iter().map(|s| (s.id, s.name)).collect(),
            sites: staff::sites(conn).await?.into_iter().map(|s| (s.id, s.name)).collect(),
            types: schedule::visit_types(conn).await?.into_iter().map(|t| (t.id, t.name)).collect(),
        })
    }

    fn of(names: &HashMap<Uuid, String>, id: Uuid) -> &str {
        names.get(&id).map_or("", String::as_str)
    }
}

#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(rename_all = "camelCase", parameter_in = Query)]
pub struct ListsAsked {
    from: NaiveDate,
    to: Option<NaiveDate>,
    /// One clinician, or several with commas; empty: all.
    #[serde(default)]
    clinician_id: String,
    /// Starts not before, and before, by the clinic's clock.
    #[serde(default)]
    after: String,
    #[serde(default)]
    before: String,
    /// With telephone and e-mail.
    #[serde(default)]
    contact: bool,
}

/// The day's lists for chosen clinicians, days and times, as one print.
#[utoipa::path(get, path = "/api/print/day-lists", params(ListsAsked), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 422, body = Problem)))]
pub async fn day_lists(state: Data<State>, me: Me, asked: Query<ListsAsked>) -> Result<HttpResponse, Problem> {
    let to = asked.to.unwrap_or(asked.from);
    let mut faults = Faults::default();
    if to < asked.from || (to - asked.from).num_days() >= MOST_DAYS {
        faults.add("to", format!("A print holds 1 to {MOST_DAYS} days."));
    }
    let time = |faults: &mut Faults, field, text: &str| {
        (!text.trim().is_empty()).then(|| super::supply::clock(faults, field, text))
    };
    let after = time(&mut faults, "after", &asked.after);
    let before = time(&mut faults, "before", &asked.before);
    let wanted: Vec<Uuid> = asked.clinician_id.split(',').filter_map(|id| id.parse().ok()).collect();
    faults.none_or(())?;
    let mut conn = state.store.reader().await?;
    let names = Names::load(&mut conn).await?;
    let clinicians: Vec<_> = staff::all(&mut conn)
        .await?
        .into_iter()
        .filter(|s| s.role == "clinician" && (wanted.is_empty() || wanted.contains(&s.id)))
        .collect();
    let all_lists = lists::all(&mut conn).await?;
    let mut days = Vec::new();
    for day in asked.from.iter_days().take_while(|d| *d <= to) {
        let rows = visits::of_day(&mut conn, day).await?;
        let entries = lists::of_day(&mut conn, day).await?;
        let list_of = |v: &Visit| {
            let entry = entries.iter().find(|e| e.visit_id == v.id)?;
            all_lists.iter().find(|l| l.id == entry.list_id).map(|l| format!("{}, {}", l.name, entry.place))
        };
        let by_id = people::by_id(&mut conn, rows.iter().map(|v| v.person_id)).await?;
        for clinician in &clinicians {
            let within = |v: &&Visit| {
                let starts = v.starts_at.with_timezone(&state.zone).time();
                v.clinician_id == clinician.id
                    && !matches!(v.stage.as_str(), "cancelled" | "did_not_come")
                    && !v.rebook
                    && after.is_none_or(|t| starts >= t)
                    && before.is_none_or(|t| starts < t)
            };
            let lines: Vec<Value> = rows
                .iter()
                .filter(within)
                .filter_map(|v| Some(list_row(&state, &names, v, by_id.get(&v.person_id)?, list_of(v))))
                .collect();
            if !lines.is_empty() {
                let title = format!("{}: {}", harbor_core::typed_date::in_words(day), clinician.name);
                days.push(json!({ "title": title, "note": format!("{} visits", lines.len()), "rows": lines }));
            }
        }
    }
    drop(conn);
    let pages = days.len();
    let content = set(Sheet::DayLists, json!({ "head": head(&state), "days": days, "contact": asked.contact })).await?;
    // Paper with names leaves the building's eyes, so it is on record who made it.
    let mut change = state.store.begin(&me.actor(), state.now()).await?;
    let detail = format!("{} to {to}, {pages} lists{}", asked.from, if asked.contact { ", with contacts" } else { "" });
    change.audit("printed", "day lists", Uuid::nil(), None, detail);
    change.commit().await?;
    Ok(pdf("day-lists", content))
}

/// One line of a list; who has no time is told by the list without times and the place on it.
fn list_row(state: &State, names: &Names, v: &Visit, p: &Person, list: Option<String>) -> Value {
    let preferred = if p.preferred_name.is_empty() { String::new() } else { format!(" ({})", p.preferred_name) };
    let contact: Vec<String> =
        [p.phone.as_deref().map(telephone), p.other_phone.as_deref().map(telephone), p.email.clone()]
            .into_iter()
            .flatten()
            .collect();
    json!({
        "time": local(state, v.starts_at, "%H:%M"),
        "sign": v.call_sign,
        "name": format!("{}, {}{preferred}", p.last_name, p.first_name),
        "born": p.birth_date.map_or(String::new(), |d| d.format("%b %-d %Y").to_string()),
        "number": p.record_number,
        "type": list.unwrap_or_else(|| {
            format!("{}{}", Names::of(&names.types, v.visit_type_id), if v.extra { ", extra" } else { "" })
        }),
        "reason": v.reason,
        "note": v.booking_note,
        "contact": contact.join("\n"),
        "stage": v.stage,
    })
}

/// From this age on papers are set in large type.
const LARGE_TYPE_AGE: i32 = 75;

fn large_type(state: &State, p: &Person) -> bool {
    use chrono::Datelike;
    p.birth_date.is_some_and(|b| state.today().year() - b.year() > LARGE_TYPE_AGE)
}

/// A person's appointments to come, to take home.
#[utoipa::path(get, path = "/api/people/{id}/slip", params(("id" = Uuid, Path)), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 404, body = Problem)))]
pub async fn slip(state: Data<State>, id: Path<Uuid>) -> Result<HttpResponse, Problem> {
    let mut conn = state.store.reader().await?;
    let person = people::get(&mut conn, *id).await?;
    let names = Names::load(&mut conn).await?;
    let coming = people::registration::coming_visits(&mut conn, *id, state.now()).await?;
    let rows: Vec<Value> = coming
        .iter()
        .filter(|v| !v.rebook)
        .map(|v| {
            json!({
                "day": harbor_core::typed_date::in_words(v.day),
                "time": local(&state, v.starts_at, "%-I:%M %p"),
                "clinician": Names::of(&names.staff, v.clinician_id),
                "site": Names::of(&names.sites, v.site_id),
                "type": Names::of(&names.types, v.visit_type_id),
                // A slip lies about; why somebody comes is nobody else's business.
                "reason": "",
            })
        })
        .collect();
    let name = format!("{} {}", person.first_name, person.last_name);
    let data = json!({ "head": head(&state), "name": name, "visits": rows, "large": large_type(&state, &person) });
    Ok(pdf("appointments", set(Sheet::Slip, data).await?))
}

/// The letters that wait for the printer, one a page.
#[utoipa::path(get, path = "/api/print/letters", responses((status = 200, content_type = "application/pdf", body = Vec<u8>)))]
pub async fn letters(state: Data<State>) -> Result<HttpResponse, Problem> {
    let (waiting, by_id) = waiting_for(&state, ToDo::PrintLetter).await?;
    let letter = |m: &Message| {
        let p = by_id.get(&m.person_id)?;
        let address = [
            format!("{} {}", p.first_name, p.last_name),
            p.address_line.clone(),
            p.address_line2.clone(),
            format!("{}, {} {}", p.city, p.state, p.postal_code),
        ];
        let to: Vec<String> = address.into_iter().filter(|line| !line.is_empty()).collect();
        let id = m.id.simple().to_string();
        Some(json!({
            "to": to,
            "date": local(&state, m.made_at, "%B %-d, %Y"),
            "subject": m.subject,
            "body": m.body,
            "reference": &id[id.len() - 8..],
            "large": large_type(&state, p),
        }))
    };
    let rows: Vec<Value> = waiting.iter().filter_map(letter).collect();
    if rows.is_empty() {
        return Err(Problem::refused("paper", "No letter waits to be printed."));
    }
    Ok(pdf("letters", set(Sheet::Letters, json!({ "head": head(&state), "letters": rows })).await?))
}

/// Whom to call: who cannot be messaged, and whose message did not arrive.
#[utoipa::path(get, path = "/api/print/calls", responses((status = 200, content_type = "application/pdf", body = Vec<u8>)))]
pub async fn calls(state: Data<State>) -> Result<HttpResponse, Problem> {
    let (waiting, by_id) = waiting_for(&state, ToDo::Call).await?;
    let call = |m: &Message| {
        let p = by_id.get(&m.person_id)?;
        Some(json!({
            "name": format!("{}, {}", p.last_name, p.first_name),
            "born": p.birth_date.map_or(String::new(), |d| d.format("%b %-d %Y").to_string()),
            "phone": p.phone.as_deref().map_or("none".into(), telephone),
            "about": m.body,
            "why": if m.fate.is_empty() { m.why.clone() } else { m.fate.clone() },
        }))
    };
    let rows: Vec<Value> = waiting.iter().filter_map(call).collect();
    Ok(pdf("calls", set(Sheet::Calls, json!({ "head": head(&state), "calls": rows })).await?))
}

async fn waiting_for(state: &State, what: ToDo) -> Result<(Vec<Message>, HashMap<Uuid, Person>), Problem> {
    let mut conn = state.store.reader().await?;
    let mut rows = messages::recent(&mut conn, state.now()).await?;
    rows.retain(|m| to_do_about(m) == what);
    rows.reverse();
    let by_id = people::by_id(&mut conn, rows.iter().map(|m| m.person_id)).await?;
    Ok((rows, by_id))
}

fn ics(name: &str, text: String) -> HttpResponse {
    HttpResponse::Ok()
        .content_type("text/calendar; charset=utf-8")
        .insert_header((header::CONTENT_DISPOSITION, format!("attachment; filename=\"{name}.ics\"")))
        .body(text)
}

/// An appointment for the patient's own calendar.
#[utoipa::path(get, path = "/api/visits/{id}/calendar", params(("id" = Uuid, Path)), responses((status = 200, content_type = "text/calendar", body = String), (status = 404, body = Problem)))]
pub async fn appointment(state: Data<State>, id: Path<Uuid>) -> Result<HttpResponse, Problem> {
    let mut conn = state.store.reader().await?;
    let visit = visits::get(&mut conn, *id).await?;
    let names = Names::load(&mut conn).await?;
    let c = &state.clinic;
    let entry = Entry {
        id: visit.id.to_string(),
        sequence: u32::try_from(visit.version).unwrap_or(0),
        start: visit.starts_at,
        end: visit.ends_at,
        title: format!("{}, {}", c.name, Names::of(&names.staff, visit.clinician_id)),
        place: format!("{}, {}, {}", Names::of(&names.sites, visit.site_id), c.address_line, c.city),
        text: format!("Cannot come? Call {}.", telephone(&c.telephone)),
        cancelled: visit.stage == "cancelled",
    };
    Ok(ics("appointment", calendar::write(&c.name, state.now(), &[entry])))
}

#[derive(Debug, Serialize, ToSchema)]
pub struct FeedAddress {
    /// Shown once; it is kept only as a hash.
    address: String,
}

/// A new private address of one's own calendar; the one before ends.
#[utoipa::path(post, path = "/api/me/feed", responses((status = 200, body = FeedAddress)))]
pub async fn make_feed(state: Data<State>, me: Me) -> Answer<FeedAddress> {
    let token: String = {
        let mut random = rand::rng();
        (0..40).map(|_| char::from(random.sample(rand::distr::Alphanumeric))).collect()
    };
    let mut change = state.store.begin(&me.actor(), state.now()).await?;
    change.set_feed(me.staff.id, Some(&token)).await?;
    change.commit().await?;
    Ok(Json(FeedAddress { address: format!("/feeds/{token}") }))
}

#[utoipa::path(delete, path = "/api/me/feed", responses((status = 200, body = Done)))]
pub async fn end_feed(state: Data<State>, me: Me) -> Answer<Done> {
    let mut change = state.store.begin(&me.actor(), state.now()).await?;
    change.set_feed(me.staff.id, None).await?;
    change.commit().await?;
    Ok(DONE)
}

/// A clinician's days for a calendar program. It goes to programs outside, so it names call-signs and visit
/// types, and no patient.
#[utoipa::path(get, path = "/feeds/{token}", params(("token" = String, Path)), responses((status = 200, content_type = "text/calendar", body = String), (status = 404, body = Problem)))]
pub async fn feed(state: Data<State>, token: Path<String>) -> Result<HttpResponse, Problem> {
    let mut conn = state.store.reader().await?;
    let Some(owner) = feeds::owner(&mut conn, &token).await? else { return Err(Problem::not_found("calendar")) };
    let today = state.today();
    let (from, to) = (today - Duration::days(FEED_BEHIND), today + Duration::days(FEED_DAYS));
    let rows = feeds::visits_between(&mut conn, owner.id, from, to).await?;
    let names = Names::load(&mut conn).await?;
    let entry = |v: &Visit| Entry {
        id: v.id.to_string(),
        sequence: u32::try_from(v.version).unwrap_or(0),
        start: v.starts_at,
        end: v.ends_at,
        title: format!("{}: {}", v.call_sign, Names::of(&names.types, v.visit_type_id)),
        place: Names::of(&names.sites, v.site_id).to_owned(),
        text: String::new(),
        cancelled: false,
    };
    let entries: Vec<Entry> = rows.iter().map(entry).collect();
    Ok(ics("days", calendar::write(&owner.name, state.now(), &entries)))
}
