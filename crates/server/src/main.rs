//! The `harbor` program: the server, and work for people without a browser.

use anyhow::{Context, Result};
use clap::{Parser, Subcommand};
use harbor_core::consult::measurements::Tenths;
use harbor_core::consult::quick_line::{Item, Known, understand};
use harbor_core::people::Sex;
use harbor_formats::icd10cm;
use harbor_formats::x12::show;
use harbor_server::Settings;
use harbor_server::commands::{claims, medicines, remittances};
use harbor_server::tables::Tables;
use harbor_server::tables::medicines::MedicineTables;
use std::path::PathBuf;
use std::process::ExitCode;
use tokio::signal::unix::{SignalKind, signal};
use tracing_subscriber::EnvFilter;
use tracing_subscriber::filter::LevelFilter;

#[derive(Parser)]
#[command(name = "harbor", about = "Indigo Harbor: running an outpatient clinic", version)]
struct Arguments {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Run the server on a database.
    Serve {
        #[arg(long, env = "HARBOR_DATABASE")]
        database: String,
        #[arg(long, default_value_t = 8080)]
        port: u16,
        /// Address of the outside partners.
        #[arg(long)]
        outside: Option<String>,
        #[command(flatten)]
        way: Way,
    },
    /// Begin a clinic in an empty database: with itself, its sites, who pays, and a manager.
    Begin {
        #[arg(long, env = "HARBOR_DATABASE")]
        database: String,
        /// What the clinic is, in JSON; docs/RUNNING.md shows one.
        file: PathBuf,
    },
    /// Bring a database's tables up to date.
    Migrate {
        #[arg(long, env = "HARBOR_DATABASE")]
        database: String,
    },
    /// Write a whole database into one file, while people work on.
    Backup {
        #[arg(long, env = "HARBOR_DATABASE")]
        database: String,
        file: PathBuf,
    },
    /// Bring a backup into an empty database, and its tables up to date.
    Restore {
        #[arg(long, env = "HARBOR_DATABASE")]
        database: String,
        file: PathBuf,
    },
    /// Make the shifts that the weekly templates want, as the server does every day.
    Supply {
        #[arg(long, env = "HARBOR_DATABASE")]
        database: String,
    },
    /// Diagnosis codes of the shipped ICD-10-CM release.
    #[command(subcommand)]
    Codes(Codes),
    /// Understand a quick line: one thing a line, with kind, name, value, unit and note.
    Quick {
        /// The line; `-` reads standard input.
        line: String,
        /// Of the patient, in years; what depends on it is not judged without it.
        #[arg(long)]
        age: Option<u32>,
        /// F or M.
        #[arg(long)]
        sex: Option<String>,
        /// In cm, as measured before.
        #[arg(long)]
        height: Option<f64>,
    },
    /// Medicines: finding them, and checking a prescription.
    #[command(subcommand)]
    Medicines(medicines::Medicines),
    /// Files of claims.
    #[command(subcommand)]
    Claim(claims::Claims),
    /// Payers' remittances.
    #[command(subcommand)]
    Remittance(remittances::Remittances),
    /// X12 files.
    #[command(subcommand)]
    X12(X12),
    /// The record of looks and changes.
    #[command(subcommand)]
    Audit(Audit),
    /// Signed notes.
    #[command(subcommand)]
    Notes(Notes),
    /// Print the API document (OpenAPI).
    Openapi,
}

/// The way to the browser.
#[derive(clap::Args)]
struct Way {
    /// The address to listen on.
    #[arg(long, default_value = "127.0.0.1")]
    listen: std::net::IpAddr,
    /// A name that the server answers to, besides those of the machine itself; as often as there are names.
    #[arg(long = "name")]
    names: Vec<String>,
    /// Certificate in PEM, for encrypting the way to the browser here.
    #[arg(long, requires = "tls_key")]
    tls_certificate: Option<PathBuf>,
    /// The certificate's key in PEM.
    #[arg(long, requires = "tls_certificate")]
    tls_key: Option<PathBuf>,
    /// A proxy of the clinic's stands in front, and says in X-Forwarded-For and X-Forwarded-Proto who asks and how.
    #[arg(long)]
    behind_proxy: bool,
    /// Folder where the head of the record of looks is written down.
    #[arg(long)]
    checkpoints: Option<PathBuf>,
    /// Address and port where health, readiness and metrics are told, apart from the way to the browser.
    #[arg(long)]
    watch: Option<std::net::SocketAddr>,
    /// Folder by which files go to the clearing house (`out`) and come from it (`in`), instead of its address.
    #[arg(long)]
    exchange_folder: Option<PathBuf>,
    /// How lines of the log are written; what is written, RUST_LOG says (info without it).
    #[arg(long, value_enum, default_value_t = Log::Text)]
    log: Log,
}

#[derive(Clone, Copy, clap::ValueEnum)]
enum Log {
    Text,
    /// One object a line.
    Json,
}

impl Log {
    fn begin(self) {
        let wanted = EnvFilter::builder().with_default_directive(LevelFilter::INFO.into()).from_env_lossy();
        let lines = tracing_subscriber::fmt().with_env_filter(wanted).with_writer(std::io::stderr).with_ansi(false);
        match self {
            Log::Text => lines.init(),
            Log::Json => lines.json().flatten_event(true).init(),
        }
    }
}

#[derive(Subcommand)]
enum Codes {
    /// The ten best codes for a text: code, tab, description.
    Search { text: String },
    /// Make the compact table of a release from its tabular list (XML, gzip or not).
    Import { list: PathBuf, table: PathBuf },
    /// Whether codes may be billed together: success, or one finding a line.
    Check {
        #[arg(required = true)]
        codes: Vec<String>,
    },
}

#[derive(Subcommand)]
enum X12 {
    /// Check a file: a summary, or located findings.
    Check { file: PathBuf },
    /// Show a file for reading.
    Show { file: PathBuf },
}

#[derive(Subcommand)]
enum Audit {
    /// Walk the whole chain and recompute every hash.
    Verify {
        /// The database; without it, the one of the demo that was started in this folder.
        #[arg(long, env = "HARBOR_DATABASE")]
        database: Option<String>,
        /// The folder of its checkpoints; without it, that of the demo, or none with --database.
        #[arg(long)]
        checkpoints: Option<PathBuf>,
    },
}

#[derive(Subcommand)]
enum Notes {
    /// Compare every signed note with what was signed. Prints a line for each that differs.
    Verify {
        /// The database; without it, the one of the demo that was started in this folder.
        #[arg(long, env = "HARBOR_DATABASE")]
        database: Option<String>,
    },
}

fn main() -> ExitCode {
    match run(Arguments::parse().command) {
        Ok(code) => code,
        Err(error) => {
            eprintln!("{error:#}");
            ExitCode::from(2)
        }
    }
}

fn run(command: Command) -> Result<ExitCode> {
    match command {
        Command::Codes(Codes::Search { text }) => {
            for hit in Tables::shared()?.diagnoses.search(&text, &[], 10) {
                println!("{}\t{}", hit.code, hit.title);
            }
            Ok(ExitCode::SUCCESS)
        }
        Command::Medicines(command) => {
            block_on(async move { Ok(if command.run().await? { ExitCode::from(1) } else { ExitCode::SUCCESS }) })
        }
        Command::Claim(command) => Ok(if command.run()? { ExitCode::from(1) } else { ExitCode::SUCCESS }),
        Command::Remittance(command) => Ok(if command.run()? { ExitCode::from(1) } else { ExitCode::SUCCESS }),
        Command::Codes(Codes::Import { list, table }) => {
            let bytes = std::fs::read(&list).with_context(|| format!("reading {}", list.display()))?;
            match icd10cm::read(&bytes) {
                Ok(release) => {
                    std::fs::write(&table, icd10cm::table::write(&release)?)
                        .with_context(|| format!("writing {}", table.display()))?;
                    println!("{} entries of {}", release.entries.len(), release.version);
                    Ok(ExitCode::SUCCESS)
                }
                Err(located) => {
                    println!("{located}");
                    Ok(ExitCode::from(1))
                }
            }
        }
        Command::Codes(Codes::Check { codes }) => {
            let stops: Vec<String> = Tables::shared()?
                .diagnoses
                .check_together(&codes)
                .into_iter()
                .filter(|f| f.stops_billing)
                .map(|f| f.sentence)
                .collect();
            for sentence in &stops {
                println!("{sentence}");
            }
            Ok(if stops.is_empty() { ExitCode::SUCCESS } else { ExitCode::from(1) })
        }
        Command::Quick { line, age, sex, height } => quick(&line, age, sex.as_deref(), height),
        Command::X12(X12::Check { file }) => {
            let bytes = std::fs::read(&file).with_context(|| format!("reading {}", file.display()))?;
            let check = show::check(&bytes);
            if check.findings.is_empty() {
                check.summary.iter().for_each(|line| println!("{line}"));
                Ok(ExitCode::SUCCESS)
            } else {
                check.findings.iter().for_each(|line| println!("{line}"));
                Ok(ExitCode::from(1))
            }
        }
        Command::X12(X12::Show { file }) => {
            let bytes = std::fs::read(&file).with_context(|| format!("reading {}", file.display()))?;
            match show::show(&bytes) {
                Ok(text) => {
                    print!("{text}");
                    Ok(ExitCode::SUCCESS)
                }
                Err(located) => {
                    println!("{located}");
                    Ok(ExitCode::from(1))
                }
            }
        }
        Command::Openapi => {
            println!("{}", harbor_server::routes::document().to_pretty_json()?);
            Ok(ExitCode::SUCCESS)
        }
        Command::Serve { database, port, outside, way } => block_on(serve(database, port, outside, way)),
        Command::Supply { database } => block_on(make_supply(database)),
        Command::Backup { database, file } => {
            harbor_store::backup::backup(&database, &file)?;
            println!("{} bytes in {}", std::fs::metadata(&file)?.len(), file.display());
            Ok(ExitCode::SUCCESS)
        }
        Command::Restore { database, file } => block_on(async move {
            let steps = harbor_store::backup::restore(&database, &file).await?;
            println!("restored; {steps} steps to today's tables");
            Ok(ExitCode::SUCCESS)
        }),
        Command::Begin { database, file } => block_on(begin(database, file)),
        Command::Migrate { database } => block_on(async move {
            println!("{} steps", harbor_store::migrate(&database).await?);
            Ok(ExitCode::SUCCESS)
        }),
        Command::Notes(Notes::Verify { database }) => {
            let url = database.map_or_else(|| demo_database(std::path::Path::new(".harbor")), Ok)?;
            block_on(verify_notes(url))
        }
        Command::Audit(Audit::Verify { database, checkpoints }) => {
            let demo = std::path::Path::new(".harbor");
            let (found, folder) = match database {
                Some(url) => (url, checkpoints),
                None => (demo_database(demo)?, Some(checkpoints.unwrap_or_else(|| demo.to_owned()))),
            };
            block_on(verify(found.trim().to_owned(), folder))
        }
    }
}

/// Prints what a quick line says; 1 when something of it is impossible or doubtful.
fn quick(line: &str, age: Option<u32>, sex: Option<&str>, height: Option<f64>) -> Result<ExitCode> {
    let line = match line {
        "-" => std::io::read_to_string(std::io::stdin()).context("reading standard input")?,
        line => line.to_owned(),
    };
    let sex = match sex {
        None => Sex::Unknown,
        Some(text) => Sex::as_written(text).with_context(|| format!("--sex {text} is neither F nor M"))?,
    };
    let height_on_file = match height {
        None => None,
        Some(cm) if (20.0..=250.0).contains(&cm) => Some(Tenths((cm * 10.0).round() as i32)),
        Some(cm) => anyhow::bail!("--height {cm} is no height in cm"),
    };
    let tables = Tables::shared()?;
    let known = Known {
        age,
        sex,
        height_on_file,
        today: chrono::Local::now().date_naive(),
        diagnoses: Some(&tables.diagnoses),
        tests: &tables.orderables,
        products: MedicineTables::shipped()?.rules.products(),
    };
    let items = understand(&line, &known);
    for item in &items {
        // A column is a column whatever was typed.
        println!("{}", item.row().map(|c| c.replace(['\t', '\n', '\r'], " ")).join("\t"));
    }
    Ok(if items.iter().any(Item::is_doubtful) { ExitCode::from(1) } else { ExitCode::SUCCESS })
}

fn block_on(work: impl Future<Output = Result<ExitCode>>) -> Result<ExitCode> {
    actix_web::rt::System::new().block_on(work)
}

async fn serve(database: String, port: u16, outside: Option<String>, way: Way) -> Result<ExitCode> {
    way.log.begin();
    let own = Settings::on(database);
    let settings = Settings {
        outside_url: outside,
        names: own.names.iter().cloned().chain(way.names).collect(),
        listen: way.listen,
        tls: way.tls_certificate.zip(way.tls_key).map(|(certificate, key)| harbor_server::Tls { certificate, key }),
        behind_proxy: way.behind_proxy,
        checkpoints: way.checkpoints,
        watch: way.watch,
        exchange_folder: way.exchange_folder,
        ..own
    };
    let running = harbor_server::start(settings, port).await?;
    println!("ready {}", running.address);
    if let Some(at) = running.watched_at {
        println!("watched at http://{at}");
    }
    // Whoever started us waits for this; where nobody does, it goes nowhere.
    let _ = sd_notify::notify(false, &[sd_notify::NotifyState::Ready]);
    let mut asked_to_end = signal(SignalKind::terminate())?;
    tokio::select! {
        _ = asked_to_end.recv() => {}
        interrupted = tokio::signal::ctrl_c() => interrupted?,
    }
    let _ = sd_notify::notify(false, &[sd_notify::NotifyState::Stopping]);
    running.stop().await;
    Ok(ExitCode::SUCCESS)
}

/// Begins a clinic, and says where its manager sets a password.
async fn begin(database: String, file: PathBuf) -> Result<ExitCode> {
    let text = std::fs::read_to_string(&file).with_context(|| format!("reading {}", file.display()))?;
    let beginning = match harbor_server::beginning::read(&text) {
        Ok(beginning) => beginning,
        Err(faults) => {
            faults.iter().for_each(|fault| println!("{fault}"));
            return Ok(ExitCode::from(1));
        }
    };
    harbor_store::migrate(&database).await?;
    let store = harbor_store::Store::open(&database, 1).await?;
    let token = harbor_server::signing::word(43);
    let actor = harbor_store::Actor::system("harbor begin");
    let begun = store
        .change(&actor, chrono::Utc::now(), async |change| {
            change.begin_clinic(&beginning, &token).await?;
            Ok::<_, harbor_store::StoreError>(())
        })
        .await;
    if let Err(refused) = begun {
        println!("{refused}");
        return Ok(ExitCode::from(1));
    }
    println!("{} is begun.", beginning.clinic.name);
    println!("{} sets a password within a day at /set-password#{token}", beginning.manager.name);
    Ok(ExitCode::SUCCESS)
}

/// Says what was made, and what could not be.
async fn make_supply(database: String) -> Result<ExitCode> {
    let store = harbor_store::Store::open(&database, 1).await?;
    let clinic = harbor_store::house::staff::clinic(&mut *store.reader().await?)
        .await
        .context("the database holds no clinic")?;
    let zone: chrono_tz::Tz =
        clinic.zone.parse().map_err(|_| anyhow::anyhow!("the zone {} is unknown", clinic.zone))?;
    let now = chrono::Utc::now();
    let report = store
        .change(&harbor_store::Actor::system("working time"), now, async |change| {
            let report = change.settle_supply(now.with_timezone(&zone).date_naive(), None, zone).await?;
            if report.is_still() {
                change.give_up();
            }
            Ok::<_, harbor_store::StoreError>(report)
        })
        .await?;
    println!(
        "{} shifts and {} slots made, {} slots removed",
        report.shifts_made, report.slots_made, report.slots_removed
    );
    for left in &report.left {
        let local = |at: chrono::DateTime<chrono::Utc>| at.with_timezone(&zone).format("%Y-%m-%d %H:%M").to_string();
        println!("{} to {}: {}", local(left.starts_at), local(left.ends_at), left.why);
    }
    Ok(ExitCode::SUCCESS)
}

/// The database of the demo that was started in this folder.
fn demo_database(folder: &std::path::Path) -> Result<String> {
    std::fs::read_to_string(folder.join("database")).context("no demo was started here; give --database")
}

async fn verify_notes(database: String) -> Result<ExitCode> {
    use harbor_store::consult::signing::{broken_signatures, signed_notes};
    let store = harbor_store::Store::open(&database, 1).await?;
    let mut conn = store.reader().await?;
    let broken = broken_signatures(&mut conn).await?;
    for visit in &broken {
        println!("broken: the note of visit {visit} is not what was signed");
    }
    if !broken.is_empty() {
        return Ok(ExitCode::from(1));
    }
    println!("sound: {} signed notes are what was signed", signed_notes(&mut conn).await?);
    Ok(ExitCode::SUCCESS)
}

async fn verify(database: String, checkpoints: Option<PathBuf>) -> Result<ExitCode> {
    use harbor_store::audit::{Verdict, verify};
    let store = harbor_store::Store::open(&database, 1).await?;
    let verdict = verify(&mut *store.reader().await?).await?;
    match verdict {
        Verdict::Sound { rows, last } => {
            let Some(folder) = checkpoints else {
                println!("sound: {rows} rows, chain ends in {last}; compared with no checkpoints");
                return Ok(ExitCode::SUCCESS);
            };
            if let Some(what) = harbor_server::checkpoints::lost(&folder, &mut *store.reader().await?).await? {
                println!("broken: {what}");
                return Ok(ExitCode::from(1));
            }
            let written = harbor_server::checkpoints::read(&folder)?.len();
            println!("sound: {rows} rows, chain ends in {last}; {written} checkpoints agree");
            Ok(ExitCode::SUCCESS)
        }
        Verdict::Broken { seq, why } => {
            println!("broken at row {seq}: {why}");
            Ok(ExitCode::from(1))
        }
    }
}
