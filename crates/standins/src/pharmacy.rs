//! The pharmacy: takes prescriptions as FHIR; the same one twice is one.

use crate::{World, moody};
use actix_web::{HttpResponse, web};
use harbor_formats::fhir::pharmacy::read_prescription;
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
