//! What patients are told about their times: written for a plan, followed, called.

use crate::access::{Me, shown};
use crate::api::visit_line::views::PersonCard;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use crate::telling;
use actix_web::HttpRequest;
use actix_web::web::{Data, Json, Path};
use harbor_core::fields::Faults;
use harbor_core::people::messages::{Channel, Fate, ToDo};
use harbor_store::people;
use harbor_store::people::messages as store;
use harbor_store::rows::Message;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MessageView {
    message: Message,
    person: PersonCard,
    /// call or letter: what somebody has still to do about it.
    to_do: Option<String>,
}

/// Messages of the last weeks, and all about which something is still to be done.
#[utoipa::path(get, path = "/api/messages", responses((status = 200, body = Vec<MessageView>)))]
pub async fn list(state: Data<State>, request: HttpRequest) -> Answer<Vec<MessageView>> {
    let mut conn = state.store.reader().await?;
    let rows = store::recent(&mut conn, state.now()).await?;
    shown::listed(&request, "messages and calls", rows.iter().map(|m| m.person_id));
    let by_id = people::by_id(&mut conn, rows.iter().map(|m| m.person_id)).await?;
    let view = |message: Message| {
        let person = PersonCard::of(by_id.get(&message.person_id)?, state.today());
        let to_do = to_do_word(&message);
        Some(MessageView { message, person, to_do })
    };
    Ok(Json(rows.into_iter().filter_map(view).collect()))
}

fn to_do_word(m: &Message) -> Option<String> {
    match m.to_do() {
        ToDo::Nothing => None,
        ToDo::Call => Some("call".into()),
        ToDo::PrintLetter => Some("letter".into()),
    }
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct FateForm {
    /// called, not_reached or printed.
    state: String,
    #[serde(default)]
    note: String,
}

/// What a person did about a message: called, did not reach, printed the letter.
#[utoipa::path(post, path = "/api/messages/{id}/fate", params(("id" = Uuid, Path)), request_body = FateForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn set_fate(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<FateForm>) -> Answer<Done> {
    let mut faults = Faults::default();
    let note = faults.optional_line("note", "Note", &form.note, 200);
    let next = Fate::from_code(&form.state);
    let next = next.filter(|f| matches!(f, Fate::Called | Fate::NotReached | Fate::Printed));
    if next.is_none() {
        faults.add("state", "Say whether the person was called or not reached, or the letter printed.");
    }
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            if !change.message_became(*id, next.unwrap_or(Fate::Called), &note).await? {
                return Err(Problem::refused("message", "This message has arrived already."));
            }
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Serialize, ToSchema)]
pub struct Told {
    pub messages: usize,
    pub letters: usize,
    pub calls: usize,
}

impl Told {
    pub(crate) fn count<'a>(all: impl Iterator<Item = &'a Message>) -> Told {
        let mut out = Told { messages: 0, letters: 0, calls: 0 };
        for message in all {
            match *message.channel {
                Channel::Letter => out.letters += 1,
                Channel::Call => out.calls += 1,
                Channel::Text | Channel::Email => out.messages += 1,
            }
        }
        out
    }
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct TellForm {
    visit_ids: Vec<Uuid>,
}

/// Tells people of the rebooking list that there is no new time, so that they call or are called.
#[utoipa::path(post, path = "/api/rebooking/tell", request_body = TellForm, responses((status = 200, body = Told), (status = 422, body = Problem)))]
pub async fn tell_no_time(state: Data<State>, me: Me, form: Json<TellForm>) -> Answer<Told> {
    if form.visit_ids.is_empty() || form.visit_ids.len() > 500 {
        return Err(Problem::field("visitIds", "Nobody is to be told."));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let told = telling::tell_no_time(change, &state, &form.visit_ids).await?;
            if told.is_empty() {
                return Err(Problem::refused("message", "None of them waits for a new time any more."));
            }
            Ok(Json(Told::count(told.iter())))
        })
        .await
}
