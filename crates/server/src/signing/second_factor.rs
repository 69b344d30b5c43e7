//! The second factor: a code by time (RFC 6238) from a device of one's own, with recovery codes for when it is lost.

use crate::access::Me;
use crate::problem::Problem;
use crate::state::State;
use actix_web::http::StatusCode;
use harbor_store::house::sign_ins as store;
use harbor_store::house::sign_ins::SecondFactor;
use harbor_store::rows::Staff;
use sha2::{Digest, Sha256};
use totp_rs::{Builder, Secret, Totp};
use uuid::Uuid;

/// The factor was given already, when the session was opened. No text that somebody sends can be this.
pub(crate) const GIVEN: Option<&str> = None;

pub(crate) fn totp(secret: &[u8]) -> Option<Totp> {
    Builder::new().with_secret(Secret::from(secret.to_vec())).build().ok()
}

pub(crate) fn now() -> u64 {
    u64::try_from(chrono::Utc::now().timestamp()).unwrap_or(0)
}

pub(crate) fn hashed(code: &str) -> String {
    Sha256::digest(code.as_bytes()).iter().map(|b| format!("{b:02x}")).collect()
}

pub(crate) async fn is_set_up(state: &State, who: Uuid) -> Result<bool, Problem> {
    Ok(store::second_factor(&mut *state.store.reader().await?, who).await?.secret.is_some())
}

/// The code of one's own second factor, given for one act: who has none set up, or gives a wrong one, is told at the field.
/// Nothing typed is no code.
pub(crate) async fn given(state: &State, me: &Me, code: &str) -> Result<bool, Problem> {
    if code.trim().is_empty() {
        return Ok(false);
    }
    if !is_set_up(state, me.staff.id).await? {
        let said = "You have no second factor yet; set one up under your name, or print the prescription.";
        return Err(Problem::field("code", said));
    }
    let said = "This code is wrong, or was used before.";
    check(state, &me.staff, Some(code)).await.map_err(|_| Problem::field("code", said))?;
    Ok(true)
}

/// Refuses somebody who has a second factor and does not give it. A code serves once.
pub(crate) async fn check(state: &State, who: &Staff, code: Option<&str>) -> Result<(), Problem> {
    let mut conn = state.store.reader().await?;
    let SecondFactor { secret, .. } = store::second_factor(&mut conn, who.id).await?;
    let Some(secret) = secret else { return Ok(()) };
    let Some(code) = code else { return Ok(()) };
    let typed: String = code.chars().filter(|c| c.is_ascii_alphanumeric()).collect::<String>().to_lowercase();
    if typed.is_empty() {
        let said = "Type the code that your second device shows now.";
        return Err(Problem::new(StatusCode::UNAUTHORIZED, "second-factor", said));
    }
    let right = if typed.len() == 6 && typed.bytes().all(|b| b.is_ascii_digit()) {
        match totp(&secret).and_then(|t| t.check(&typed, now())) {
            Some(step) => store::use_step(&mut conn, who.id, i64::try_from(step).unwrap_or(0)).await?,
            None => false,
        }
    } else {
        store::use_recovery(&mut conn, who.id, &hashed(&typed)).await?
    };
    if right {
        return Ok(());
    }
    let said = "This code is wrong, or was used before. Type the one that your device shows now, or a recovery code.";
    Err(Problem::new(StatusCode::UNAUTHORIZED, "second-factor", said))
}
