//! Whom a list shows: a handler names them, the door records that they were seen, once for a while.

use super::Me;
use crate::problem::Problem;
use crate::state::State;
use actix_web::{HttpMessage, HttpRequest, web};
use harbor_store::house::looks::Opened;
use uuid::Uuid;

/// The people of an answer, and what of them it shows.
struct Shown(&'static str, Opened, Vec<Uuid>);

/// Says whom a list shows.
pub fn listed(request: &HttpRequest, what: &'static str, people: impl IntoIterator<Item = Uuid>) {
    note(request, what, Opened::Listed, people);
}

/// Says whose data a file or paper holds that somebody opened.
pub fn opened(request: &HttpRequest, what: &'static str, people: impl IntoIterator<Item = Uuid>) {
    note(request, what, Opened::Now, people);
}

fn note(request: &HttpRequest, what: &'static str, how: Opened, people: impl IntoIterator<Item = Uuid>) {
    request.extensions_mut().insert(Shown(what, how, people.into_iter().collect()));
}

/// Records whom an answer shows.
pub(super) async fn record(request: &HttpRequest) -> Result<(), Problem> {
    let Some(Shown(what, how, people)) = request.extensions_mut().remove::<Shown>() else { return Ok(()) };
    let me = request.extensions().get::<Me>().cloned();
    let (Some(me), Some(state)) = (me, request.app_data::<web::Data<State>>()) else { return Ok(()) };
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            if change.looked(me.session, what, &people, how).await? == 0 {
                change.give_up();
            }
            Ok(())
        })
        .await
}
