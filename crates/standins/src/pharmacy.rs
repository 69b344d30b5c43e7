//! The pharmacy: takes prescriptions as FHIR, and their end; the same one twice is one.
//!
//! What becomes of one, its quantity decides while the outside answers at once; otherwise somebody says it on the page:
//!
//! | quantity ends in | answer |
//! |---|---|
//! | 7 | handed out |
//! | 8 | half of it handed out |
//! | 9 | not taken: out of stock |
//! | anything else | waits for a person |

use crate::{After, Memory, Outgoing, World, moody, released};
use actix_web::{HttpResponse, web};
use harbor_core::prescribing::SentItem;
use harbor_formats::fhir::pharmacy::words::{PharmacyWord, read_renewal_refused, write_word};
use harbor_formats::fhir::pharmacy::{read_prescription, read_stop};
use serde_json::json;

/// What a person at the pharmacy may say.
const WORDS: [&str; 4] = ["dispense", "part", "refuse", "renew"];

pub async fn prescription(world: web::Data<World>, body: web::Bytes) -> HttpResponse {
    if let Some(answer) = moody(&world) {
        return answer;
    }
    match read_prescription(&body) {
        Err(e) => HttpResponse::UnprocessableEntity().json(json!({ "error": e.to_string() })),
        Ok(item) => {
            let mut memory = world.lock();
            let reference = item.reference.clone();
            // Its end may have overtaken it.
            let ended = memory.seen.contains(&format!("stop {reference}"));
            if memory.seen.insert(format!("prescription {reference}")) && !ended {
                memory.received.push(("pharmacy", format!("{}: {}", item.medicine, item.instructions)));
                if let Some(word) = said_by(item.quantity).filter(|_| memory.automatic) {
                    say(&mut memory, &item, word);
                }
                memory.prescriptions.push(item);
            } else if let Some(kept) = memory.prescriptions.iter_mut().find(|p| p.reference == reference) {
                // Told again, with what became known since: the payer's number.
                *kept = item;
            }
            HttpResponse::Created().json(json!({ "status": "accepted", "reference": reference }))
        }
    }
}

fn said_by(quantity: u32) -> Option<&'static str> {
    match quantity % 10 {
        7 => Some("dispense"),
        8 => Some("part"),
        9 => Some("refuse"),
        _ => None,
    }
}

/// Puts a word about a prescription where the clinic looks for it.
fn say(memory: &mut Memory, item: &SentItem, what: &str) {
    memory.controls += 1;
    let in_part = what == "part";
    let share = if in_part { 0.5 } else { 1.0 };
    let word = if what == "renew" {
        PharmacyWord::RenewalAsked {
            reference: format!("N{}", memory.controls),
            prescription: item.reference.clone(),
            note: "The patient asks for another round.".into(),
        }
    } else if what == "refuse" {
        PharmacyWord::Refused { prescription: item.reference.clone(), reason: "out of stock".into() }
    } else {
        PharmacyWord::Dispensed {
            reference: format!("D{}", memory.controls),
            prescription: item.reference.clone(),
            on: memory.clock().date_naive(),
            quantity: (f64::from(item.quantity) * share).ceil(),
            unit: item.unit,
            days: Some((f64::from(item.days) * share).ceil() as u32).filter(|n| *n > 0),
            in_part,
        }
    };
    if let Ok(content) = write_word(&word) {
        let what = format!("{}: {what}", item.medicine);
        memory.outgoing.push(Outgoing { part: "pharmacy", what, content, released: true });
    }
}

/// A person at the pharmacy says what becomes of the n-th prescription.
pub async fn answer(world: web::Data<World>, said: web::Path<(usize, String)>) -> HttpResponse {
    let (n, what) = said.into_inner();
    if !world.pharmacy_says(n, &what) {
        return HttpResponse::NotFound().finish();
    }
    HttpResponse::SeeOther().insert_header(("Location", "/")).finish()
}

impl World {
    /// Says of the n-th prescription that the pharmacy has: `dispense`, `part`, `refuse` or `renew`; false where it has none.
    pub fn pharmacy_says(&self, n: usize, what: &str) -> bool {
        let mut memory = self.lock();
        let item = memory.prescriptions.get(n).cloned().filter(|_| WORDS.contains(&what));
        if let Some(item) = &item {
            say(&mut memory, item, what);
        }
        item.is_some()
    }
}

/// What the pharmacy has said since.
pub async fn words(world: web::Data<World>, after: web::Query<After>) -> HttpResponse {
    moody(&world).unwrap_or_else(|| HttpResponse::Ok().json(released(&world, "pharmacy", after.after)))
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
                memory.prescriptions.retain(|p| p.reference != item.reference);
            }
            HttpResponse::Ok().json(json!({ "status": "accepted", "reference": item.reference }))
        }
    }
}

/// A renewal that is not given.
pub async fn not_renewed(world: web::Data<World>, body: web::Bytes) -> HttpResponse {
    if let Some(answer) = moody(&world) {
        return answer;
    }
    match read_renewal_refused(&body) {
        Err(e) => HttpResponse::UnprocessableEntity().json(json!({ "error": e.to_string() })),
        Ok((reference, reason)) => {
            let mut memory = world.lock();
            if memory.seen.insert(format!("not renewed {reference}")) {
                memory.received.push(("pharmacy", format!("not renewed: {reference} ({reason})")));
            }
            HttpResponse::Ok().json(json!({ "status": "accepted", "reference": reference }))
        }
    }
}
