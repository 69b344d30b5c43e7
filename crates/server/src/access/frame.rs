//! What holds for every address, before any route: one spelling, our own name, and the headers of every answer.

use super::machine;
use crate::problem::Problem;
use crate::state::State;
use actix_web::body::MessageBody;
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::StatusCode;
use actix_web::http::header::{HeaderName, HeaderValue};
use actix_web::middleware::Next;
use actix_web::{Error, ResponseError, web};

/// The policy of an answer that our own screen may show in a frame; nothing in it runs or loads.
pub const FRAMED: &str =
    "default-src 'none'; style-src 'unsafe-inline'; img-src 'self'; object-src 'self'; frame-ancestors 'self'";

/// Stands around everything.
pub async fn frame(
    request: ServiceRequest,
    next: Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<impl MessageBody>, Error> {
    let data = is_data(request.path());
    let secure = request.app_data::<web::Data<State>>().is_some_and(|s| machine::is_secure(request.request(), s));
    let mut response = match fault(&request) {
        Some(problem) => request.into_response(problem.error_response()).map_into_right_body(),
        None => next.call(request).await?.map_into_left_body(),
    };
    let framed = response.headers().get("content-security-policy").is_some_and(|p| p == FRAMED);
    let headers = response.headers_mut();
    let mut set = |name: &'static str, value: &'static str| {
        headers.insert(HeaderName::from_static(name), HeaderValue::from_static(value));
    };
    set("x-content-type-options", "nosniff");
    set("referrer-policy", "no-referrer");
    // Only a scan that our own screen shows beside its fields stands in a frame.
    set("x-frame-options", if framed { "SAMEORIGIN" } else { "DENY" });
    set("cross-origin-opener-policy", "same-origin");
    set("cross-origin-resource-policy", "same-origin");
    if data {
        set("cache-control", "no-store");
    }
    if secure {
        set("strict-transport-security", "max-age=31536000; includeSubDomains");
    }
    Ok(response)
}

/// Whether an address is one of data, and not of the screens; in doubt it is.
fn is_data(path: &str) -> bool {
    let path = path.to_ascii_lowercase();
    !(path == "/" || path.starts_with("/assets/"))
        && (path.contains("api") || path.contains("feeds") || path.contains('%'))
}

fn fault(request: &ServiceRequest) -> Option<Problem> {
    let state = request.app_data::<web::Data<State>>()?;
    if !is_canonical(request.uri().path()) {
        let said = "This address is not written as addresses are written here.";
        return Some(Problem::new(StatusCode::BAD_REQUEST, "address", said));
    }
    if !machine::is_our_name(request, state) {
        let said = "This server does not answer to this name.";
        return Some(Problem::new(StatusCode::MISDIRECTED_REQUEST, "host", said));
    }
    None
}

/// Whether a path has the one spelling that is served (RFC 3986, 6.2.2): no empty, `.` or `..` segment but the one
/// after a last slash, no parameters, and nothing encoded that need not be, or that would part or end a segment.
pub fn is_canonical(path: &str) -> bool {
    let Some(rest) = path.strip_prefix('/') else { return false };
    if rest.is_empty() {
        return true;
    }
    rest.split('/').all(|segment| !matches!(segment, "" | "." | "..") && segment_is_canonical(segment.as_bytes()))
}

fn segment_is_canonical(mut rest: &[u8]) -> bool {
    let upper = |b: u8| b.is_ascii_digit() || (b'A'..=b'F').contains(&b);
    while let [first, tail @ ..] = rest {
        rest = match *first {
            b'%' => {
                let [high, low, tail @ ..] = tail else { return false };
                if !upper(*high) || !upper(*low) {
                    return false;
                }
                let digit = |b: u8| if b.is_ascii_digit() { b - b'0' } else { b - b'A' + 10 };
                let byte = digit(*high) * 16 + digit(*low);
                let needless = byte.is_ascii_alphanumeric() || b"-._~".contains(&byte);
                if needless || byte < 0x20 || byte == 0x7f || byte == b'/' || byte == b'\\' {
                    return false;
                }
                tail
            }
            b';' | b'\\' | b'?' | b'#' => return false,
            byte if byte <= 0x20 || byte >= 0x7f => return false,
            _ => tail,
        };
    }
    true
}
