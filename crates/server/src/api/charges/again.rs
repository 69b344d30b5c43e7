//! Charges that were completed are opened again: with what before, why, and how that ended.

use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::fields::Faults;
use harbor_store::Conn;
use harbor_store::charges::again as store;
use harbor_store::rows::ChargeCorrection;
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// The correction that is open, and those that came to an end.
pub(super) async fn corrections(
    conn: &mut Conn,
    visit: Uuid,
) -> Result<(Option<ChargeCorrection>, Vec<ChargeCorrection>), Problem> {
    let (open, ended): (Vec<_>, Vec<_>) =
        store::corrections(conn, visit).await?.into_iter().partition(|c| c.outcome.is_none());
    Ok((open.into_iter().next(), ended))
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct OpenAgainForm {
    reason: String,
}

/// Opens completed charges again, with the reason. Nothing moves on the books until they are charged again or taken back.
#[utoipa::path(post, path = "/api/visits/{id}/charges/again", params(("id" = Uuid, Path)), request_body = OpenAgainForm, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn open(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<OpenAgainForm>) -> Answer<Done> {
    let mut faults = Faults::default();
    let reason = faults.line("reason", "Reason", &form.reason, 200);
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(*id).await?;
            change.open_charges_again(&visit, &reason).await?;
            Ok(DONE)
        })
        .await
}

/// Leaves charges that are open again as they were.
#[utoipa::path(post, path = "/api/visits/{id}/charges/leave", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn leave(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(*id).await?;
            change.leave_charges(&visit).await?;
            Ok(DONE)
        })
        .await
}

/// Takes charges that are open again back: nothing is charged for the visit any more.
#[utoipa::path(post, path = "/api/visits/{id}/charges/take-back", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn take_back(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(*id).await?;
            change.take_charges_back(&visit).await?;
            Ok(DONE)
        })
        .await
}
