//! X12 files held against an independent reader of the implementation guides (pyx12). `./harbor test` puts it into
//! `target/x12-validator`; where the machine has no Python the files are not read, and that is said, but never in CI.

use std::path::Path;
use std::process::Command;
use std::sync::atomic::{AtomicU32, Ordering};

/// What the validator finds in these files, a line each; nothing where the machine has no Python.
pub fn x12_findings(files: &[(String, String)]) -> Option<String> {
    let crates = Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap();
    let python = crates.parent().unwrap().join("target/x12-validator/bin/python");
    if !python.exists() {
        let has_python = Command::new("python3").arg("--version").output().is_ok();
        assert!(!has_python && std::env::var_os("CI").is_none(), "run ./harbor test once: it installs the validator");
        eprintln!("Python is missing: X12 files were not read by an independent validator");
        return None;
    }
    static COUNT: AtomicU32 = AtomicU32::new(0);
    let own = format!("harbor-x12-{}-{}", std::process::id(), COUNT.fetch_add(1, Ordering::Relaxed));
    let folder = std::env::temp_dir().join(own);
    std::fs::create_dir(&folder).unwrap();
    let names = files.iter().map(|(name, text)| {
        let path = folder.join(name);
        std::fs::write(&path, text).unwrap();
        path
    });
    let out = Command::new(python).arg(crates.join("formats/tests/read_x12.py")).args(names).output().unwrap();
    std::fs::remove_dir_all(&folder).unwrap();
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    Some(String::from_utf8(out.stdout).unwrap())
}
