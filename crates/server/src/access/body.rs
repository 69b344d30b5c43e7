//! What is sent is read before a handler runs: as much as the route takes, and no longer than it needs.

use crate::problem::Problem;
use actix_web::HttpMessage;
use actix_web::dev::{Payload, ServiceRequest};
use actix_web::http::StatusCode;
use actix_web::http::header::{CONTENT_ENCODING, CONTENT_LENGTH};
use actix_web::web::BytesMut;
use futures_util::StreamExt;
use std::time::Duration;
use tokio::time::{Instant, timeout_at};

/// A form arrives within this time; larger things get a second more for each [`A_SECONDS_WORTH`].
const SOON: Duration = Duration::from_secs(10);
const A_SECONDS_WORTH: usize = 512 << 10;

fn too_large(limit: usize) -> Problem {
    let said = format!("This is larger than {} kB, the most that can be sent here.", limit >> 10);
    Problem::new(StatusCode::PAYLOAD_TOO_LARGE, "too-large", said).and_hang_up()
}

/// Reads the body of a request that may have one, and puts it back for the handler.
pub async fn read(request: &mut ServiceRequest, limit: usize) -> Result<(), Problem> {
    if request.method().is_safe() {
        return Ok(());
    }
    let encoded = request.headers().get(CONTENT_ENCODING).is_some_and(|e| e.as_bytes() != b"identity");
    if encoded {
        // A small packed body can unfold into hours of work; nobody who works here sends one.
        let said = "Send it unpacked: packed requests are not taken.";
        return Err(Problem::new(StatusCode::UNSUPPORTED_MEDIA_TYPE, "packed", said).and_hang_up());
    }
    let told = request.headers().get(CONTENT_LENGTH).and_then(|l| l.to_str().ok()?.parse::<usize>().ok());
    if told.is_some_and(|length| length > limit) {
        return Err(too_large(limit));
    }
    let extra = u32::try_from(told.unwrap_or(limit) / A_SECONDS_WORTH).unwrap_or(0);
    let end = Instant::now() + SOON + Duration::from_secs(1) * extra;
    let mut payload = request.take_payload();
    let mut all = BytesMut::with_capacity(told.unwrap_or(0).min(64 << 10));
    loop {
        let Ok(chunk) = timeout_at(end, payload.next()).await else {
            let said = "What was sent did not arrive in time; send it again.";
            return Err(Problem::new(StatusCode::REQUEST_TIMEOUT, "too-slow", said).and_hang_up());
        };
        match chunk {
            None => break,
            Some(Ok(bytes)) if all.len() + bytes.len() <= limit => all.extend_from_slice(&bytes),
            Some(Ok(_)) => return Err(too_large(limit)),
            Some(Err(_)) => {
                let said = "What was sent broke off on the way; send it again.";
                return Err(Problem::new(StatusCode::BAD_REQUEST, "broken-off", said).and_hang_up());
            }
        }
    }
    let (_, mut whole) = actix_http::h1::Payload::create(true);
    whole.unread_data(all.freeze());
    request.set_payload(Payload::from(whole));
    Ok(())
}
