//! The clearing house: takes 837P files and benefit questions, gives back 999, 277CA, 271 and 835.

use crate::payer::{self, benefits as answer_benefits, decide, ending, is_accepted, status, take_back};
use crate::{After, Memory, World, moody, released};
use actix_web::{HttpResponse, web};
use harbor_core::claims::{Claim, Frequency};
use harbor_core::money::Cents;
use harbor_core::money::remittance::{ProviderAdjustment, Remittance, RemittedClaim};
use harbor_formats::x12::{self, Stamp, benefits, claim, claim_status, file_ack, remittance};
use serde_json::json;

fn stamp(memory: &mut Memory, receiver: &str) -> Stamp {
    memory.controls += 1;
    Stamp {
        at: memory.stamp_time(),
        control: 500_000 + memory.controls,
        production: false,
        sender: "CAUSEWAY".into(),
        receiver: receiver.to_owned(),
    }
}

/// Takes a file of claims. The same interchange twice is one.
pub async fn take(world: web::Data<World>, body: web::Bytes) -> HttpResponse {
    if let Some(answer) = moody(&world) {
        return answer;
    }
    match take_file(&world, &body) {
        Ok(()) => HttpResponse::Accepted().json(json!({ "status": "taken" })),
        Err(error) => HttpResponse::UnprocessableEntity().json(json!({ "error": error })),
    }
}

/// Takes a file of claims, however it came.
///
/// # Errors
/// Where it is no X12 file.
pub fn take_file(world: &World, bytes: &[u8]) -> Result<(), String> {
    let text = x12::envelope::decode(bytes);
    let document = x12::read(&text).map_err(|e| e.to_string())?;
    let mut memory = world.lock();
    for interchange in &document.interchanges {
        let from = &interchange.envelope.sender;
        if !memory.seen.insert(format!("interchange {from} {}", interchange.envelope.control)) {
            continue;
        }
        for group in &interchange.groups {
            memory
                .received
                .push(("clearing house", format!("{} with {} sets from {from}", group.version, group.sets.len())));
            let mut batches = Vec::new();
            let mut sets = Vec::new();
            for set in &group.sets {
                let read = claim::read(set);
                let errors = match &read {
                    Ok(_) => vec![],
                    Err(e) => vec![file_ack::SetError {
                        segment: e.id.clone(),
                        position: e.segment,
                        segment_code: "8".into(),
                        element: e.element.map(|n| (n, "7".to_owned())),
                    }],
                };
                let outcome = if read.is_ok() { "A" } else { "R" };
                sets.push(file_ack::SetAck {
                    kind: set.kind.into(),
                    control: set.control.into(),
                    outcome: outcome.into(),
                    errors,
                });
                batches.extend(read.ok());
            }
            let outcome = if batches.len() == sets.len() { "A" } else { "R" };
            let ack = file_ack::FileAck {
                group_kind: group.kind.clone(),
                group_control: group.control.clone(),
                group_version: group.version.clone(),
                outcome: outcome.into(),
                sets,
            };
            let s = stamp(&mut memory, from);
            push_now(&mut memory, "999", file_ack::write(&s, &ack));
            for batch in batches {
                work(&mut memory, from, &batch);
            }
        }
    }
    Ok(())
}

/// Acknowledgements never wait for anybody.
fn push_now(memory: &mut Memory, what: &str, content: String) {
    memory.put("exchange", what.to_owned(), content);
    if let Some(last) = memory.outgoing.last_mut() {
        last.released = true;
    }
}

fn work(memory: &mut Memory, from: &str, batch: &claim::Batch) {
    let mut payers: Vec<(&str, &str)> =
        batch.claims.iter().map(|c| (c.payer_id.as_str(), c.payer_name.as_str())).collect();
    payers.sort_unstable();
    payers.dedup();
    for (id, name) in payers {
        let own: Vec<&Claim> = batch.claims.iter().filter(|c| c.payer_id == id).collect();
        let statuses: Vec<_> = own.iter().map(|c| status(c)).collect();
        let s = stamp(memory, from);
        let parties = claim_status::Parties {
            reference: batch.reference.clone(),
            payer: (name.to_owned(), id.to_owned()),
            receiver: (batch.biller.organisation.clone(), from.to_owned()),
            provider: (batch.biller.organisation.clone(), batch.biller.npi.clone()),
        };
        push_now(memory, "277CA", claim_status::write(&s, &parties, &statuses));
        let taken: Vec<&Claim> =
            own.into_iter().zip(&statuses).filter(|(_, s)| is_accepted(s)).map(|(c, _)| c).collect();
        let (mut again, mut decided): (Vec<RemittedClaim>, Vec<RemittedClaim>) = (vec![], vec![]);
        for claim in &taken {
            // What it takes the place of is taken back, together with the new decision; of a void one there is none.
            let before = claim.original_reference.as_ref().and_then(|number| memory.decided.remove(number));
            let corrects = before.is_some();
            again.extend(before.as_ref().map(take_back));
            if claim.frequency == Frequency::Void.code() {
                continue;
            }
            let decision = decide(claim);
            memory.decided.insert(decision.payer_claim_number.to_string(), decision.clone());
            if corrects { again.push(decision) } else { decided.push(decision) }
        }
        if !again.is_empty() {
            let paid: Cents = again.iter().map(|c| c.paid).sum();
            // No payer sends a bill with its payment: what is left is kept off a later one.
            let forward = paid.is_negative().then(|| ProviderAdjustment {
                reason: "FB".into(),
                reference: again[0].claim_number.to_string(),
                amount: paid,
            });
            pay(memory, from, batch, (id, name), again, forward.into_iter().collect());
        }
        if decided.is_empty() {
            continue;
        }
        let back: Vec<RemittedClaim> = taken
            .iter()
            .filter(|c| ending(&c.subscriber_number) == "83")
            .filter_map(|c| decided.iter().find(|d| d.claim_number.as_str() == c.number))
            .map(take_back)
            .collect();
        pay(memory, from, batch, (id, name), decided, vec![]);
        if !back.is_empty() {
            // The money that is taken back is kept off a later payment: a forward balance (PLB FB).
            let owed: Cents = back.iter().map(|c| c.paid).sum();
            let forward =
                ProviderAdjustment { reason: "FB".into(), reference: back[0].claim_number.to_string(), amount: owed };
            pay(memory, from, batch, (id, name), back, vec![forward]);
            if let Some(last) = memory.outgoing.last_mut() {
                last.released = false;
            }
        }
    }
}

fn pay(
    memory: &mut Memory,
    from: &str,
    batch: &claim::Batch,
    (id, name): (&str, &str),
    claims: Vec<RemittedClaim>,
    outside: Vec<ProviderAdjustment>,
) {
    let s = stamp(memory, from);
    let paid: Cents = claims.iter().map(|c| c.paid).sum();
    let kept: Cents = outside.iter().map(|p| p.amount).sum();
    let r = Remittance {
        payer_name: name.to_owned(),
        payer_id: id.to_owned(),
        payee_name: batch.biller.organisation.clone(),
        payee_npi: batch.biller.npi.clone(),
        trace: format!("{id}{}", s.control),
        method: if (paid - kept).is_zero() { "NON".into() } else { "ACH".into() },
        date: memory.stamp_time().date(),
        amount: paid - kept,
        claims,
        provider_adjustments: outside,
    };
    let content = remittance::write(&s, &payer::desk(id), &[r]);
    memory.put("exchange", format!("835 {name}, {}", paid - kept), content);
}

pub async fn give(world: web::Data<World>, after: web::Query<After>) -> HttpResponse {
    moody(&world).unwrap_or_else(|| HttpResponse::Ok().json(released(&world, "exchange", after.after)))
}

/// Answers a 270 with a 271 at once.
pub async fn benefits(world: web::Data<World>, body: web::Bytes) -> HttpResponse {
    if let Some(answer) = moody(&world) {
        return answer;
    }
    let text = x12::envelope::decode(&body);
    let question = x12::read(&text).and_then(|d| {
        let sets = d.interchanges.iter().flat_map(|i| &i.groups).flat_map(|g| &g.sets);
        let set = sets.into_iter().next();
        set.map_or_else(
            || {
                Err(harbor_formats::Located {
                    segment: 0,
                    byte: 0,
                    id: "ST".into(),
                    element: None,
                    expected: "a set 270".into(),
                })
            },
            benefits::read_question,
        )
    });
    let q = match question {
        Ok(q) => q,
        Err(e) => return HttpResponse::UnprocessableEntity().json(json!({ "error": e.to_string() })),
    };
    let mut memory = world.lock();
    memory.received.push(("payer", format!("benefits of {} {}", q.subscriber.last, q.subscriber.subscriber_number)));
    if payer::ending(&q.subscriber.subscriber_number) == "97" {
        return HttpResponse::Ok().body("no wind today");
    }
    let answer = answer_benefits(&q, memory.stamp_time().date());
    let s = stamp(&mut memory, "INDIGOHBR");
    HttpResponse::Ok().body(benefits::write_answer(&s, &q, &answer))
}
