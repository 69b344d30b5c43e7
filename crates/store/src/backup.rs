//! A whole clinic into one file, and back: PostgreSQL's own tools, told where and as whom.
//!
//! The file is `pg_dump`'s custom format: packed, with every table, constraint, trigger and row as of one moment, while people
//! work on. Passwords go to the tools by their environment, not by arguments that everybody on the machine can read.

use crate::{Conn, cluster, wire};
use anyhow::{Context, Result, bail};
use diesel_async::RunQueryDsl;
use std::path::Path;
use std::process::Command;

/// One of PostgreSQL's programs, connected to a database.
fn tool(name: &str, url: &str) -> Result<Command> {
    let (config, encrypted) = wire::read(url)?;
    let mut command = Command::new(cluster::find_binaries()?.join(name));
    let host = config.get_hosts().first().map(|host| match host {
        tokio_postgres::config::Host::Tcp(name) => name.clone(),
        tokio_postgres::config::Host::Unix(path) => path.display().to_string(),
    });
    command
        .env("PGHOST", host.context("the address names no server")?)
        .env("PGPORT", config.get_ports().first().copied().unwrap_or(5432).to_string())
        .env("PGDATABASE", config.get_dbname().context("the address names no database")?)
        .env("PGUSER", config.get_user().context("the address names no user")?);
    if let Some(password) = config.get_password() {
        command.env("PGPASSWORD", String::from_utf8_lossy(password).into_owned());
    }
    if let Some(roots) = encrypted {
        command.env("PGSSLMODE", "verify-full").env("PGSSLROOTCERT", roots);
    }
    Ok(command)
}

fn run(mut command: Command, what: &str) -> Result<()> {
    let done = command.output().with_context(|| format!("starting {what}"))?;
    if !done.status.success() {
        bail!("{what}: {}", String::from_utf8_lossy(&done.stderr).trim());
    }
    Ok(())
}

/// Writes the whole database into a file. A file that is there is not written over.
pub fn backup(url: &str, file: &Path) -> Result<()> {
    if file.exists() {
        bail!("{} is there already; choose another name", file.display());
    }
    // Half a backup must not look like one.
    let half = file.with_extension("half");
    let mut dump = tool("pg_dump", url)?;
    dump.args(["--format=custom", "--no-owner", "--no-privileges", "--file"]).arg(&half);
    let done = run(dump, "pg_dump");
    if done.is_err() {
        let _ = std::fs::remove_file(&half);
    }
    done?;
    std::fs::rename(&half, file).with_context(|| format!("naming {}", file.display()))
}

async fn tables(conn: &mut Conn) -> Result<i64> {
    #[derive(diesel::QueryableByName)]
    struct Count {
        #[diesel(sql_type = diesel::sql_types::BigInt)]
        count: i64,
    }
    let asked = "select count(*) as count from information_schema.tables where table_schema = 'public'";
    Ok(diesel::sql_query(asked).get_result::<Count>(conn).await?.count)
}

/// Brings a backup into an empty database, all or nothing, and its tables up to date.
pub async fn restore(url: &str, file: &Path) -> Result<usize> {
    let there = tables(&mut wire::connect(url).await?).await?;
    if there > 0 {
        bail!("the database holds {there} tables already; restore into an empty one");
    }
    let mut back = tool("pg_restore", url)?;
    let database = wire::read(url)?.0.get_dbname().unwrap_or_default().to_owned();
    back.args(["--exit-on-error", "--single-transaction", "--no-owner", "--no-privileges", "--dbname"])
        .arg(database)
        .arg(file);
    run(back, "pg_restore")?;
    crate::migrate(url).await
}
