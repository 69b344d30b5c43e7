//! Telling the patient that a result is here: by a message to which they agreed, without what it says, or by a call.

use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::orders::review::Urgency;
use harbor_core::people::called;
use harbor_core::people::messages::{Channel, Purpose, about_result, about_result_call, way_to_tell_result};
use harbor_store::orders::results as store;
use harbor_store::people::messages::reachable;
use harbor_store::rows::LabReport;
use harbor_store::{Change, people};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// How the patient is told.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum TellBy {
    /// By the way to which they agreed; who agreed to none gets a letter, or is called.
    Message,
    Call,
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct TellOfResult {
    by: TellBy,
}

/// Tells the patient that a result which was read is here.
#[utoipa::path(post, path = "/api/results/{id}/tell", params(("id" = Uuid, Path)), request_body = TellOfResult, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn tell(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<TellOfResult>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let row = store::report(change.conn(), *id).await?;
            tell_of(change, &state, &row, form.by).await?;
            Ok(DONE)
        })
        .await
}

/// Writes the message or the call. A result that nobody has read is told to nobody.
pub async fn tell_of(change: &mut Change<'_>, state: &State, row: &LabReport, by: TellBy) -> Result<(), Problem> {
    let Some(person) = row.person_id.filter(|_| row.reviewed_at.is_some() && !row.replaced) else {
        return Err(Problem::refused("unread", "Only a result that was read and signed is told."));
    };
    let person = people::get(change.conn(), person).await?;
    let reach = reachable(change.conn(), std::slice::from_ref(&person)).await?;
    let calls = by == TellBy::Call || *row.urgency == Urgency::Critical;
    let way = reach.first().and_then(|r| way_to_tell_result(r, calls, person.responsible_id.is_some()));
    let Some(way) = way else {
        return Err(Problem::refused("deceased", "Nobody is told: the person has died."));
    };
    let said = about_result(
        called(&person.first_name, &person.preferred_name),
        &state.clinic.name,
        &crate::papers::telephone(&state.clinic.telephone),
    );
    let said = match way.channel {
        Channel::Call => about_result_call(said),
        _ => said,
    };
    change.add_message(person.id, None, Purpose::ResultHere, &way, said).await?;
    change.audit("told", "result", row.id, Some(person.id), way.channel.label());
    Ok(())
}
