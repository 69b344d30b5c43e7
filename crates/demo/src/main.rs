//! `./harbor demo`: brings everything up and says where to go.

use anyhow::{Context, Result};
use chrono::{DateTime, NaiveDateTime, NaiveTime, Utc};
use clap::Parser;
use harbor_demo::stack::{Wanted, start};
use harbor_demo::{PASSWORD, ZONE, demo_day, staff};
use std::path::PathBuf;

#[derive(Parser)]
#[command(name = "harbor demo", about = "Start Indigo Harbor with the demo clinic")]
struct Arguments {
    /// Port of the server on 127.0.0.1; 0 takes any free one.
    #[arg(long, default_value_t = 4610)]
    port: u16,
    /// Folder of the database.
    #[arg(long, default_value = ".harbor")]
    data_dir: PathBuf,
    /// Throw the data away and load the demo clinic anew.
    #[arg(long)]
    fresh: bool,
    /// Fix the clinic's clock: HH:MM of the demo day, or YYYY-MM-DDTHH:MM.
    #[arg(long)]
    now: Option<String>,
}

fn moment(text: &str) -> Result<DateTime<Utc>> {
    if let Ok(time) = NaiveTime::parse_from_str(text, "%H:%M") {
        return Ok(harbor_core::schedule::at_local(ZONE, demo_day(Utc::now()), time));
    }
    let at = NaiveDateTime::parse_from_str(text, "%Y-%m-%dT%H:%M").context("--now takes HH:MM or YYYY-MM-DDTHH:MM")?;
    Ok(harbor_core::schedule::at_local(ZONE, at.date(), at.time()))
}

/// Writes what only this user may read.
fn keep_secret(path: &std::path::Path, text: &str) -> Result<()> {
    use std::io::Write;
    use std::os::unix::fs::OpenOptionsExt;
    let _ = std::fs::remove_file(path);
    let mut file = std::fs::OpenOptions::new().write(true).create_new(true).mode(0o600).open(path)?;
    Ok(file.write_all(text.as_bytes())?)
}

fn main() -> Result<()> {
    tracing_subscriber::fmt()
        .with_env_filter(tracing_subscriber::EnvFilter::try_from_default_env().unwrap_or_else(|_| "warn".into()))
        .with_writer(std::io::stderr)
        .init();
    let arguments = Arguments::parse();
    let now = arguments.now.as_deref().map(moment).transpose()?;
    let data_dir = std::path::absolute(&arguments.data_dir)?;
    let folder = data_dir.join("postgres");
    actix_web::rt::System::new().block_on(async move {
        let wanted = Wanted { port: arguments.port, fresh: arguments.fresh, now, checkpoints: Some(data_dir.clone()) };
        let stack = start(&folder, wanted, |step| println!("… {step}")).await?;
        // `harbor audit verify` finds the database by this.
        std::fs::create_dir_all(&data_dir)?;
        keep_secret(&data_dir.join("database"), &stack.server.state.settings.database_url)?;
        println!();
        println!("Indigo Harbor Family Clinic. Sign in with a first name and the password \"{PASSWORD}\":");
        for (login, who) in staff::sign_ins() {
            println!("  {login:<8} {who}");
        }
        println!("The outside world (laboratory, payers, pharmacy): {}", stack.outside_url);
        println!("ready {}", stack.server.address);
        let mut terminate = tokio::signal::unix::signal(tokio::signal::unix::SignalKind::terminate())?;
        tokio::select! {
            _ = tokio::signal::ctrl_c() => {}
            _ = terminate.recv() => {}
        }
        println!("stopping");
        stack.stop().await
    })
}
