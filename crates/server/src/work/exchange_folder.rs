//! Exchange with the clearing house by a folder that both sides see, as its own programs or a mounted drive carry it: what goes
//! out is put into `out`, what comes is taken from `in` and moved to `in/taken` or `in/refused`.
//!
//! A file is whole once it has its name: while it is written it ends with `.part`. Of others' files, which may grow under their
//! name, one is taken when it was the same at two looks.

use super::clearing_house::{set_aside, take_file};
use crate::state::State;
use anyhow::{Context, Result};
use harbor_store::Actor;
use std::collections::{HashMap, HashSet};
use std::io::{ErrorKind, Write};
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};

/// What is larger is no answer to this clinic.
const MOST_BYTES: u64 = 64 << 20;

const EVERY: Duration = Duration::from_millis(700);

/// Makes the folders where they are missing.
///
/// # Errors
/// Where the folder cannot be written.
pub fn prepare(folder: &Path) -> Result<()> {
    for part in ["out", "in/taken", "in/refused"] {
        std::fs::create_dir_all(folder.join(part)).with_context(|| format!("making {}", folder.display()))?;
    }
    Ok(())
}

/// Puts a file of claims out under its control number. The same once more, after a kill, is the same file.
pub fn put_out(folder: &Path, control: i64, content: &[u8]) -> Result<()> {
    let name = folder.join("out").join(format!("{control:09}.837"));
    let unfinished = name.with_extension("part");
    let mut file = std::fs::File::create(&unfinished).context("the exchange folder cannot be written")?;
    file.write_all(content)?;
    file.sync_all()?;
    Ok(std::fs::rename(&unfinished, &name)?)
}

/// A file as it was at a look.
type Look = (u64, Option<SystemTime>);

/// The files of a folder that may be taken, the oldest first.
fn waiting(folder: &Path) -> Result<Vec<(PathBuf, Look)>> {
    let mut found = Vec::new();
    for entry in std::fs::read_dir(folder)? {
        let entry = entry?;
        // Neither folders nor links, which could lead to any file of this machine.
        let Ok(about) = entry.metadata() else { continue };
        let name = entry.file_name().to_string_lossy().into_owned();
        if about.is_file() && !entry.path().is_symlink() && !name.starts_with('.') && !name.ends_with(".part") {
            found.push((entry.path(), (about.len(), about.modified().ok())));
        }
    }
    found.sort_by(|a, b| (a.1.1, &a.0).cmp(&(b.1.1, &b.0)));
    Ok(found)
}

/// Moves a file that was taken or refused; one of the same name that lies there keeps its name.
fn put_away(file: &Path, to: &Path) -> Result<()> {
    let name = file.file_name().context("a file without a name")?.to_string_lossy().into_owned();
    let free = (0..).map(|n| to.join(if n == 0 { name.clone() } else { format!("{n}-{name}") })).find(|p| !p.exists());
    match std::fs::rename(file, free.context("no name is free")?) {
        // Another server of this clinic took it at the same time; what it says counts once.
        Err(error) if error.kind() == ErrorKind::NotFound => Ok(()),
        other => Ok(other?),
    }
}

async fn take(state: &State, folder: &Path, file: &Path, bytes: u64) -> Result<()> {
    let refused = folder.join("in/refused");
    if bytes > MOST_BYTES {
        tracing::warn!("a file of the exchange folder is too large");
        return put_away(file, &refused);
    }
    let whole = file.to_owned();
    let content = match tokio::task::spawn_blocking(move || std::fs::read(whole)).await? {
        Err(error) if error.kind() == ErrorKind::NotFound => return Ok(()),
        read => read?,
    };
    match take_file(state, &content).await {
        Ok(()) => put_away(file, &folder.join("in/taken")),
        Err(problem) if problem.status == 503 => anyhow::bail!("the database does not answer"),
        Err(problem) => {
            set_aside(state, &Actor::system("clearing house"), &content, &problem).await?;
            put_away(file, &refused)
        }
    }
}

/// Looks for what was put in; one that fails is looked at again, and holds nothing up.
pub async fn poll(state: State) {
    let Some(folder) = state.settings.exchange_folder.clone() else { return };
    let mut before: HashMap<PathBuf, Look> = HashMap::new();
    let mut silent = false;
    let mut told: HashSet<PathBuf> = HashSet::new();
    loop {
        tokio::time::sleep(EVERY).await;
        let looked = match waiting(&folder.join("in")) {
            Ok(looked) => looked,
            Err(error) => {
                if !silent {
                    tracing::warn!(%error, "the exchange folder cannot be read");
                }
                silent = true;
                continue;
            }
        };
        silent = false;
        for (file, look) in &looked {
            if before.get(file) == Some(look)
                && let Err(error) = take(&state, &folder, file, look.0).await
            {
                // Once a file: it is tried again at every look.
                if told.insert(file.clone()) {
                    tracing::warn!(error = super::for_log(&error), "a file of the exchange folder waits");
                }
            }
        }
        before = looked.into_iter().collect();
        told.retain(|file| before.contains_key(file));
    }
}
