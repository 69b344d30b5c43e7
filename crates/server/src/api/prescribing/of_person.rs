//! What is and was prescribed to a person, in visits and without one; renewed one or many at a time.

use super::writing::refresh_drafts;
use crate::access::Me;
use crate::api::consult::chart::is_controlled;
use crate::api::orders::views::OrderedFor;
use crate::api::orders::{open_visit, problems};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::{DateTime, NaiveDate, Utc};
use harbor_core::prescribing::{PrescriptionState, runs_out};
use harbor_store::consult::runs;
use harbor_store::documents::Doc;
use harbor_store::prescribing as store;
use harbor_store::rows::{Dispense, Prescription, PrescriptionEnd};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// What a pharmacy handed out.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct HandedOut {
    on: NaiveDate,
    quantity: f64,
    days: Option<i32>,
    in_part: bool,
}

/// Why a prescription stands no more.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PrescriptionEnded {
    reason: String,
    by: String,
    at: DateTime<Utc>,
}

/// A prescription as it stands, with what came before and after it.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PersonPrescription {
    item: Prescription,
    /// Counted by now: not signed yet, or standing and not run out.
    current: bool,
    /// The last day that it lasts with its refills, taken as prescribed.
    runs_out: NaiveDate,
    controlled: bool,
    /// The product is still in the formulary.
    available: bool,
    handed_out: Vec<HandedOut>,
    ended: Option<PrescriptionEnded>,
    /// What it took the place of, in words.
    instead_of: Option<String>,
    /// What was signed to follow it: the same once more, or another in its place.
    followed_on: Option<NaiveDate>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PersonPrescriptions {
    /// The latest first.
    items: Vec<PersonPrescription>,
    /// The problems that one without a visit may lie under.
    problems: Vec<OrderedFor>,
    /// The person's own pharmacy.
    pharmacy_id: Option<Uuid>,
}

/// What is and was prescribed to a person: the latest hundred.
#[utoipa::path(get, path = "/api/people/{id}/prescriptions", params(("id" = Uuid, Path)), responses((status = 200, body = PersonPrescriptions), (status = 404, body = Problem)))]
pub async fn list(state: Data<State>, id: Path<Uuid>) -> Answer<PersonPrescriptions> {
    let mut conn = state.store.reader().await?;
    let mut rows = store::of_person(&mut conn, *id).await?;
    refresh_drafts(&mut conn, &state, &mut rows).await?;
    let ids: Vec<Uuid> = rows.iter().map(|p| p.id).collect();
    let ends = store::ends(&mut conn, &ids).await?;
    let dispensed: Vec<Dispense> =
        store::dispensed_to(&mut conn, *id).await?.into_iter().map(|(dispense, _)| dispense).collect();
    let known = Known { state: &state, rows: &rows, ends: &ends, dispensed: &dispensed };
    let items = rows.iter().map(|row| known.view(row)).collect();
    let problems = problems(&mut conn, *id).await?;
    Ok(Json(PersonPrescriptions {
        items,
        problems: problems.into_iter().map(|(code, title)| OrderedFor { code, title }).collect(),
        pharmacy_id: store::preferred_pharmacy(&mut conn, *id).await?,
    }))
}

/// What is known of the prescriptions of one person.
struct Known<'k> {
    state: &'k State,
    rows: &'k [Prescription],
    ends: &'k [PrescriptionEnd],
    dispensed: &'k [Dispense],
}

impl Known<'_> {
    fn view(&self, row: &Prescription) -> PersonPrescription {
        let rules = self.state.rules();
        let day = |at| self.state.local_day(at);
        let count = |n: i32| u32::try_from(n).unwrap_or(0);
        let runs_out = runs_out(day(row.prescribed_at), count(row.days), count(row.refills));
        let replaced = row.replaces_id.and_then(|id| self.rows.iter().find(|p| p.id == id));
        let after =
            |p: &&Prescription| p.head_id.is_some() && (p.replaces_id == Some(row.id) || p.renews_id == Some(row.id));
        let handed =
            |d: &Dispense| HandedOut { on: d.dispensed_on, quantity: d.quantity, days: d.days, in_part: d.in_part };
        let ended = self.ends.iter().find(|e| e.prescription_id == row.id);
        PersonPrescription {
            item: row.clone(),
            current: row.state.is_current(runs_out, self.state.today()),
            runs_out,
            controlled: is_controlled(rules, row),
            available: rules.product(&row.product_code).is_some(),
            handed_out: self.dispensed.iter().filter(|d| d.prescription_id == row.id).map(handed).collect(),
            ended: ended.map(|e| PrescriptionEnded {
                reason: e.reason.clone(),
                by: e.ended_by.clone(),
                at: e.ended_at,
            }),
            instead_of: replaced.map(|p| format!("{}: {}", p.medicine, p.instructions)),
            followed_on: self.rows.iter().find(after).map(|p| day(p.prescribed_at)),
        }
    }
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct RenewForm {
    ids: Vec<Uuid>,
    /// The open visit that it is done in, where it is in one.
    visit: Option<Uuid>,
}

/// Lays prescriptions ready once more, to be signed together; checked like any other.
#[utoipa::path(post, path = "/api/people/{id}/prescriptions/renew", params(("id" = Uuid, Path)), request_body = RenewForm, responses((status = 200, body = Vec<Prescription>), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn renew(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<RenewForm>) -> Answer<Vec<Prescription>> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let mut here = None;
            if let Some(visit) = form.visit {
                let visit = open_visit(change, visit).await?;
                if visit.person_id != *id {
                    return Err(Problem::not_found("visit"));
                }
                here = Some((visit.id, runs::diagnoses_of(change.conn(), visit.id).await?));
            }
            let all = store::of_person(change.conn(), *id).await?;
            let mut laid = Vec::new();
            for wanted in &form.ids {
                let old = all.iter().find(|p| p.id == *wanted).ok_or_else(|| Problem::not_found("prescription"))?;
                renewable(old, &all)?;
                let mut new = once_more(&state, &me, old, here.as_ref().map(|(visit, _)| *visit));
                if let Some((_, diagnoses)) = &here {
                    // In a visit it lies under what was handled there; where that is something else, somebody says what.
                    new.diagnosis = new.diagnosis.filter(|code| diagnoses.iter().any(|d| d.code == *code));
                }
                let mut rows = [new];
                refresh_drafts(change.conn(), &state, &mut rows).await?;
                let [new] = rows;
                laid.push(change.add_prescription(new).await?);
            }
            Ok(Json(laid))
        })
        .await
}

fn renewable(old: &Prescription, all: &[Prescription]) -> Result<(), Problem> {
    if old.head_id.is_none() {
        return Err(Problem::refused("draft", format!("{} is not signed yet.", old.medicine)));
    }
    let ready = |p: &Prescription| *p.state == PrescriptionState::Draft && p.renews_id == Some(old.id);
    if all.iter().any(ready) {
        return Err(Problem::refused("ready", format!("{} is laid ready already; sign it.", old.medicine)));
    }
    Ok(())
}

/// What is to be signed when an earlier prescription is renewed: the same once more.
pub fn once_more(state: &State, me: &Me, old: &Prescription, visit: Option<Uuid>) -> Prescription {
    Prescription {
        id: Uuid::now_v7(),
        visit_id: visit,
        state: PrescriptionState::Draft.into(),
        warnings: Doc(vec![]),
        overrides: Doc(vec![]),
        prescribed_at: state.now(),
        prescribed_by: me.staff.name.clone(),
        prescriber_id: me.staff.id,
        sent_at: None,
        sent_document_id: None,
        head_id: None,
        replaces_id: None,
        renews_id: Some(old.id),
        ..old.clone()
    }
}
