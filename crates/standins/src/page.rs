//! A plain page: what came in, and what waits to be released.

use crate::World;
use actix_web::{HttpResponse, web};
use std::fmt::Write;

pub fn escape(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;")
}

pub async fn show(world: web::Data<World>) -> HttpResponse {
    let memory = world.lock();
    let mut out = String::from(
        "<!doctype html><html lang=en><meta charset=utf-8><title>The outside world</title>
         <style>body{font:16px/1.5 sans-serif;margin:2rem;max-width:60rem}li{margin:.3rem 0}button{font:inherit}</style>
         <h1>The outside world</h1><p>Stand-ins for laboratory, payers, clearing house, pharmacy and card terminal.</p>
         <p><a href=/laboratory/bench>The laboratory's bench</a></p>",
    );
    let _ = write!(
        out,
        "<form method=post action=/automatic>{} <button>{}</button></form>",
        if memory.automatic { "What comes in is answered at once." } else { "What comes in waits for somebody." },
        if memory.automatic { "Let it wait" } else { "Answer at once" },
    );
    out.push_str("<h2>Waiting to be released</h2><ul>");
    for (n, o) in memory.outgoing.iter().enumerate().filter(|(_, o)| !o.released) {
        let _ = write!(
            out,
            "<li><form method=post action=/release/{n}>{}: {} <button>Release</button></form>",
            o.part,
            escape(&o.what)
        );
    }
    out.push_str("</ul><h2>At the pharmacy</h2><ul>");
    for (n, p) in memory.prescriptions.iter().enumerate() {
        let _ = write!(out, "<li>{}, {}: ", escape(&p.medicine), escape(&p.subject.last));
        for (what, word) in [
            ("dispense", "Hand out"),
            ("part", "Hand out half"),
            ("refuse", "Out of stock"),
            ("renew", "Ask for a renewal"),
        ] {
            let _ = write!(
                out,
                "<form style=display:inline method=post action=/pharmacy/{n}/{what}><button>{word}</button></form> "
            );
        }
    }
    out.push_str("</ul><h2>Medicines to approve</h2><ul>");
    for (n, a) in memory.approvals.iter().enumerate() {
        let _ =
            write!(out, "<li>{}, {}, for {}: ", escape(&a.medicine), escape(&a.subject.last), escape(&a.covered_use));
        for (what, word) in [("approve", "Approve"), ("refuse", "Do not approve")] {
            let _ = write!(
                out,
                "<form style=display:inline method=post action=/payer/{n}/{what}><button>{word}</button></form> "
            );
        }
    }
    out.push_str("</ul><h2>Received</h2><ol reversed>");
    for (part, what) in memory.received.iter().rev().take(200) {
        let _ = write!(out, "<li>{part}: {}", escape(what));
    }
    out.push_str("</ol></html>");
    HttpResponse::Ok().content_type("text/html; charset=utf-8").body(out)
}

/// Answers at once from now on, or lets what comes in wait for a person.
pub async fn automatic(world: web::Data<World>) -> HttpResponse {
    let mut memory = world.lock();
    memory.automatic = !memory.automatic;
    HttpResponse::SeeOther().insert_header(("Location", "/")).finish()
}

pub async fn release(world: web::Data<World>, n: web::Path<usize>) -> HttpResponse {
    // Released things are read in order after the last that was read; a late one goes to the end.
    let mut memory = world.lock();
    let n = n.into_inner();
    if memory.outgoing.get(n).is_some_and(|o| !o.released) {
        let mut late = memory.outgoing[n].clone();
        late.released = true;
        memory.outgoing.push(late);
        // The place it had stays, so that numbers do not move; it is never given out from there.
        memory.outgoing[n].part = "released";
        memory.outgoing[n].released = true;
    }
    HttpResponse::SeeOther().insert_header(("Location", "/")).finish()
}
