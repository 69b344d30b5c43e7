//! Tells the sources that a loaded demo clinic is made by, so that test programs know whether the one in the test
//! cluster is still the same.

use std::hash::{DefaultHasher, Hash, Hasher};
use std::path::{Path, PathBuf};

fn files(at: &Path, found: &mut Vec<PathBuf>) -> std::io::Result<()> {
    for entry in std::fs::read_dir(at)? {
        let path = entry?.path();
        if path.is_dir() { files(&path, found)? } else { found.push(path) }
    }
    Ok(())
}

fn main() -> std::io::Result<()> {
    let mut found = Vec::new();
    for folder in ["src", "../core/src", "../store/src", "../store/migrations", "../formats/src", "../../data"] {
        println!("cargo::rerun-if-changed={folder}");
        files(Path::new(folder), &mut found)?;
    }
    found.sort();
    let mut world = DefaultHasher::new();
    for path in found {
        std::fs::read(&path)?.hash(&mut world);
    }
    println!("cargo::rustc-env=HARBOR_WORLD={:016x}", world.finish());
    Ok(())
}
