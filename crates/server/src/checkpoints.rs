//! The head of the record of looks, written down outside the database: at each start and every hour, signed, each line
//! over the one before. Whoever could take rows from the end of the record, or write it anew, cannot make them agree with
//! what was written down.
//!
//! A line: moment, row, hash of the row, signature (Ed25519 over the three and the line before), with tabs between. The
//! key lies beside the file and is readable by the server's user alone; the public key is the first line of the file, to
//! be kept elsewhere by whoever wants to be sure of the file itself.

use crate::state::State;
use anyhow::{Context, Result, bail};
use chrono::{DateTime, SecondsFormat, Utc};
use ed25519_dalek::{Signature, Signer, SigningKey, Verifier, VerifyingKey};
use harbor_store::{Conn, audit};
use std::io::Write;
use std::path::{Path, PathBuf};
use std::time::Duration;

const FILE: &str = "audit.checkpoints";
const KEY: &str = "audit.key";

fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|b| format!("{b:02x}")).collect()
}

fn unhex(text: &str) -> Option<Vec<u8>> {
    if !text.len().is_multiple_of(2) || !text.is_ascii() {
        return None;
    }
    (0..text.len()).step_by(2).map(|i| u8::from_str_radix(&text[i..i + 2], 16).ok()).collect()
}

pub fn file(folder: &Path) -> PathBuf {
    folder.join(FILE)
}

/// The key of this place; made at the first start.
fn key(folder: &Path) -> Result<SigningKey> {
    use std::os::unix::fs::OpenOptionsExt;
    let path = folder.join(KEY);
    if let Ok(text) = std::fs::read_to_string(&path) {
        let bytes: [u8; 32] =
            unhex(text.trim()).and_then(|b| b.try_into().ok()).context("the key of checkpoints is damaged")?;
        return Ok(SigningKey::from_bytes(&bytes));
    }
    let secret: [u8; 32] = rand::random();
    let mut file = std::fs::OpenOptions::new().write(true).create_new(true).mode(0o600).open(&path)?;
    writeln!(file, "{}", hex(&secret))?;
    Ok(SigningKey::from_bytes(&secret))
}

/// Writes the head of the record down.
pub async fn write(folder: &Path, conn: &mut Conn) -> Result<()> {
    let Some((seq, hash)) = audit::head(conn).await? else { return Ok(()) };
    std::fs::create_dir_all(folder)?;
    let key = key(folder)?;
    let path = file(folder);
    let before = std::fs::read_to_string(&path).unwrap_or_default();
    let mut out = std::fs::OpenOptions::new().append(true).create(true).open(&path)?;
    let first = format!("public key {}", hex(key.verifying_key().as_bytes()));
    let last = before.lines().last().unwrap_or(&first).to_owned();
    if before.is_empty() {
        writeln!(out, "{first}")?;
    }
    let now = Utc::now().to_rfc3339_opts(SecondsFormat::Millis, true);
    let said = format!("{now}\t{seq}\t{hash}");
    let signature = key.sign(format!("{last}\n{said}").as_bytes());
    writeln!(out, "{said}\t{}", hex(&signature.to_bytes()))?;
    out.sync_all()?;
    Ok(())
}

/// Writes the head down at the start and every hour, where the settings name a folder; what fails is tried again soon.
pub async fn every_hour(state: State) {
    let Some(folder) = state.settings.checkpoints.clone() else { return };
    loop {
        let written = match state.store.reader().await {
            Ok(mut conn) => write(&folder, &mut conn).await,
            Err(error) => Err(error.into()),
        };
        let pause = match written {
            Ok(()) => Duration::from_secs(3600),
            Err(error) => {
                tracing::error!(
                    error = crate::work::for_log(&error),
                    "the head of the record could not be written down"
                );
                Duration::from_secs(5)
            }
        };
        tokio::time::sleep(pause).await;
    }
}

/// A head as it was written down.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Checkpoint {
    pub at: DateTime<Utc>,
    pub seq: i64,
    pub hash: String,
}

/// Reads the file and checks every signature.
pub fn read(folder: &Path) -> Result<Vec<Checkpoint>> {
    let path = file(folder);
    let text = std::fs::read_to_string(&path).with_context(|| format!("reading {}", path.display()))?;
    let mut lines = text.lines();
    let mut last = lines.next().unwrap_or_default();
    let public: [u8; 32] = last
        .strip_prefix("public key ")
        .and_then(unhex)
        .and_then(|b| b.try_into().ok())
        .context("the file of checkpoints does not begin with its public key")?;
    let public = VerifyingKey::from_bytes(&public)?;
    let mut out = Vec::new();
    for (n, line) in lines.enumerate() {
        let wrong = || format!("line {} of {}", n + 2, path.display());
        let (said, signature) = line.rsplit_once('\t').with_context(wrong)?;
        let signature = unhex(signature).and_then(|b| Signature::from_slice(&b).ok()).with_context(wrong)?;
        if public.verify(format!("{last}\n{said}").as_bytes(), &signature).is_err() {
            bail!("{} was not signed here, or does not follow the line before", wrong());
        }
        let mut parts = said.split('\t');
        let (at, seq, hash) = (parts.next(), parts.next(), parts.next());
        out.push(Checkpoint {
            at: DateTime::parse_from_rfc3339(at.with_context(wrong)?)?.to_utc(),
            seq: seq.with_context(wrong)?.parse()?,
            hash: hash.with_context(wrong)?.to_owned(),
        });
        last = line;
    }
    Ok(out)
}

/// What of the record is not as it was written down; nothing, if all is.
pub async fn lost(folder: &Path, conn: &mut Conn) -> Result<Option<String>> {
    for c in read(folder)? {
        let said = match audit::hash_of(conn, c.seq).await? {
            Some(hash) if hash == c.hash => continue,
            Some(_) => "is another one now",
            None => "is not there any more",
        };
        let at = c.at.to_rfc3339_opts(SecondsFormat::Secs, true);
        return Ok(Some(format!("row {}, written down at {at}, {said}", c.seq)));
    }
    Ok(None)
}
