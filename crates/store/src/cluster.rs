//! A private PostgreSQL cluster on loopback, for the demo and the tests. Never a system cluster,
//! never port 5432.

use anyhow::{Context, Result, bail};
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

/// A cluster that this program has started. Dropping it leaves it running; [`Cluster::stop`] ends it.
pub struct Cluster {
    bin: PathBuf,
    data: PathBuf,
    port: u16,
    user: Option<(u32, u32)>,
}

impl Cluster {
    /// Makes the cluster if there is none in `folder`, and starts it. `durable` off trades safety for
    /// speed and is for tests alone.
    pub fn start(folder: &Path, durable: bool) -> Result<Cluster> {
        let bin = find_binaries()?;
        let user = server_user()?;
        std::fs::create_dir_all(folder).with_context(|| format!("making {}", folder.display()))?;
        if let Some((uid, gid)) = user {
            std::os::unix::fs::chown(folder, Some(uid), Some(gid))?;
        }
        let data = folder.join("data");
        let mut cluster = Cluster { bin, data, port: free_port()?, user };
        if !cluster.data.join("PG_VERSION").exists() {
            // A half-made cluster of a start that was cut off is made anew.
            if cluster.data.exists() {
                std::fs::remove_dir_all(&cluster.data)?;
            }
            let data = cluster.data.clone();
            cluster.run(
                "initdb",
                &[
                    "-D",
                    &data.to_string_lossy(),
                    "-U",
                    "harbor",
                    "--auth=trust",
                    "-E",
                    "UTF8",
                    "--locale=C.UTF-8",
                    "--no-sync",
                ],
            )?;
        }
        if let Some(port) = cluster.running_port() {
            cluster.port = port;
            return Ok(cluster);
        }
        let safety = if durable { "" } else { " -c fsync=off -c synchronous_commit=off -c full_page_writes=off" };
        let options = format!(
            "-p {} -c listen_addresses=127.0.0.1 -c unix_socket_directories='' -c max_connections=200 -c shared_buffers=256MB{safety}",
            cluster.port
        );
        let (data, log) = (cluster.data.clone(), folder.join("postgres.log"));
        cluster.run(
            "pg_ctl",
            &["-D", &data.to_string_lossy(), "-l", &log.to_string_lossy(), "-o", &options, "-w", "-t", "60", "start"],
        )?;
        Ok(cluster)
    }

    pub fn url(&self, database: &str) -> String {
        format!("postgres://harbor@127.0.0.1:{}/{database}", self.port)
    }

    /// Ends the server; what was committed is safe.
    pub fn stop(&self) -> Result<()> {
        let data = self.data.to_string_lossy().into_owned();
        self.run("pg_ctl", &["-D", &data, "-m", "fast", "-w", "stop"])
    }

    /// The port of a server that already runs on this folder.
    fn running_port(&self) -> Option<u16> {
        let data = self.data.to_string_lossy().into_owned();
        let alive = self.command("pg_ctl", &["-D", &data, "status"]).status().ok()?.success();
        let lines = std::fs::read_to_string(self.data.join("postmaster.pid")).ok()?;
        alive.then(|| lines.lines().nth(3)?.trim().parse().ok())?
    }

    fn command(&self, program: &str, arguments: &[&str]) -> Command {
        let mut command = Command::new(self.bin.join(program));
        command.args(arguments).stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null()).current_dir("/");
        // Ctrl+C in the terminal is for us; we end the server ourselves, in order.
        command.process_group(0);
        if let Some((uid, gid)) = self.user {
            command.uid(uid).gid(gid);
        }
        command
    }

    fn run(&self, program: &str, arguments: &[&str]) -> Result<()> {
        // Not piped: the server would inherit the pipe and keep it open for ever.
        let status = self.command(program, arguments).status().with_context(|| format!("starting {program}"))?;
        if !status.success() {
            let log = self.data.parent().map(|p| p.join("postgres.log")).unwrap_or_default();
            let tail = std::fs::read_to_string(log).unwrap_or_default();
            let tail: Vec<&str> = tail.lines().rev().take(5).collect();
            bail!("{program} failed ({status}): {}", tail.join(" | "));
        }
        Ok(())
    }
}

/// A folder that the server's user can reach: the wanted one, or one under /var/tmp when a folder on
/// the way is closed to others.
pub fn reachable_folder(wanted: &Path) -> PathBuf {
    use std::os::unix::fs::PermissionsExt;
    let closed =
        wanted.ancestors().skip(1).any(|a| std::fs::metadata(a).is_ok_and(|m| m.permissions().mode() & 0o001 == 0));
    if server_user().ok().flatten().is_none() || !closed {
        return wanted.to_owned();
    }
    let name: String = wanted.to_string_lossy().chars().map(|c| if c.is_alphanumeric() { c } else { '-' }).collect();
    PathBuf::from("/var/tmp").join(format!("indigo-harbor{name}"))
}

fn find_binaries() -> Result<PathBuf> {
    let mut versions: Vec<PathBuf> = std::fs::read_dir("/usr/lib/postgresql")
        .context("PostgreSQL is not installed (Debian package postgresql)")?
        .filter_map(|e| Some(e.ok()?.path().join("bin")))
        .filter(|bin| bin.join("initdb").exists())
        .collect();
    versions.sort();
    versions.pop().context("PostgreSQL's initdb is missing (Debian package postgresql)")
}

/// PostgreSQL refuses to run as root; then it runs as the user `postgres`.
fn server_user() -> Result<Option<(u32, u32)>> {
    let id = |flag: &str, name: &[&str]| -> Result<u32> {
        let out = Command::new("id").arg(flag).args(name).output()?;
        Ok(String::from_utf8_lossy(&out.stdout).trim().parse()?)
    };
    if id("-u", &[])? != 0 {
        return Ok(None);
    }
    let user = ["postgres"];
    Ok(Some((id("-u", &user).context("the user postgres is missing")?, id("-g", &user)?)))
}

fn free_port() -> Result<u16> {
    Ok(std::net::TcpListener::bind(("127.0.0.1", 0))?.local_addr()?.port())
}

/// Creates a database; `template` copies another one.
pub async fn create_database(cluster: &Cluster, name: &str, template: Option<&str>) -> Result<()> {
    use diesel_async::{AsyncConnection, RunQueryDsl};
    let safe = |n: &str| !n.is_empty() && n.bytes().all(|b| b.is_ascii_alphanumeric() || b == b'_');
    if !safe(name) || !template.is_none_or(safe) {
        bail!("a database is named with letters, digits and _");
    }
    let mut conn = crate::Conn::establish(&cluster.url("postgres")).await?;
    let template = template.map(|t| format!(" template {t}")).unwrap_or_default();
    diesel::sql_query(format!("create database {name}{template}")).execute(&mut conn).await?;
    Ok(())
}

/// Whether a database of this name exists.
pub async fn has_database(cluster: &Cluster, name: &str) -> Result<bool> {
    use diesel_async::{AsyncConnection, RunQueryDsl};
    let mut conn = crate::Conn::establish(&cluster.url("postgres")).await?;
    let found = diesel::sql_query("select 1 from pg_database where datname = $1")
        .bind::<diesel::sql_types::Text, _>(name)
        .execute(&mut conn)
        .await?;
    Ok(found > 0)
}

/// Removes a database with everything in it.
pub async fn drop_database(cluster: &Cluster, name: &str) -> Result<()> {
    use diesel_async::{AsyncConnection, RunQueryDsl};
    if !name.bytes().all(|b| b.is_ascii_alphanumeric() || b == b'_') {
        bail!("a database is named with letters, digits and _");
    }
    let mut conn = crate::Conn::establish(&cluster.url("postgres")).await?;
    diesel::sql_query(format!("drop database if exists {name} with (force)")).execute(&mut conn).await?;
    Ok(())
}
