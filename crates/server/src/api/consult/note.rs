//! Writing a note by its parts, carrying what was said last time, reviewing, signing.

use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path, Query};
use chrono::NaiveDate;
use harbor_core::consult::runs::belongs_in_run;
use harbor_core::consult::{
    MINUTES, NotePart as Part, PART_LIMIT, cosigns, may_sign, signs, signs_part, strikes, supervises,
};
use harbor_core::fields;
use harbor_core::house::permissions::Role;
use harbor_core::visit_line::Mark;
use harbor_store::codes;
use harbor_store::consult::heads;
use harbor_store::consult::notes::{self, PartAt};
use harbor_store::consult::signed_parts;
use harbor_store::consult::signing::Seen;
use harbor_store::house::staff;
use harbor_store::rows::{Addendum, NoteCosignature, NoteHead, NoteSignature, PartSignature, StruckNote, WrittenPart};
use harbor_store::visit_line::visits;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
pub struct PartForm {
    body: String,
    /// The version that the writer has seen; 0 for a new part.
    version: i32,
    /// The run that the part is of; nothing for a part of the whole note.
    run: Option<Uuid>,
}

/// The part of a path, in its run.
fn place(code: &str, run: Option<Uuid>) -> Result<PartAt, Problem> {
    let part = Part::from_code(code).ok_or_else(|| Problem::not_found("part of a note"))?;
    if run.is_some() && !belongs_in_run(part) {
        return Err(Problem::field(part.code(), format!("{} is a part of the whole note.", part.label())));
    }
    Ok(PartAt { run, part })
}

#[utoipa::path(put, path = "/api/visits/{id}/note/{part}", params(("id" = Uuid, Path), ("part" = String, Path)), request_body = PartForm, responses((status = 200, body = WrittenPart), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn save(state: Data<State>, me: Me, path: Path<(Uuid, String)>, form: Json<PartForm>) -> Answer<WrittenPart> {
    let at = place(&path.1, form.run)?;
    let (part, body) = (at.part, &form.body);
    let body = fields::prose(part.label(), body, PART_LIMIT).map_err(|s| Problem::field(part.code(), s))?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            // Whoever writes and whoever signs wait for each other.
            let visit = change.lock_visit(path.0).await?;
            let row = change.save_part(&visit, at, &body, form.version).await?;
            Ok(Json(row))
        })
        .await
}

/// What a part said last time.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct EarlierText {
    visit_id: Uuid,
    day: NaiveDate,
    body: String,
}

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct OfRun {
    run: Option<Uuid>,
}

/// The text of a part in the last note that had it: for a run, in the last note of the same diagnosis. Empty when no note says anything.
#[utoipa::path(get, path = "/api/visits/{id}/note/{part}/last-time", params(("id" = Uuid, Path), ("part" = String, Path), OfRun), responses((status = 200, body = Option<EarlierText>)))]
pub async fn last_time(
    state: Data<State>,
    path: Path<(Uuid, String)>,
    of: Query<OfRun>,
) -> Answer<Option<EarlierText>> {
    let at = place(&path.1, of.run)?;
    let mut conn = state.store.reader().await?;
    let visit = visits::get(&mut conn, path.0).await?;
    let found = notes::last_time(&mut conn, &visit, at).await?;
    Ok(Json(found.map(|e| EarlierText { visit_id: e.visit, day: e.day, body: e.body })))
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct PartSeen {
    /// The version that was seen; 0 for a part that is not there yet.
    version: i32,
    run: Option<Uuid>,
}

/// Begins an empty part with what it said last time; it looks carried until somebody touches or reviews it.
#[utoipa::path(post, path = "/api/visits/{id}/note/{part}/carried", params(("id" = Uuid, Path), ("part" = String, Path)), request_body = PartSeen, responses((status = 200, body = WrittenPart), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn carry(
    state: Data<State>,
    me: Me,
    path: Path<(Uuid, String)>,
    form: Json<PartSeen>,
) -> Answer<WrittenPart> {
    let at = place(&path.1, form.run)?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(path.0).await?;
            Ok(Json(change.carry_part(&visit, at, form.version).await?))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct PartReview {
    version: i32,
    run: Option<Uuid>,
    /// False takes one's own mark back.
    reviewed: bool,
}

/// Marks a part as reviewed by whoever asks, in the version that was seen. Writing in it takes the mark away.
#[utoipa::path(put, path = "/api/visits/{id}/note/{part}/reviewed", params(("id" = Uuid, Path), ("part" = String, Path)), request_body = PartReview, responses((status = 200, body = WrittenPart), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn review(
    state: Data<State>,
    me: Me,
    path: Path<(Uuid, String)>,
    form: Json<PartReview>,
) -> Answer<WrittenPart> {
    let at = place(&path.1, form.run)?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(path.0).await?;
            Ok(Json(change.review_part(&visit, at, form.version, form.reviewed).await?))
        })
        .await
}

/// Signs one part in the version that was seen, before the rest of the note: from then on it is fixed.
#[utoipa::path(post, path = "/api/visits/{id}/note/{part}/signed", params(("id" = Uuid, Path), ("part" = String, Path)), request_body = PartSeen, responses((status = 200, body = PartSignature), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn sign_part(
    state: Data<State>,
    me: Me,
    path: Path<(Uuid, String)>,
    form: Json<PartSeen>,
) -> Answer<PartSignature> {
    let at = place(&path.1, form.run)?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(path.0).await?;
            let may = |row: &WrittenPart| {
                signs_part(&visit.clinician_id, row.written_by_id == Some(me.staff.id), &me.staff.id)
            };
            Ok(Json(change.sign_part(&visit, at, form.version, may).await?))
        })
        .await
}

/// A part as the signer saw it.
#[derive(Debug, Deserialize, ToSchema)]
pub struct SeenPart {
    part: codes::NotePart,
    version: i32,
    run: Option<Uuid>,
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
            let rows = notes::parts(change.conn(), *id).await?;
            let parts: Vec<(Part, &str)> = rows.iter().map(|r| (*r.part, r.body.as_str())).collect();
            may_sign(&parts, change.has_reached(*id, Mark::Seen).await?)
                .map_err(|s| Problem::refused("not-ready", s))?;
            let gathered =
                harbor_store::visit_line::facts::gather(change.conn(), vec![visit.clone()], state.asked_today())
                    .await?;
            if let Some(facts) = gathered.first().map(|g| &g.facts) {
                let line = harbor_core::visit_line::visit_line(facts);
                let open = line.blockers().find(|b| b.mark == Mark::Signed && b.code != "note_unsigned");
                if let Some(blocker) = open {
                    return Err(Problem::refused("not-ready", blocker.sentence.clone()));
                }
            }
            let at = |p: &SeenPart| PartAt { run: p.run, part: *p.part };
            let seen: Vec<Seen> = form.seen.iter().map(|p| Seen { at: at(p), version: p.version }).collect();
            let row = change.sign_note(&visit, &seen).await?;
            change.stand_by_themselves(&visit, &state.tables.diagnoses).await?;
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
            let signed = change.has_reached(*id, Mark::Signed).await?;
            if !signed && signed_parts::of_visit(change.conn(), *id).await?.is_empty() {
                return Err(Problem::refused("unsigned", "The note is not signed yet; write in the note itself."));
            }
            let row = change.add_addendum(&visit, &body).await?;
            Ok(Json(row))
        })
        .await
}

/// How a visit was done and is documented.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct HeadForm {
    kind: codes::VisitKind,
    /// A clinician who is not the one of the visit.
    supervising_id: Option<Uuid>,
    /// Documented time, 1 to 720 minutes.
    minutes: Option<i32>,
}

#[utoipa::path(put, path = "/api/visits/{id}/note-head", params(("id" = Uuid, Path)), request_body = HeadForm, responses((status = 200, body = NoteHead), (status = 422, body = Problem)))]
pub async fn set_head(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<HeadForm>) -> Answer<NoteHead> {
    if form.minutes.is_some_and(|n| !MINUTES.contains(&n)) {
        return Err(Problem::field("minutes", "Minutes are a number from 1 to 720."));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(*id).await?;
            if let Some(who) = form.supervising_id {
                let staff = staff::all(change.conn()).await?;
                let clinician = staff.iter().any(|s| s.id == who && s.role == Role::Clinician);
                supervises(&who, clinician, &visit.clinician_id).map_err(|s| Problem::field("supervisingId", s))?;
            }
            Ok(Json(change.set_head(&visit, *form.kind, form.supervising_id, form.minutes).await?))
        })
        .await
}

/// Signs under the signature, as the supervising clinician.
#[utoipa::path(post, path = "/api/visits/{id}/co-sign", params(("id" = Uuid, Path)), responses((status = 200, body = NoteCosignature), (status = 422, body = Problem)))]
pub async fn cosign(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<NoteCosignature> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(*id).await?;
            let supervising = heads::head(change.conn(), *id).await?.and_then(|h| h.supervising_id);
            cosigns(supervising.as_ref(), &visit.clinician_id, &me.staff.id)
                .map_err(|s| Problem::refused("not-yours", s))?;
            Ok(Json(change.cosign_note(&visit, me.staff.id).await?))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct StrikeForm {
    reason: String,
}

/// Strikes a note that was written in error. It stays readable as struck; nobody writes in it any more.
#[utoipa::path(post, path = "/api/visits/{id}/strike-note", params(("id" = Uuid, Path)), request_body = StrikeForm, responses((status = 200, body = StruckNote), (status = 422, body = Problem)))]
pub async fn strike(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<StrikeForm>) -> Answer<StruckNote> {
    let mut faults = fields::Faults::default();
    let reason = faults.line("reason", "Reason", &form.reason, 200);
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(*id).await?;
            let supervising = heads::head(change.conn(), *id).await?.and_then(|h| h.supervising_id);
            strikes(supervising.as_ref(), &visit.clinician_id, &me.staff.id)
                .map_err(|s| Problem::refused("not-yours", s))?;
            Ok(Json(change.strike_note(&visit, &reason).await?))
        })
        .await
}
