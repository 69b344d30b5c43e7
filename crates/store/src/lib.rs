//! The clinic's memory: PostgreSQL through Diesel.
//!
//! Begin at [`Store`]: it reads through [`Store::reader`], and writes through [`Store::change`], whose closure
//! works on a [`Change`]: one database transaction with its audit rows and its tidings to other screens.
//! A change that tells nothing to the audit cannot be committed.

pub mod arrival;
pub mod audit;
pub mod backup;
pub mod change;
pub mod charges;
pub mod claims;
pub mod cluster;
pub mod codes;
pub mod consult;
pub mod coverage;
pub mod documents;
pub mod house;
pub mod jobs;
pub mod money;
pub mod orders;
pub mod people;
pub mod prescribing;
mod refusals;
pub mod rights;
pub mod rows;
pub mod schedule;
pub mod schema;
pub mod tidings;
pub mod topic;
pub mod visit_line;
pub mod wire;
pub mod words;

pub use audit::Actor;
pub use change::Change;
pub use diesel_async::AsyncPgConnection as Conn;
pub use tidings::Tiding;
pub use topic::Topic;

use diesel::result::Error as DieselError;
use diesel_async::pooled_connection::bb8::{Pool, PooledConnection};
use diesel_async::pooled_connection::{AsyncDieselConnectionManager, ManagerConfig};
use diesel_async::{AnsiTransactionManager, SimpleAsyncConnection, TransactionManager};
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};
use harbor_core::schedule::Question;

const MIGRATIONS: EmbeddedMigrations = embed_migrations!("migrations");

/// Why something could not be read or written.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    #[error("There is no such {0}.")]
    NotFound(&'static str),
    /// The rules of the job say no; the sentence is for people.
    #[error("{sentence}")]
    Refused { code: &'static str, sentence: String },
    /// Somebody else saved first; what the record holds now is to be shown.
    #[error("Somebody else changed this in the meantime.")]
    Stale { current: serde_json::Value },
    #[error("The database cannot be reached.")]
    Unreachable(String),
    /// It may be meant, and is done when that is said.
    #[error("{}", .0.iter().map(ToString::to_string).collect::<Vec<_>>().join(" "))]
    AskFirst(Vec<Question>),
    #[error(transparent)]
    Database(DieselError),
}

pub type Result<T, E = StoreError> = std::result::Result<T, E>;

impl StoreError {
    /// For a log. Sentences of the database and of refusals may quote what somebody typed, so only kinds, codes and the
    /// names of guards are told.
    pub fn for_log(&self) -> String {
        match self {
            StoreError::NotFound(what) => format!("no such {what}"),
            StoreError::Refused { code, .. } => format!("refused: {code}"),
            StoreError::Stale { .. } => "stale".into(),
            StoreError::AskFirst(_) => "asked first".into(),
            StoreError::Unreachable(_) => "the database cannot be reached".into(),
            StoreError::Database(DieselError::DatabaseError(kind, about)) => {
                format!("database error {kind:?}, guard {}", about.constraint_name().unwrap_or("none"))
            }
            StoreError::Database(DieselError::NotFound) => "a row that was expected is not there".into(),
            StoreError::Database(_) => "database error".into(),
        }
    }

    pub fn refused(code: &'static str, sentence: impl Into<String>) -> Self {
        StoreError::Refused { code, sentence: sentence.into() }
    }
}

/// The clinic's database.
#[derive(Clone)]
pub struct Store {
    pool: Pool<Conn>,
}

/// A connection borrowed from the pool.
pub type Borrowed<'a> = PooledConnection<'a, Conn>;

impl Store {
    /// Connects; the database may come up later, so nothing is asked of it yet.
    pub async fn open(url: &str, connections: u32) -> Result<Store> {
        let mut config = ManagerConfig::default();
        config.custom_setup = Box::new(|url| Box::pin(wire::connect(url)));
        let manager = AsyncDieselConnectionManager::<Conn>::new_with_config(url, config);
        let pool = Pool::builder()
            .max_size(connections)
            .connection_timeout(std::time::Duration::from_secs(15))
            .build(manager)
            .await
            .map_err(|e| StoreError::Unreachable(e.to_string()))?;
        Ok(Store { pool })
    }

    /// A connection for reading.
    pub async fn reader(&self) -> Result<Borrowed<'_>> {
        self.pool.get().await.map_err(|e| StoreError::Unreachable(e.to_string()))
    }

    /// Several questions answered by one and the same state of the clinic, whatever is changed in between. For views whose
    /// parts contradict each other when one was read before a change and one after it.
    pub async fn at_one_moment<T, E: From<StoreError>>(
        &self,
        read: impl AsyncFnOnce(&mut Conn) -> Result<T, E>,
    ) -> Result<T, E> {
        let mut conn = self.reader().await?;
        let began = AnsiTransactionManager::begin_transaction(&mut *conn).await;
        began.map_err(|e| E::from(e.into()))?;
        let fixed = conn.batch_execute("set transaction isolation level repeatable read, read only").await;
        fixed.map_err(|e| E::from(e.into()))?;
        let answer = read(&mut conn).await;
        let ended = AnsiTransactionManager::rollback_transaction(&mut *conn).await;
        ended.map_err(|e| E::from(e.into()))?;
        answer
    }

    /// One change by somebody at a moment of the clinic's clock: all of the closure's work or nothing of it. Done, it is
    /// committed with its audit rows and told to every screen; refused, it is rolled back and the connection is as before.
    pub async fn change<T, E: From<StoreError>>(
        &self,
        actor: &Actor,
        now: chrono::DateTime<chrono::Utc>,
        work: impl AsyncFnOnce(&mut Change<'_>) -> Result<T, E>,
    ) -> Result<T, E> {
        let mut change = Change::begin(self.reader().await?, actor, now).await?;
        let done = work(&mut change).await;
        match done {
            Ok(done) => change.finish().await.map(|()| done).map_err(E::from),
            Err(refused) => {
                change.roll_back().await;
                Err(refused)
            }
        }
    }

    /// How many connections are open, and how many of them nobody uses now.
    pub fn connections(&self) -> (usize, usize) {
        let state = self.pool.state();
        (state.connections as usize, state.idle_connections as usize)
    }

    /// How many steps the database lacks to have today's tables.
    pub async fn pending_steps(&self) -> Result<usize> {
        use diesel::migration::{Migration, MigrationSource};
        use diesel_async::RunQueryDsl;
        #[derive(diesel::QueryableByName)]
        struct Step {
            #[diesel(sql_type = diesel::sql_types::Text)]
            version: String,
        }
        let known: Vec<Box<dyn Migration<diesel::pg::Pg>>> =
            MIGRATIONS.migrations().map_err(|e| StoreError::Unreachable(e.to_string()))?;
        let done: Vec<Step> = diesel::sql_query("select version from __diesel_schema_migrations")
            .load(&mut *self.reader().await?)
            .await?;
        let lacks = |m: &dyn Migration<diesel::pg::Pg>| {
            let version = m.name().version().to_string();
            !done.iter().any(|d| d.version == version)
        };
        Ok(known.iter().filter(|m| lacks(m.as_ref())).count())
    }

    /// Whether the database answers.
    pub async fn answers(&self) -> bool {
        use diesel_async::RunQueryDsl;
        match self.reader().await {
            Ok(mut conn) => diesel::sql_query("select 1").execute(&mut conn).await.is_ok(),
            Err(_) => false,
        }
    }
}

/// Brings the schema up to date; returns how many steps were taken.
pub async fn migrate(url: &str) -> anyhow::Result<usize> {
    let conn = wire::connect(url).await?;
    let mut harness = diesel_async::AsyncMigrationHarness::new(conn);
    let done = tokio::task::spawn_blocking(move || {
        harness.run_pending_migrations(MIGRATIONS).map(|done| done.len()).map_err(|e| anyhow::anyhow!("{e}"))
    })
    .await??;
    // What a step cannot compute itself, since the rule is the core's.
    let mut conn = wire::connect(url).await?;
    people::finding::hear_new_words(&mut conn).await?;
    if rights::program_exists(&mut conn).await? {
        rights::grant(&mut conn).await?;
    }
    Ok(done)
}

/// Takes the last steps back and takes them again: how a test tries a step on a clinic with people in it.
pub async fn redo(url: &str, steps: usize) -> anyhow::Result<usize> {
    let conn = wire::connect(url).await?;
    let mut harness = diesel_async::AsyncMigrationHarness::new(conn);
    tokio::task::spawn_blocking(move || {
        for _ in 0..steps {
            harness.revert_last_migration(MIGRATIONS).map_err(|e| anyhow::anyhow!("{e}"))?;
        }
        Ok::<_, anyhow::Error>(())
    })
    .await??;
    migrate(url).await
}
