//! Signing in and out.

use super::{DONE, Done};
use crate::access::{COOKIE, Me};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::cookie::{Cookie, SameSite};
use actix_web::http::StatusCode;
use actix_web::web::{Data, Json};
use actix_web::{HttpRequest, HttpResponse};
use argon2::password_hash::phc::PasswordHash;
use argon2::{Argon2, PasswordVerifier};
use harbor_core::permissions::{Permission, Role};
use harbor_store::rows::Staff;
use harbor_store::staff;
use rand::Rng;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

#[derive(Debug, Deserialize, ToSchema)]
pub struct SignIn {
    login: String,
    password: String,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MeView {
    pub staff: Staff,
    pub role_label: String,
    /// Sent back with every change, so that no other site can make one.
    pub csrf: String,
    pub permissions: Vec<String>,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct ShownSignIn {
    login: String,
    name: String,
}

fn view(staff: Staff, role: Role, csrf: String) -> MeView {
    let permissions = Permission::ALL.iter().filter(|p| role.may(**p)).map(|p| p.code().to_owned()).collect();
    MeView { staff, role_label: role.label().into(), csrf, permissions }
}

fn word(length: usize) -> String {
    let mut random = rand::rng();
    (0..length).map(|_| char::from(random.sample(rand::distr::Alphanumeric))).collect()
}

/// A hash of no password, so that an unknown login takes as long as a known one.
const NOBODY: &str = "$argon2id$v=19$m=19456,t=2,p=1$aW5kaWdvLWhhcmJvcg$2dAIh8E2gk6Q0IJ5T3XK8oN1bK2nBzbjX2fUQ3bJY3s";

#[utoipa::path(post, path = "/api/sign-in", request_body = SignIn, responses((status = 200, body = MeView), (status = 401, body = Problem), (status = 429, body = Problem)))]
pub async fn sign_in(state: Data<State>, body: Json<SignIn>) -> Result<HttpResponse, Problem> {
    let login = body.login.trim().to_lowercase();
    let mut conn = state.store.reader().await?;
    if login.len() > 60 || body.password.len() > 200 || login.chars().any(char::is_control) {
        return Err(Problem::new(StatusCode::UNAUTHORIZED, "wrong-sign-in", "The name or the password is wrong."));
    }
    if staff::recent_failures(&mut conn, &login).await? >= staff::ATTEMPTS {
        let wait = "Too many wrong tries; wait a quarter of an hour, or ask the manager.";
        return Err(Problem::new(StatusCode::TOO_MANY_REQUESTS, "throttled", wait));
    }
    let found = staff::by_login(&mut conn, &login).await?;
    let hash = found.as_ref().map_or_else(|| NOBODY.to_owned(), |s| s.password_hash.clone());
    let password = body.password.clone();
    let fits = actix_web::web::block(move || {
        PasswordHash::new(&hash).is_ok_and(|h| Argon2::default().verify_password(password.as_bytes(), &h).is_ok())
    })
    .await
    .unwrap_or(false);
    let Some((staff, role)) = found.filter(|_| fits).and_then(|s| Role::from_code(&s.role).map(|r| (s, r))) else {
        staff::record_attempt(&mut conn, &login, false).await?;
        return Err(Problem::new(StatusCode::UNAUTHORIZED, "wrong-sign-in", "The name or the password is wrong."));
    };
    staff::record_attempt(&mut conn, &login, true).await?;
    let (token, csrf) = (word(43), word(32));
    staff::open_session(&mut conn, &token, &csrf, staff.id).await?;
    let cookie = Cookie::build(COOKIE, token).path("/").http_only(true).same_site(SameSite::Strict).finish();
    Ok(HttpResponse::Ok().cookie(cookie).json(view(staff, role, csrf)))
}

#[utoipa::path(get, path = "/api/sign-ins", responses((status = 200, body = Vec<ShownSignIn>)))]
pub async fn shown_sign_ins(state: Data<State>) -> Json<Vec<ShownSignIn>> {
    let shown = &state.settings.shown_sign_ins;
    Json(shown.iter().map(|(login, name)| ShownSignIn { login: login.clone(), name: name.clone() }).collect())
}

#[utoipa::path(post, path = "/api/sign-out", responses((status = 200, body = Done)))]
pub async fn sign_out(state: Data<State>, request: HttpRequest) -> Answer<Done> {
    if let Some(cookie) = request.cookie(COOKIE) {
        staff::close_session(&mut *state.store.reader().await?, cookie.value()).await?;
    }
    Ok(DONE)
}

#[utoipa::path(get, path = "/api/me", responses((status = 200, body = MeView), (status = 401, body = Problem)))]
pub async fn me(me: Me) -> Json<MeView> {
    Json(view(me.staff, me.role, me.csrf))
}
