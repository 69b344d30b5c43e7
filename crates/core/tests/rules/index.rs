//! The index of rules in docs/ARCHITECTURE.md names only what is there.

use std::path::Path;

/// The source of a module and of everything below it.
fn source_of(modules: &[&str]) -> String {
    let mut path = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    let mut text = String::new();
    for module in modules {
        path.push(module);
        text = std::fs::read_to_string(path.with_extension("rs")).unwrap_or(text);
    }
    for entry in std::fs::read_dir(&path).into_iter().flatten().flatten() {
        text += &std::fs::read_to_string(entry.path()).unwrap_or_default();
    }
    text
}

#[test]
fn every_rule_of_the_index_is_where_it_says() {
    let page = include_str!("../../../../docs/ARCHITECTURE.md");
    let (_, table) = page.split_once("| rule | function |").expect("the index");
    let named: Vec<&str> =
        table.lines().skip(2).map_while(|l| l.strip_prefix("| ")).filter_map(|l| l.split('`').nth(1)).collect();
    assert!(named.len() > 20, "the index was read: {named:?}");
    for path in named {
        let parts: Vec<&str> = path.split("::").collect();
        let modules: Vec<&str> = parts.iter().copied().take_while(|p| p.starts_with(char::is_lowercase)).collect();
        let last = parts.last().copied().unwrap_or_default();
        let (modules, wanted) = match parts.iter().find(|p| p.starts_with(char::is_uppercase)) {
            Some(kind) if *kind != last => (modules, vec![*kind, last]),
            Some(kind) => (modules, vec![*kind]),
            None => (modules[..modules.len() - 1].to_vec(), vec![last]),
        };
        let text = source_of(&modules);
        for name in wanted {
            let kinds = ["fn ", "struct ", "enum ", "mod "].map(|kind| format!("{kind}{name}"));
            let there = [kinds.as_slice(), &[format!("    {name} {{")]].concat();
            assert!(there.iter().any(|t| text.contains(t)), "{path}: no {name} in {modules:?}");
        }
    }
}
