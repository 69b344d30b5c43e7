//! What every request needs: the store, the clock, the tables in memory, the way outside.

use crate::favourites::Favourites;
use crate::live::Live;
use crate::signing::Signing;
use crate::tables::Tables;
use crate::tables::medicines::InForce;
use crate::watch::Watch;
use anyhow::{Context, Result};
use chrono::{DateTime, NaiveDate, Utc};
use chrono_tz::Tz;
use governor::{DefaultKeyedRateLimiter, Quota, RateLimiter};
use harbor_core::prescribing::Rules;
use harbor_store::Store;
use harbor_store::house::staff;
use harbor_store::prescribing::tables;
use harbor_store::rows::Clinic;
use harbor_store::visit_line::facts::Asked;
use std::net::{IpAddr, SocketAddr};
use std::num::NonZeroU32;
use std::path::PathBuf;
use std::sync::Arc;
use tokio::sync::Notify;

/// The clinic's clock: the machine's, or fixed at a moment for pictures and for trying out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Clock {
    System,
    Fixed(DateTime<Utc>),
    /// Runs on, this much ahead of the machine's: the demo always opens in mid-morning.
    Shifted(chrono::TimeDelta),
}

impl Clock {
    pub fn now(self) -> DateTime<Utc> {
        match self {
            Clock::System => Utc::now(),
            Clock::Fixed(at) => at,
            Clock::Shifted(ahead) => Utc::now() + ahead,
        }
    }
}

/// A stranger's machine may ask so often in a minute.
const STRANGERS_ASK: NonZeroU32 = NonZeroU32::new(60).unwrap();

/// Where things are.
#[derive(Debug, Clone)]
pub struct Settings {
    pub database_url: String,
    /// The address of the outside partners; nothing keeps what is to be sent waiting.
    pub outside_url: Option<String>,
    /// A folder by which files go to and come from the clearing house, instead of its address.
    pub exchange_folder: Option<PathBuf>,
    pub clock: Clock,
    /// Sign-ins to show on the sign-in page; only the demo has any.
    pub shown_sign_ins: Vec<(String, String)>,
    pub listen: IpAddr,
    /// The names that this server answers to.
    pub names: Vec<String>,
    /// A proxy of the clinic's stands in front and says who asks, and whether the way to it is encrypted.
    pub behind_proxy: bool,
    /// Certificate and key for encrypting the way to the browser ourselves.
    pub tls: Option<Tls>,
    /// Where the record's head is written down beside the database; nothing: it is not.
    pub checkpoints: Option<PathBuf>,
    /// Where health, readiness and metrics are told; nothing: nowhere.
    pub watch: Option<SocketAddr>,
}

/// Files in PEM.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Tls {
    pub certificate: PathBuf,
    pub key: PathBuf,
}

impl Settings {
    /// On loopback, with nothing outside.
    pub fn on(database_url: String) -> Settings {
        Settings {
            database_url,
            outside_url: None,
            exchange_folder: None,
            clock: Clock::System,
            shown_sign_ins: vec![],
            listen: IpAddr::from([127, 0, 0, 1]),
            names: OWN_NAMES.map(str::to_owned).to_vec(),
            behind_proxy: false,
            tls: None,
            checkpoints: None,
            watch: None,
        }
    }
}

/// What this machine calls itself.
pub const OWN_NAMES: [&str; 3] = ["127.0.0.1", "localhost", "[::1]"];

pub struct Inner {
    pub store: Store,
    pub settings: Settings,
    pub clinic: Clinic,
    pub zone: Tz,
    pub tables: Arc<Tables>,
    /// The tables of medicines that count now.
    pub medicines: InForce,
    pub live: Live,
    pub work: Notify,
    pub http: reqwest::Client,
    /// Counts what strangers ask for, by machine. Each server counts for itself: what matters is that
    /// guessing addresses stays slow.
    pub strangers: DefaultKeyedRateLimiter<IpAddr>,
    pub signing: Signing,
    pub watch: Watch,
    pub favourites: Favourites,
}

/// Shared by all requests and background work.
#[derive(Clone)]
pub struct State(Arc<Inner>);

impl std::ops::Deref for State {
    type Target = Inner;
    fn deref(&self) -> &Inner {
        &self.0
    }
}

impl State {
    pub async fn new(settings: Settings) -> Result<State> {
        let store = Store::open(&settings.database_url, 24).await?;
        let clinic = {
            let mut conn = store.reader().await?;
            staff::clinic(&mut conn).await.context("the database holds no clinic; load one first")?
        };
        let zone: Tz = clinic.zone.parse().ok().with_context(|| format!("the zone {} is unknown", clinic.zone))?;
        let tables = Tables::shared()?;
        let http = reqwest::Client::builder()
            .timeout(std::time::Duration::from_secs(10))
            .no_proxy()
            .build()
            .context("an HTTP client")?;
        let strangers = RateLimiter::keyed(Quota::per_minute(STRANGERS_ASK));
        let work = Notify::new();
        let (signing, watch) = (Signing::default(), Watch::default());
        let favourites = Favourites::default();
        let medicines = InForce::shipped()?;
        let inner = Inner {
            store,
            settings,
            clinic,
            zone,
            tables,
            medicines,
            live: Live::default(),
            work,
            http,
            strangers,
            signing,
            watch,
            favourites,
        };
        let state = State(Arc::new(inner));
        state.follow_medicine_tables().await?;
        Ok(state)
    }

    /// Medicines, and what they are checked against, as it counts now.
    pub fn rules(&self) -> &'static Rules {
        &self.medicines.get().rules
    }

    /// Takes up another set of tables of medicines where its day has come or it was imported since.
    pub async fn follow_medicine_tables(&self) -> Result<()> {
        let mut conn = self.store.reader().await?;
        let counts = tables::in_force(&mut conn, self.today()).await?;
        if counts == self.medicines.import() {
            return Ok(());
        }
        match counts {
            Some(id) => {
                let files = tables::files(&mut conn, id).await?;
                self.medicines.put(Some((id, &files)))
            }
            None => self.medicines.put(None),
        }
    }

    pub fn now(&self) -> DateTime<Utc> {
        self.settings.clock.now()
    }

    /// The clinic's local day.
    pub fn today(&self) -> NaiveDate {
        self.local_day(self.now())
    }

    /// The release of the codes and the day by which visits are looked at.
    pub fn asked_today(&self) -> Asked<'_> {
        Asked { index: &self.tables.diagnoses, today: self.today() }
    }

    pub fn local_day(&self, at: DateTime<Utc>) -> NaiveDate {
        at.with_timezone(&self.zone).date_naive()
    }
}
