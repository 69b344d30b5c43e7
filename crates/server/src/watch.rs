//! What whoever looks after the machine can see: is it there, is it ready, how much does it do. It has a listener of its
//! own, so that none of it stands on the way that browsers take, and it names no patient: addresses are counted and
//! written down by the pattern of their route, never as they were asked for.

use crate::state::State;
use actix_web::body::MessageBody;
use actix_web::dev::{Server, ServiceRequest, ServiceResponse};
use actix_web::middleware::Next;
use actix_web::web::Data;
use actix_web::{App, Error, HttpResponse, HttpServer, web};
use anyhow::{Context, Result};
use prometheus_client::encoding::EncodeLabelSet;
use prometheus_client::encoding::text::encode;
use prometheus_client::metrics::counter::Counter;
use prometheus_client::metrics::family::Family;
use prometheus_client::metrics::gauge::Gauge;
use prometheus_client::metrics::histogram::Histogram;
use prometheus_client::registry::{Registry, Unit};
use std::net::SocketAddr;
use std::sync::atomic::AtomicU64;
use std::time::Instant;

/// Upper bounds in seconds; the bounds that the product promises lie among them.
const BUCKETS: [f64; 10] = [0.005, 0.01, 0.025, 0.06, 0.1, 0.25, 0.5, 1.0, 2.5, 10.0];

#[derive(Debug, Clone, PartialEq, Eq, Hash, EncodeLabelSet)]
struct Asked {
    method: String,
    /// The pattern, such as `/api/people/{id}`; `screens` for the front end.
    route: String,
}

#[derive(Debug, Clone, PartialEq, Eq, Hash, EncodeLabelSet)]
struct Answered {
    method: String,
    route: String,
    status: u16,
}

#[derive(Debug, Clone, PartialEq, Eq, Hash, EncodeLabelSet)]
struct Work {
    kind: String,
    state: String,
}

/// What this server counts.
pub struct Watch {
    answers: Family<Answered, Counter>,
    seconds: Family<Asked, Histogram, fn() -> Histogram>,
}

impl Default for Watch {
    fn default() -> Watch {
        Watch { answers: Family::default(), seconds: Family::new_with_constructor(|| Histogram::new(BUCKETS)) }
    }
}

/// Counts a request, and writes one line of the log about it.
pub async fn count(
    request: ServiceRequest,
    next: Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<impl MessageBody>, Error> {
    let began = Instant::now();
    let state = request.app_data::<Data<State>>().cloned();
    let method = match request.method().as_str() {
        known @ ("GET" | "POST" | "PUT" | "PATCH" | "DELETE" | "HEAD" | "OPTIONS") => known.to_owned(),
        _ => "other".to_owned(),
    };
    let response = next.call(request).await?;
    let route = response.request().match_pattern().unwrap_or_else(|| "screens".into());
    let (status, took) = (response.status().as_u16(), began.elapsed());
    if let Some(state) = state {
        let asked = Asked { method: method.clone(), route: route.clone() };
        state.watch.seconds.get_or_create(&asked).observe(took.as_secs_f64());
        state.watch.answers.get_or_create(&Answered { method: method.clone(), route: route.clone(), status }).inc();
    }
    let milliseconds = u64::try_from(took.as_millis()).unwrap_or(u64::MAX);
    if status >= 500 {
        tracing::warn!(target: "harbor::request", method, route, status, milliseconds, "answered");
    } else {
        tracing::info!(target: "harbor::request", method, route, status, milliseconds, "answered");
    }
    Ok(response)
}

/// The process is there.
async fn health() -> HttpResponse {
    HttpResponse::Ok().body("ok\n")
}

/// It can serve: the database answers and has the tables that this version was written for.
async fn ready(state: Data<State>) -> HttpResponse {
    let said = match state.store.pending_steps().await {
        Ok(0) => return HttpResponse::Ok().body("ready\n"),
        Ok(steps) => format!("the database lacks {steps} steps; run harbor migrate\n"),
        Err(error) => {
            tracing::warn!(error = error.for_log(), "not ready");
            "the database does not answer\n".into()
        }
    };
    HttpResponse::ServiceUnavailable().body(said)
}

/// In the text format of OpenMetrics, which Prometheus reads.
async fn metrics(state: Data<State>) -> HttpResponse {
    let mut registry = Registry::with_prefix("harbor");
    registry.register("answers", "Requests that were answered", state.watch.answers.clone());
    registry.register_with_unit("answer", "How long answers took", Unit::Seconds, state.watch.seconds.clone());
    let number = |value: usize| {
        let gauge: Gauge = Gauge::default();
        gauge.set(i64::try_from(value).unwrap_or(i64::MAX));
        gauge
    };
    registry.register("streams_open", "Screens that listen to live tidings", number(state.live.screens()));
    let (open, idle) = state.store.connections();
    registry.register("database_connections_open", "Connections to the database", number(open));
    registry.register("database_connections_idle", "Those of them that nobody uses now", number(idle));
    let work: Family<Work, Gauge> = Family::default();
    let counted = match state.store.reader().await {
        Ok(mut conn) => harbor_store::jobs::counts(&mut conn).await,
        Err(error) => Err(error),
    };
    registry.register("database_up", "Whether the database answers", number(usize::from(counted.is_ok())));
    for count in counted.unwrap_or_default() {
        work.get_or_create(&Work { kind: count.kind, state: count.state }).set(count.pieces);
    }
    registry.register("work", "Work to hand over to partners, by what became of it", work);
    if let Some(bytes) = resident_memory() {
        let memory: Gauge<f64, AtomicU64> = Gauge::default();
        memory.set(bytes);
        registry.register_with_unit("resident_memory", "Memory of this process", Unit::Bytes, memory);
    }
    let mut text = String::new();
    match encode(&mut text, &registry) {
        Ok(()) => {
            HttpResponse::Ok().content_type("application/openmetrics-text; version=1.0.0; charset=utf-8").body(text)
        }
        Err(_) => HttpResponse::InternalServerError().finish(),
    }
}

/// Bytes of memory that this process holds, as Linux tells them in kilobytes.
pub fn resident_memory() -> Option<f64> {
    let status = std::fs::read_to_string("/proc/self/status").ok()?;
    let line = status.lines().find_map(|l| l.strip_prefix("VmRSS:"))?;
    let kilobytes: f64 = line.trim().trim_end_matches("kB").trim().parse().ok()?;
    Some(kilobytes * 1024.0)
}

/// Opens the listener.
pub fn open(state: State, at: SocketAddr) -> Result<(SocketAddr, Server)> {
    let data = Data::new(state);
    let server = HttpServer::new(move || {
        App::new()
            .app_data(data.clone())
            .route("/health", web::get().to(health))
            .route("/ready", web::get().to(ready))
            .route("/metrics", web::get().to(metrics))
    })
    .workers(1)
    .disable_signals()
    .shutdown_timeout(1)
    .bind(at)
    .with_context(|| format!("{at} is taken"))?;
    let address = server.addrs().first().copied().unwrap_or(at);
    Ok((address, server.run()))
}
