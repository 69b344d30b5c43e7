//! What a claim tells of a visit besides its lines and diagnoses: the accident, since when, who supervises and who referred.

use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::NaiveDate;
use harbor_core::claims::assembling::AccidentCause;
use harbor_core::consult::diagnoses::Pair;
use harbor_core::fields::Faults;
use harbor_core::fields::typed_date::{self, Sense};
use harbor_core::house::permissions::Permission;
use harbor_store::claims::accidents::{self, ToldAccident};
use harbor_store::codes;
use harbor_store::consult::heads;
use harbor_store::coverage::{policy_by_cause, referrals};
use harbor_store::house::staff;
use harbor_store::people::registration::chart_is_open;
use harbor_store::rows::{Accident, Referral, Visit, VisitBilling};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// What is said of a visit for its claim.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ForClaimView {
    /// The accident that the visit is for; nothing where it is for none, or only its day is known.
    accident: Option<Accident>,
    accident_date: Option<NaiveDate>,
    said: Option<VisitBilling>,
    referral: Option<Referral>,
    /// Who sees the visit, and who supervises it as the note says.
    rendering: String,
    supervising: Option<String>,
}

#[utoipa::path(get, path = "/api/visits/{id}/for-claim", params(("id" = Uuid, Path)), responses((status = 200, body = ForClaimView), (status = 404, body = Problem)))]
pub async fn show(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<ForClaimView> {
    let mut conn = state.store.reader().await?;
    let visit = harbor_store::visit_line::visits::get(&mut conn, *id).await?;
    let all = accidents::of_people(&mut conn, &[visit.person_id]).await?;
    let mut said = accidents::billing(&mut conn, &[visit.id]).await?.pop();
    // Codes are of the chart.
    let open = chart_is_open(&mut conn, visit.person_id, me.staff.id, state.now()).await?;
    if let Some(said) = said.as_mut().filter(|_| !open || !me.role.may(Permission::SeeChart)) {
        said.unrelated.clear();
    }
    let accident = accidents::of_visit(&all, &visit).cloned();
    let referral = referrals::named_by(&mut conn, &[visit.id]).await?.remove(&visit.id);
    let staff = staff::all(&mut conn).await?;
    let name = |id: Uuid| staff.iter().find(|s| s.id == id).map(|s| s.name.clone());
    let supervising = heads::supervised(&mut conn, &[visit.id]).await?.remove(&visit.id);
    Ok(Json(ForClaimView {
        accident,
        accident_date: visit.accident_date,
        said,
        referral,
        rendering: name(visit.clinician_id).unwrap_or_default(),
        supervising: supervising.and_then(name),
    }))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct AccidentForm {
    /// As it is typed; empty says that the visit is for no accident.
    date: String,
    cause: codes::AccidentCause,
    /// Of an accident with a motor vehicle, two letters.
    #[serde(default)]
    state: String,
    /// The payer's own number of it.
    #[serde(default)]
    number: String,
    #[serde(default)]
    employer: String,
    #[serde(default)]
    employer_line: String,
    #[serde(default)]
    employer_city: String,
    #[serde(default)]
    employer_state: String,
    #[serde(default)]
    employer_postal_code: String,
}

/// The accident that a visit is for; it is kept with the person, so that the next visit for it knows.
#[utoipa::path(put, path = "/api/visits/{id}/accident", params(("id" = Uuid, Path)), request_body = AccidentForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn set_accident(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<AccidentForm>) -> Answer<Done> {
    let mut faults = Faults::default();
    let day = |text: &str| typed_date::parse(text, state.today(), Sense::Any);
    let date = match form.date.trim() {
        "" => None,
        typed => match day(typed) {
            Ok(date) => Some(date),
            Err(e) => {
                faults.add("date", e.to_string());
                None
            }
        },
    };
    let told = date.map(|happened_on| ToldAccident {
        happened_on,
        cause: *form.cause,
        state: faults.optional_line("state", "State", &form.state, 2).to_uppercase(),
        number: faults.optional_line("number", "Number of the accident", &form.number, 50),
        employer: faults.optional_line("employer", "Employer", &form.employer, 60),
        employer_line: faults.optional_line("employerLine", "Address", &form.employer_line, 55),
        employer_city: faults.optional_line("employerCity", "City", &form.employer_city, 30),
        employer_state: faults.optional_line("employerState", "State", &form.employer_state, 2).to_uppercase(),
        employer_postal_code: faults.optional_line("employerPostalCode", "Postal code", &form.employer_postal_code, 10),
    });
    if let Some(t) = &told {
        if t.cause == AccidentCause::Auto && t.state.len() != 2 {
            faults.add("state", "In which state it happened, with two letters.");
        }
        if t.happened_on > state.today() {
            faults.add("date", "This day lies in the future; an accident has happened already.");
        }
    }
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.visit_to_pay_for(*id).await?;
            if let Some(told) = told {
                change.tell_accident(visit.person_id, told).await?;
            }
            let told = Visit { accident_date: date, ..visit };
            let policy = policy_by_cause(change.conn(), &told).await?;
            change.set_payer_of_visit(*id, policy, told.self_pay, date).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ForClaimForm {
    /// Since when the patient is ill, as it is typed; empty where it is not said.
    #[serde(default)]
    onset: String,
    #[serde(default)]
    last_seen: String,
}

#[utoipa::path(put, path = "/api/visits/{id}/for-claim", params(("id" = Uuid, Path)), request_body = ForClaimForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn set(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<ForClaimForm>) -> Answer<Done> {
    let mut faults = Faults::default();
    let mut day = |field: &'static str, text: &str| match text.trim() {
        "" => None,
        typed => match typed_date::parse(typed, state.today(), Sense::Any) {
            Ok(day) if day <= state.today() => Some(day),
            Ok(_) => {
                faults.add(field, "This day lies in the future.");
                None
            }
            Err(e) => {
                faults.add(field, e.to_string());
                None
            }
        },
    };
    let (onset, last_seen) = (day("onset", &form.onset), day("lastSeen", &form.last_seen));
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.visit_to_pay_for(*id).await?;
            let before = accidents::billing(change.conn(), &[visit.id]).await?.pop();
            let before = before.unwrap_or_else(|| VisitBilling::nothing(visit.id, state.now()));
            change.say_for_claim(&visit, VisitBilling { onset, last_seen, ..before }).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct UnrelatedForm {
    /// Two codes with a `+` between, as the claim check names them.
    pair: String,
    /// False takes it back.
    unrelated: bool,
}

/// The note says of two codes that they are unrelated, where the guidelines presume the contrary.
#[utoipa::path(put, path = "/api/visits/{id}/unrelated", params(("id" = Uuid, Path)), request_body = UnrelatedForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn set_unrelated(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<UnrelatedForm>) -> Answer<Done> {
    let pair = Pair::parse(&form.pair).ok_or_else(|| Problem::field("pair", "Two codes with a + between."))?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.visit_to_pay_for(*id).await?;
            change.say_unrelated(&visit, &pair, form.unrelated).await?;
            Ok(DONE)
        })
        .await
}
