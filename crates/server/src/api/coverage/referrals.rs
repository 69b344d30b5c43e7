//! Referrals to the clinic: who sent a person here, what of it is used and left, and which one a visit is for.

use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::NaiveDate;
use harbor_core::fields::Faults;
use harbor_core::fields::identifiers::Npi;
use harbor_core::fields::typed_date::{self, Sense};
use harbor_store::coverage::referrals::{self as store, ToldReferral, Use};
use harbor_store::rows::{Referral, Visit};
use harbor_store::visit_line::visits;
use harbor_store::{Conn, coverage};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ReferralView {
    referral: Referral,
    /// The payer that it is for, by name; empty where nobody said.
    payer: String,
    /// Visits that took place or take place now, and those that are booked.
    used: u32,
    booked: u32,
    /// Nothing where nobody told how many it allows.
    left: Option<u32>,
    /// Why it does not hold, for the visit or, without one, today; empty where it does.
    fault: String,
    /// The visit that was asked about is for it.
    named: bool,
}

/// The referrals of a person, as they hold for a visit or, without one, for another visit today.
pub async fn views(
    conn: &mut Conn,
    person: Uuid,
    visit: Option<&Visit>,
    today: NaiveDate,
) -> Result<Vec<ReferralView>, Problem> {
    let rows = store::of_people(conn, &[person]).await?;
    let uses = store::uses(conn, &rows.iter().map(|r| r.id).collect::<Vec<_>>()).await?;
    let payers = coverage::payers(conn).await?;
    let payer_of_visit = match visit {
        Some(v) => coverage::paying_for(conn, v).await?.map(|c| c.payer_id),
        None => None,
    };
    let named = match visit {
        Some(v) => store::named_by(conn, &[v.id]).await?.remove(&v.id).map(|r| r.id),
        None => None,
    };
    Ok(rows
        .into_iter()
        .map(|referral| {
            let own: &[Use] = uses.get(&referral.id).map_or(&[], Vec::as_slice);
            let counted = referral.allowed().counted(own.iter().map(|u| u.stage));
            let said = match visit {
                Some(v) => referral.for_visit(v, payer_of_visit, own),
                None => referral.for_another(today, own),
            };
            ReferralView {
                payer: payers
                    .iter()
                    .find(|p| Some(p.id) == referral.payer_id)
                    .map(|p| p.name.clone())
                    .unwrap_or_default(),
                used: counted.used,
                booked: counted.booked,
                left: counted.left,
                fault: said.fault.map(|f| f.sentence(&said.who)).unwrap_or_default(),
                named: named == Some(referral.id),
                referral,
            }
        })
        .collect())
}

#[utoipa::path(get, path = "/api/people/{id}/referrals", params(("id" = Uuid, Path)), responses((status = 200, body = Vec<ReferralView>)))]
pub async fn list(state: Data<State>, id: Path<Uuid>) -> Answer<Vec<ReferralView>> {
    let mut conn = state.store.reader().await?;
    Ok(Json(views(&mut conn, *id, None, state.today()).await?))
}

/// The referrals of the patient, and which of them the visit is for.
#[utoipa::path(get, path = "/api/visits/{id}/referrals", params(("id" = Uuid, Path)), responses((status = 200, body = Vec<ReferralView>), (status = 404, body = Problem)))]
pub async fn of_visit(state: Data<State>, id: Path<Uuid>) -> Answer<Vec<ReferralView>> {
    let mut conn = state.store.reader().await?;
    let visit = visits::get(&mut conn, *id).await?;
    Ok(Json(views(&mut conn, visit.person_id, Some(&visit), state.today()).await?))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ReferralForm {
    from_last: String,
    #[serde(default)]
    from_first: String,
    /// The provider number of who referred.
    #[serde(default)]
    from_npi: String,
    #[serde(default)]
    question: String,
    /// The payer's own number of it.
    #[serde(default)]
    number: String,
    payer_id: Option<Uuid>,
    /// As they are typed; the last day is empty while nobody has told.
    valid_from: String,
    #[serde(default)]
    valid_until: String,
    /// 1 to 999; empty while nobody has told.
    #[serde(default)]
    visits: String,
    /// Of a new one: the patient's visit that is for it.
    #[serde(default)]
    for_visit: Option<Uuid>,
}

impl ReferralForm {
    fn read(&self, today: NaiveDate) -> Result<ToldReferral, Faults> {
        let mut faults = Faults::default();
        let mut day = |field: &'static str, typed: &str| {
            let read = typed_date::parse(typed, today, Sense::Any);
            read.map_err(|e| faults.add(field, e.to_string())).ok()
        };
        let from = day("validFrom", &self.valid_from);
        let until = if self.valid_until.trim().is_empty() { None } else { day("validUntil", &self.valid_until) };
        if from.zip(until).is_some_and(|(from, until)| until < from) {
            faults.add("validUntil", "The last day lies before the first.");
        }
        let npi = self.from_npi.trim();
        if !npi.is_empty() && Npi::parse(npi).is_err() {
            faults.add("fromNpi", "This is no provider number; its check digit is wrong.");
        }
        let visits = match self.visits.trim() {
            "" => None,
            typed => {
                let read = typed.parse().ok().filter(|n| (1..=999).contains(n));
                if read.is_none() {
                    faults.add("visits", "Has 1 to 999 visits, or is left out.");
                }
                read
            }
        };
        let told = ToldReferral {
            payer_id: self.payer_id,
            from_last: faults.line("fromLast", "Last name", &self.from_last, 60),
            from_first: faults.optional_line("fromFirst", "First name", &self.from_first, 35),
            from_npi: npi.to_owned(),
            question: faults.optional_line("question", "What is asked", &self.question, 200),
            number: faults.optional_line("number", "Number of the referral", &self.number, 50),
            valid_from: from.unwrap_or(today),
            valid_until: until,
            visits,
        };
        faults.none_or(told)
    }
}

#[utoipa::path(post, path = "/api/people/{id}/referrals", params(("id" = Uuid, Path)), request_body = ReferralForm, responses((status = 200, body = Referral), (status = 422, body = Problem)))]
pub async fn add(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<ReferralForm>) -> Answer<Referral> {
    let told = form.read(state.today())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            known_payer(change.conn(), told.payer_id).await?;
            let visit = match form.for_visit {
                Some(visit) => Some(change.visit_to_pay_for(visit).await?),
                None => None,
            };
            let referral = change.keep_referral(*id, None, told).await?;
            if let Some(visit) = visit {
                change.name_referral(&visit, Some(&referral)).await?;
            }
            Ok(Json(referral))
        })
        .await
}

/// Says a referral anew; what it allows is counted anew for every visit that names it.
#[utoipa::path(put, path = "/api/referrals/{id}", params(("id" = Uuid, Path)), request_body = ReferralForm, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn correct(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<ReferralForm>) -> Answer<Done> {
    let told = form.read(state.today())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            known_payer(change.conn(), told.payer_id).await?;
            let before = store::get(change.conn(), *id).await?;
            change.keep_referral(before.person_id, Some(before), told).await?;
            Ok(DONE)
        })
        .await
}

async fn known_payer(conn: &mut Conn, payer: Option<Uuid>) -> Result<(), Problem> {
    if let Some(id) = payer {
        coverage::payer(conn, id).await?;
    }
    Ok(())
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct EndedForm {
    /// False lets it stand again.
    ended: bool,
}

#[utoipa::path(put, path = "/api/referrals/{id}/ended", params(("id" = Uuid, Path)), request_body = EndedForm, responses((status = 200, body = Done), (status = 404, body = Problem)))]
pub async fn end(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<EndedForm>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let referral = store::get(change.conn(), *id).await?;
            change.end_referral(&referral, form.ended).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct NamedReferralForm {
    /// Nothing says that the visit is for none.
    referral_id: Option<Uuid>,
}

/// Says for which referral a visit is; one that does not hold may be named, and is told.
#[utoipa::path(put, path = "/api/visits/{id}/referral", params(("id" = Uuid, Path)), request_body = NamedReferralForm, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn name(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<NamedReferralForm>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.visit_to_pay_for(*id).await?;
            let referral = match form.referral_id {
                Some(id) => Some(store::get(change.conn(), id).await?),
                None => None,
            };
            change.name_referral(&visit, referral.as_ref()).await?;
            Ok(DONE)
        })
        .await
}
