//! Who may come in: session, CSRF word, permission and restricted charts, checked here and nowhere else.

use crate::problem::Problem;
use crate::routes::{Access, access_of};
use crate::state::State;
use actix_web::body::MessageBody;
use actix_web::dev::{Payload, ServiceRequest, ServiceResponse};
use actix_web::http::StatusCode;
use actix_web::http::header::{HeaderName, HeaderValue};
use actix_web::middleware::Next;
use actix_web::{Error, FromRequest, HttpMessage, HttpRequest, web};
use harbor_core::permissions::Role;
use harbor_store::Actor;
use harbor_store::people::registration;
use harbor_store::rows::Staff;
use std::future::{Ready, ready};
use std::net::IpAddr;
use uuid::Uuid;

/// The one route that opens a restricted chart.
const OPENS_A_CHART: &str = "/open-chart";
pub const COOKIE: &str = "harbor_session";
pub const CSRF_HEADER: &str = "x-harbor-csrf";
/// A session that nobody uses locks after this time.
pub const IDLE_MINUTES: i32 = 30;

/// Who is signed in.
#[derive(Debug, Clone)]
pub struct Me {
    pub staff: Staff,
    pub role: Role,
    pub csrf: String,
}

impl Me {
    pub fn actor(&self) -> Actor {
        Actor { staff_id: Some(self.staff.id), name: self.staff.name.clone() }
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

/// Stands before every route of the API.
pub async fn guard(
    request: ServiceRequest,
    next: Next<impl MessageBody>,
) -> Result<ServiceResponse<impl MessageBody>, Error> {
    let under_api = request.path().starts_with("/api/");
    let pattern = request.match_pattern();
    let access = match &pattern {
        Some(pattern) => access_of(request.method(), pattern),
        None if under_api => return Err(Problem::not_found("address").into()),
        None => Some(Access::Public),
    };
    // A route that the table does not know is open to nobody.
    let access = access.ok_or_else(|| Problem::not_found("address"))?;
    if access == Access::Stranger {
        not_too_often(&request)?;
    } else if access != Access::Public {
        let me = session(&request).await?;
        let safe = request.method().is_safe();
        let word = request.headers().get(CSRF_HEADER).and_then(|h| h.to_str().ok()).unwrap_or("");
        if !safe && word != me.csrf {
            return Err(Problem::new(StatusCode::FORBIDDEN, "csrf", "Reload the page and try again.").into());
        }
        if let Access::Needs(permission) = access
            && !me.role.may(permission)
        {
            let detail = format!("A {} may not {}.", me.role, permission.label());
            return Err(Problem::new(StatusCode::FORBIDDEN, "not-allowed", detail).into());
        }
        let opens = pattern.as_deref().is_some_and(|p| p.ends_with(OPENS_A_CHART));
        if matches!(access, Access::Needs(permission) if permission.is_of_chart()) && !opens {
            chart_is_open(&request, &me).await?;
        }
        request.extensions_mut().insert(me);
    }
    let mut response = next.call(request).await?;
    let headers = response.headers_mut();
    let mut set = |name: &'static str, value: &'static str| {
        headers.insert(HeaderName::from_static(name), HeaderValue::from_static(value));
    };
    set("x-content-type-options", "nosniff");
    set("referrer-policy", "no-referrer");
    set("x-frame-options", "DENY");
    if under_api {
        set("cache-control", "no-store");
    }
    Ok(response)
}

/// Refuses what reads or writes in a restricted chart, until it was opened with a reason.
async fn chart_is_open(request: &ServiceRequest, me: &Me) -> Result<(), Problem> {
    let mut parts = request.path().split('/').skip(2);
    let (Some(noun), Some(Ok(id))) = (parts.next(), parts.next().map(str::parse::<Uuid>)) else { return Ok(()) };
    let state = request.app_data::<web::Data<State>>().ok_or_else(signed_out)?;
    let mut conn = state.store.reader().await?;
    let Some(person) = registration::whose_chart(&mut conn, noun, id).await? else { return Ok(()) };
    if registration::chart_is_open(&mut conn, person, me.staff.id, state.now()).await? {
        Ok(())
    } else {
        Err(Problem::restricted_chart())
    }
}

/// Refuses a machine that asks for public pages faster than a calendar or a reader would.
fn not_too_often(request: &ServiceRequest) -> Result<(), Problem> {
    let limit = request.app_data::<web::Data<State>>().map(|s| &s.strangers);
    let from = request.peer_addr().map_or(IpAddr::from([0, 0, 0, 0]), |a| a.ip());
    match limit.map(|l| l.check_key(&from)) {
        Some(Err(_)) => {
            let said = "This was asked for too often; wait a minute and try again.";
            Err(Problem::new(StatusCode::TOO_MANY_REQUESTS, "throttled", said))
        }
        _ => Ok(()),
    }
}

async fn session(request: &ServiceRequest) -> Result<Me, Problem> {
    let token = request.cookie(COOKIE).map(|c| c.value().to_owned()).ok_or_else(signed_out)?;
    let state = request.app_data::<web::Data<State>>().ok_or_else(signed_out)?;
    let mut conn = state.store.reader().await?;
    let (staff, csrf) = harbor_store::staff::session(&mut conn, &token, IDLE_MINUTES).await?.ok_or_else(signed_out)?;
    let role = Role::from_code(&staff.role).ok_or_else(signed_out)?;
    Ok(Me { staff, role, csrf })
}
