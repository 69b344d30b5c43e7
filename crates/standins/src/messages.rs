//! Texts and e-mails: an outbox to read, and what becomes of each.
//!
//! | to | what happens |
//! |---|---|
//! | a number ending in 98 | failed: the number is not in service |
//! | a number ending in 97 | taken, and nothing is heard of it |
//! | an address that begins with `bounce` | bounced: no such mailbox |
//! | anything else | delivered |
//!
//! The same reference twice is one message.

use crate::{After, World, moody, released};
use actix_web::{HttpResponse, web};
use serde::Deserialize;
use serde_json::json;

#[derive(Deserialize)]
pub struct Outgoing {
    reference: String,
    /// text or email
    channel: String,
    to: String,
    #[serde(default)]
    subject: String,
    body: String,
}

/// What becomes of a message, decided by its address.
pub fn fate(channel: &str, to: &str) -> Option<(&'static str, &'static str)> {
    match channel {
        "text" if to.ends_with("98") => Some(("failed", "The number is not in service.")),
        "text" if to.ends_with("97") => None,
        "email" if to.starts_with("bounce") => Some(("bounced", "There is no such mailbox.")),
        _ => Some(("delivered", "")),
    }
}

pub async fn send(world: web::Data<World>, message: web::Json<Outgoing>) -> HttpResponse {
    if let Some(answer) = moody(&world) {
        return answer;
    }
    if !matches!(message.channel.as_str(), "text" | "email") || message.to.is_empty() {
        return HttpResponse::UnprocessableEntity().json(json!({ "error": "a text or an e-mail with an address" }));
    }
    let mut memory = world.lock();
    if memory.seen.insert(format!("message {}", message.reference)) {
        let said = format!("{} to {}: {} {}", message.channel, message.to, message.subject, message.body);
        memory.received.push(("messages", said));
        if let Some((fate, why)) = fate(&message.channel, &message.to) {
            let content = json!({ "reference": message.reference, "fate": fate, "why": why }).to_string();
            memory.put("messages", format!("{fate}: {}", message.to), content);
        }
    }
    HttpResponse::Accepted().json(json!({ "status": "accepted", "reference": message.reference }))
}

pub async fn fates(world: web::Data<World>, after: web::Query<After>) -> HttpResponse {
    moody(&world).unwrap_or_else(|| HttpResponse::Ok().json(released(&world, "messages", after.after)))
}
