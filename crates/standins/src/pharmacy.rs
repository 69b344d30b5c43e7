//! The pharmacy: takes prescriptions as FHIR, and their end; the same one twice is one.

use crate::{World, moody};
use actix_web::{HttpResponse, web};
use harbor_formats::fhir::pharmacy::{read_prescription, read_stop};
use serde_json::json;

pub async fn prescription(world: web::Data<World>, body: web::Bytes) -> HttpResponse {
    if let Some(answer) = moody(&world) {
        return answer;
    }
    match read_prescription(&body) {
        Err(e) => HttpResponse::UnprocessableEntity().json(json!({ "error": e.to_string() })),
        Ok(item) => {
            let mut memory = world.lock();
            if memory.seen.insert(format!("prescription {}", item.reference)) {
                memory.received.push(("pharmacy", format!("{}: {}", item.medicine, item.instructions)));
            }
            HttpResponse::Created().json(json!({ "status": "accepted", "reference": item.reference }))
        }
    }
}

/// A prescription that stands no more. One that never came is taken note of too: it may be on its way.
pub async fn stop(world: web::Data<World>, body: web::Bytes) -> HttpResponse {
    if let Some(answer) = moody(&world) {
        return answer;
    }
    match read_stop(&body) {
        Err(e) => HttpResponse::UnprocessableEntity().json(json!({ "error": e.to_string() })),
        Ok(item) => {
            let mut memory = world.lock();
            if memory.seen.insert(format!("stop {}", item.reference)) {
                memory.received.push(("pharmacy", format!("stopped: {} ({})", item.medicine, item.reason)));
            }
            HttpResponse::Ok().json(json!({ "status": "accepted", "reference": item.reference }))
        }
    }
}
