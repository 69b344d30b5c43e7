//! What is printed, and calendars: lists of days, slips, letters, the call list, iCalendar.

use super::day::clock;
use crate::access::{Me, shown};
use crate::api::{DONE, Done};
use crate::papers::{self as content, Lists};
use crate::problem::{Answer, Problem};
use crate::state::State;
use crate::telling;
use actix_web::http::header;
use actix_web::web::{Data, Json, Path, Query};
use actix_web::{HttpRequest, HttpResponse};
use chrono::{Duration, NaiveDate};
use harbor_core::fields::Faults;
use harbor_formats::calendar;
use harbor_paper::Sheet;
use harbor_store::money::payments;
use harbor_store::rows::Message;
use harbor_store::schedule::feeds;
use rand::RngExt;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// Days ahead and behind that a calendar feed shows.
const FEED_DAYS: i64 = 42;
const FEED_BEHIND: i64 = 7;
/// A print holds at most so many days.
const MOST_DAYS: i64 = 31;

pub(crate) fn pdf(name: &str, content: Vec<u8>) -> HttpResponse {
    HttpResponse::Ok()
        .content_type("application/pdf")
        .insert_header((header::CONTENT_DISPOSITION, format!("inline; filename=\"{name}.pdf\"")))
        .body(content)
}

/// Setting takes the processor for a moment, so it leaves the other requests alone.
pub(crate) async fn set(sheet: Sheet, data: Value) -> Result<Vec<u8>, Problem> {
    let set = actix_web::web::block(move || harbor_paper::set(content::typeface()?, sheet, &data)).await;
    set.map_err(|e| anyhow::anyhow!("{e}")).and_then(|r| r).map_err(|error| {
        tracing::error!(%error, "setting a paper");
        Problem::refused("paper", "The paper cannot be set; tell whoever looks after the program.")
    })
}

#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(rename_all = "camelCase", parameter_in = Query)]
pub struct ListsAsked {
    #[serde(deserialize_with = "crate::asked::day")]
    from: NaiveDate,
    #[serde(default, deserialize_with = "crate::asked::some_day")]
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
    /// Only says whether this can be printed; what is wrong is told at its field before a window opens.
    #[serde(default)]
    check: bool,
}

impl ListsAsked {
    fn lists(&self) -> Result<Lists, Problem> {
        let to = self.to.unwrap_or(self.from);
        let mut faults = Faults::default();
        if to < self.from || (to - self.from).num_days() >= MOST_DAYS {
            faults.add("to", format!("A print holds 1 to {MOST_DAYS} days."));
        }
        let wanted = Lists {
            from: self.from,
            to,
            clinicians: self.clinician_id.split(',').filter_map(|id| id.parse().ok()).collect(),
            after: clock(&mut faults, "after", &self.after),
            before: clock(&mut faults, "before", &self.before),
            contact: self.contact,
        };
        Ok(faults.none_or(wanted)?)
    }
}

/// The day's lists for chosen clinicians, days and times, as one print.
#[utoipa::path(get, path = "/api/print/day-lists", params(ListsAsked), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 422, body = Problem)))]
pub async fn day_lists(state: Data<State>, me: Me, asked: Query<ListsAsked>) -> Result<HttpResponse, Problem> {
    let wanted = asked.lists()?;
    if asked.check {
        return Ok(HttpResponse::Ok().json(true));
    }
    let (content, pages) = content::day_lists(&state, &wanted).await?;
    let paper = set(Sheet::DayLists, content).await?;
    // Paper with names leaves the building's eyes, so it is on record who made it.
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let contacts = if wanted.contact { ", with contacts" } else { "" };
            let detail = format!("{} to {}, {pages} lists{contacts}", wanted.from, wanted.to);
            change.audit("printed", "day lists", Uuid::nil(), None, detail);
            Ok(pdf("day-lists", paper))
        })
        .await
}

/// A person's appointments to come, to take home.
#[utoipa::path(get, path = "/api/people/{id}/slip", params(("id" = Uuid, Path)), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 404, body = Problem)))]
pub async fn slip(state: Data<State>, id: Path<Uuid>) -> Result<HttpResponse, Problem> {
    Ok(pdf("appointments", set(Sheet::Slip, content::slip(&state, *id).await?).await?))
}

/// A receipt, as often as it is wanted.
#[utoipa::path(get, path = "/api/payments/{id}/paper", params(("id" = Uuid, Path)), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 404, body = Problem)))]
pub async fn receipt(state: Data<State>, id: Path<Uuid>) -> Result<HttpResponse, Problem> {
    let payment = payments::get(&mut *state.store.reader().await?, *id).await?;
    Ok(pdf("receipt", set(Sheet::Receipt, content::receipt(&state, &payment).await?).await?))
}

#[derive(Debug, Default, Deserialize, ToSchema)]
pub struct SendReceiptForm {
    /// Said that it is sent once more (a problem of the type `sent-before`).
    #[serde(default)]
    again: bool,
}

/// Sends a receipt by the way to which the payer agreed.
#[utoipa::path(post, path = "/api/payments/{id}/send", params(("id" = Uuid, Path)), request_body = SendReceiptForm, responses((status = 200, body = Message), (status = 422, body = Problem)))]
pub async fn send_receipt(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<SendReceiptForm>) -> Answer<Message> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let payment = payments::get(change.conn(), *id).await?;
            let message = telling::send_receipt(change, &state, &payment, form.again).await?;
            Ok(Json(message))
        })
        .await
}

/// The letters that wait for the printer, one a page.
#[utoipa::path(get, path = "/api/print/letters", responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 422, body = Problem)))]
pub async fn letters(state: Data<State>, request: HttpRequest) -> Result<HttpResponse, Problem> {
    let (letters, people) = content::letters(&state).await?;
    shown::opened(&request, "letters", people);
    Ok(pdf("letters", set(Sheet::Letters, letters).await?))
}

/// Whom to call: who cannot be messaged, and whose message did not arrive.
#[utoipa::path(get, path = "/api/print/calls", responses((status = 200, content_type = "application/pdf", body = Vec<u8>)))]
pub async fn calls(state: Data<State>, request: HttpRequest) -> Result<HttpResponse, Problem> {
    let (calls, people) = content::calls(&state).await?;
    shown::opened(&request, "call list", people);
    Ok(pdf("calls", set(Sheet::Calls, calls).await?))
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
    let entry = content::appointment(&state, *id).await?;
    Ok(ics("appointment", calendar::write(&state.clinic.name, state.now(), &[entry])))
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
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.set_feed(me.staff.id, Some(&token)).await?;
            Ok(Json(FeedAddress { address: format!("/feeds/{token}") }))
        })
        .await
}

#[utoipa::path(delete, path = "/api/me/feed", responses((status = 200, body = Done)))]
pub async fn end_feed(state: Data<State>, me: Me) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.set_feed(me.staff.id, None).await?;
            Ok(DONE)
        })
        .await
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
    let entries = content::unnamed(&mut conn, &rows).await?;
    Ok(ics("days", calendar::write(&owner.name, state.now(), &entries)))
}
