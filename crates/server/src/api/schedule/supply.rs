//! Working time: weekly templates, days that are not as the week says, one-off shifts.

use super::day::needed_clock;
use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::NaiveDate;
use harbor_core::fields::typed_date::Sense;
use harbor_core::fields::{Faults, typed_date};
use harbor_core::schedule::supply::{Purpose, Run, Template};
use harbor_store::rows::{Shift, SupplyException};
use harbor_store::schedule::supply as store;
use harbor_store::schedule::supply::{SupplyReport, WholeTemplate, weekday_of};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SupplyView {
    templates: Vec<WholeTemplate>,
    exceptions: Vec<SupplyException>,
    /// So many days ahead shifts are made.
    days_ahead: i32,
}

#[utoipa::path(get, path = "/api/supply", responses((status = 200, body = SupplyView)))]
pub async fn show(state: Data<State>) -> Answer<SupplyView> {
    let mut conn = state.store.reader().await?;
    let today = state.today();
    let mut templates = store::templates(&mut conn).await?;
    templates.retain(|t| t.template.ends_on.is_none_or(|end| end >= today));
    let days_ahead = harbor_store::house::staff::clinic(&mut conn).await?.supply_days;
    Ok(Json(SupplyView { templates, exceptions: store::exceptions(&mut conn, today).await?, days_ahead }))
}

/// A run of equal slots.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RunForm {
    count: u32,
    minutes: i64,
    /// Nothing: held.
    visit_type_id: Option<Uuid>,
    #[serde(default)]
    held_for: String,
    /// A named clinic inside the shift.
    #[serde(default)]
    clinic: String,
}

/// Working time as a person types it; times by the clinic's clock, days in any usual way.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ShiftForm {
    clinician_id: Uuid,
    site_id: Uuid,
    from: String,
    to: String,
    runs: Vec<RunForm>,
}

/// A day as people type it.
pub(crate) fn typed_day(state: &State, faults: &mut Faults, field: &str, text: &str) -> NaiveDate {
    typed_date::parse(text, state.today(), Sense::Any).unwrap_or_else(|e| {
        faults.add(field, e.to_string());
        state.today()
    })
}

impl ShiftForm {
    /// As the core sees it, on one weekday; the key is a new one.
    fn template(&self, faults: &mut Faults, weekday: chrono::Weekday, begins: NaiveDate) -> Template<Uuid> {
        let (from, to) = (needed_clock(faults, "from", &self.from), needed_clock(faults, "to", &self.to));
        if self.runs.len() > 60 {
            faults.add("runs", "A shift has at most 60 runs of slots.");
        }
        let mut runs = Vec::new();
        for run in self.runs.iter().take(60) {
            let purpose = match run.visit_type_id {
                Some(kind) => Purpose::Open(kind),
                None => Purpose::Held(faults.line("heldFor", "What it is held for", &run.held_for, 60)),
            };
            if run.count > 200 || !(1..=600).contains(&run.minutes) {
                faults.add("runs", "A run has up to 200 slots of up to 600 minutes.");
            }
            let clinic = faults.optional_line("clinic", "Clinic", &run.clinic, 40);
            runs.push(Run { count: run.count.min(200), minutes: run.minutes.clamp(0, 600), purpose, clinic });
        }
        if runs.is_empty() {
            faults.add("runs", "Say which slots the shift has.");
        }
        Template {
            key: Uuid::now_v7(),
            clinician: self.clinician_id,
            site: self.site_id,
            weekday,
            from,
            to,
            every_weeks: 1,
            runs,
            begins,
            ends: None,
        }
    }
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct TemplateForm {
    #[serde(flatten)]
    shift: ShiftForm,
    /// Monday is 1. A new template may hold on several; a changed one on one.
    weekdays: Vec<i32>,
    every_weeks: u8,
    /// From which day it holds, or from which it is changed.
    begins: String,
    /// Empty: for good.
    #[serde(default)]
    ends: String,
    /// Of the template that is changed.
    version: Option<i32>,
}

impl TemplateForm {
    fn templates(&self, state: &State) -> Result<Vec<Template<Uuid>>, Problem> {
        let mut faults = Faults::default();
        let begins = typed_day(state, &mut faults, "begins", &self.begins);
        if begins < state.today() {
            faults.add("begins", "What has been stays as it was; choose today or a later day.");
        }
        let ends = match self.ends.trim() {
            "" => None,
            text => Some(typed_day(state, &mut faults, "ends", text)),
        };
        let mut days = self.weekdays.clone();
        days.sort_unstable();
        days.dedup();
        let days: Vec<chrono::Weekday> = days.iter().filter_map(|n| weekday_of(*n)).collect();
        if days.is_empty() {
            faults.add("weekdays", "Choose the weekdays.");
        }
        let one = |faults: &mut Faults, day| Template {
            every_weeks: self.every_weeks,
            ends,
            ..self.shift.template(faults, day, begins)
        };
        let out = days.into_iter().map(|day| one(&mut faults, day)).collect();
        let mut seen: Vec<(String, String)> = Vec::new();
        faults.0.retain(|f| {
            let known = (f.field.clone(), f.sentence.clone());
            let new = !seen.contains(&known);
            seen.push(known);
            new
        });
        Ok(faults.none_or(out)?)
    }
}

fn add_up(all: Vec<SupplyReport>) -> SupplyReport {
    all.into_iter().fold(SupplyReport::default(), |mut sum, one| {
        sum.shifts_made += one.shifts_made;
        sum.slots_made += one.slots_made;
        sum.slots_removed += one.slots_removed;
        sum.left.extend(one.left.into_iter().filter(|l| !sum.left.contains(l)).collect::<Vec<_>>());
        sum
    })
}

/// A new weekly template, one for each weekday; its days are made at once.
#[utoipa::path(post, path = "/api/supply/templates", request_body = TemplateForm, responses((status = 200, body = SupplyReport), (status = 422, body = Problem)))]
pub async fn add_template(state: Data<State>, me: Me, form: Json<TemplateForm>) -> Answer<SupplyReport> {
    let wanted = form.templates(&state)?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let mut reports = Vec::new();
            for template in &wanted {
                reports.push(change.add_template(template, state.zone).await?);
            }
            Ok(Json(add_up(reports)))
        })
        .await
}

/// Changes a template from a day on; what is booked stays, and what could not be changed is told.
#[utoipa::path(put, path = "/api/supply/templates/{id}", params(("id" = Uuid, Path)), request_body = TemplateForm, responses((status = 200, body = SupplyReport), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn change_template(
    state: Data<State>,
    me: Me,
    id: Path<Uuid>,
    form: Json<TemplateForm>,
) -> Answer<SupplyReport> {
    let wanted = form.templates(&state)?;
    let [template] = wanted.as_slice() else {
        return Err(Problem::field("weekdays", "A template is of one weekday; make another one for the others."));
    };
    let version = form.version.unwrap_or(0);
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let report = change.change_template(*id, version, template.begins, template, state.zone).await?;
            Ok(Json(report))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct EndTemplate {
    /// The last day on which it holds.
    last: String,
    version: i32,
}

#[utoipa::path(post, path = "/api/supply/templates/{id}/end", params(("id" = Uuid, Path)), request_body = EndTemplate, responses((status = 200, body = SupplyReport), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn end_template(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<EndTemplate>) -> Answer<SupplyReport> {
    let mut faults = Faults::default();
    let last = typed_day(&state, &mut faults, "last", &form.last);
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let report = change.end_template(*id, form.version, last, state.zone).await?;
            Ok(Json(report))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ExceptionForm {
    /// Nothing: everybody of the site, or of the whole clinic.
    clinician_id: Option<Uuid>,
    site_id: Option<Uuid>,
    from: String,
    /// Empty: that one day.
    #[serde(default)]
    to: String,
    reason: String,
}

/// Days on which nobody works, or one clinician does not. Who is booked stays and is told.
#[utoipa::path(post, path = "/api/supply/exceptions", request_body = ExceptionForm, responses((status = 200, body = SupplyReport), (status = 422, body = Problem)))]
pub async fn add_exception(state: Data<State>, me: Me, form: Json<ExceptionForm>) -> Answer<SupplyReport> {
    let mut faults = Faults::default();
    let reason = faults.line("reason", "Reason", &form.reason, 80);
    let from = typed_day(&state, &mut faults, "from", &form.from);
    let to = if form.to.trim().is_empty() { from } else { typed_day(&state, &mut faults, "to", &form.to) };
    if to < from {
        faults.add("to", "The last day comes before the first.");
    }
    if to < state.today() {
        faults.add("to", "These days have passed.");
    }
    if form.clinician_id.is_some() && form.site_id.is_some() {
        faults.add("siteId", "Choose a clinician or a site, not both.");
    }
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let (_, report) =
                change.add_exception(form.clinician_id, form.site_id, (from, to), &reason, state.zone).await?;
            Ok(Json(report))
        })
        .await
}

#[utoipa::path(delete, path = "/api/supply/exceptions/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = SupplyReport)))]
pub async fn remove_exception(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<SupplyReport> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let report = change.remove_exception(*id, state.zone).await?;
            Ok(Json(report))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct OneOffForm {
    #[serde(flatten)]
    shift: ShiftForm,
    day: String,
}

/// A shift that no template makes.
#[utoipa::path(post, path = "/api/supply/shifts", request_body = OneOffForm, responses((status = 200, body = Shift), (status = 422, body = Problem)))]
pub async fn add_shift(state: Data<State>, me: Me, form: Json<OneOffForm>) -> Answer<Shift> {
    use chrono::Datelike;
    let mut faults = Faults::default();
    let day = typed_day(&state, &mut faults, "day", &form.day);
    let wanted = form.shift.template(&mut faults, day.weekday(), day);
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let shift = change.add_one_off_shift(&wanted, state.zone).await?;
            Ok(Json(shift))
        })
        .await
}

/// Makes what the templates want now; by itself it happens every night.
#[utoipa::path(post, path = "/api/supply/make", responses((status = 200, body = SupplyReport)))]
pub async fn make(state: Data<State>, me: Me) -> Answer<SupplyReport> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let report = change.settle_supply(state.today(), None, state.zone).await?;
            if report.is_still() {
                change.give_up();
            }
            Ok(Json(report))
        })
        .await
}
