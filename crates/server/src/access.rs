//! Who may come in: each route of the table has a door of its own, built with what the table says of it. Session,
//! CSRF word, permission, restricted charts, the record of looks and the size of what is sent are checked here and
//! nowhere else. [`frame`] stands before all of them, [`machine`] says who is on the line.

mod body;
pub mod frame;
pub mod machine;
mod route;
pub mod shown;

use crate::problem::Problem;
use crate::state::State;
use actix_web::body::{BoxBody, EitherBody, MessageBody};
use actix_web::dev::{Payload, Service, ServiceRequest, ServiceResponse, Transform, forward_ready};
use actix_web::http::StatusCode;
use actix_web::http::header::{HeaderName, HeaderValue};
use actix_web::{Error, FromRequest, HttpMessage, HttpRequest, ResponseError, web};
use futures_util::future::LocalBoxFuture;
use harbor_core::house::permissions::Role;
use harbor_store::house::looks::Opened;
use harbor_store::house::sessions::Session;
use harbor_store::house::{looks, sessions};
use harbor_store::people::{registration, whose};
use harbor_store::rows::Staff;
use harbor_store::{Actor, Conn, Tiding, Topic, tidings};
pub use route::{Access, Route};
use serde_json::json;
use std::future::{Ready, ready};
use std::rc::Rc;
use uuid::Uuid;

pub const COOKIE: &str = "harbor_session";
/// Remembers a machine that somebody signed in at.
pub const DEVICE_COOKIE: &str = "harbor_device";
pub const CSRF_HEADER: &str = "x-harbor-csrf";
/// Says that a screen looks again at what it shows already. Nobody hides a first look with it.
pub const AGAIN_HEADER: &str = "x-harbor-again";
/// The tidings of the change, with its answer.
pub const TOLD_HEADER: &str = "x-harbor-told";

/// Who is signed in.
#[derive(Debug, Clone)]
pub struct Me {
    pub staff: Staff,
    pub role: Role,
    pub csrf: String,
    pub session: Uuid,
    pub locked: bool,
    pub second_factor: bool,
}

impl Me {
    pub fn actor(&self) -> Actor {
        Actor { staff_id: Some(self.staff.id), name: self.staff.name.clone() }
    }

    fn of(session: Session) -> Result<Me, Problem> {
        let role = *session.staff.role;
        Ok(Me {
            role,
            staff: session.staff,
            csrf: session.csrf,
            session: session.id,
            locked: session.locked,
            second_factor: session.second_factor,
        })
    }
}

impl FromRequest for Me {
    type Error = Problem;
    type Future = Ready<Result<Me, Problem>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        ready(request.extensions().get::<Me>().cloned().ok_or_else(signed_out))
    }
}

fn signed_out() -> Problem {
    Problem::new(StatusCode::UNAUTHORIZED, "signed-out", "Sign in to go on.")
}

fn locked() -> Problem {
    Problem::new(StatusCode::UNAUTHORIZED, "locked", "The screen is locked. It opens with your password.")
}

/// The door of a route.
pub fn door(route: &'static Route) -> Door {
    Door(route)
}

pub struct Door(&'static Route);

impl<S, B> Transform<S, ServiceRequest> for Door
where
    S: Service<ServiceRequest, Response = ServiceResponse<B>, Error = Error> + 'static,
    B: MessageBody + 'static,
{
    type Response = ServiceResponse<EitherBody<B, BoxBody>>;
    type Error = Error;
    type Transform = Guarded<S>;
    type InitError = ();
    type Future = Ready<Result<Guarded<S>, ()>>;

    fn new_transform(&self, service: S) -> Self::Future {
        ready(Ok(Guarded { route: self.0, service: Rc::new(service) }))
    }
}

/// A handler behind its door.
pub struct Guarded<S> {
    route: &'static Route,
    service: Rc<S>,
}

impl<S, B> Service<ServiceRequest> for Guarded<S>
where
    S: Service<ServiceRequest, Response = ServiceResponse<B>, Error = Error> + 'static,
    B: MessageBody + 'static,
{
    type Response = ServiceResponse<EitherBody<B, BoxBody>>;
    type Error = Error;
    type Future = LocalBoxFuture<'static, Result<Self::Response, Error>>;

    forward_ready!(service);

    fn call(&self, mut request: ServiceRequest) -> Self::Future {
        let (route, service) = (self.route, Rc::clone(&self.service));
        Box::pin(async move {
            if let Err(problem) = pass(route, &mut request).await {
                let answer = problem.error_response();
                return Ok(request.into_response(answer).map_into_right_body());
            }
            let (response, told) = tidings::hearing(service.call(request)).await;
            let mut response = response?;
            tell(&mut response, &told);
            if response.status().is_success()
                && let Err(problem) = shown::record(response.request()).await
            {
                // What could not be recorded is not shown.
                let answer = problem.error_response();
                return Ok(response.into_response(answer).map_into_right_body());
            }
            Ok(response.map_into_left_body())
        })
    }
}

/// Beyond so many, one word is shorter than all of them, and a header stays far below what a proxy passes on (4 kB).
const MOST_TOLD: usize = 12;

/// Says with the answer what the change told, so that the screen that made it looks again at just that.
fn tell<B>(response: &mut ServiceResponse<B>, told: &[Tiding]) {
    let shown: Vec<&Tiding> = told.iter().filter(|t| t.topic != Topic::Job).collect();
    if shown.is_empty() {
        return;
    }
    let said = match shown.len() {
        0..=MOST_TOLD => serde_json::to_string(&shown).unwrap_or_default(),
        _ => json!([{ "topic": "everything", "id": "", "change": shown[0].change }]).to_string(),
    };
    if let Ok(value) = HeaderValue::from_str(&said) {
        response.headers_mut().insert(HeaderName::from_static(TOLD_HEADER), value);
    }
}

/// Everything that a route asks of a request, in the order of what it costs.
async fn pass(route: &'static Route, request: &mut ServiceRequest) -> Result<(), Problem> {
    let state = request.app_data::<web::Data<State>>().ok_or_else(signed_out)?.clone();
    match route.access {
        Access::Public => {}
        Access::Stranger => machine::not_too_often(request, &state)?,
        access => {
            let mut conn = state.store.reader().await?;
            let me = session(request, &mut conn).await?;
            if me.locked && access != Access::Session {
                return Err(locked());
            }
            let word = request.headers().get(CSRF_HEADER).and_then(|h| h.to_str().ok()).unwrap_or("");
            if !request.method().is_safe() && word != me.csrf {
                return Err(Problem::new(StatusCode::FORBIDDEN, "csrf", "Reload the page and try again."));
            }
            if access != Access::Session && access != Access::SignedIn && lacks_second_factor(&mut conn, &me).await? {
                let said = "Your role signs in with a second factor. Set it up to go on.";
                return Err(Problem::new(StatusCode::FORBIDDEN, "second-factor-wanted", said));
            }
            if let Some(permission) = access.permission().filter(|p| !me.role.may(*p)) {
                let detail = format!("A {} may not {}.", me.role, permission.label());
                drop(conn);
                refused(&state, &me, route, None, "not allowed").await?;
                return Err(Problem::new(StatusCode::FORBIDDEN, "not-allowed", detail));
            }
            if access.whose().is_of_one() {
                let whom = whose::person(&mut conn, access.whose(), id_of(request)?).await?;
                if let Some(person) = whom {
                    let closed = matches!(access, Access::Chart(..))
                        && !registration::chart_is_open(&mut conn, person, me.staff.id, state.now()).await?;
                    drop(conn);
                    if closed {
                        refused(&state, &me, route, Some(person), "the chart is under restriction").await?;
                        return Err(Problem::restricted_chart());
                    }
                    if request.method().is_safe() {
                        let opened = if is_again(request) { Opened::Again } else { Opened::Now };
                        record_look(&state, &me, &what(route), person, opened).await?;
                    }
                }
            }
            request.extensions_mut().insert(me);
        }
    }
    body::read(request, route.body).await
}

pub(crate) fn is_again(request: &ServiceRequest) -> bool {
    request.headers().contains_key(AGAIN_HEADER)
}

/// The id that the address names. What is no id names nothing.
fn id_of(request: &ServiceRequest) -> Result<Uuid, Problem> {
    let named = request.match_info().get("id").unwrap_or("");
    named.parse().map_err(|_| Problem::not_found("thing"))
}

/// What a look at a route is called: the last word of its address, or the thing itself.
fn what(route: &Route) -> String {
    let tail = route.pattern.split_once("{id}").map_or("", |(_, tail)| tail);
    let word = tail.split('/').rfind(|p| !p.is_empty() && !p.starts_with('{'));
    let thing = route.access.whose().word();
    match (word, route.access.whose()) {
        (None, _) => thing.to_owned(),
        (Some(word), whose::Whose::Person | whose::Whose::Visit) => word.replace('-', " "),
        (Some(word), _) => format!("{thing}: {}", word.replace('-', " ")),
    }
}

async fn record_look(state: &State, me: &Me, what: &str, person: Uuid, opened: Opened) -> Result<(), Problem> {
    if opened == Opened::Again {
        let mut conn = state.store.reader().await?;
        if !looks::is_new(&mut conn, me.session, what, person).await? {
            return Ok(());
        }
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            if change.looked(me.session, what, &[person], opened).await? == 0 {
                change.give_up();
            }
            Ok(())
        })
        .await
}

/// Records that somebody was refused.
async fn refused(state: &State, me: &Me, route: &Route, person: Option<Uuid>, why: &str) -> Result<(), Problem> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let place = format!("{} {}: {why}", route.method, route.pattern);
            change.audit("was refused", "route", me.session, person, place);
            Ok(())
        })
        .await
}

/// Whether somebody's role wants a second factor that they have not set up yet.
async fn lacks_second_factor(conn: &mut Conn, me: &Me) -> Result<bool, Problem> {
    if me.second_factor {
        return Ok(false);
    }
    let clinic = harbor_store::house::staff::clinic(conn).await?;
    Ok(clinic.second_factor_roles.iter().any(|r| *r == me.role))
}

async fn session(request: &ServiceRequest, conn: &mut Conn) -> Result<Me, Problem> {
    let token = request.cookie(COOKIE).map(|c| c.value().to_owned()).ok_or_else(signed_out)?;
    Me::of(sessions::find(conn, &token).await?.ok_or_else(signed_out)?)
}
