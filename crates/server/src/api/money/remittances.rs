//! Remittances: by upload here, by themselves in the background work.

use crate::access::{Me, shown};
use crate::problem::{Answer, Problem};
use crate::state::State;
use crate::work::{UploadAnswer, set_aside, take_remittance_file};
use actix_web::HttpRequest;
use actix_web::http::StatusCode;
use actix_web::web::{Bytes, Data, Json, Query};
use chrono::NaiveDate;
use harbor_core::fields::Faults;
use harbor_core::fields::typed_date::{self, Sense};
use harbor_store::money::deposits;
use harbor_store::money::remittances::{self as store, SoughtRemittances};
use harbor_store::rows::{Remittance, RemittedClaim};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RemittanceView {
    remittance: Remittance,
    claims: Vec<DecisionView>,
    /// It came on paper; its file is the scan.
    letter: bool,
    /// On which days its money came to the bank.
    came_on: Vec<NaiveDate>,
}

/// A payer's decision, with what it remarked.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct DecisionView {
    #[serde(flatten)]
    decided: RemittedClaim,
    /// In words; also where its own sum of the patient's share is not that of its adjustments.
    remarks: Vec<String>,
}

#[derive(Debug, Default, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase", default)]
#[into_params(parameter_in = Query)]
pub struct RemittancesAsked {
    /// The beginning of a trace or of a patient's name as the payer writes it, last name first; or a claim's number.
    q: String,
    payer_code: Option<String>,
    /// Days on which they were paid, as they are typed.
    from: String,
    to: String,
    /// Only those of which something waits to be matched.
    waiting: bool,
    /// The last one of the page before.
    after: Option<Uuid>,
}

/// So many a page.
const PAGE: i64 = 50;

/// The remittances that are looked for, those that came last first, fifty at a time.
#[utoipa::path(get, path = "/api/remittances", params(RemittancesAsked), responses((status = 200, body = Vec<RemittanceView>), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn list(
    state: Data<State>,
    request: HttpRequest,
    asked: Query<RemittancesAsked>,
) -> Answer<Vec<RemittanceView>> {
    let mut faults = Faults::default();
    let words = faults.optional_line("q", "What is looked for", &asked.q, 60);
    let mut day = |field: &str, typed: &str| {
        if typed.trim().is_empty() {
            return None;
        }
        typed_date::parse(typed, state.today(), Sense::Any).map_err(|why| faults.add(field, why.to_string())).ok()
    };
    let (from, to) = (day("from", &asked.from), day("to", &asked.to));
    faults.none_or(())?;
    let sought = SoughtRemittances {
        words,
        payer_code: asked.payer_code.clone(),
        from,
        to,
        waiting: asked.waiting,
        after: asked.after,
    };
    let mut conn = state.store.reader().await?;
    let rows = store::page(&mut conn, &sought, PAGE).await?;
    let ids: Vec<Uuid> = rows.iter().map(|r| r.id).collect();
    let mut decided: HashMap<Uuid, Vec<DecisionView>> = HashMap::new();
    for claim in store::claims_of(&mut conn, &ids).await? {
        let view = DecisionView { remarks: claim.remarks(), decided: claim };
        decided.entry(view.decided.remittance_id).or_default().push(view);
    }
    let documents: Vec<Uuid> = rows.iter().map(|r| r.document_id).collect();
    let mut came = deposits::came_on(&mut conn, &ids).await?;
    let on_paper = store::letters::letters_among(&mut conn, &documents).await?;
    let people = harbor_store::claims::people_in(&mut conn, &documents).await?;
    let view = |remittance: Remittance| {
        let claims = decided.remove(&remittance.id).unwrap_or_default();
        let came_on = came.remove(&remittance.id).unwrap_or_default();
        RemittanceView { letter: on_paper.contains(&remittance.document_id), came_on, remittance, claims }
    };
    let out = rows.into_iter().map(view).collect();
    shown::listed(&request, "remittances", people);
    Ok(Json(out))
}

/// Posts an 835 file: whole, once, and only when it balances. A file that is refused is kept with what was found.
#[utoipa::path(post, path = "/api/remittances", request_body(content = String, content_type = "text/plain"), responses((status = 200, body = UploadAnswer), (status = 422, body = Problem)))]
pub async fn upload(state: Data<State>, me: Me, body: Bytes) -> Answer<UploadAnswer> {
    match take_remittance_file(&state, &me.actor(), &body).await {
        Err(found) if found.status == StatusCode::UNPROCESSABLE_ENTITY.as_u16() && !body.is_empty() => {
            let kept = set_aside(&state, &me.actor(), &body, &found).await;
            kept.map_err(|_| Problem::refused("not-kept", "The file was refused, and could not be kept."))?;
            Err(found)
        }
        taken => Ok(Json(taken?)),
    }
}
