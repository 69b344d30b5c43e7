//! The people who work here: their sign-ins, passwords and sessions.

use crate::access::{Me, machine};
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::signing::judging::own_password;
use crate::signing::word;
use crate::state::State;
use actix_web::HttpRequest;
use actix_web::web::{Data, Json, Path};
use chrono::{DateTime, Utc};
use harbor_core::fields::Faults;
use harbor_core::fields::identifiers::{Npi, dea_is_valid, taxonomy_is_valid};
use harbor_core::house::passwords::refusal;
use harbor_core::house::permissions::Role;
use harbor_store::Actor;
use harbor_store::house::sessions::OpenSession;
use harbor_store::house::sign_ins::StaffForm;
use harbor_store::house::{sessions, sign_ins, staff as store};
use harbor_store::rows::Staff;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct StaffRow {
    staff: Staff,
    role_label: String,
    /// Where they work; empty: everywhere.
    site_ids: Vec<Uuid>,
    second_factor: bool,
    /// No password was set yet.
    invited: bool,
    sessions: Vec<OpenSession>,
}

#[utoipa::path(get, path = "/api/staff", responses((status = 200, body = Vec<StaffRow>)))]
pub async fn list(state: Data<State>) -> Answer<Vec<StaffRow>> {
    let mut conn = state.store.reader().await?;
    let more = sign_ins::sites_of(&mut conn).await?;
    let open = sessions::open_sessions(&mut conn, None).await?;
    let row = |staff: Staff| {
        let (site_ids, second_factor) =
            more.iter().find(|(id, ..)| *id == staff.id).map(|(_, s, f)| (s.clone(), *f)).unwrap_or_default();
        StaffRow {
            role_label: staff.role.label().to_owned(),
            sessions: open.iter().filter(|s| s.staff_id == staff.id).cloned().collect(),
            invited: staff.password_hash == "!",
            site_ids,
            second_factor,
            staff,
        }
    };
    Ok(Json(store::all(&mut conn).await?.into_iter().map(row).collect()))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct WhoForm {
    login: String,
    first_name: String,
    last_name: String,
    /// As everybody reads it, with a title; empty: first and last name.
    #[serde(default)]
    name: String,
    role: String,
    #[serde(default)]
    site_ids: Vec<Uuid>,
    #[serde(default = "yes")]
    active: bool,
    /// National provider number; not said, it stays as it was. What is signed goes out under it.
    npi: Option<String>,
    /// Number of the Drug Enforcement Administration, for controlled substances; not said, it stays as it was.
    dea: Option<String>,
    /// Taxonomy code of ten letters and digits, by which payers know the specialty; not said, it stays as it was.
    taxonomy: Option<String>,
}

fn yes() -> bool {
    true
}

fn read(form: &WhoForm) -> Result<StaffForm, Problem> {
    let mut faults = Faults::default();
    let login = faults.line("login", "Sign-in name", &form.login, 60).to_lowercase();
    if !login.chars().all(|c| c.is_alphanumeric() || "._-".contains(c)) {
        faults.add("login", "A sign-in name has letters, digits, dots and dashes.");
    }
    let first_name = faults.line("firstName", "First name", &form.first_name, 100);
    let last_name = faults.line("lastName", "Last name", &form.last_name, 100);
    let name = faults.optional_line("name", "Name", &form.name, 120);
    let role = Role::from_code(&form.role);
    if role.is_none() {
        faults.add("role", "Choose what they do here.");
    }
    let npi = form.npi.as_deref().map(str::trim);
    if let Some(Err(bad)) = npi.filter(|n| !n.is_empty()).map(Npi::parse) {
        faults.add("npi", bad.to_string());
    }
    let dea = form.dea.as_deref().map(|d| d.trim().to_uppercase());
    if dea.as_deref().is_some_and(|d| !d.is_empty() && !dea_is_valid(d)) {
        faults.add("dea", "A DEA number is two letters and seven digits; this one has a slip in it.");
    }
    let taxonomy = form.taxonomy.as_deref().map(|t| t.trim().to_uppercase());
    if taxonomy.as_deref().is_some_and(|t| !t.is_empty() && !taxonomy_is_valid(t)) {
        faults.add("taxonomy", "A taxonomy code has ten letters and digits, such as 207Q00000X.");
    }
    faults.none_or(())?;
    let role = role.ok_or_else(|| Problem::field("role", "Choose what they do here."))?;
    let name = if name.is_empty() { format!("{first_name} {last_name}") } else { name };
    Ok(StaffForm {
        login,
        first_name,
        last_name,
        name,
        role,
        site_ids: form.site_ids.clone(),
        npi: npi.map(str::to_owned),
        dea,
        taxonomy,
    })
}

#[utoipa::path(post, path = "/api/staff", request_body = WhoForm, responses((status = 200, body = Staff), (status = 422, body = Problem)))]
pub async fn add(state: Data<State>, me: Me, form: Json<WhoForm>) -> Answer<Staff> {
    let form = read(&form)?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let row = change.add_staff(&form).await?;
            Ok(Json(row))
        })
        .await
}

#[utoipa::path(put, path = "/api/staff/{id}", params(("id" = Uuid, Path)), request_body = WhoForm, responses((status = 200, body = Staff), (status = 422, body = Problem)))]
pub async fn change(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<WhoForm>) -> Answer<Staff> {
    let who = read(&form)?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let row = change.change_staff(*id, &who, form.active).await?;
            Ok(Json(row))
        })
        .await
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LinkView {
    /// The address to hand over; shown once.
    path: String,
    ends_at: DateTime<Utc>,
}

/// Makes a link by which somebody sets their password, once.
#[utoipa::path(post, path = "/api/staff/{id}/password-link", params(("id" = Uuid, Path)), responses((status = 200, body = LinkView), (status = 422, body = Problem)))]
pub async fn make_link(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<LinkView> {
    let token = word(43);
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let ends_at = change.make_password_link(*id, &token).await?;
            // Behind the sign, a browser sends it to nobody.
            Ok(Json(LinkView { path: format!("/set-password#{token}"), ends_at }))
        })
        .await
}

/// Ends a session of anybody.
#[utoipa::path(delete, path = "/api/staff/sessions/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 404, body = Problem)))]
pub async fn end_session(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.end_session(*id, "ended").await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct DoorsForm {
    lock_minutes: i32,
    second_factor_roles: Vec<String>,
}

#[utoipa::path(put, path = "/api/settings/doors", request_body = DoorsForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn set_doors(state: Data<State>, me: Me, form: Json<DoorsForm>) -> Answer<Done> {
    if !(1..=60).contains(&form.lock_minutes) {
        return Err(Problem::field("lockMinutes", "Screens lock after 1 to 60 minutes."));
    }
    let roles: Option<Vec<Role>> = form.second_factor_roles.iter().map(|r| Role::from_code(r)).collect();
    let roles = roles.ok_or_else(|| Problem::field("secondFactorRoles", "Choose among the roles."))?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.set_doors(form.lock_minutes, &roles).await?;
            Ok(DONE)
        })
        .await
}

/// Refuses a password that is easy to guess, also from what is known of its owner.
fn strong(password: &str, owner: &Staff, clinic: &str) -> Result<(), Problem> {
    let known = [owner.login.as_str(), &owner.first_name, &owner.last_name, clinic, "indigo", "harbor"];
    let judged: String = password.chars().take(100).collect();
    let found = zxcvbn::zxcvbn(&judged, &known);
    let why = found.feedback().and_then(|f| f.warning()).map(|w| w.to_string());
    match refusal(password, u8::from(found.score()), why.as_deref()) {
        Some(sentence) => Err(Problem::field("password", sentence)),
        None => Ok(()),
    }
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PasswordForm {
    old_password: String,
    password: String,
}

/// Changes one's own password; one's other sessions end.
#[utoipa::path(post, path = "/api/me/password", request_body = PasswordForm, responses((status = 200, body = Done), (status = 422, body = Problem), (status = 429, body = Problem)))]
pub async fn change_password(
    state: Data<State>,
    me: Me,
    request: HttpRequest,
    form: Json<PasswordForm>,
) -> Answer<Done> {
    strong(&form.password, &me.staff, &state.clinic.name)?;
    own_password(&state, &me, &request, &form.old_password).await?;
    let hash = state.signing.enter(machine::address(&request, &state))?.hash(&form.password).await?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.set_password(me.staff.id, &hash, Some(me.session)).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct LinkForm {
    token: String,
    /// Empty only asks whose the link is.
    #[serde(default)]
    password: String,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct LinkOwner {
    name: String,
    login: String,
    set: bool,
}

/// Sets a password by a link that a manager made.
#[utoipa::path(post, path = "/api/set-password", request_body = LinkForm, responses((status = 200, body = LinkOwner), (status = 404, body = Problem), (status = 422, body = Problem), (status = 429, body = Problem)))]
pub async fn set_password(state: Data<State>, request: HttpRequest, form: Json<LinkForm>) -> Answer<LinkOwner> {
    let by = Actor::system("a password link");
    let owner = state
        .store
        .change(&by, state.now(), async |change| {
            change.give_up();
            change.owner_of_link(&form.token).await
        })
        .await?;
    if form.password.is_empty() {
        return Ok(Json(LinkOwner { name: owner.name, login: owner.login, set: false }));
    }
    strong(&form.password, &owner, &state.clinic.name)?;
    let hash = state.signing.enter(machine::address(&request, &state))?.hash(&form.password).await?;
    state
        .store
        .change(&by, state.now(), async |change| {
            let owner = change.use_password_link(&form.token, &hash).await?;
            Ok(Json(LinkOwner { name: owner.name, login: owner.login, set: true }))
        })
        .await
}
