//! Judges who signs in: the name with its password, and the second factor where there is one.

use super::second_factor;
use crate::access::{DEVICE_COOKIE, Me, machine};
use crate::problem::Problem;
use crate::state::State;
use actix_web::HttpRequest;
use actix_web::http::StatusCode;
use harbor_store::Actor;
use harbor_store::house::guesses::{Admission, Knock};
use harbor_store::house::{guesses, sessions, staff};
use harbor_store::rows::Staff;
use std::time::Duration;
use uuid::Uuid;

/// Before a try for a name that is being guessed at is judged.
const SLOWLY: Duration = Duration::from_secs(3);

fn wrong() -> Problem {
    Problem::new(StatusCode::UNAUTHORIZED, "wrong-sign-in", "The name or the password is wrong.")
}

/// Who was judged right, and at which device.
pub(crate) struct Right {
    pub staff: Staff,
    /// The device's token, if one of this name's was shown.
    pub device: Option<String>,
    pub machine: String,
}

/// Judges a name and a password, and the second factor where there is one. Wrong tries are counted before they are
/// judged, and recorded after.
pub(crate) async fn judge(
    state: &State,
    request: &HttpRequest,
    login: &str,
    password: &str,
    code: Option<&str>,
) -> Result<Right, Problem> {
    let login = login.trim().to_lowercase();
    if login.is_empty() || login.len() > 60 || password.len() > 200 || login.chars().any(char::is_control) {
        return Err(wrong());
    }
    let from = machine::address(request, state);
    let mut turn = state.signing.enter(from)?;
    let machine = from.to_string();
    let shown = request.cookie(DEVICE_COOKIE).map(|c| c.value().to_owned());
    let mut conn = state.store.reader().await?;
    let device = match shown {
        Some(token) if sessions::knows_device(&mut conn, &token, &login).await? => Some(token),
        _ => None,
    };
    let knock = Knock { login: &login, machine: &machine, device: device.as_deref() };
    let (attempt, slowly) = match guesses::admit(&mut conn, &knock).await? {
        Admission::Judged { attempt, slowly } => (attempt, slowly),
        Admission::Refused { seconds } => {
            let minutes = (seconds + 59) / 60;
            let wait = format!(
                "Too many wrong tries; the next counts in {minutes} min. At a computer where you signed in before it goes on at once."
            );
            return Err(Problem::throttled(seconds, wait));
        }
    };
    let found = staff::by_login(&mut conn, &login).await?;
    drop(conn);
    if slowly {
        drop(turn);
        tokio::time::sleep(SLOWLY).await;
        turn = state.signing.enter(from)?;
    }
    let fits = turn.fits(password, found.as_ref().map(|s| s.password_hash.clone())).await;
    drop(turn);
    let Some(who) = found.filter(|_| fits) else {
        let named = staff::by_login(&mut *state.store.reader().await?, &login).await?;
        let (staff_id, name) = named.map_or((None, "somebody".to_owned()), |s| (Some(s.id), s.name));
        // Of an unknown name not even the name is kept: it may be a password in the wrong field.
        state
            .store
            .change(&Actor { staff_id, name }, state.now(), async |change| {
                let known = if staff_id.is_some() { "a wrong password" } else { "an unknown name" };
                change.audit("failed to sign in", "session", Uuid::nil(), None, format!("{known}, at {machine}"));
                Ok::<_, Problem>(())
            })
            .await?;
        return Err(wrong());
    };
    second_factor::check(state, &who, code).await?;
    guesses::was_right(&mut *state.store.reader().await?, attempt, &knock).await?;
    Ok(Right { staff: who, device, machine })
}

/// Checks one's own password, counted like a sign-in.
pub(crate) async fn own_password(state: &State, me: &Me, request: &HttpRequest, password: &str) -> Result<(), Problem> {
    let judged = judge(state, request, &me.staff.login, password, second_factor::GIVEN).await;
    match judged {
        Ok(_) => Ok(()),
        Err(problem) if problem.status == 401 => Err(Problem::field("oldPassword", "This is not your password.")),
        Err(problem) => Err(problem),
    }
}
