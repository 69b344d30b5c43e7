//! A private PostgreSQL cluster on loopback, for the demo and the tests. Never a system cluster,
//! never port 5432.

use anyhow::{Context, Result, bail};
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

/// A cluster that this program has started. Dropping it leaves it running; [`Cluster::stop`] ends it.
#[derive(Debug, Clone)]
pub struct Cluster {
    bin: PathBuf,
    folder: PathBuf,
    data: PathBuf,
    port: u16,
    user: Option<(u32, u32)>,
    durable: bool,
    /// Passwords of the owner and of the program's role; each in a file that only this user reads.
    owner: String,
    program: String,
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
        let (owner, program) = (password(folder, "owner")?, password(folder, "program")?);
        let folder_of = folder.to_owned();
        let mut cluster = Cluster { bin, folder: folder_of, data, port: free_port()?, user, durable, owner, program };
        if !cluster.data.join("PG_VERSION").exists() {
            // A half-made cluster of a start that was cut off is made anew.
            if cluster.data.exists() {
                std::fs::remove_dir_all(&cluster.data)?;
            }
            let data = cluster.data.clone();
            let given = cluster.handed_over(&cluster.owner)?;
            let made = cluster.run(
                "initdb",
                &[
                    "-D",
                    &data.to_string_lossy(),
                    "-U",
                    "harbor",
                    "--auth=scram-sha-256",
                    "--pwfile",
                    &given.to_string_lossy(),
                    "-E",
                    "UTF8",
                    "--locale=C.UTF-8",
                    "--no-sync",
                ],
            );
            let _ = std::fs::remove_file(&given);
            made?;
        }
        if let Some(port) = cluster.running_port() {
            cluster.port = port;
            return Ok(cluster);
        }
        cluster.launch()?;
        Ok(cluster)
    }

    /// Starts the server of a cluster that is not running, on the port that it had.
    pub fn launch(&self) -> Result<()> {
        let (cluster, durable) = (self, self.durable);
        let safety = if durable { "" } else { " -c fsync=off -c synchronous_commit=off -c full_page_writes=off" };
        let options = format!(
            "-p {} -c listen_addresses=127.0.0.1 -c unix_socket_directories='' -c max_connections=200 -c shared_buffers=256MB{safety}",
            cluster.port
        );
        let (data, log) = (cluster.data.clone(), cluster.folder.join("postgres.log"));
        cluster.run(
            "pg_ctl",
            &["-D", &data.to_string_lossy(), "-l", &log.to_string_lossy(), "-o", &options, "-w", "-t", "60", "start"],
        )
    }

    /// Whether the server runs.
    pub fn is_running(&self) -> bool {
        self.running_port().is_some()
    }

    /// The number of the server's first process.
    pub fn process(&self) -> Option<u32> {
        let lines = std::fs::read_to_string(self.data.join("postmaster.pid")).ok()?;
        lines.lines().next()?.trim().parse().ok()
    }

    /// A database as its owner reaches it: to make and change tables.
    pub fn url(&self, database: &str) -> String {
        format!("postgres://harbor:{}@127.0.0.1:{}/{database}", self.owner, self.port)
    }

    /// A database as the program reaches it: to work in its tables.
    pub fn program_url(&self, database: &str) -> String {
        format!("postgres://{}:{}@127.0.0.1:{}/{database}", crate::rights::PROGRAM, self.program, self.port)
    }

    /// Makes the program's role, or gives it its password again. A cluster of the time when everybody on the machine
    /// was trusted asks for passwords from now on.
    pub async fn settle_roles(&self) -> Result<()> {
        use diesel_async::{AsyncConnection, RunQueryDsl};
        let mut conn = crate::Conn::establish(&self.url("postgres")).await?;
        // Letters and digits alone, as they were made.
        let (owner, program) = (&self.owner, &self.program);
        if !crate::rights::program_exists(&mut conn).await? {
            diesel::sql_query(format!("create role {} login", crate::rights::PROGRAM)).execute(&mut conn).await?;
        }
        for (role, word) in [("harbor", owner), (crate::rights::PROGRAM, program)] {
            diesel::sql_query(format!("alter role {role} password '{word}'")).execute(&mut conn).await?;
        }
        let rules = self.data.join("pg_hba.conf");
        let written = std::fs::read_to_string(&rules)?;
        let is_trusting = |line: &str| !line.trim_start().starts_with('#') && line.trim_end().ends_with("trust");
        if written.lines().any(is_trusting) {
            let strict: Vec<String> = written
                .lines()
                .map(|l| {
                    if is_trusting(l) {
                        l.trim_end().trim_end_matches("trust").to_owned() + "scram-sha-256"
                    } else {
                        l.to_owned()
                    }
                })
                .collect();
            std::fs::write(&rules, strict.join("\n") + "\n")?;
            diesel::sql_query("select pg_reload_conf()").execute(&mut conn).await?;
        }
        Ok(())
    }

    /// Lets the server speak TLS with a certificate and its key, both in PEM.
    pub async fn encrypt(&self, certificate: &Path, key: &Path) -> Result<()> {
        use diesel_async::{AsyncConnection, RunQueryDsl};
        use std::os::unix::fs::PermissionsExt;
        for (from, name) in [(certificate, "server.crt"), (key, "server.key")] {
            let to = self.data.join(name);
            std::fs::copy(from, &to)?;
            std::fs::set_permissions(&to, std::fs::Permissions::from_mode(0o600))?;
            if let Some((uid, gid)) = self.user {
                std::os::unix::fs::chown(&to, Some(uid), Some(gid))?;
            }
        }
        let mut conn = crate::Conn::establish(&self.url("postgres")).await?;
        diesel::sql_query("alter system set ssl = on").execute(&mut conn).await?;
        diesel::sql_query("select pg_reload_conf()").execute(&mut conn).await?;
        Ok(())
    }

    /// A password in a file that the server's user can read, for as long as it is needed.
    fn handed_over(&self, word: &str) -> Result<PathBuf> {
        use std::os::unix::fs::OpenOptionsExt;
        let path = self.folder.join("owner.given");
        let _ = std::fs::remove_file(&path);
        let mut file = std::fs::OpenOptions::new().write(true).create_new(true).mode(0o600).open(&path)?;
        std::io::Write::write_all(&mut file, word.as_bytes())?;
        if let Some((uid, gid)) = self.user {
            std::os::unix::fs::chown(&path, Some(uid), Some(gid))?;
        }
        Ok(path)
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

/// The password of a role of this folder's cluster; made once, and read by this user alone.
fn password(folder: &Path, role: &str) -> Result<String> {
    use std::io::Write;
    use std::os::unix::fs::OpenOptionsExt;
    let path = folder.join(format!("{role}.password"));
    if let Ok(text) = std::fs::read_to_string(&path) {
        let word = text.trim().to_owned();
        if word.len() >= 32 && word.bytes().all(|b| b.is_ascii_alphanumeric()) {
            return Ok(word);
        }
        bail!("{} is damaged", path.display());
    }
    let word = format!("{}{}", uuid::Uuid::new_v4().simple(), uuid::Uuid::new_v4().simple());
    let mut file = std::fs::OpenOptions::new().write(true).create_new(true).mode(0o600).open(&path)?;
    file.write_all(word.as_bytes())?;
    Ok(word)
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

pub(crate) fn find_binaries() -> Result<PathBuf> {
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

/// The databases whose names begin so.
pub async fn databases_named(cluster: &Cluster, beginning: &str) -> Result<Vec<String>> {
    use diesel_async::{AsyncConnection, RunQueryDsl};
    #[derive(diesel::QueryableByName)]
    struct Named {
        #[diesel(sql_type = diesel::sql_types::Text)]
        name: String,
    }
    let mut conn = crate::Conn::establish(&cluster.url("postgres")).await?;
    let found: Vec<Named> =
        diesel::sql_query("select datname::text as name from pg_database where starts_with(datname::text, $1)")
            .bind::<diesel::sql_types::Text, _>(beginning)
            .load(&mut conn)
            .await?;
    Ok(found.into_iter().map(|d| d.name).collect())
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
