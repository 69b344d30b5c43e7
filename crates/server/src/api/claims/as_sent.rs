//! One claim as it is sent: each segment with what it tells, and on paper by the numbers of the form.

use crate::access::Me;
use crate::api::schedule::paper::{pdf, set};
use crate::claim_file::{assembled, biller, stamp};
use crate::papers::head;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpResponse;
use actix_web::web::{Data, Json, Path};
use chrono::{DateTime, Utc};
use harbor_core::claims::ClaimState;
use harbor_core::claims::paper_form::{FormField, FormLine, LINES_OF_A_FORM, paper_form};
use harbor_formats::x12::{self, claim};
use harbor_paper::Sheet;
use harbor_store::people::registration::chart_is_open;
use harbor_store::rows::Claim;
use harbor_store::visit_line::visits;
use harbor_store::{Conn, claims as store};
use serde::Serialize;
use serde_json::{Value, json};
use utoipa::ToSchema;
use uuid::Uuid;

/// A segment of a claim's file.
#[derive(Debug, Serialize, ToSchema)]
pub struct ToldSegmentView {
    segment: String,
    /// What it is about, and what it says of that.
    what: String,
    says: String,
}

/// A claim as it went out, or as it would go now.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ClaimAsSent {
    /// When its file was made; nothing while it has not gone.
    sent_at: Option<DateTime<Utc>>,
    segments: Vec<ToldSegmentView>,
}

/// The claim with what tells diagnoses: a chart under restriction is opened with a reason first.
async fn open_claim(conn: &mut Conn, state: &State, me: &Me, id: Uuid) -> Result<Claim, Problem> {
    let row = store::get(conn, id).await?;
    let person = visits::get(conn, row.visit_id).await?.person_id;
    if !chart_is_open(conn, person, me.staff.id, state.now()).await? {
        return Err(Problem::restricted_chart());
    }
    Ok(row)
}

/// The claim by the numbered fields of the form, for a payer that takes paper; as it would go now.
#[utoipa::path(get, path = "/api/claims/{id}/form", params(("id" = Uuid, Path)), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 403, body = Problem), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn form(state: Data<State>, me: Me, id: Path<Uuid>) -> Result<HttpResponse, Problem> {
    let mut conn = state.store.reader().await?;
    let row = open_claim(&mut conn, &state, &me, *id).await?;
    let made = assembled(&mut conn, std::slice::from_ref(&row)).await?;
    drop(conn);
    let claim = made.first().ok_or_else(|| Problem::not_found("claim"))?;
    let form = paper_form(claim, &biller(&state));
    let field = |f: &FormField| json!({ "number": f.number, "label": f.label, "value": f.value });
    let line = |l: &FormLine| {
        json!({ "day": l.day, "place": l.place, "service": l.service, "pointers": l.pointers, "charge": l.charge,
                "units": l.units, "rendering": l.rendering })
    };
    let pages: Vec<Value> = form.lines.chunks(LINES_OF_A_FORM).map(|some| some.iter().map(line).collect()).collect();
    let data = json!({
        "head": head(&state),
        "title": format!("Claim {} to {}", claim.number, claim.payer_name),
        "fields": form.fields.iter().map(field).collect::<Vec<_>>(),
        "pages": pages,
    });
    Ok(pdf("claim", set(Sheet::ClaimForm, data).await?))
}

#[utoipa::path(get, path = "/api/claims/{id}/as-sent", params(("id" = Uuid, Path)), responses((status = 200, body = ClaimAsSent), (status = 403, body = Problem), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn as_sent(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<ClaimAsSent> {
    let mut conn = state.store.reader().await?;
    let row = open_claim(&mut conn, &state, &me, *id).await?;
    // One that was put right goes out anew: its file of before is in its history.
    let gone = row.batch_id.filter(|_| row.state != ClaimState::Ready);
    let batch = match gone {
        Some(batch) => Some(store::batch(&mut conn, batch).await?),
        None => None,
    };
    let (text, sent_at) = match batch {
        Some(batch) => {
            let document = store::document(&mut conn, batch.document_id).await?;
            (x12::envelope::decode(&document.content).into_owned(), Some(batch.made_at))
        }
        None => {
            let claims = assembled(&mut conn, std::slice::from_ref(&row)).await?;
            (claim::write(&stamp(&state, 0), &biller(&state), "", &claims), None)
        }
    };
    let unreadable = |e: harbor_formats::Located| Problem::refused("unreadable", e.to_string());
    let document = x12::read(&text).map_err(unreadable)?;
    let mut sets = document.interchanges.iter().flat_map(|i| &i.groups).flat_map(|g| &g.sets);
    let told = sets.find_map(|set| claim::told(set, &row.number)).unwrap_or_default();
    let view = |t: claim::ToldSegment| ToldSegmentView { segment: t.segment, what: t.what, says: t.says };
    Ok(Json(ClaimAsSent { sent_at, segments: told.into_iter().map(view).collect() }))
}
