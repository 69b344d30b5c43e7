//! Addresses beside the address service: candidates while one is typed, and what it says of the one on file.

use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::{DateTime, Utc};
use harbor_store::people as store;
use harbor_store::people::addresses;
use harbor_store::rows::Person;
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::ToSchema;
use uuid::Uuid;

/// An address as typed.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", default)]
pub struct TypedAddress {
    address_line: String,
    city: String,
    state: String,
    postal_code: String,
}

impl TypedAddress {
    /// Written the same but for capitals, blanks and the dash of the postal code.
    fn is_same(&self, other: &TypedAddress) -> bool {
        let plain = |text: &str| -> String {
            text.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect()
        };
        let key = |a: &TypedAddress| [&a.address_line, &a.city, &a.state, &a.postal_code].map(|t| plain(t));
        key(self) == key(other)
    }
}

#[derive(Debug, Serialize, ToSchema)]
pub struct AddressAnswer {
    /// False when the address service does not answer; the work goes on without it.
    reachable: bool,
    /// The address stands in the service's list just so.
    certain: bool,
    candidates: Vec<TypedAddress>,
}

/// Asks the service about an address; nothing when it does not answer.
async fn candidates(state: &State, form: &TypedAddress) -> Option<Vec<TypedAddress>> {
    let url = state.settings.outside_url.as_ref()?;
    let asked = state
        .http
        .post(format!("{url}/addresses"))
        .timeout(std::time::Duration::from_secs(2))
        .json(&json!({ "line": form.address_line, "city": form.city, "state": form.state, "postalCode": form.postal_code }))
        .send()
        .await;
    let answer = asked.ok()?.json::<serde_json::Value>().await.ok()?;
    let text = |v: &serde_json::Value, key: &str| v[key].as_str().unwrap_or("").chars().take(55).collect::<String>();
    let read = |c: &serde_json::Value| TypedAddress {
        address_line: text(c, "line"),
        city: text(c, "city"),
        state: text(c, "state"),
        postal_code: text(c, "postalCode"),
    };
    Some(answer["candidates"].as_array()?.iter().take(5).map(read).collect())
}

#[utoipa::path(post, path = "/api/addresses", request_body = TypedAddress, responses((status = 200, body = AddressAnswer)))]
pub async fn address(state: Data<State>, form: Json<TypedAddress>) -> Answer<AddressAnswer> {
    let answer = match candidates(&state, &form).await {
        Some(candidates) => {
            let certain = candidates.first().is_some_and(|c| c.is_same(&form));
            AddressAnswer { reachable: true, certain, candidates }
        }
        None => AddressAnswer { reachable: false, certain: false, candidates: vec![] },
    };
    Ok(Json(answer))
}

/// What the service said of the address on file, and when.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct AddressCheck {
    known: bool,
    at: DateTime<Utc>,
}

/// What is kept of the address that a person has now; nothing when it was never checked.
pub async fn check_of(conn: &mut harbor_store::Conn, person: &Person) -> Result<Option<AddressCheck>, Problem> {
    let kept = addresses::check_of(conn, person).await?;
    Ok(kept.map(|(known, at)| AddressCheck { known, at }))
}

/// Asks the service about the address on file and keeps what it says. A service that is down says nothing.
#[utoipa::path(post, path = "/api/people/{id}/address-check", params(("id" = Uuid, Path)), responses((status = 200, body = AddressAnswer), (status = 404, body = Problem)))]
pub async fn check(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<AddressAnswer> {
    let person = store::get(&mut *state.store.reader().await?, *id).await?;
    let typed = TypedAddress {
        address_line: person.address_line.clone(),
        city: person.city.clone(),
        state: person.state.clone(),
        postal_code: person.postal_code.clone(),
    };
    let answer = address(state.clone(), Json(typed)).await?;
    if answer.reachable {
        let known = answer.certain;
        let keep = async |change: &mut harbor_store::Change<'_>| change.keep_address_check(&person, known).await;
        state.store.change(&me.actor(), state.now(), keep).await?;
    }
    Ok(answer)
}
