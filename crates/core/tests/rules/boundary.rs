//! Core stays pure: nothing that does input or output, no clock, no web, no SQL, no JSON.

use std::process::Command;

#[test]
fn core_has_no_forbidden_dependency() {
    let out = Command::new(env!("CARGO"))
        .args(["tree", "--offline", "-p", "harbor-core", "-e", "normal", "--prefix", "none", "--format", "{p}"])
        .current_dir(env!("CARGO_MANIFEST_DIR"))
        .output()
        .expect("cargo tree");
    let tree = String::from_utf8_lossy(&out.stdout);
    let names: Vec<&str> = tree.lines().filter_map(|l| l.split(' ').next()).collect();
    assert!(names.contains(&"chrono") && names.len() > 5, "{tree}");
    for forbidden in [
        "tokio",
        "actix-web",
        "diesel",
        "serde_json",
        "reqwest",
        "rand",
        "getrandom",
        "hyper",
        "harbor-store",
        "harbor-formats",
        "harbor-server",
    ] {
        assert!(!names.contains(&forbidden), "core depends on {forbidden}");
    }
}

#[test]
fn core_reads_no_clock_and_no_files() {
    fn walk(folder: &std::path::Path, found: &mut Vec<String>) {
        for entry in std::fs::read_dir(folder).expect("source folder").flatten() {
            let path = entry.path();
            if path.is_dir() {
                walk(&path, found);
            } else {
                let text = std::fs::read_to_string(&path).unwrap_or_default();
                for word in
                    ["Utc::now", "Local::now", "SystemTime", "std::fs", "std::net", "std::env", "println!", "async fn"]
                {
                    if text.contains(word) {
                        found.push(format!("{}: {word}", path.display()));
                    }
                }
            }
        }
    }
    let mut found = Vec::new();
    walk(std::path::Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/src")), &mut found);
    assert!(found.is_empty(), "{found:?}");
}
