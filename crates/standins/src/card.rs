//! The card terminal: approves, except amounts that end in 13 cents (declined), in 14 (times out and charges
//! nothing) and in 15 (times out, and the card is charged all the same). It keeps a record under the reference
//! of each payment: repeated, it is charged once, and what became of it can be asked.

use crate::{World, moody};
use actix_web::{HttpResponse, web};
use serde::Deserialize;
use serde_json::json;

#[derive(Deserialize)]
pub struct Charge {
    reference: String,
    cents: i64,
    /// For money that goes back: the reference of the charge that it goes back from.
    #[serde(default)]
    charge: String,
}

/// Approves under a reference, once.
fn approve(world: &World, body: &Charge, what: &str) -> String {
    let mut memory = world.lock();
    let next = format!("A{:06}", memory.approved.len() + 1);
    if let Some(approval) = memory.approved.get(&body.reference) {
        return approval.clone();
    }
    memory.approved.insert(body.reference.clone(), next.clone());
    memory.received.push(("card terminal", format!("{what} {} cents, {}", body.cents, body.reference)));
    next
}

pub async fn charge(world: web::Data<World>, body: web::Json<Charge>) -> HttpResponse {
    if let Some(answer) = moody(&world) {
        return answer;
    }
    let charged_before = world.lock().approved.contains_key(&body.reference);
    match body.cents.rem_euclid(100) {
        13 => HttpResponse::Ok().json(json!({ "approved": false, "reason": "declined by the card's bank" })),
        14 => HttpResponse::GatewayTimeout().finish(),
        15 if !charged_before => {
            approve(&world, &body, "charged");
            HttpResponse::GatewayTimeout().finish()
        }
        _ => HttpResponse::Ok().json(json!({ "approved": true, "approval": approve(&world, &body, "charged") })),
    }
}

/// What is on record for a reference.
pub async fn record(world: web::Data<World>, reference: web::Path<String>) -> HttpResponse {
    if let Some(answer) = moody(&world) {
        return answer;
    }
    match world.lock().approved.get(reference.as_str()) {
        Some(approval) => HttpResponse::Ok().json(json!({ "approved": true, "approval": approval })),
        None => HttpResponse::NotFound().finish(),
    }
}

/// Puts money back on a card.
pub async fn refund(world: web::Data<World>, body: web::Json<Charge>) -> HttpResponse {
    if let Some(answer) = moody(&world) {
        return answer;
    }
    // A card is known only by a charge on it.
    if !body.charge.is_empty() && !world.lock().approved.contains_key(&body.charge) {
        return HttpResponse::Ok().json(json!({ "approved": false, "reason": "no such charge on record" }));
    }
    HttpResponse::Ok().json(json!({ "approved": true, "approval": approve(&world, &body, "put back") }))
}
