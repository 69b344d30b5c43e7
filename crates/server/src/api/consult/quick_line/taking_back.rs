//! Taking back what a line put down.

use super::{Kept, allowed};
use crate::access::Me;
use crate::api::consult::histories::take_last_back;
use crate::api::consult::own;
use crate::api::consult::runs::diagnose;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::house::permissions::Permission;
use harbor_core::prescribing::{PrescriptionEvent, PrescriptionState};
use harbor_store::consult::notes::{self, PartAt};
use harbor_store::consult::{chart, questionnaires, runs};
use harbor_store::rows::Visit;
use harbor_store::{Change, orders, prescribing};
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

impl Kept {
    /// What is needed to take it back: as much as to put it down.
    fn permission(&self) -> Permission {
        match self {
            Kept::Diagnosis { .. } | Kept::Order { .. } | Kept::Prescription { .. } | Kept::Written { .. } => {
                Permission::WriteNote
            }
            _ => Permission::RecordVitals,
        }
    }
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct LineTakenBack {
    /// As a line gave it when it was kept.
    done: Vec<Kept>,
}

/// Takes back what a line put down: measurements, medicines and problems are struck, allergies and histories end, drafts
/// are stopped. What was sent, or changed by somebody meanwhile, stays and says so.
#[utoipa::path(post, path = "/api/visits/{id}/quick-line/taken-back", params(("id" = Uuid, Path)), request_body = LineTakenBack, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn take_back(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<LineTakenBack>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(*id).await?;
            for kept in form.done.iter().take(100).rev() {
                take_one_back(change, &me, &visit, kept).await?;
            }
            // What was not given is not charged either.
            if form.done.iter().any(|k| matches!(k, Kept::History { .. })) {
                change.stand_by_themselves(&visit, &state.tables.diagnoses).await?;
            }
            Ok(DONE)
        })
        .await
}

async fn take_one_back(change: &mut Change<'_>, me: &Me, visit: &Visit, kept: &Kept) -> Result<(), Problem> {
    allowed(me, kept.permission())?;
    let person = visit.person_id;
    match kept {
        Kept::Measurement { id } => {
            let by = chart::measurements_of(change.conn(), person).await?.into_iter().find(|m| m.id == *id);
            own(me, by.map(|m| m.taken_by), "measurement")?;
            change.strike_measurement(*id, visit).await?;
        }
        Kept::Diagnosis { code } => {
            let mut rest = runs::diagnoses_of(change.conn(), visit.id).await?;
            rest.retain(|d| d.code != *code);
            let rest: Vec<(String, String)> = rest.into_iter().map(|d| (d.code, d.title)).collect();
            diagnose(change, visit, &rest, None).await?;
        }
        Kept::Problem { id } => {
            let by = chart::problems_of(change.conn(), person).await?.into_iter().find(|p| p.id == *id);
            own(me, by.map(|p| p.recorded_by), "problem")?;
            change.strike_problem(person, *id).await?;
        }
        Kept::Allergy { id } => {
            let by = chart::allergies_of(change.conn(), person).await?.into_iter().find(|a| a.id == *id);
            own(me, by.map(|a| a.recorded_by), "allergy")?;
            change.end_allergy(person, *id, "entered by mistake").await?;
        }
        Kept::NoneKnown { list } => {
            let by = chart::none_known_of(change.conn(), person).await?.into_iter().find(|n| n.list == *list);
            own(me, by.map(|n| n.stated_by), "statement")?;
            change.take_none_known_back(person, **list).await?;
        }
        Kept::Medicine { id } => {
            let by = chart::medicines_of(change.conn(), person).await?.into_iter().find(|m| m.id == *id);
            own(me, by.map(|m| m.recorded_by), "medicine")?;
            change.strike_medicine(person, *id).await?;
        }
        Kept::History { id } => take_last_back(change, me, person, *id).await?,
        Kept::Order { id } => {
            let order = orders::order(change.conn(), *id).await?;
            let by = if order.prepared_by.is_empty() { &order.ordered_by } else { &order.prepared_by };
            let here = Some(by.clone()).filter(|_| order.visit_id == Some(visit.id));
            own(me, here, "order")?;
            change.cancel_order(&order).await?;
        }
        Kept::Prescription { id } => {
            let row = prescribing::prescription(change.conn(), *id).await?;
            own(me, Some(row.prescribed_by).filter(|_| row.visit_id == Some(visit.id)), "prescription")?;
            if row.state != PrescriptionState::Draft {
                return Err(Problem::refused("sent", "The prescription has been sent; stop it instead."));
            }
            // It lies under no diagnosis any more, so that this one can be taken back too.
            change.place_prescription(*id, None).await?;
            change.prescription_happened(*id, PrescriptionEvent::Stopped).await?;
        }
        Kept::Questionnaire { id } => {
            let by = questionnaires::of_visit(change.conn(), visit.id).await?;
            let by = by.into_iter().map(|a| a.response).find(|r| r.id == *id);
            own(me, by.map(|r| r.answered_by), "questionnaire")?;
            change.writable(visit).await?;
            change.strike_answers(visit, *id).await?;
        }
        Kept::Written { part, run, sentence } => {
            let at = PartAt { run: *run, part: **part };
            let row = notes::parts(change.conn(), visit.id).await?.into_iter().find(|p| p.place() == at);
            let row = row.ok_or_else(|| Problem::not_found("part of the note"))?;
            let Some(body) = row.body.strip_suffix(sentence.as_str()) else {
                return Err(Problem::refused("written-on", "Somebody wrote on after it; change it in the note."));
            };
            change.save_part(visit, at, body.trim_end(), row.version).await?;
        }
    }
    Ok(())
}
