//! The clinic itself: what every screen needs to know once.

use super::building::HouseRules;
use super::words::{Words, words};
use crate::access::Me;
use crate::api::visit_line::views::Choice;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Query};
use chrono::{DateTime, NaiveDate, Utc};
use harbor_core::arrival::own_stages::{MAY_FOLLOW, Where};
use harbor_core::arrival::rooms::RoomKind;
use harbor_core::fields::typed_date::Sense;
use harbor_core::fields::{Faults, typed_date};
use harbor_core::house::permissions::{Permission, Role};
use harbor_core::schedule::VisitKind;
use harbor_core::schedule::visit_type::{GLYPHS, GROUNDS, PATTERNS};
use harbor_store::arrival::own_stages;
use harbor_store::house::staff;
use harbor_store::rows::{OwnStage, Payer, Pharmacy, Room, Site, Staff, UntimedList, VisitType};
use harbor_store::schedule::lists;
use harbor_store::{codes, coverage, prescribing, schedule};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ClinicView {
    name: String,
    zone: String,
    now: DateTime<Utc>,
    today: NaiveDate,
    /// Whether the clock stands still, as it does for pictures.
    clock_fixed: bool,
    sites: Vec<Site>,
    rooms: Vec<Room>,
    /// The clinic's own stages, in its order.
    own_stages: Vec<OwnStage>,
    staff: Vec<Staff>,
    visit_types: Vec<VisitType>,
    payers: Vec<Payer>,
    pharmacies: Vec<Pharmacy>,
    code_release: String,
    cancel_reasons: Vec<String>,
    /// What visit types may look like, and who may book.
    looks: Looks,
    /// The words for codes.
    words: Words,
    /// Whether a booking needs a reason.
    reason_required: bool,
    /// So many days ahead shifts are made.
    supply_days: i32,
    /// The thresholds of the day, in minutes.
    thresholds: HouseRules,
    /// A screen that nobody touches locks after so many minutes.
    lock_minutes: i32,
    /// The roles that sign in with a second factor.
    second_factor_roles: Vec<codes::Role>,
    /// Lists without times that are in use.
    untimed_lists: Vec<UntimedList>,
    /// The hour from which the payers are asked about tomorrow by themselves.
    benefits_hour: u32,
}

/// What is chosen from in settings and dialogs: the looks of visit types, who may book, kinds of visits and rooms.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Looks {
    glyphs: Vec<String>,
    patterns: Vec<String>,
    grounds: Vec<String>,
    bookers: Vec<Choice>,
    /// What a visit can be: in person, by telephone and so on.
    kinds: Vec<Choice>,
    /// What a room is for.
    room_kinds: Vec<Choice>,
    /// What a stage of the clinic's own may follow, and where it takes place.
    own_stage_follows: Vec<Choice>,
    own_stage_places: Vec<Choice>,
}

fn looks() -> Looks {
    let words = |list: &[&str]| list.iter().map(|w| (*w).to_owned()).collect();
    Looks {
        glyphs: words(&GLYPHS),
        patterns: words(&PATTERNS),
        grounds: words(&GROUNDS),
        kinds: VisitKind::ALL.iter().filter(|k| k.is_chosen()).map(|k| Choice::of(k.code(), k.label())).collect(),
        room_kinds: RoomKind::ALL.iter().map(|k| Choice::of(k.code(), k.label())).collect(),
        own_stage_follows: MAY_FOLLOW.iter().map(|s| Choice::of(s.code(), s.label())).collect(),
        own_stage_places: Where::ALL.iter().map(|w| Choice::of(w.code(), w.label())).collect(),
        bookers: Role::ALL
            .iter()
            .filter(|r| r.may(Permission::Book))
            .map(|r| Choice::of(r.code(), r.label()))
            .collect(),
    }
}

#[utoipa::path(get, path = "/api/clinic", responses((status = 200, body = ClinicView)))]
pub async fn show(state: Data<State>) -> Answer<ClinicView> {
    let mut conn = state.store.reader().await?;
    let row = staff::clinic(&mut conn).await?;
    Ok(Json(ClinicView {
        name: state.clinic.name.clone(),
        zone: state.clinic.zone.clone(),
        now: state.now(),
        today: state.today(),
        clock_fixed: matches!(state.settings.clock, crate::state::Clock::Fixed(_)),
        sites: staff::sites(&mut conn).await?,
        rooms: staff::rooms(&mut conn).await?,
        own_stages: own_stages::all(&mut conn).await?,
        staff: staff::all(&mut conn).await?,
        visit_types: schedule::visit_types(&mut conn).await?,
        payers: coverage::payers(&mut conn).await?,
        pharmacies: prescribing::pharmacies(&mut conn).await?,
        code_release: state.tables.release.clone(),
        lock_minutes: row.lock_minutes,
        second_factor_roles: row.second_factor_roles.clone(),
        thresholds: HouseRules::from(row.thresholds()),
        cancel_reasons: row.cancel_reasons,
        looks: looks(),
        words: words(),
        reason_required: row.reason_required,
        supply_days: row.supply_days,
        untimed_lists: lists::all(&mut conn).await?,
        benefits_hour: harbor_core::coverage::EVENING,
    }))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BookingRules {
    /// Why visits are cancelled here, in the order of the list.
    cancel_reasons: Vec<String>,
    reason_required: bool,
    supply_days: i32,
}

/// What a booking needs, why visits are cancelled, and how far ahead there is time to book.
#[utoipa::path(put, path = "/api/settings/booking", request_body = BookingRules, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn set_booking(state: Data<State>, me: Me, form: Json<BookingRules>) -> Answer<Done> {
    let mut faults = Faults::default();
    let mut reasons: Vec<String> = Vec::new();
    for typed in form.cancel_reasons.iter().filter(|r| !r.trim().is_empty()) {
        let reason = faults.line("cancelReasons", "A reason", typed, 60);
        if !reasons.contains(&reason) {
            reasons.push(reason);
        }
    }
    if reasons.is_empty() || reasons.len() > 40 {
        faults.add("cancelReasons", "The list has 1 to 40 reasons.");
    }
    if !(7..=400).contains(&form.supply_days) {
        faults.add("supplyDays", "Shifts are made 7 to 400 days ahead.");
    }
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.set_booking_rules(&reasons, form.reason_required, form.supply_days).await?;
            change.settle_supply(state.today(), None, state.zone).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct TypedDate {
    text: String,
    /// `birth` for a birth date; anything else for a date near today.
    #[serde(default)]
    sense: String,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct UnderstoodDate {
    date: NaiveDate,
    words: String,
}

/// Understands a date as people type it, and reads it back in words.
#[utoipa::path(get, path = "/api/dates", params(TypedDate), responses((status = 200, body = UnderstoodDate), (status = 422, body = Problem)))]
pub async fn understand_date(state: Data<State>, typed: Query<TypedDate>) -> Answer<UnderstoodDate> {
    let sense = if typed.sense == "birth" { Sense::Birth } else { Sense::Any };
    let date =
        typed_date::parse(&typed.text, state.today(), sense).map_err(|e| Problem::field("date", e.to_string()))?;
    Ok(Json(UnderstoodDate { date, words: typed_date::in_words(date) }))
}
