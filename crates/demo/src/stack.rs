//! A whole product: cluster, database, stand-ins, server.

use crate::{ZONE, demo_day, is_loaded, load, opening, staff};
use anyhow::Result;
use chrono::{DateTime, NaiveDate, Utc};
use harbor_server::{Clock, Running, Settings};
use harbor_standins::World as Outside;
use harbor_store::Store;
use harbor_store::cluster::{Cluster, create_database, drop_database, has_database, reachable_folder};
use std::path::Path;

/// What a start wants.
pub struct Wanted {
    pub port: u16,
    pub fresh: bool,
    /// Fixes the clinic's clock; otherwise it runs on from mid-morning.
    pub now: Option<DateTime<Utc>>,
}

/// Everything that was started, in the order of stopping.
pub struct Stack {
    pub server: Running,
    pub outside: Outside,
    pub outside_url: String,
    outside_handle: actix_web::dev::ServerHandle,
    cluster: Cluster,
}

impl Stack {
    /// Stops everything that this start has started.
    pub async fn stop(self) -> Result<()> {
        self.server.stop().await;
        self.outside_handle.stop(false).await;
        self.cluster.stop()
    }
}

/// Brings the demo up on a data folder; `say` hears each long step.
pub async fn start(folder: &Path, wanted: Wanted, say: impl Fn(&str)) -> Result<Stack> {
    let folder = reachable_folder(folder);
    say("starting the database");
    let cluster = tokio::task::spawn_blocking({
        let folder = folder.clone();
        move || Cluster::start(&folder, true)
    })
    .await??;
    if wanted.fresh {
        drop_database(&cluster, "clinic").await?;
    }
    if !has_database(&cluster, "clinic").await? {
        create_database(&cluster, "clinic", None).await?;
    }
    let url = cluster.url("clinic");
    say("bringing its tables up to date");
    harbor_store::migrate(&url).await?;
    let loaded = {
        let store = Store::open(&url, 1).await?;
        let mut conn = store.reader().await?;
        if is_loaded(&mut conn).await {
            true
        } else {
            drop(conn);
            false
        }
    };
    let day: NaiveDate = match wanted.now {
        Some(now) => now.with_timezone(&ZONE).date_naive(),
        None => demo_day(Utc::now()),
    };
    if !loaded {
        say("loading the demo clinic");
        load(&url, day).await?;
    }
    let clock = match wanted.now {
        Some(now) => Clock::Fixed(now),
        None => Clock::Shifted(opening(demo_day(Utc::now())) - Utc::now()),
    };
    say("starting the outside world and the server");
    let outside = Outside::new(Some(clock.now()), true);
    let (outside_url, outside_handle) = harbor_standins::start(outside.clone())?;
    let settings = Settings {
        outside_url: Some(outside_url.clone()),
        clock,
        shown_sign_ins: staff::sign_ins(),
        ..Settings::on(url)
    };
    let server = harbor_server::start(settings, wanted.port).await?;
    Ok(Stack { server, outside, outside_url, outside_handle, cluster })
}
