//! Under which diagnoses an order lies; also after it was signed, because that is when billers ask.

use super::{open_visit, problems};
use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::house::permissions::Permission;
use harbor_core::orders::kinds::may_lie;
use harbor_store::consult::runs;
use harbor_store::orders as store;
use harbor_store::orders::making::Under;
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
pub struct PlaceForm {
    codes: Vec<String>,
}

/// Lays an order under these diagnoses and no other. Signed, it keeps at least one; the signed note tells it in an addendum,
/// and the laboratory that has it is told.
#[utoipa::path(put, path = "/api/orders/{id}/diagnoses", params(("id" = Uuid, Path)), request_body = PlaceForm, responses((status = 200, body = Done), (status = 403, body = Problem), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn place_order(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<PlaceForm>) -> Answer<Done> {
    let mut codes = form.codes.clone();
    codes.sort();
    codes.dedup();
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let order = store::order(change.conn(), *id).await?;
            let signed = order.signed_at.is_some();
            may_lie(signed, me.role.may(Permission::WriteNote), codes.len())
                .map_err(|s| Problem::refused("signed", s))?;
            let visit = match order.visit_id {
                Some(id) if signed => Some(change.lock_visit(id).await?),
                Some(id) => Some(open_visit(change, id).await?),
                None => None,
            };
            let listed: Vec<Under> = match &visit {
                Some(visit) => {
                    let rows = runs::diagnoses_of(change.conn(), visit.id).await?;
                    rows.into_iter().map(|d| (d.code, d.title)).collect()
                }
                None => problems(change.conn(), order.person_id).await?,
            };
            let under: Vec<Under> = listed.into_iter().filter(|(code, _)| codes.contains(code)).collect();
            if under.len() != codes.len() {
                return Err(Problem::field("codes", "One of these diagnoses is not there any more."));
            }
            if signed {
                change.move_signed_order(visit.as_ref(), &order, &under).await?;
            } else {
                change.link_order(&order, &under).await?;
            }
            Ok(DONE)
        })
        .await
}
