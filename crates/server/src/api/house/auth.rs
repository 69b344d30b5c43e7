//! Signing in and out, and what becomes of a session in between.

use crate::access::{COOKIE, DEVICE_COOKIE, Me, machine};
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::signing::judging::judge;
use crate::signing::{second_factor, word};
use crate::state::State;
use actix_web::cookie::time::Duration as CookieAge;
use actix_web::cookie::{Cookie, SameSite};
use actix_web::http::StatusCode;
use actix_web::http::header::USER_AGENT;
use actix_web::web::{Data, Json, Path};
use actix_web::{HttpRequest, HttpResponse};
use harbor_core::house::permissions::Permission;
use harbor_store::Actor;
use harbor_store::house::sessions::{NewSession, OpenSession};
use harbor_store::house::{sessions, staff};
use harbor_store::rows::Staff;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
pub struct SignIn {
    login: String,
    password: String,
    /// The code of the second factor, or a recovery code, where one is set up.
    #[serde(default)]
    code: String,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MeView {
    pub staff: Staff,
    pub role_label: String,
    /// Sent back with every change, so that no other site can make one.
    pub csrf: String,
    pub permissions: Vec<String>,
    /// The screen locks when nobody touched it for so long.
    pub lock_minutes: i32,
    /// 256 bits in hexadecimal, this person's own: what was typed and not saved is kept in the browser under it.
    pub draft_key: String,
    pub second_factor: bool,
    /// The role signs in with a second factor, and none is set up yet: nothing else opens before.
    pub second_factor_wanted: bool,
    /// How much this server had told its screens before this was read.
    pub told: u64,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct ShownSignIn {
    login: String,
    name: String,
}

async fn view(state: &State, me: Me) -> Result<MeView, Problem> {
    let told = state.live.told();
    let clinic = staff::clinic(&mut *state.store.reader().await?).await?;
    let wanted = clinic.second_factor_roles.iter().any(|r| *r == me.role);
    Ok(MeView {
        told,
        permissions: Permission::ALL.iter().filter(|p| me.role.may(**p)).map(|p| p.code().to_owned()).collect(),
        role_label: me.role.label().into(),
        lock_minutes: clinic.lock_minutes,
        draft_key: sessions::draft_key(&mut *state.store.reader().await?, me.staff.id).await?,
        second_factor: me.second_factor,
        second_factor_wanted: wanted && !me.second_factor,
        staff: me.staff,
        csrf: me.csrf,
    })
}

#[utoipa::path(post, path = "/api/sign-in", request_body = SignIn, responses((status = 200, body = MeView), (status = 401, body = Problem), (status = 429, body = Problem)))]
pub async fn sign_in(state: Data<State>, request: HttpRequest, body: Json<SignIn>) -> Result<HttpResponse, Problem> {
    let right = judge(&state, &request, &body.login, &body.password, Some(&body.code)).await?;
    let role = *right.staff.role;
    let (token, csrf, device) = (word(43), word(32), right.device.unwrap_or_else(|| word(43)));
    let agent = request.headers().get(USER_AGENT).and_then(|a| a.to_str().ok()).unwrap_or("");
    let agent: String = agent.chars().filter(|c| !c.is_control()).take(200).collect();
    let new = NewSession { token: &token, csrf: &csrf, device: &device, machine: &right.machine, agent: &agent };
    let actor = Actor { staff_id: Some(right.staff.id), name: right.staff.name.clone() };
    let session = state
        .store
        .change(&actor, state.now(), async |change| {
            let session = change.open_session(&right.staff, &new).await?;
            Ok::<_, Problem>(session)
        })
        .await?;
    let second_factor = second_factor::is_set_up(&state, right.staff.id).await?;
    let me = Me { staff: right.staff, role, csrf, session, locked: false, second_factor };
    let secure = machine::is_secure(&request, &state);
    let cookie =
        |name, value| Cookie::build(name, value).path("/").http_only(true).secure(secure).same_site(SameSite::Strict);
    Ok(HttpResponse::Ok()
        .cookie(cookie(COOKIE, token).finish())
        .cookie(cookie(DEVICE_COOKIE, device).max_age(CookieAge::days(365)).finish())
        .json(view(&state, me).await?))
}

#[utoipa::path(get, path = "/api/sign-ins", responses((status = 200, body = Vec<ShownSignIn>)))]
pub async fn shown_sign_ins(state: Data<State>) -> Json<Vec<ShownSignIn>> {
    let shown = &state.settings.shown_sign_ins;
    Json(shown.iter().map(|(login, name)| ShownSignIn { login: login.clone(), name: name.clone() }).collect())
}

/// The session one has, also when it is locked.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SessionView {
    login: String,
    locked: bool,
    csrf: String,
}

#[utoipa::path(get, path = "/api/session", responses((status = 200, body = SessionView), (status = 401, body = Problem)))]
pub async fn session(me: Me) -> Json<SessionView> {
    Json(SessionView { login: me.staff.login, locked: me.locked, csrf: me.csrf })
}

/// Somebody is there: a key was pressed, or the mouse moved. Nothing else renews a session.
#[utoipa::path(post, path = "/api/session/here", responses((status = 200, body = Done), (status = 401, body = Problem)))]
pub async fn here(state: Data<State>, me: Me) -> Answer<Done> {
    sessions::renew(&mut *state.store.reader().await?, me.session).await?;
    Ok(DONE)
}

#[utoipa::path(post, path = "/api/session/lock", responses((status = 200, body = Done), (status = 401, body = Problem)))]
pub async fn lock(state: Data<State>, me: Me) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.lock_session(me.session).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct UnlockForm {
    password: String,
}

/// Opens a locked session with the password of whose it is.
#[utoipa::path(post, path = "/api/session/unlock", request_body = UnlockForm, responses((status = 200, body = Done), (status = 401, body = Problem), (status = 429, body = Problem)))]
pub async fn unlock(state: Data<State>, me: Me, request: HttpRequest, form: Json<UnlockForm>) -> Answer<Done> {
    let mistyped = || Problem::new(StatusCode::UNAUTHORIZED, "wrong-sign-in", "The password is wrong.");
    // The second factor was given when the session was opened.
    let right = judge(&state, &request, &me.staff.login, &form.password, second_factor::GIVEN).await;
    right.map_err(|p| if p.status == 401 { mistyped() } else { p })?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.unlock_session(me.session).await?;
            Ok(DONE)
        })
        .await
}

#[utoipa::path(post, path = "/api/sign-out", responses((status = 200, body = Done)))]
pub async fn sign_out(state: Data<State>, me: Me) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.end_session(me.session, "signed out").await?;
            Ok(DONE)
        })
        .await
}

#[utoipa::path(get, path = "/api/me", responses((status = 200, body = MeView), (status = 401, body = Problem)))]
pub async fn me(state: Data<State>, me: Me) -> Answer<MeView> {
    Ok(Json(view(&state, me).await?))
}

/// A session of one's own, or of anybody for who manages them.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SessionRow {
    session: OpenSession,
    /// The one that asks.
    own: bool,
}

#[utoipa::path(get, path = "/api/me/sessions", responses((status = 200, body = Vec<SessionRow>)))]
pub async fn own_sessions(state: Data<State>, me: Me) -> Answer<Vec<SessionRow>> {
    let rows = sessions::open_sessions(&mut *state.store.reader().await?, Some(me.staff.id)).await?;
    Ok(Json(rows.into_iter().map(|s| SessionRow { own: s.id == me.session, session: s }).collect()))
}

#[utoipa::path(delete, path = "/api/me/sessions/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 404, body = Problem)))]
pub async fn end_own_session(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let own = sessions::open_sessions(change.conn(), Some(me.staff.id)).await?;
            if !own.iter().any(|s| s.id == *id) {
                return Err(Problem::not_found("session"));
            }
            change.end_session(*id, "ended").await?;
            Ok(DONE)
        })
        .await
}
