//! Who is on the line: the machine that asks, the name it asked for, and whether the way is closed to listeners.

use crate::problem::Problem;
use crate::state::State;
use actix_web::HttpRequest;
use actix_web::dev::ServiceRequest;
use actix_web::http::StatusCode;
use actix_web::http::header::HOST;
use std::net::IpAddr;

/// The address of the machine that asks. Behind a proxy of the clinic's it is the last one that the proxy names: what
/// stands before it was written by whoever asks.
pub fn address(request: &HttpRequest, state: &State) -> IpAddr {
    let peer = request.peer_addr().map_or(IpAddr::from([0, 0, 0, 0]), |a| a.ip());
    if !state.settings.behind_proxy {
        return peer;
    }
    let told = request.headers().get("x-forwarded-for").and_then(|h| h.to_str().ok());
    told.and_then(|t| t.rsplit(',').next()?.trim().parse().ok()).unwrap_or(peer)
}

/// Whether the browser's way to us is encrypted: by ourselves, or by the proxy that says so.
pub fn is_secure(request: &HttpRequest, state: &State) -> bool {
    if state.settings.tls.is_some() {
        return true;
    }
    state.settings.behind_proxy
        && request.headers().get("x-forwarded-proto").is_some_and(|p| p.as_bytes().eq_ignore_ascii_case(b"https"))
}

fn without_port(host: &str) -> &str {
    match host.rsplit_once(':') {
        Some((name, port)) if port.bytes().all(|b| b.is_ascii_digit()) && !name.is_empty() => name,
        _ => host,
    }
}

/// Whether a request is for a name of ours; a page of another name that points here (DNS rebinding) is not.
pub fn is_our_name(request: &ServiceRequest, state: &State) -> bool {
    let known = |host: &str| {
        let host = without_port(host);
        state.settings.names.iter().any(|name| name.eq_ignore_ascii_case(host))
    };
    let asked = request.headers().get(HOST).map(|h| h.to_str().unwrap_or(""));
    // An address may name a host itself (RFC 9112, 3.2.2).
    let named = request.uri().host();
    let several = request.headers().get_all(HOST).count() > 1;
    !several && asked.or(named).is_some_and(known) && named.is_none_or(known)
}

/// Refuses a machine that asks for public pages faster than a calendar or a reader would.
pub fn not_too_often(request: &ServiceRequest, state: &State) -> Result<(), Problem> {
    match state.strangers.check_key(&address(request.request(), state)) {
        Ok(()) => Ok(()),
        Err(_) => {
            let said = "This was asked for too often; wait a minute and try again.";
            Err(Problem::new(StatusCode::TOO_MANY_REQUESTS, "throttled", said))
        }
    }
}
