//! A product for tests: one cluster for the whole run, a database of its own for every test, cloned
//! from a loaded template; server and stand-ins in this very process.

use crate::{load, opening};
use anyhow::{Context, Result};
use chrono::{DateTime, NaiveDate, Utc};
use diesel_async::AsyncConnection;
use harbor_server::{Clock, Running, Settings};
use harbor_standins::World as Outside;
use harbor_store::Conn;
use harbor_store::cluster::{Cluster, create_database, databases_named, drop_database, has_database, reachable_folder};
use std::path::{Path, PathBuf};

/// The day that all tests live on: a Monday.
pub fn day() -> NaiveDate {
    NaiveDate::from_ymd_opt(2026, 11, 23).unwrap_or_default()
}

pub fn now() -> DateTime<Utc> {
    opening(day())
}

pub struct Product {
    pub server: Running,
    pub outside: Outside,
    pub database_url: String,
    pub cluster: Cluster,
    name: String,
    settings: Settings,
    outside_handle: actix_web::dev::ServerHandle,
}

/// In memory where there is room for it: a database is some 760 small files, and a disk spends more than a quarter of the
/// machine on making and removing them for each test.
fn folder() -> PathBuf {
    let on_disk = reachable_folder(&PathBuf::from(concat!(env!("CARGO_MANIFEST_DIR"), "/../../target/test-postgres")));
    let memory = Path::new("/dev/shm");
    if room(memory).is_none_or(|bytes| bytes < 4 << 30) {
        return on_disk;
    }
    let name: String = env!("CARGO_MANIFEST_DIR").chars().map(|c| if c.is_alphanumeric() { c } else { '-' }).collect();
    memory.join(format!("indigo-harbor{name}-test-postgres"))
}

/// Bytes that are free there.
fn room(folder: &Path) -> Option<u64> {
    let said = std::process::Command::new("df").args(["-B1", "--output=avail"]).arg(folder).output().ok()?;
    String::from_utf8_lossy(&said.stdout).lines().nth(1)?.trim().parse().ok()
}

/// The cluster of the test run, and a lock: test programs run one after the other and tests beside each other,
/// so a file guards what is made for all of them.
async fn cluster() -> Result<(Cluster, std::fs::File)> {
    let folder = folder();
    std::fs::create_dir_all(&folder)?;
    let path = folder.with_extension("lock");
    let lock = std::fs::File::create(&path).with_context(|| path.display().to_string())?;
    let lock = tokio::task::spawn_blocking(move || lock.lock().map(|()| lock)).await??;
    let cluster = tokio::task::spawn_blocking(move || Cluster::start(&folder, false)).await??;
    cluster.settle_roles().await?;
    Ok((cluster, lock))
}

/// The demo clinic around a day in a database of its own, for looking at the world itself.
pub struct Loaded {
    pub url: String,
    cluster: Cluster,
    name: String,
}

impl Loaded {
    pub async fn around(day: NaiveDate) -> Result<Loaded> {
        let (cluster, lock) = cluster().await?;
        drop(lock);
        let name = format!("world_{}", uuid::Uuid::now_v7().simple());
        create_database(&cluster, &name, None).await?;
        let url = cluster.url(&name);
        harbor_store::migrate(&url).await?;
        load(&url, day).await?;
        Ok(Loaded { url, cluster, name })
    }

    pub async fn drop(self) -> Result<()> {
        drop_database(&self.cluster, &self.name).await
    }
}

/// The cluster of the test run and the name of the template with the demo clinic in it.
async fn template() -> Result<(Cluster, String)> {
    let (cluster, lock) = cluster().await?;
    // The name follows the sources that make the world, so that a changed world is loaded anew and one that is not
    // serves every test program and the next run.
    let name = format!("template_{}", env!("HARBOR_WORLD"));
    if !has_database(&cluster, &name).await? {
        for older in databases_named(&cluster, "template_").await? {
            drop_database(&cluster, &older).await?;
        }
        // Of runs that were broken off.
        for left in databases_named(&cluster, "test_").await? {
            let _ = drop_database(&cluster, &left).await;
        }
        let making = format!("{name}_making");
        create_database(&cluster, &making, None).await?;
        harbor_store::migrate(&cluster.url(&making)).await?;
        load(&cluster.url(&making), day()).await?;
        create_database(&cluster, &name, Some(&making)).await?;
        drop_database(&cluster, &making).await?;
    }
    drop(lock);
    Ok((cluster, name))
}

/// The store alone on the demo clinic: one database for all such tests, in which nothing that they change stays.
pub async fn rolled_back<T>(test: impl AsyncFnOnce(&mut Conn) -> T) -> Result<T> {
    let (cluster, template) = template().await?;
    let name = template.replace("template_", "shared_");
    {
        let (_, _lock) = self::cluster().await?;
        if !has_database(&cluster, &name).await? {
            for older in databases_named(&cluster, "shared_").await? {
                drop_database(&cluster, &older).await?;
            }
            create_database(&cluster, &name, Some(&template)).await?;
        }
    }
    let mut conn = Conn::establish(&cluster.url(&name)).await?;
    conn.begin_test_transaction().await?;
    Ok(test(&mut conn).await)
}

impl Product {
    /// The demo clinic at its opening hour, with the outside world answering at once.
    pub async fn start() -> Result<Product> {
        Self::start_at(now()).await
    }

    pub async fn start_at(now: DateTime<Utc>) -> Result<Product> {
        Self::start_so(now, |_| {}).await
    }

    /// With other settings than usual.
    pub async fn start_so(now: DateTime<Utc>, changed: impl FnOnce(&mut Settings)) -> Result<Product> {
        let (cluster, template) = template().await?;
        let name = format!("test_{}", uuid::Uuid::now_v7().simple());
        // A template cannot be copied by two at once; they wait for each other.
        let mut tries = 0;
        while let Err(error) = create_database(&cluster, &name, Some(&template)).await {
            tries += 1;
            if tries > 200 {
                return Err(error);
            }
            tokio::time::sleep(std::time::Duration::from_millis(100)).await;
        }
        let database_url = cluster.url(&name);
        let outside = Outside::new(Some(now), true);
        let (outside_url, outside_handle) = harbor_standins::start(outside.clone())?;
        let mut settings = Settings {
            outside_url: Some(outside_url),
            clock: Clock::Fixed(now),
            shown_sign_ins: crate::staff::sign_ins(),
            // As the program's own role, with no more rights than it has at a clinic.
            ..Settings::on(cluster.program_url(&name))
        };
        changed(&mut settings);
        let server = harbor_server::start(settings.clone(), 0).await?;
        Ok(Product { server, outside, database_url, cluster, name, settings, outside_handle })
    }

    /// Another server of the same clinic, as a group of clinics would run it.
    pub async fn another_server(&self) -> Result<Running> {
        harbor_server::start(self.settings.clone(), 0).await
    }

    /// A server of the same clinic at a port, as one that was killed is started again.
    pub async fn server_at(&self, port: u16) -> Result<Running> {
        harbor_server::start(self.settings.clone(), port).await
    }

    /// The name of its database.
    pub fn database(&self) -> &str {
        &self.name
    }

    pub fn address(&self) -> &str {
        &self.server.address
    }

    pub async fn stop(self) -> Result<()> {
        self.server.stop().await;
        self.outside_handle.stop(false).await;
        drop_database(&self.cluster, &self.name).await
    }
}
