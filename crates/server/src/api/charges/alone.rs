//! Charges without a visit.

use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::NaiveTime;
use harbor_core::fields::Faults;
use harbor_core::fields::typed_date::{self, Sense};
use harbor_core::schedule::at_local;
use harbor_store::charges::alone::{NewChargeAlone, NotAlone};
use harbor_store::house::staff;
use harbor_store::rows::Visit;
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct AloneForm {
    /// Of the catalogue.
    service: String,
    /// The day as typed; left out: today.
    #[serde(default)]
    day: String,
    /// For whose work it is.
    clinician_id: Uuid,
    site_id: Uuid,
}

/// Charges a service without a visit, to who answers for the patient and at the price of who pays alone.
#[utoipa::path(post, path = "/api/people/{id}/charges", params(("id" = Uuid, Path)), request_body = AloneForm, responses((status = 200, body = Visit), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn charge(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<AloneForm>) -> Answer<Visit> {
    let mut faults = Faults::default();
    let mut day = state.today();
    if !form.day.trim().is_empty() {
        match typed_date::parse(&form.day, state.today(), Sense::Any) {
            Ok(typed) => day = typed,
            Err(e) => faults.add("day", e.to_string()),
        }
    }
    let at = at_local(state.zone, day, NaiveTime::from_hms_opt(12, 0, 0).unwrap_or_default());
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            if !staff::sites(change.conn()).await?.iter().any(|s| s.id == form.site_id) {
                faults.add("siteId", "Choose a site.");
            }
            faults.none_or(())?;
            let new = NewChargeAlone {
                person: *id,
                service: form.service.clone(),
                day,
                at,
                clinician: form.clinician_id,
                site: form.site_id,
            };
            let charged = change.charge_alone(&new, state.asked_today()).await?;
            Ok(Json(charged.map_err(problem)?))
        })
        .await
}

fn problem(why: NotAlone) -> Problem {
    match why {
        NotAlone::Refused(refusal) => Problem::field(refusal.field(), refusal.to_string()),
        NotAlone::NoSuchService => Problem::field("service", "Choose a service of the catalogue."),
        NotAlone::NoSuchClinician => Problem::field("clinicianId", "Choose a clinician."),
    }
}
