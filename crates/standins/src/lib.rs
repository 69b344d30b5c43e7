//! The outside world in small: laboratory, payers behind a clearing house, pharmacy, messages, card
//! terminal.
//!
//! Each part stands behind the interface that a real one would have, so that pointing at a real one is
//! a setting. What they answer is decided by the request, as the tables in [`payer`], [`approvals`],
//! [`laboratory`], [`pharmacy`] and [`messages`] say, so that every branch can be shown and tested. `GET /` is a page that shows what
//! came in and lets a person play the other side.

pub mod address;
pub mod approvals;
pub mod card;
pub mod exchange;
pub mod folder;
pub mod laboratory;
pub mod messages;
pub mod page;
pub mod payer;
pub mod pharmacy;

use actix_web::dev::Service;
use actix_web::{App, HttpServer, web};
use chrono::{DateTime, NaiveDateTime, Utc};
use std::sync::{Arc, Mutex, MutexGuard};

/// How the outside world behaves as a whole; tests bend it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Mood {
    #[default]
    Usual,
    /// Every request is answered 503.
    Down,
    /// Every answer is nonsense.
    Nonsense,
    /// Every request is taken and worked on, and its answer never comes.
    Silent,
}

/// Something that waits until the other side lets it go.
#[derive(Debug, Clone)]
pub struct Outgoing {
    pub part: &'static str,
    pub what: String,
    pub content: String,
    pub released: bool,
}

/// What the stand-ins remember while they run.
#[derive(Default)]
pub struct Memory {
    pub mood: Mood,
    /// Reports and remittances go out at once when true; otherwise somebody releases them on the page.
    pub automatic: bool,
    /// The clinic's day, so that the outside world lives on the same one.
    pub now: Option<DateTime<Utc>>,
    pub received: Vec<(&'static str, String)>,
    pub outgoing: Vec<Outgoing>,
    /// Tests that the laboratory has taken in.
    pub bench: Vec<laboratory::technician::OnTheBench>,
    /// Medicines that payers were asked to approve.
    pub approvals: Vec<harbor_core::prescribing::approvals::ApprovalRequest>,
    /// Prescriptions that the pharmacy has.
    pub prescriptions: Vec<harbor_core::prescribing::SentItem>,
    /// What payers decided, by their own number of the claim.
    pub decided: std::collections::HashMap<String, harbor_core::money::remittance::RemittedClaim>,
    pub seen: std::collections::HashSet<String>,
    pub controls: u32,
    /// Approved card payments by their reference, so that a repeated request charges once.
    pub approved: std::collections::HashMap<String, String>,
}

impl Memory {
    fn put(&mut self, part: &'static str, what: String, content: String) {
        let released = self.automatic;
        self.outgoing.push(Outgoing { part, what, content, released });
    }

    fn clock(&self) -> DateTime<Utc> {
        self.now.unwrap_or_else(Utc::now)
    }

    fn stamp_time(&self) -> NaiveDateTime {
        self.clock().naive_utc()
    }
}

/// The stand-ins, shared by all requests.
#[derive(Clone, Default)]
pub struct World(Arc<Mutex<Memory>>);

impl World {
    pub fn new(now: Option<DateTime<Utc>>, automatic: bool) -> World {
        World(Arc::new(Mutex::new(Memory { now, automatic, ..Memory::default() })))
    }

    /// A request that panicked while holding the lock must not silence the others.
    pub fn lock(&self) -> MutexGuard<'_, Memory> {
        self.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner)
    }
}

/// Starts the stand-ins on a free loopback port and returns their address.
pub fn start(world: World) -> std::io::Result<(String, actix_web::dev::ServerHandle)> {
    let server = HttpServer::new(move || {
        let listening = world.clone();
        App::new().app_data(web::Data::new(world.clone())).configure(routes).wrap_fn(move |request, service| {
            let silent = listening.lock().mood == Mood::Silent;
            let answer = service.call(request);
            async move {
                let answer = answer.await;
                if silent {
                    std::future::pending::<()>().await;
                }
                answer
            }
        })
    })
    .workers(1)
    .disable_signals()
    .bind(("127.0.0.1", 0))?;
    let address = server.addrs().first().map(|a| format!("http://{a}")).unwrap_or_default();
    let running = server.run();
    let handle = running.handle();
    actix_web::rt::spawn(running);
    Ok((address, handle))
}

fn routes(config: &mut web::ServiceConfig) {
    config
        .app_data(web::PayloadConfig::new(32 << 20))
        .route("/", web::get().to(page::show))
        .route("/automatic", web::post().to(page::automatic))
        .route("/release/{n}", web::post().to(page::release))
        .route("/laboratory/fhir", web::post().to(laboratory::order))
        .route("/laboratory/bench", web::get().to(laboratory::technician::show))
        .route("/laboratory/bench/{n}", web::post().to(laboratory::technician::work))
        .route("/laboratory/reports", web::get().to(laboratory::reports))
        .route("/exchange/files", web::post().to(exchange::take))
        .route("/exchange/files", web::get().to(exchange::give))
        .route("/exchange/benefits", web::post().to(exchange::benefits))
        .route("/payer/approvals", web::post().to(approvals::request))
        .route("/payer/decisions", web::get().to(approvals::decisions))
        .route("/payer/{n}/{what}", web::post().to(approvals::decide))
        .route("/pharmacy/fhir", web::post().to(pharmacy::prescription))
        .route("/pharmacy/words", web::get().to(pharmacy::words))
        .route("/pharmacy/fhir/not-renewed", web::post().to(pharmacy::not_renewed))
        .route("/pharmacy/fhir/stop", web::post().to(pharmacy::stop))
        .route("/pharmacy/{n}/{what}", web::post().to(pharmacy::answer))
        .route("/messages", web::post().to(messages::send))
        .route("/messages/fates", web::get().to(messages::fates))
        .route("/addresses", web::post().to(address::check))
        .route("/card/charges", web::post().to(card::charge))
        .route("/card/charges/{reference}", web::get().to(card::record))
        .route("/card/refunds", web::post().to(card::refund));
}

/// The mood's answer, when it is not the usual one.
fn moody(world: &World) -> Option<actix_web::HttpResponse> {
    match world.lock().mood {
        Mood::Usual | Mood::Silent => None,
        Mood::Down => Some(actix_web::HttpResponse::ServiceUnavailable().body("closed for the day")),
        Mood::Nonsense => Some(actix_web::HttpResponse::Ok().body("<html>what a lovely day</html>")),
    }
}

/// What has been released after the `after`-th thing, with its number.
fn released(world: &World, part: &str, after: usize) -> Vec<serde_json::Value> {
    world
        .lock()
        .outgoing
        .iter()
        .enumerate()
        .filter(|(i, o)| *i >= after && o.part == part && o.released)
        .map(|(i, o)| serde_json::json!({ "number": i + 1, "content": o.content }))
        .collect()
}

#[derive(serde::Deserialize)]
pub struct After {
    #[serde(default)]
    after: usize,
}
