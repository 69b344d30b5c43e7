//! A whole product: cluster, database, stand-ins, server.

use crate::{ZONE, demo_day, is_loaded, load, opening, staff};
use anyhow::Result;
use chrono::{DateTime, NaiveDate, Utc};
use harbor_server::{Clock, Running, Settings};
use harbor_standins::World as Outside;
use harbor_store::Store;
use harbor_store::cluster::{Cluster, create_database, drop_database, has_database, reachable_folder};
use std::path::{Path, PathBuf};
use std::time::Duration;

/// What a start wants.
pub struct Wanted {
    pub port: u16,
    pub fresh: bool,
    /// Fixes the clinic's clock; otherwise it runs on from mid-morning.
    pub now: Option<DateTime<Utc>>,
    /// Where the head of the record of looks is written down.
    pub checkpoints: Option<PathBuf>,
}

/// Everything that was started, in the order of stopping.
pub struct Stack {
    pub server: Running,
    pub outside: Outside,
    pub outside_url: String,
    outside_handle: actix_web::dev::ServerHandle,
    pub cluster: Cluster,
    watch: tokio::task::JoinHandle<()>,
}

impl Stack {
    /// Stops everything that this start has started.
    pub async fn stop(self) -> Result<()> {
        self.watch.abort();
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
    cluster.settle_roles().await?;
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
    let checkpoints = wanted.checkpoints;
    if !loaded {
        say("loading the demo clinic");
        load(&url, day).await?;
        // What was written down of another clinic's record says nothing of this one.
        if let Some(folder) = &checkpoints {
            let _ = std::fs::remove_file(harbor_server::checkpoints::file(folder));
        }
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
        checkpoints,
        ..Settings::on(cluster.program_url("clinic"))
    };
    let server = harbor_server::start(settings, wanted.port).await?;
    let watch = tokio::spawn(watch(cluster.clone()));
    Ok(Stack { server, outside, outside_url, outside_handle, cluster, watch })
}

/// Starts the database again when it has stopped, by whatever: what was committed is there. Meanwhile the server answers
/// that it cannot reach it, and goes on by itself.
async fn watch(cluster: Cluster) {
    loop {
        tokio::time::sleep(Duration::from_secs(1)).await;
        let looked = cluster.clone();
        let again = tokio::task::spawn_blocking(move || match looked.is_running() {
            true => None,
            false => Some(looked.launch()),
        });
        match again.await {
            Ok(Some(Ok(()))) => println!("the database had stopped; it runs again"),
            Ok(Some(Err(error))) => eprintln!("the database has stopped and does not start: {error:#}"),
            _ => {}
        }
    }
}
