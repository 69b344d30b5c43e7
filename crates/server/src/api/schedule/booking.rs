//! Giving visits their times: booking, moving, cancelling.

use super::open_times::{OpenTime, best};
use crate::access::Me;
use crate::api::{DONE, Done};
use crate::asked::Typed;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::http::StatusCode;
use actix_web::web::{Data, Json, Path};
use harbor_core::fields::Faults;
use harbor_core::house::permissions::Permission;
use harbor_core::schedule::open_times::Wish;
use harbor_core::schedule::{VisitKind, day_bounds};
use harbor_store::house::staff;
use harbor_store::rows::{Visit, VisitMove};
use harbor_store::schedule::booking as store;
use harbor_store::schedule::booking::{Booking, Place};
use harbor_store::visit_line::visits;
use harbor_store::{Change, codes, schedule};
use serde::{Deserialize, Serialize};
use std::ops::RangeInclusive;
use utoipa::ToSchema;
use uuid::Uuid;

/// How long a visit may be.
pub(crate) const VISIT_MINUTES: RangeInclusive<i64> = 5..=480;

/// Where a visit is to lie: a slot, and what is unusual about it.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct TimeForm {
    slot_id: Uuid,
    /// 5 to 480, as long as said: over its neighbours, or shorter. Nothing: as the slot.
    minutes: Option<Typed>,
    /// Another type than the slot's.
    visit_type_id: Option<Uuid>,
    /// Beyond capacity, beside what is there.
    #[serde(default)]
    extra: bool,
    /// What was asked about (a problem of the type `ask-first`), and is meant.
    #[serde(default)]
    meant: Vec<codes::Doubt>,
}

impl TimeForm {
    fn place(&self, me: &Me) -> Result<Place, Problem> {
        if self.extra && !me.role.may(Permission::BookExtra) {
            let detail = format!("A {} may not {}.", me.role, Permission::BookExtra.label());
            return Err(Problem::new(StatusCode::FORBIDDEN, "not-allowed", detail));
        }
        let mut faults = Faults::default();
        let minutes = Typed::whole(self.minutes.as_ref(), &mut faults, "minutes", VISIT_MINUTES);
        faults.none_or(())?;
        Ok(Place {
            slot_id: self.slot_id,
            minutes,
            visit_type_id: self.visit_type_id,
            extra: self.extra,
            meant: self.meant.iter().map(|doubt| **doubt).collect(),
        })
    }
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BookingForm {
    person_id: Uuid,
    #[serde(flatten)]
    place: TimeForm,
    #[serde(default)]
    reason: String,
    #[serde(default)]
    note: String,
    #[serde(default)]
    kind: String,
}

/// The one who was a moment late is offered the next best three times near the lost one: of the same clinician on that day
/// or around it, then of others.
async fn offer(state: &State, sentence: &str, slot: Uuid) -> Result<Problem, Problem> {
    let mut conn = state.store.reader().await?;
    let Ok((slot, _)) = schedule::slot(&mut conn, slot).await else {
        let detail = format!("{sentence} Look for open times.");
        return Ok(Problem::new(StatusCode::CONFLICT, "taken", detail));
    };
    let time = slot.starts_at.with_timezone(&state.zone).time();
    let wish = Wish {
        visit_types: slot.visit_type_id.into_iter().collect(),
        minutes: (slot.ends_at - slot.starts_at).num_minutes(),
        around: Some(time),
        usual: Some(slot.clinician_id),
        ..Wish::default()
    };
    let day = day_bounds(state.zone, state.local_day(slot.starts_at)).0;
    let offered: Vec<OpenTime> = best(&mut conn, state, &wish, day.max(state.now()), (0, OFFERED)).await?;
    Ok(Problem {
        current: serde_json::to_value(offered).ok().map(Box::new),
        ..Problem::new(StatusCode::CONFLICT, "taken", format!("{sentence} The next open times are offered."))
    })
}

/// So many times are offered to the one who came too late.
const OFFERED: usize = 3;

/// A visit that got its time, or the one that came too late is offered others.
async fn or_offer(state: &State, placed: Result<Visit, Problem>, slot: Uuid) -> Answer<Visit> {
    match placed {
        Ok(visit) => Ok(Json(visit)),
        Err(late) if late.is("taken") => Err(offer(state, &late.detail, slot).await?),
        Err(other) => Err(other),
    }
}

/// The reason, needed or not as the clinic says, and the note.
pub(crate) async fn reason_and_note(
    change: &mut Change<'_>,
    faults: &mut Faults,
    reason: &str,
    note: &str,
) -> Result<(String, String), Problem> {
    let required = staff::clinic(change.conn()).await?.reason_required;
    let reason = if required {
        faults.line("reason", "Reason", reason, 200)
    } else {
        faults.optional_line("reason", "Reason", reason, 200)
    };
    Ok((reason, faults.optional_line("note", "Note", note, 400)))
}

const CHOOSE_KIND: &str = "Choose what kind of visit it is.";

/// What kind of visit it is; in person when nothing is said.
pub(crate) fn kind_of(faults: &mut Faults, code: &str) -> VisitKind {
    let code = if code.is_empty() { VisitKind::InPerson.code() } else { code };
    let kind: VisitKind = faults.coded("kind", code, CHOOSE_KIND);
    if !kind.is_chosen() {
        faults.add("kind", CHOOSE_KIND);
    }
    kind
}

#[utoipa::path(post, path = "/api/visits", request_body = BookingForm, responses((status = 200, body = Visit), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn book(state: Data<State>, me: Me, form: Json<BookingForm>) -> Answer<Visit> {
    let mut faults = Faults::default();
    let kind = kind_of(&mut faults, &form.kind);
    let actor = me.actor();
    let booked = state.store.change(&actor, state.now(), async |change| {
        let (reason, note) = reason_and_note(change, &mut faults, &form.reason, &form.note).await?;
        faults.none_or(())?;
        let place = form.place.place(&me)?;
        let booking = Booking { person_id: form.person_id, place, reason, note, kind, role: Some(me.role) };
        Ok(change.book(&booking, state.zone).await?)
    });
    or_offer(&state, booked.await, form.place.slot_id).await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct NewTimeForm {
    #[serde(flatten)]
    place: TimeForm,
    #[serde(default)]
    reason: String,
}

/// Gives a booked visit another time; every time that it had stays readable.
#[utoipa::path(post, path = "/api/visits/{id}/move", params(("id" = Uuid, Path)), request_body = NewTimeForm, responses((status = 200, body = Visit), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn move_to(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<NewTimeForm>) -> Answer<Visit> {
    let mut faults = Faults::default();
    let reason = faults.optional_line("reason", "Reason", &form.reason, 200);
    faults.none_or(())?;
    let place = form.place.place(&me)?;
    let actor = me.actor();
    let moved = state.store.change(&actor, state.now(), async |change| {
        Ok(change.move_booking(*id, &place, &reason, Some(me.role), state.zone).await?)
    });
    or_offer(&state, moved.await, form.place.slot_id).await
}

/// Every time that a visit had, the latest first.
#[utoipa::path(get, path = "/api/visits/{id}/moves", params(("id" = Uuid, Path)), responses((status = 200, body = Vec<VisitMove>)))]
pub async fn moves(state: Data<State>, id: Path<Uuid>) -> Answer<Vec<VisitMove>> {
    let mut conn = state.store.reader().await?;
    visits::get(&mut conn, *id).await?;
    Ok(Json(store::moves_of(&mut conn, *id).await?))
}

#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CancelForm {
    /// One of the clinic's reasons.
    reason: String,
    /// True when the patient cancelled, false when the clinic did.
    #[serde(default)]
    by_patient: bool,
}

#[utoipa::path(post, path = "/api/visits/{id}/cancel", params(("id" = Uuid, Path)), request_body = CancelForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn cancel(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<CancelForm>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.cancel_visit(*id, form.by_patient, form.reason.trim()).await?;
            Ok(DONE)
        })
        .await
}
