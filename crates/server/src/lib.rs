//! The server: routes, sign-in, permissions, live events, background work.
//!
//! Begin at [`routes`], the one table of what there is and who may use it, and follow a line of it into
//! [`api`]. [`start`] brings everything up.

pub mod access;
pub mod api;
mod asked;
pub mod beginning;
pub mod checkpoints;
pub mod claim_file;
pub mod commands;
mod favourites;
pub mod live;
pub mod papers;
pub mod problem;
pub mod routes;
pub mod signing;
pub mod state;
pub mod tables;
pub mod telling;
pub mod terminal;
pub mod watch;
pub mod web_files;
pub mod work;

use actix_web::{App, HttpServer, middleware, web};
use anyhow::{Context, Result};
pub use state::{Clock, Settings, State, Tls};

/// So long a connection without a request stays open.
const KEPT_OPEN: std::time::Duration = std::time::Duration::from_secs(75);

/// A server that runs until it is stopped.
pub struct Running {
    pub address: String,
    /// Where it is watched, when it is.
    pub watched_at: Option<std::net::SocketAddr>,
    pub state: State,
    handle: actix_web::dev::ServerHandle,
    tasks: Vec<tokio::task::JoinHandle<()>>,
}

impl Running {
    /// Lets running requests end, then stops the background work.
    pub async fn stop(self) {
        for task in &self.tasks {
            task.abort();
        }
        self.handle.stop(false).await;
    }
}

/// Certificate and key for the way to the browser.
fn encryption(tls: &Tls) -> Result<rustls::ServerConfig> {
    use rustls::pki_types::pem::PemObject;
    use rustls::pki_types::{CertificateDer, PrivateKeyDer};
    let read = || format!("reading {}", tls.certificate.display());
    let chain: Vec<_> = CertificateDer::pem_file_iter(&tls.certificate)
        .with_context(read)?
        .collect::<Result<_, _>>()
        .with_context(read)?;
    let key = PrivateKeyDer::from_pem_file(&tls.key).with_context(|| format!("reading {}", tls.key.display()))?;
    let provider = std::sync::Arc::new(rustls::crypto::ring::default_provider());
    Ok(rustls::ServerConfig::builder_with_provider(provider)
        .with_safe_default_protocol_versions()?
        .with_no_client_auth()
        .with_single_cert(chain, key)?)
}

/// Says so when the database would let this program undo what it guards.
async fn warn_of_too_many_rights(state: &State) {
    let Ok(mut conn) = state.store.reader().await else { return };
    if harbor_store::rights::could_undo(&mut conn).await.unwrap_or(false) {
        tracing::warn!("the program's database role could undo what the database guards; see docs/SECURITY.md");
    }
}

/// Starts the server on a port (0: any free one).
pub async fn start(settings: Settings, port: u16) -> Result<Running> {
    if let Some(folder) = &settings.exchange_folder {
        work::exchange_folder::prepare(folder)?;
    }
    let state = State::new(settings).await?;
    warn_of_too_many_rights(&state).await;
    let (listen, tls) = (state.settings.listen, state.settings.tls.clone());
    let data = web::Data::new(state.clone());
    let server = HttpServer::new(move || {
        App::new()
            .app_data(data.clone())
            // The door has read the body already, as much as the route takes.
            .app_data(web::PayloadConfig::new(usize::MAX))
            .app_data(problem::json_config())
            .app_data(problem::query_config())
            .app_data(problem::path_config())
            .wrap(middleware::Compress::default())
            .wrap(middleware::from_fn(access::frame::frame))
            .wrap(middleware::from_fn(watch::count))
            .configure(routes::configure)
            .default_service(web::to(web_files::page))
    })
    .workers(4)
    // A connection is kept over the pauses of somebody at work: one that is closed at the instant when a change is sent on it
    // loses that change.
    .keep_alive(KEPT_OPEN)
    .disable_signals()
    .shutdown_timeout(2);
    let server = match &tls {
        Some(tls) => server.bind_rustls_0_23((listen, port), encryption(tls)?),
        None => server.bind((listen, port)),
    }
    .with_context(|| format!("port {port} is taken"))?;
    let scheme = if tls.is_some() { "https" } else { "http" };
    let address = server.addrs().first().map(|a| format!("{scheme}://{a}")).unwrap_or_default();
    let running = server.run();
    let handle = running.handle();
    let mut tasks = vec![
        tokio::spawn(async move {
            let _ = running.await;
        }),
        tokio::spawn(live::listen(state.clone())),
        tokio::spawn(work::run(state.clone())),
        tokio::spawn(work::poll_outside(state.clone())),
        tokio::spawn(work::exchange_folder::poll(state.clone())),
        tokio::spawn(work::every_day(state.clone())),
        tokio::spawn(checkpoints::every_hour(state.clone())),
        tokio::spawn(terminal::settle_lost(state.clone())),
    ];
    let mut watched_at = None;
    if let Some(at) = state.settings.watch {
        let (address, server) = watch::open(state.clone(), at)?;
        watched_at = Some(address);
        tasks.push(tokio::spawn(async move {
            let _ = server.await;
        }));
    }
    Ok(Running { address, watched_at, state, handle, tasks })
}
