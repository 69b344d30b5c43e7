//! Live events: what one server commits reaches every screen, over LISTEN/NOTIFY and server-sent events.

use crate::access::Me;
use crate::state::State;
use actix_web::HttpResponse;
use actix_web::web::{Bytes, Data};
use futures_util::StreamExt;
use harbor_store::Tiding;
use harbor_store::house::sessions;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;
use tokio::sync::broadcast;
use tokio::sync::broadcast::error::RecvError;

/// What is told to every screen of this server, counted, so that a screen knows whether something was told before its line stood.
pub struct Live {
    told: AtomicU64,
    sender: broadcast::Sender<String>,
}

impl Default for Live {
    fn default() -> Live {
        Live { told: AtomicU64::new(0), sender: broadcast::channel(1024).0 }
    }
}

impl Live {
    /// Counted before it is sent: whoever subscribes in between hears it, and counts it too.
    fn tell(&self, said: String) {
        self.told.fetch_add(1, Ordering::SeqCst);
        let _ = self.sender.send(said);
    }

    /// How much was told since the server began.
    pub fn told(&self) -> u64 {
        self.told.load(Ordering::SeqCst)
    }

    /// Screens that listen.
    pub fn screens(&self) -> usize {
        self.sender.receiver_count()
    }
}

/// Listens to the database for ever; a lost connection is made anew.
pub async fn listen(state: State) {
    loop {
        if let Err(error) = listen_once(&state).await {
            tracing::warn!(%error, "live events interrupted");
        }
        // Whatever was missed meanwhile: screens are told to look again.
        state.live.tell(r#"{"topic":"everything"}"#.into());
        tokio::time::sleep(Duration::from_millis(500)).await;
    }
}

async fn listen_once(state: &State) -> Result<(), String> {
    let hear = |said: &str| {
        if said.contains("\"topic\":\"job\"") {
            state.work.notify_one();
        } else {
            state.live.tell(said.to_owned());
        }
    };
    harbor_store::wire::listen(&state.settings.database_url, "harbor", hear).await
}

/// Live tidings for one screen, as server-sent events. The first, `begin`, says how much was told before: where that is more than
/// `/api/me` said, what was answered in between may be stale.
#[utoipa::path(get, path = "/api/live", responses((status = 200, content_type = "text/event-stream", body = Tiding)))]
pub async fn stream(state: Data<State>, me: Me) -> HttpResponse {
    let receiver = state.live.sender.subscribe();
    let begin = format!("retry: 1000\nevent: begin\ndata: {}\n\n", state.live.told());
    let start = futures_util::stream::once(async { Ok::<_, actix_web::Error>(Bytes::from(begin)) });
    let (session, own) = (me.session, format!("\"id\":\"{}\"", me.session));
    let events = futures_util::stream::unfold((receiver, state, own), move |(mut receiver, state, own)| async move {
        let text = match tokio::time::timeout(Duration::from_secs(15), receiver.recv()).await {
            // The session was locked or ended: so does its stream.
            Ok(Ok(tiding)) if tiding.contains("\"topic\":\"session\"") => {
                if tiding.contains(&own) {
                    return None;
                }
                ": still here\n\n".to_owned()
            }
            Ok(Ok(tiding)) => format!("data: {tiding}\n\n"),
            // A screen that fell behind looks at everything again.
            Ok(Err(RecvError::Lagged(_))) => "data: {\"topic\":\"everything\"}\n\n".to_owned(),
            Ok(Err(RecvError::Closed)) => return None,
            Err(_) => {
                // A session ends by itself too.
                let mut conn = state.store.reader().await.ok()?;
                if !sessions::is_open(&mut conn, session).await.ok()? {
                    return None;
                }
                ": still here\n\n".to_owned()
            }
        };
        Some((Ok(Bytes::from(text)), (receiver, state, own)))
    });
    HttpResponse::Ok()
        .content_type("text/event-stream")
        // Compression would hold tidings back.
        .insert_header(("content-encoding", "identity"))
        .streaming(start.chain(events))
}
