//! Check-in: what must be acknowledged, the steps as they stand, signing forms, finishing. How a clinic has set
//! it up is in [`super::check_in_settings`].

use crate::access::Me;
use crate::api::money::accounts::expected_of;
use crate::api::visit_line::views::VisitCard;
use crate::api::visit_line::visits::one;
use crate::api::{DONE, Done};
use crate::papers as content;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpResponse;
use actix_web::http::header;
use actix_web::web::{Data, Json, Path};
use chrono::{DateTime, Utc};
use harbor_core::arrival::alerts;
use harbor_core::arrival::alerts::{Alert, Facts, Rule};
use harbor_core::arrival::forms::{Point, Signature, SignedAs, drawn, is_due};
use harbor_core::arrival::walk::{WalkFacts, next, walk};
use harbor_core::fields::Faults;
use harbor_core::people::{Consent, Field, Section};
use harbor_core::visit_line::{Mark, Pays};
use harbor_paper::Sheet;
use harbor_store::arrival::check_in as store;
use harbor_store::documents::Doc;
use harbor_store::house::staff;
use harbor_store::money::accounts;
use harbor_store::people::registration::Registrations;
use harbor_store::people::{household, merging, registration};
use harbor_store::rows::{Form, SignedForm, SignedFormHead, Visit};
use harbor_store::visit_line::facts::Gathered;
use harbor_store::visit_line::{facts, visits};
use harbor_store::{Conn, coverage, people};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// Something that must be read before the rest.
#[derive(Debug, Serialize, ToSchema)]
pub struct AlertView {
    /// The rule, or a word for what every clinic is alerted to.
    rule: String,
    sentence: String,
    at: Option<DateTime<Utc>>,
    by: Option<String>,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct StepView {
    step: String,
    label: String,
    fine: bool,
    /// Why it is fine, or what is to do.
    sentence: String,
}

/// A form of the clinic, and whether this person is to sign it.
#[derive(Debug, Serialize, ToSchema)]
pub struct FormStanding {
    form: Form,
    due: bool,
    signed: Option<SignedFormHead>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CheckInView {
    alerts: Vec<AlertView>,
    steps: Vec<StepView>,
    /// The first step that is still to do.
    next: Option<String>,
    forms: Vec<FormStanding>,
    done: bool,
    /// Nothing stands in the way of finishing: every alert is read.
    may_finish: bool,
}

async fn forms_of(conn: &mut Conn, state: &State, person: Uuid) -> Result<Vec<FormStanding>, Problem> {
    let signed = store::signed_by(conn, person).await?;
    let standing = |form: Form| {
        let last = signed.iter().find(|s| s.form_id == form.id).cloned();
        let months = form.valid_months.and_then(|m| u32::try_from(m).ok());
        let due = is_due(last.as_ref().map(|s| state.local_day(s.at)), months, state.today());
        FormStanding { form, due, signed: last }
    };
    Ok(store::all_forms(conn).await?.into_iter().map(standing).collect())
}

/// Everything that fits this visit, with who has read it.
async fn alerts_of(
    conn: &mut Conn,
    state: &State,
    g: &Gathered,
    forms: &[FormStanding],
) -> Result<Vec<AlertView>, Problem> {
    let payers = coverage::payers(conn).await?;
    let against = Facts {
        today: state.today(),
        birth: g.person.birth_date,
        payer: g.coverage.as_ref().and_then(|c| payers.iter().find(|p| p.id == c.payer_id)).map(|p| p.id.to_string()),
        self_pay: g.facts.pays == Pays::SelfPay,
        forms_missing: forms.iter().filter(|f| f.due).map(|f| f.form.id.to_string()).collect(),
        owes: accounts::of_person(conn, g.person.id).await?.owed(None),
        last_seen: store::last_seen(conn, g.person.id, state.today()).await?,
        visit_type: g.visit.visit_type_id.to_string(),
        chart_alert: g.person.chart_alert.clone(),
        restricted: Registrations::load(conn, &[g.person.id]).await?.restricted(g.person.id),
    };
    let read = store::acknowledged(conn, g.visit.id).await?;
    let rules: Vec<Rule> = store::rules(conn).await?.iter().map(store::in_core).collect();
    let view = |alert: Alert| {
        let done = read.iter().find(|a| alert.is_read_by(&a.rule, &a.sentence));
        AlertView { at: done.map(|a| a.at), by: done.map(|a| a.by.clone()), rule: alert.rule, sentence: alert.sentence }
    };
    Ok(alerts::standing(&rules, &against).into_iter().map(view).collect())
}

async fn view_of(conn: &mut Conn, state: &State, g: &Gathered) -> Result<CheckInView, Problem> {
    let forms = forms_of(conn, state, g.person.id).await?;
    let alerts = alerts_of(conn, state, g, &forms).await?;
    let (consents, gaps): (Vec<Field>, Vec<Field>) = Registrations::load(conn, &[g.person.id])
        .await?
        .gaps(&g.person, g.visit.day)
        .into_iter()
        .partition(|f| f.section() == Section::Consents);
    let payers = coverage::payers(conn).await?;
    let theirs = coverage::of_person(conn, g.person.id).await?;
    let on_file = g.coverage.as_ref().or_else(|| coverage::counting(&theirs, g.person.id, g.visit.day));
    let policy = on_file.map(|c| {
        let payer = payers.iter().find(|p| p.id == c.payer_id).map_or("", |p| p.name.as_str());
        format!("{payer} {}", c.subscriber_number)
    });
    let records = merging::records_of(conn, g.person.id).await?;
    let given = registration::consents_of(conn, &records).await?;
    let answered = Consent::ALL.iter().filter(|kind| given.iter().any(|c| *c.kind == **kind)).count();
    let clinician = staff::all(conn).await?.into_iter().find(|s| s.id == g.visit.clinician_id);
    let facts = WalkFacts {
        reason: g.visit.reason.clone(),
        reason_required: staff::clinic(conn).await?.reason_required,
        clinician: clinician.map(|s| s.name).unwrap_or_default(),
        gaps: gaps.iter().map(|f| f.label()).collect(),
        contact: content::contact_line(&g.person),
        open_consents: consents.iter().map(|f| f.label()).collect(),
        answered_consents: (answered, Consent::ALL.len()),
        policy,
        self_pay: g.facts.pays == Pays::SelfPay,
        told_self_pay: visits::self_pay_told(conn, g.visit.id).await?.map(|told| told.by),
        benefits: g.facts.benefits.clone(),
        forms: forms.iter().filter(|f| f.due).map(|f| f.form.name.clone()).collect(),
        signed: forms.iter().filter(|f| !f.due).count(),
        expected: expected_of(conn, g).await?,
        paid: g.balances.paid_by_patient,
        older: accounts::of_person(conn, g.person.id).await?.owed(Some(g.visit.id)),
    };
    let steps = walk(&store::steps_for(&store::walks(conn).await?, g.visit.visit_type_id), &facts);
    Ok(CheckInView {
        may_finish: alerts.iter().all(|a| a.at.is_some()),
        next: next(&steps).map(|s| s.code().into()),
        steps: steps
            .into_iter()
            .map(|s| StepView {
                step: s.step.code().into(),
                label: s.step.label().into(),
                fine: s.fine,
                sentence: s.sentence,
            })
            .collect(),
        alerts,
        forms,
        done: g.facts.marks.has(Mark::CheckedIn),
    })
}

/// The first thing that check-in still asks, in words; nothing when everything is read and fine.
pub(super) async fn first_question(conn: &mut Conn, state: &State, id: Uuid) -> Result<Option<String>, Problem> {
    let g = one(conn, state, id).await?;
    let view = view_of(conn, state, &g).await?;
    let unread = view.alerts.iter().find(|a| a.at.is_none()).map(|a| a.sentence.clone());
    let open = view.steps.iter().find(|s| !s.fine).map(|s| format!("{}: {}.", s.label, s.sentence));
    Ok(unread.or(open))
}

/// The walk through check-in as it stands for a visit.
#[utoipa::path(get, path = "/api/visits/{id}/check-in", params(("id" = Uuid, Path)), responses((status = 200, body = CheckInView), (status = 404, body = Problem)))]
pub async fn show(state: Data<State>, id: Path<Uuid>) -> Answer<CheckInView> {
    let mut conn = state.store.reader().await?;
    let g = one(&mut conn, &state, *id).await?;
    Ok(Json(view_of(&mut conn, &state, &g).await?))
}

/// Others of the household who come today, so that one after another is checked in without going back.
#[utoipa::path(get, path = "/api/visits/{id}/household-today", params(("id" = Uuid, Path)), responses((status = 200, body = Vec<VisitCard>)))]
pub async fn household_today(state: Data<State>, id: Path<Uuid>) -> Answer<Vec<VisitCard>> {
    let mut conn = state.store.reader().await?;
    let visit = visits::get(&mut conn, *id).await?;
    let person = people::get(&mut conn, visit.person_id).await?;
    let mut ids: Vec<Uuid> = household::of(&mut conn, &person).await?.into_iter().map(|m| m.person.id).collect();
    // Children of one responsible party belong together, also when nobody has linked them.
    if let Some(party) = person.responsible_id {
        let party = people::get(&mut conn, party).await?;
        ids.extend(household::of(&mut conn, &party).await?.into_iter().map(|m| m.person.id));
    }
    ids.retain(|p| *p != person.id);
    let mut rows = visits::of_day_and_people(&mut conn, visit.day, &ids).await?;
    rows.retain(|v| !v.is_charge_alone());
    let gathered = facts::gather(&mut conn, rows, state.asked_today()).await?;
    Ok(Json(gathered.iter().map(|g| VisitCard::of(g, state.today())).collect()))
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct ReadForm {
    rule: String,
}

/// Somebody has read an alert of this visit.
#[utoipa::path(post, path = "/api/visits/{id}/alerts", params(("id" = Uuid, Path)), request_body = ReadForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn acknowledge(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<ReadForm>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let g = one(change.conn(), &state, *id).await?;
            let forms = forms_of(change.conn(), &state, g.person.id).await?;
            let alerts = alerts_of(change.conn(), &state, &g, &forms).await?;
            let Some(alert) = alerts.into_iter().find(|a| a.rule == form.rule) else {
                return Err(Problem::refused("alert", "This alert does not stand any more."));
            };
            change.acknowledge(*id, &alert.rule, &alert.sentence).await?;
            Ok(DONE)
        })
        .await
}

/// Finishes check-in; what blocks the visit later is told, not hidden, but no alert stays unread.
#[utoipa::path(post, path = "/api/visits/{id}/check-in", params(("id" = Uuid, Path)), responses((status = 200, body = Visit), (status = 422, body = Problem)))]
pub async fn finish(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Visit> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(*id).await?;
            if change.has_reached(*id, Mark::CheckedIn).await? {
                // The other desk was faster.
                change.give_up();
                return Ok(Json(visit));
            }
            let g = one(change.conn(), &state, *id).await?;
            let forms = forms_of(change.conn(), &state, g.person.id).await?;
            let unread = alerts_of(change.conn(), &state, &g, &forms).await?.into_iter().find(|a| a.at.is_none());
            if let Some(alert) = unread {
                return Err(Problem::refused("alert", format!("Read this first: {}", alert.sentence)));
            }
            let visit = change.finish_check_in(*id).await?;
            Ok(Json(visit))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SignForm {
    form_id: Uuid,
    /// Who signs: the patient, or who answers for them.
    signer: String,
    /// The strokes on the pad; empty when the name is typed in place of a signature.
    #[serde(default)]
    #[schema(value_type = Vec<Vec<Vec<u16>>>)]
    strokes: Vec<Vec<Point>>,
    #[serde(default)]
    typed: bool,
    /// Signed on a sheet that the clinic keeps.
    #[serde(default)]
    on_paper: bool,
}

/// Signs a form on the screen; the paper is kept as it was signed.
#[utoipa::path(post, path = "/api/visits/{id}/forms", params(("id" = Uuid, Path)), request_body = SignForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn sign(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<SignForm>) -> Answer<Done> {
    let mut faults = Faults::default();
    let signer = faults.line("signer", "Who signs", &form.signer, 80);
    let signature = if form.typed || form.on_paper { Ok(Signature::Typed) } else { drawn(form.strokes.clone()) };
    let signature = signature.map_err(|e| faults.add("strokes", e.to_string())).ok();
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let g = one(change.conn(), &state, *id).await?;
            let all = store::all_forms(change.conn()).await?;
            let Some(chosen) = all.into_iter().find(|f| f.id == form.form_id) else {
                return Err(Problem::field("formId", "This form is not used any more."));
            };
            let strokes = match &signature {
                Some(Signature::Drawn(strokes)) => strokes.clone(),
                _ => vec![],
            };
            let data = content::signed_form(&state, &g.person, &chosen, &signer, &strokes);
            let mut row = SignedForm {
                id: Uuid::now_v7(),
                form_id: chosen.id,
                person_id: g.person.id,
                visit_id: Some(*id),
                name: chosen.name,
                body: chosen.body,
                signer,
                kind: match (form.on_paper, form.typed) {
                    (true, _) => SignedAs::Paper,
                    (false, true) => SignedAs::Typed,
                    (false, false) => SignedAs::Drawn,
                }
                .into(),
                strokes: Doc(strokes),
                at: state.now(),
                by: me.staff.name.clone(),
                paper: None,
            };
            if !form.on_paper {
                row.paper = Some(crate::api::schedule::paper::set(Sheet::SignedForm, data).await?);
            }
            change.keep_signed(&row).await?;
            Ok(DONE)
        })
        .await
}

/// A signed form as it was signed.
#[utoipa::path(get, path = "/api/signed-forms/{id}", params(("id" = Uuid, Path)), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 404, body = Problem)))]
pub async fn paper(state: Data<State>, id: Path<Uuid>) -> Result<HttpResponse, Problem> {
    let paper = store::paper(&mut *state.store.reader().await?, *id).await?;
    Ok(HttpResponse::Ok()
        .content_type("application/pdf")
        .insert_header((header::CONTENT_DISPOSITION, "inline; filename=\"signed-form.pdf\""))
        .body(paper))
}
