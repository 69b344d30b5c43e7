//! The clinic's memory: PostgreSQL through Diesel.
//!
//! Begin at [`Store`]: it reads through [`Store::reader`], and writes through [`Store::begin`], which
//! gives a [`Change`]: one database transaction with its audit rows and its tidings to other screens.
//! A change that tells nothing to the audit cannot be committed.

pub mod accounts;
pub mod audit;
pub mod away;
pub mod booking;
pub mod cards;
pub mod change;
pub mod charges;
pub mod chart;
pub mod check_in;
pub mod claims;
pub mod cluster;
pub mod coverage;
pub mod facts;
pub mod feeds;
pub mod groups;
pub mod guesses;
pub mod house;
pub mod jobs;
pub mod ledger;
pub mod lists;
pub mod looks;
pub mod messages;
pub mod orders;
pub mod own_stages;
pub mod payments;
pub mod people;
pub mod remittances;
pub mod rights;
pub mod rows;
pub mod schedule;
pub mod schema;
pub mod series;
pub mod sessions;
pub mod sign_ins;
pub mod signing;
pub mod slots;
pub mod staff;
pub mod supply;
pub mod terminal;
pub mod tills;
pub mod unbooked;
pub mod visit_types;
pub mod visits;
pub mod waiting;
pub mod wire;

pub use change::{Actor, Change};
pub use diesel_async::AsyncPgConnection as Conn;

use diesel::result::{DatabaseErrorKind, Error as DieselError};
use diesel_async::pooled_connection::bb8::{Pool, PooledConnection};
use diesel_async::pooled_connection::{AsyncDieselConnectionManager, ManagerConfig};
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};

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
    #[error(transparent)]
    Database(DieselError),
}

pub type Result<T, E = StoreError> = std::result::Result<T, E>;

impl StoreError {
    pub fn refused(code: &'static str, sentence: impl Into<String>) -> Self {
        StoreError::Refused { code, sentence: sentence.into() }
    }
}

/// What the database's own guards say, in words.
const GUARDS: [(&str, &str, &str); 14] = [
    ("shifts_clinician_id_tstzrange_excl", "shift_overlaps", "The clinician has another shift at this time."),
    ("slots_clinician_id_tstzrange_excl", "slot_overlaps", "There is a slot at this time already."),
    (
        "shift_templates_clinician_id_weekday_int4range_daterange_excl",
        "template",
        "The clinician has another shift at this time on this weekday.",
    ),
    ("clinician_groups_coalesce_lower_idx", "group", "There is a group of this name already."),
    ("waiting_visit_id_idx", "waiting", "This visit waits for an earlier time already."),
    ("visits_clinician_id_tstzrange_excl", "taken", "This time was just taken."),
    ("visits_one_per_slot", "taken", "This time was just taken."),
    ("visits_one_per_room", "room_occupied", "The room is occupied."),
    (
        "coverages_person_id_rank_daterange_excl",
        "coverage_overlaps",
        "A policy of this rank is in force in that time; end it first.",
    ),
    ("coverages_check", "coverage_dates", "The policy ends before it starts."),
    ("remittances_payer_code_trace_key", "posted_before", "This remittance is posted already."),
    ("payments_idempotency_key_key", "posted_before", "This is posted already."),
    ("ledger_transactions_idempotency_key_key", "posted_before", "This is posted already."),
    ("visits_day_call_sign_key", "try_again", "Two bookings met; try again."),
];

/// How PostgreSQL says that a value is none of its type's.
const UNWRITABLE: [&str; 3] =
    ["invalid byte sequence for encoding", "unsupported Unicode escape sequence", "out of range"];

/// How it shows that the server, or the line to it, broke in the middle: SQLSTATE classes 57P and 08, which Diesel does
/// not tell, and the driver's own words. Whether what was asked was done is then not known.
const BROKEN: [&str; 9] = [
    "terminating connection",
    "connection closed",
    "error communicating with the server",
    "Connection reset",
    "Broken pipe",
    "the database system is",
    "server closed the connection",
    "Connection refused",
    "early eof",
];

impl From<DieselError> for StoreError {
    fn from(error: DieselError) -> Self {
        match &error {
            DieselError::NotFound => StoreError::NotFound("record"),
            DieselError::DatabaseError(kind, info) => {
                let name = info.constraint_name().unwrap_or("");
                if let Some((_, code, sentence)) = GUARDS.iter().find(|(n, ..)| *n == name) {
                    return StoreError::refused(code, *sentence);
                }
                match kind {
                    DatabaseErrorKind::ForeignKeyViolation => {
                        StoreError::refused("reference", "Something that this refers to is not there any more.")
                    }
                    DatabaseErrorKind::SerializationFailure => {
                        StoreError::refused("try_again", "Two changes met; try again.")
                    }
                    DatabaseErrorKind::ClosedConnection => StoreError::Unreachable(info.message().to_owned()),
                    _ if BROKEN.iter().any(|words| info.message().contains(words)) => {
                        StoreError::Unreachable(info.message().to_owned())
                    }
                    // A text with a zero in it, or a number beyond the column: SQLSTATE class 22, which Diesel does not tell.
                    _ if UNWRITABLE.iter().any(|words| info.message().contains(words)) => {
                        StoreError::refused("unwritable", "A sign or a number in this cannot be kept; type it again.")
                    }
                    // SQLSTATE 40P01, which Diesel does not tell.
                    _ if info.message().contains("deadlock detected") => {
                        StoreError::refused("try_again", "Two changes met; try again.")
                    }
                    _ if info.message().contains("the note is signed; add an addendum") => {
                        StoreError::refused("note_signed", "The note is signed; add an addendum.")
                    }
                    _ if info.message().starts_with("harbor: ") => {
                        let said = info.message().trim_start_matches("harbor: ");
                        let mut letters = said.chars();
                        let first = letters.next().map(|c| c.to_uppercase().to_string()).unwrap_or_default();
                        StoreError::refused("booking", format!("{first}{}.", letters.as_str()))
                    }
                    _ if info.message().contains("conflicting key value violates exclusion") => {
                        StoreError::refused("taken", "This time was just taken.")
                    }
                    _ => StoreError::Database(error),
                }
            }
            // A transaction that cannot be used any more has lost its line.
            DieselError::BrokenTransactionManager => StoreError::Unreachable(error.to_string()),
            DieselError::QueryBuilderError(e)
            | DieselError::SerializationError(e)
            | DieselError::DeserializationError(e)
                if BROKEN.iter().any(|words| e.to_string().contains(words)) =>
            {
                StoreError::Unreachable(error.to_string())
            }
            _ => StoreError::Database(error),
        }
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

    /// Begins a change by somebody at a moment of the clinic's clock.
    pub async fn begin(&self, actor: &Actor, now: chrono::DateTime<chrono::Utc>) -> Result<Change<'_>> {
        Change::begin(self.reader().await?, actor, now).await
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
