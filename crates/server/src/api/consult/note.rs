//! Writing and signing a note, and its diagnoses.

use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::claims::{MOST_DIAGNOSES, TOO_MANY_DIAGNOSES};
use harbor_core::consult::diagnoses::lasts;
use harbor_core::consult::{NotePart as Part, PART_LIMIT, ProblemState, may_sign, signs};
use harbor_core::fields;
use harbor_core::visit_line::Mark;
use harbor_store::consult::chart;
use harbor_store::consult::lists::NewProblem;
use harbor_store::consult::signing::Seen;
use harbor_store::rows::{Addendum, NoteSignature, Visit, WrittenPart};
use harbor_store::visit_line::visits;
use harbor_store::{Change, codes};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
pub struct PartForm {
    body: String,
    /// The version that the writer has seen; 0 for a new part.
    version: i32,
}

#[utoipa::path(put, path = "/api/visits/{id}/note/{part}", params(("id" = Uuid, Path), ("part" = String, Path)), request_body = PartForm, responses((status = 200, body = WrittenPart), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn save(state: Data<State>, me: Me, path: Path<(Uuid, String)>, form: Json<PartForm>) -> Answer<WrittenPart> {
    let part = Part::from_code(&path.1).ok_or_else(|| Problem::not_found("part of a note"))?;
    let body = fields::prose(part.label(), &form.body, PART_LIMIT).map_err(|s| Problem::field(part.code(), s))?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            // Whoever writes and whoever signs wait for each other.
            let visit = change.lock_visit(path.0).await?;
            let row = change.save_part(&visit, part, &body, form.version).await?;
            Ok(Json(row))
        })
        .await
}

/// A part as the signer saw it.
#[derive(Debug, Deserialize, ToSchema)]
pub struct SeenPart {
    part: codes::NotePart,
    version: i32,
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct SignNoteForm {
    /// Every part of the note, in the version that was seen: nobody signs words that came in meanwhile.
    seen: Vec<SeenPart>,
}

#[utoipa::path(post, path = "/api/visits/{id}/sign", params(("id" = Uuid, Path)), request_body = SignNoteForm, responses((status = 200, body = NoteSignature), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn sign(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<SignNoteForm>) -> Answer<NoteSignature> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(*id).await?;
            signs(&visit.clinician_id, &me.staff.id).map_err(|s| Problem::refused("not-yours", s))?;
            let rows = chart::parts(change.conn(), *id).await?;
            let parts: Vec<(Part, &str)> = rows.iter().map(|r| (*r.part, r.body.as_str())).collect();
            may_sign(&parts, change.has_reached(*id, Mark::Seen).await?)
                .map_err(|s| Problem::refused("not-ready", s))?;
            let gathered =
                harbor_store::visit_line::facts::gather(change.conn(), vec![visit.clone()], &state.tables.diagnoses)
                    .await?;
            if let Some(facts) = gathered.first().map(|g| &g.facts) {
                let line = harbor_core::visit_line::visit_line(facts);
                let open = line.blockers().find(|b| b.mark == Mark::Signed && b.code != "note_unsigned");
                if let Some(blocker) = open {
                    return Err(Problem::refused("not-ready", blocker.sentence.clone()));
                }
            }
            let seen: Vec<Seen> = form.seen.iter().map(|p| Seen { part: *p.part, version: p.version }).collect();
            let row = change.sign_note(&visit, &seen).await?;
            Ok(Json(row))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct AddendumForm {
    body: String,
}

#[utoipa::path(post, path = "/api/visits/{id}/addenda", params(("id" = Uuid, Path)), request_body = AddendumForm, responses((status = 200, body = Addendum), (status = 422, body = Problem)))]
pub async fn addendum(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<AddendumForm>) -> Answer<Addendum> {
    let body = fields::prose("Addendum", &form.body, PART_LIMIT).map_err(|s| Problem::field("body", s))?;
    if body.trim().is_empty() {
        return Err(Problem::field("body", "Write the addendum first."));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = visits::get(change.conn(), *id).await?;
            if !change.has_reached(*id, Mark::Signed).await? {
                return Err(Problem::refused("unsigned", "The note is not signed yet; write in the note itself."));
            }
            let row = change.add_addendum(&visit, &body).await?;
            Ok(Json(row))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct DiagnosesForm {
    /// Codes in their order, the main one first.
    codes: Vec<String>,
}

/// What the release says of the codes together.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct DiagnosesAnswer {
    advice: Vec<String>,
    stops: Vec<String>,
}

/// Sets the diagnoses of a visit, in their order; those that last join the person's problems.
pub async fn diagnose(change: &mut Change<'_>, visit: &Visit, wanted: &[(String, String)]) -> Result<(), Problem> {
    if wanted.len() > MOST_DIAGNOSES {
        return Err(Problem::field("codes", TOO_MANY_DIAGNOSES));
    }
    if change.has_reached(visit.id, Mark::Charged).await? {
        return Err(Problem::refused("charged", "The charges are completed; correct the claim instead."));
    }
    change.set_diagnoses(visit, wanted).await?;
    for (code, title) in wanted.iter().filter(|(code, _)| lasts(code)) {
        let state = ProblemState::Active;
        let new = NewProblem { code, title, state, since: "", visit: Some(visit.id) };
        change.add_problem(visit.person_id, &new).await?;
    }
    Ok(())
}

#[utoipa::path(put, path = "/api/visits/{id}/diagnoses", params(("id" = Uuid, Path)), request_body = DiagnosesForm, responses((status = 200, body = DiagnosesAnswer), (status = 422, body = Problem)))]
pub async fn set_diagnoses(
    state: Data<State>,
    me: Me,
    id: Path<Uuid>,
    form: Json<DiagnosesForm>,
) -> Answer<DiagnosesAnswer> {
    let mut wanted: Vec<(String, String)> = Vec::new();
    for code in &form.codes {
        let found = state.tables.diagnoses.resolve(code).map_err(|e| Problem::field("codes", e.to_string()))?;
        if wanted.iter().any(|(c, _)| *c == found.code) {
            return Err(Problem::field("codes", format!("{} stands here already.", found.code)));
        }
        wanted.push((found.code, found.title));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(*id).await?;
            diagnose(change, &visit, &wanted).await?;
            let codes: Vec<&str> = wanted.iter().map(|(c, _)| c.as_str()).collect();
            let (stops, advice): (Vec<_>, Vec<_>) =
                state.tables.diagnoses.check_together(&codes).into_iter().partition(|f| f.stops_billing);
            let said =
                |list: Vec<harbor_core::consult::diagnoses::Finding>| list.into_iter().map(|f| f.sentence).collect();
            Ok(Json(DiagnosesAnswer { advice: said(advice), stops: said(stops) }))
        })
        .await
}
