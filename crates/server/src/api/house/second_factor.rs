//! Setting up a second factor, and taking it away.

use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::signing::judging::own_password;
use crate::signing::second_factor::{hashed, now, totp};
use crate::state::State;
use actix_web::web::{Data, Json};
use rand::RngExt;
use serde::{Deserialize, Serialize};
use totp_rs::Secret;
use utoipa::ToSchema;

const RECOVERY_CODES: usize = 10;
/// How long a recovery code is, of letters and digits that nobody mistakes: 10 × 5 bits.
const RECOVERY_LENGTH: usize = 10;
const UNMISTAKEN: &[u8; 32] = b"abcdefghjkmnpqrstuvwxyz23456789x";

/// A secret to be set up on a device.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct NewFactor {
    /// For typing into the device (base32).
    secret: String,
    /// For the device's camera: the address as a QR code, as a picture address.
    picture: String,
}

/// Proposes a secret; nothing is kept before a code of it was given.
#[utoipa::path(post, path = "/api/me/second-factor/new", responses((status = 200, body = NewFactor)))]
pub async fn propose(me: Me) -> Answer<NewFactor> {
    let secret: [u8; 20] = rand::rng().random();
    let text = Secret::from(secret.to_vec()).to_base32();
    let address = format!("otpauth://totp/Indigo%20Harbor:{}?secret={text}&issuer=Indigo%20Harbor", me.staff.login);
    let code = qrcode::QrCode::new(address.as_bytes()).map_err(|_| Problem::not_found("picture"))?;
    let drawn = code.render::<qrcode::render::svg::Color<'_>>().min_dimensions(180, 180).build();
    let encoded: String = drawn.bytes().map(|b| format!("%{b:02X}")).collect();
    Ok(Json(NewFactor { secret: text, picture: format!("data:image/svg+xml,{encoded}") }))
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct FactorForm {
    secret: String,
    code: String,
    /// One's password, so that nobody sets it up at a screen that was left open.
    password: String,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct RecoveryCodes {
    /// Shown once.
    codes: Vec<String>,
}

/// Keeps the secret once a code shows that the device has it.
#[utoipa::path(post, path = "/api/me/second-factor", request_body = FactorForm, responses((status = 200, body = RecoveryCodes), (status = 422, body = Problem), (status = 429, body = Problem)))]
pub async fn keep(
    state: Data<State>,
    me: Me,
    request: actix_web::HttpRequest,
    form: Json<FactorForm>,
) -> Answer<RecoveryCodes> {
    own_password(&state, &me, &request, &form.password).await?;
    let secret = Secret::try_from_base32(&form.secret)
        .map_err(|_| Problem::field("secret", "Begin again: the secret cannot be read."))?;
    let secret: Vec<u8> = secret.as_ref().to_vec();
    let code: String = form.code.chars().filter(char::is_ascii_digit).collect();
    let step = totp(&secret)
        .and_then(|t| t.check(&code, now()))
        .ok_or_else(|| Problem::field("code", "This is not the code that the device shows now; look at its clock."))?;
    let codes: Vec<String> = {
        let mut random = rand::rng();
        let letter = |random: &mut rand::rngs::ThreadRng| char::from(UNMISTAKEN[random.random_range(0..31)]);
        (0..RECOVERY_CODES).map(|_| (0..RECOVERY_LENGTH).map(|_| letter(&mut random)).collect()).collect()
    };
    let hashes: Vec<String> = codes.iter().map(|c: &String| hashed(c)).collect();
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.set_second_factor(me.staff.id, &secret, i64::try_from(step).unwrap_or(0), &hashes).await?;
            Ok(Json(RecoveryCodes { codes }))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct PasswordOnly {
    password: String,
}

/// Takes one's own second factor away.
#[utoipa::path(post, path = "/api/me/second-factor/remove", request_body = PasswordOnly, responses((status = 200, body = Done), (status = 422, body = Problem), (status = 429, body = Problem)))]
pub async fn remove(
    state: Data<State>,
    me: Me,
    request: actix_web::HttpRequest,
    form: Json<PasswordOnly>,
) -> Answer<Done> {
    own_password(&state, &me, &request, &form.password).await?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.forget_second_factor(me.staff.id).await?;
            change.audit("asked to go without a second factor", "member of staff", me.staff.id, None, "");
            Ok(DONE)
        })
        .await
}
