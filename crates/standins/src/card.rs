//! The card terminal: approves, except amounts that end in 13 cents (declined) or 14 cents (times out).

use crate::{World, moody};
use actix_web::{HttpResponse, web};
use serde::Deserialize;
use serde_json::json;

#[derive(Deserialize)]
pub struct Charge {
    reference: String,
    cents: i64,
}

pub async fn charge(world: web::Data<World>, body: web::Json<Charge>) -> HttpResponse {
    if let Some(answer) = moody(&world) {
        return answer;
    }
    match body.cents.rem_euclid(100) {
        13 => HttpResponse::Ok().json(json!({ "approved": false, "reason": "declined by the card's bank" })),
        14 => HttpResponse::GatewayTimeout().finish(),
        _ => {
            let mut memory = world.lock();
            let next = format!("A{:06}", memory.approved.len() + 1);
            let approval = memory.approved.entry(body.reference.clone()).or_insert(next).clone();
            memory.received.push(("card terminal", format!("{} cents, {}", body.cents, body.reference)));
            HttpResponse::Ok().json(json!({ "approved": true, "approval": approval }))
        }
    }
}
