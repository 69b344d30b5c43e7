//! Claims, batches and their files.

pub mod as_sent;
pub mod stray;

use super::visit_line::views::PersonCard;
use super::{DONE, Done};
use crate::access::{Me, shown};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path, Query};
use actix_web::{HttpRequest, HttpResponse};
use chrono::{DateTime, NaiveDate, NaiveTime, Utc};
use harbor_core::claims::{ByDay, ClaimEvent, ClaimState, deadline, fixed_at};
use harbor_core::fields::Faults;
use harbor_core::fields::typed_date::{self, Sense};
use harbor_core::money::Cents;
use harbor_core::schedule::at_local;
use harbor_formats::x12;
use harbor_store::claims::work_list::{self, Sought};
use harbor_store::money::remittances::letters::LETTER;
use harbor_store::people::registration::closed_charts;
use harbor_store::rows::{Batch, Claim, Visit};
use harbor_store::visit_line::visits;
use harbor_store::{Conn, claims as store, codes, coverage, people};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ClaimView {
    claim: Claim,
    /// The last day on which the payer takes it; nothing where it told no limit.
    deadline: Option<NaiveDate>,
    payer: String,
    person: PersonCard,
    visit: Visit,
}

#[derive(Debug, Default, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase", default)]
#[into_params(parameter_in = Query)]
pub struct ClaimsAsked {
    /// A state, or nothing for all.
    state: String,
    payer_id: Option<Uuid>,
    clinician_id: Option<Uuid>,
    site_id: Option<Uuid>,
    /// Which day `from` and `to` are of: service, entry, billing or deadline.
    by: String,
    /// A day, as it is typed; nothing has no end there.
    from: String,
    to: String,
    /// Amounts in dollars.
    least: String,
    most: String,
    /// Only those of which was said what is wrong.
    wrong: bool,
    /// The last claim of the page before.
    after: Option<Uuid>,
    /// At most so many, 1 to 1,000; 200 where nothing is said.
    limit: Option<i64>,
}

impl ClaimsAsked {
    fn sought(&self, state: &State) -> Result<Sought, Problem> {
        let mut faults = Faults::default();
        let mut day = |field: &'static str, text: &str| match text.trim() {
            "" => None,
            typed => {
                typed_date::parse(typed, state.today(), Sense::Any).map_err(|e| faults.add(field, e.to_string())).ok()
            }
        };
        let (from, to) = (day("from", &self.from), day("to", &self.to));
        let mut cents = |field: &'static str, text: &str| match text.trim() {
            "" => None,
            typed => Cents::parse(typed).map_err(|e| faults.add(field, e.to_string())).ok(),
        };
        let (least, most) = (cents("least", &self.least), cents("most", &self.most));
        let by = match self.by.as_str() {
            "" => Some(ByDay::Service),
            code => ByDay::from_code(code),
        };
        let in_state = match self.state.as_str() {
            "" => Some(None),
            code => ClaimState::from_code(code).map(Some),
        };
        if by.is_none() {
            faults.add("by", "A list goes by service, entry, billing or deadline.");
        }
        if in_state.is_none() {
            faults.add("state", "A claim is in no such state.");
        }
        faults.none_or(())?;
        let begins = |day: NaiveDate| at_local(state.zone, day, NaiveTime::MIN);
        Ok(Sought {
            state: in_state.flatten(),
            payer: self.payer_id,
            clinician: self.clinician_id,
            site: self.site_id,
            by: by.unwrap_or(ByDay::Service),
            from,
            to,
            moments: (from.map(begins), to.and_then(|d| d.succ_opt()).map(begins)),
            least,
            most,
            wrong: self.wrong,
            after: self.after,
        })
    }
}

async fn view(conn: &mut Conn, state: &State, claims: Vec<Claim>) -> Result<Vec<ClaimView>, Problem> {
    let payers = coverage::payers(conn).await?;
    let of: HashMap<Uuid, Visit> = visits::many(conn, &claims.iter().map(|c| c.visit_id).collect::<Vec<_>>()).await?;
    let persons = people::by_id(conn, of.values().map(|v| v.person_id)).await?;
    let whole = |claim: Claim| {
        let visit = of.get(&claim.visit_id)?.clone();
        let payer = payers.iter().find(|p| p.id == claim.payer_id);
        let days = payer.and_then(|p| p.filing_days).and_then(|d| u32::try_from(d).ok());
        Some(ClaimView {
            deadline: deadline(visit.day, days),
            payer: payer.map(|p| p.name.clone()).unwrap_or_default(),
            person: PersonCard::of(persons.get(&visit.person_id)?, state.today()),
            visit,
            claim,
        })
    };
    Ok(claims.into_iter().filter_map(whole).collect())
}

/// The most claims that a page holds, and how many it holds where nothing is said.
const PAGE: (i64, i64) = (1000, 200);

/// A page of the claims that are looked for, the latest made first.
#[utoipa::path(get, path = "/api/claims", params(ClaimsAsked), responses((status = 200, body = Vec<ClaimView>), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn list(state: Data<State>, request: HttpRequest, asked: Query<ClaimsAsked>) -> Answer<Vec<ClaimView>> {
    let sought = asked.sought(&state)?;
    let mut conn = state.store.reader().await?;
    let limit = asked.limit.unwrap_or(PAGE.1).clamp(1, PAGE.0);
    let rows = work_list::page(&mut conn, &sought, limit).await?;
    let views = view(&mut conn, &state, rows).await?;
    shown::listed(&request, "claims", views.iter().map(|v| v.person.id));
    Ok(Json(views))
}

/// How many claims are found, and what they come to.
#[derive(Debug, Serialize, ToSchema)]
pub struct ClaimSums {
    claims: i64,
    cents: i64,
    /// There are more than the 10,000 that were counted.
    more: bool,
}

#[utoipa::path(get, path = "/api/claims/sums", params(ClaimsAsked), responses((status = 200, body = ClaimSums), (status = 422, body = Problem)))]
pub async fn sums(state: Data<State>, asked: Query<ClaimsAsked>) -> Answer<ClaimSums> {
    let sought = asked.sought(&state)?;
    let s = work_list::sums(&mut *state.store.reader().await?, &sought).await?;
    Ok(Json(ClaimSums { claims: s.claims, cents: s.cents, more: s.more }))
}

#[derive(Debug, Serialize, ToSchema)]
pub struct ClaimEventView {
    at: DateTime<Utc>,
    state: codes::ClaimState,
    sentence: String,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ClaimDetail {
    claim: ClaimView,
    /// Where each reason is put right, beside the claim's reasons; nothing where nobody can say.
    fixes: Vec<Option<codes::FixPlace>>,
    events: Vec<ClaimEventView>,
    /// All claims of the visit, this one too, in the order in which they were made.
    versions: Vec<ClaimVersion>,
}

/// A claim among those of its visit.
#[derive(Debug, Serialize, ToSchema)]
pub struct ClaimVersion {
    claim: Claim,
    payer: String,
    /// The number of the one whose place it takes.
    replaces: Option<String>,
}

#[utoipa::path(get, path = "/api/claims/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = ClaimDetail), (status = 404, body = Problem)))]
pub async fn show(state: Data<State>, id: Path<Uuid>) -> Answer<ClaimDetail> {
    let mut conn = state.store.reader().await?;
    let claim = store::get(&mut conn, *id).await?;
    let events = store::events(&mut conn, *id).await?;
    let claim = view(&mut conn, &state, vec![claim]).await?.pop().ok_or_else(|| Problem::not_found("claim"))?;
    let all = store::of_visits(&mut conn, &[claim.visit.id]).await?;
    let payers = coverage::payers(&mut conn).await?;
    let version = |c: &Claim| ClaimVersion {
        claim: c.clone(),
        payer: payers.iter().find(|p| p.id == c.payer_id).map(|p| p.name.clone()).unwrap_or_default(),
        replaces: all.iter().find(|o| Some(o.id) == c.replaces_id).map(|o| o.number.clone()),
    };
    let versions = all.iter().map(version).collect();
    let fixes = claim.claim.reasons.iter().map(|r| fixed_at(r).map(Into::into)).collect();
    Ok(Json(ClaimDetail {
        claim,
        fixes,
        versions,
        events: events.into_iter().map(|(at, state, sentence)| ClaimEventView { at, state, sentence }).collect(),
    }))
}

/// A rejected or denied claim that was put right is ready to go again.
#[utoipa::path(post, path = "/api/claims/{id}/correct", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn correct(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let claim = store::get(change.conn(), *id).await?;
            if !matches!(*claim.state, ClaimState::Rejected | ClaimState::Denied) {
                return Err(Problem::refused("claim-state", "Only a rejected or denied claim is made ready again."));
            }
            change.claim_happened(*id, ClaimEvent::Corrected, "Corrected; ready to go again.", &[]).await?;
            Ok(DONE)
        })
        .await
}

#[utoipa::path(get, path = "/api/batches", responses((status = 200, body = Vec<Batch>)))]
pub async fn batches(state: Data<State>) -> Answer<Vec<Batch>> {
    Ok(Json(store::batches(&mut *state.store.reader().await?).await?))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BatchForm {
    claim_ids: Vec<Uuid>,
    /// True builds and checks the file and sends nothing.
    #[serde(default)]
    check_only: bool,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BatchAnswer {
    batch: Option<Batch>,
    summary: Vec<String>,
    findings: Vec<String>,
    /// Claims that wait for something, each with what; the others go.
    left_out: Vec<String>,
}

/// Writes an 837P for these claims, checks it with our own reader, and sends it.
#[utoipa::path(post, path = "/api/batches", request_body = BatchForm, responses((status = 200, body = BatchAnswer), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn make_batch(state: Data<State>, me: Me, form: Json<BatchForm>) -> Answer<BatchAnswer> {
    if form.claim_ids.is_empty() || form.claim_ids.len() > 5000 {
        return Err(Problem::field("claimIds", "Choose one claim or more."));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let rows = store::many(change.conn(), &form.claim_ids).await?;
            if form.claim_ids.iter().any(|id| !rows.iter().any(|row| row.id == *id)) {
                let said = "Some of these claims are not there; look at the list again.";
                return Err(Problem::refused("unknown-claim", said));
            }
            if let Some(other) = rows.iter().find(|c| c.state != ClaimState::Ready) {
                return Err(Problem::refused(
                    "not-ready",
                    format!(
                        "Claim {} is {}; only ready claims are sent.",
                        other.number,
                        other.state.label().to_lowercase()
                    ),
                ));
            }
            let crate::claim_file::ToSend { claims: built, rows, left_out } =
                crate::claim_file::to_send(change.conn(), &rows).await?;
            let control = store::next_control(change.conn()).await?;
            let stamp = crate::claim_file::stamp(&state, u32::try_from(control).unwrap_or(0));
            let text = x12::claim::write(&stamp, &crate::claim_file::biller(&state), &format!("B{control}"), &built);
            let check = x12::show::check(text.as_bytes());
            if form.check_only || !check.findings.is_empty() {
                change.give_up();
                let (summary, findings) = (check.summary, check.findings);
                return Ok(Json(BatchAnswer { batch: None, summary, findings, left_out }));
            }
            let (document, _) = change.keep_document("837P", "out", text.as_bytes()).await?;
            let total: Cents = built.iter().map(harbor_core::claims::Claim::total).sum();
            let ids: Vec<Uuid> = rows.iter().map(|c| c.id).collect();
            let batch = change.add_batch(control, document, &ids, total.get()).await?;
            Ok(Json(BatchAnswer { batch: Some(batch), summary: check.summary, findings: vec![], left_out }))
        })
        .await
}

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct FileAsked {
    /// `text` gives an X12 file as people read it; otherwise byte for byte.
    #[serde(default, rename = "as")]
    shape: String,
}

/// Who stands in a file; refused where one of them has a chart under restriction that this person has not opened.
pub async fn people_of_file(conn: &mut Conn, state: &State, me: &Me, id: Uuid) -> Result<Vec<Uuid>, Problem> {
    let within = store::people_in(conn, &[id]).await?;
    let closed = closed_charts(conn, &within, me.staff.id, state.now()).await?;
    if closed.is_empty() {
        return Ok(within);
    }
    let names = people::by_id(conn, closed.into_iter()).await?;
    let numbers: Vec<&str> = names.values().map(|p| p.record_number.as_str()).collect();
    let said = format!(
        "The file tells of charts under restriction: {}. Open each with a reason first, from their claims.",
        numbers.join(", ")
    );
    Err(Problem { detail: said, ..Problem::restricted_chart() })
}

/// A file as it was sent or received, byte for byte, or as people read it.
#[utoipa::path(get, path = "/api/files/{id}", params(("id" = Uuid, Path), FileAsked), responses((status = 200, content_type = "application/octet-stream", body = String), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn file(
    state: Data<State>,
    me: Me,
    request: HttpRequest,
    id: Path<Uuid>,
    asked: Query<FileAsked>,
) -> Result<HttpResponse, Problem> {
    let mut conn = state.store.reader().await?;
    let document = store::document(&mut conn, *id).await?;
    // What went to a laboratory or a pharmacy, or came from there, is of a chart, and is read with it.
    if ["requisition", "taken back", "prescription", "report"].contains(&document.kind.as_str()) {
        return Err(Problem::not_found("file"));
    }
    let within = people_of_file(&mut conn, &state, &me, *id).await?;
    let content = match asked.shape.as_str() {
        "" => document.content,
        "text" => x12::show::show(&document.content)
            .map_err(|e| Problem::refused("unreadable", format!("This file is no whole X12 file: {e}.")))?
            .into_bytes(),
        _ => return Err(Problem::field("as", "A file is given as it is, or as text.")),
    };
    shown::opened(&request, "file", within);
    let (ending, kind) = match document.kind.as_str() {
        "appeal" => ("pdf", "application/pdf"),
        LETTER => infer::get(&content).map_or(("bin", "application/octet-stream"), |t| (t.extension(), t.mime_type())),
        _ => ("txt", "application/octet-stream"),
    };
    let name = format!("attachment; filename=\"{}-{}.{ending}\"", document.kind, &document.sha256[..8]);
    Ok(HttpResponse::Ok()
        .content_type(kind)
        .insert_header(("content-disposition", name))
        .insert_header(("content-security-policy", "sandbox"))
        .body(content))
}
