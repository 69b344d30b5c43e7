//! Pregnancy and breastfeeding: said at a date, by whoever asked.

use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::fields::typed_date;
use harbor_core::people::Sex;
use harbor_core::prescribing::person_states::{PersonState, due_is_likely, holds_on};
use harbor_store::codes::Code;
use harbor_store::prescribing::person_states::of_person;
use harbor_store::rows::PersonStateRow;
use harbor_store::{Conn, codes, people};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
pub struct StateForm {
    state: String,
    holds: bool,
    /// Of a pregnancy, in any usual way of typing a date; empty when it is not known.
    #[serde(default)]
    due: String,
}

/// What is known of a state today.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct KnownState {
    state: codes::PersonState,
    /// Nothing where nobody has said, or too long ago to rely on.
    holds: Option<bool>,
    last: Option<PersonStateRow>,
}

/// The states that matter for a person: of a man none does.
pub async fn known(conn: &mut Conn, state: &State, person: Uuid, sex: Option<Sex>) -> Result<Vec<KnownState>, Problem> {
    if sex == Some(Sex::Male) {
        return Ok(vec![]);
    }
    let rows = of_person(conn, person).await?;
    let said: Vec<_> = rows.iter().map(PersonStateRow::said).collect();
    let today = state.today();
    let one = |s: &PersonState| KnownState {
        state: Code(*s),
        holds: holds_on(&said, *s, today),
        last: rows.iter().find(|r| r.state == *s).cloned(),
    };
    Ok(PersonState::ALL.iter().map(one).collect())
}

#[utoipa::path(post, path = "/api/people/{id}/states", params(("id" = Uuid, Path)), request_body = StateForm, responses((status = 200, body = PersonStateRow), (status = 422, body = Problem)))]
pub async fn say(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<StateForm>) -> Answer<PersonStateRow> {
    let what = PersonState::from_code(&form.state).ok_or_else(|| Problem::field("state", "Choose one of the list."))?;
    let today = state.today();
    let due = match form.due.trim() {
        "" => None,
        typed => Some(
            typed_date::parse(typed, today, typed_date::Sense::Any)
                .map_err(|e| Problem::field("due", e.to_string()))?,
        ),
    };
    if due.is_some() && !(what == PersonState::Pregnant && form.holds) {
        return Err(Problem::field("due", "Only a pregnancy has a due date."));
    }
    if due.is_some_and(|due| !due_is_likely(due, today)) {
        return Err(Problem::field("due", "A child is expected within nine months from today."));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let person = people::get(change.conn(), *id).await?;
            if form.holds && person.sex.is_some_and(|s| s == Sex::Male) {
                return Err(Problem::field("state", "Of a man this is not said."));
            }
            Ok(Json(change.say_state(*id, what, form.holds, due, today).await?))
        })
        .await
}
