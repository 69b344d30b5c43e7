//! `harbor medicines import`: a clinic's own tables, from a day on, tried before they are kept.

use anyhow::{Context, Result, anyhow, bail};
use chrono::{NaiveDate, Utc};
use harbor_core::prescribing::Rules;
use harbor_formats::csv_tables::medicines::{NAMES, rules_of, shipped_file};
use harbor_store::house::staff;
use harbor_store::prescribing::tables;
use harbor_store::{Actor, Conn, Store};
use std::collections::{BTreeMap, HashMap};
use std::path::Path;

/// The tables in a folder, by name. A file of another name is refused: a misspelt one would change nothing and say nothing.
fn given(folder: &Path) -> Result<BTreeMap<String, String>> {
    let mut files = BTreeMap::new();
    for entry in std::fs::read_dir(folder).with_context(|| format!("reading {}", folder.display()))? {
        let path = entry?.path();
        let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        if path.is_dir() || !name.ends_with(".csv") {
            continue;
        }
        if !NAMES.contains(&name.as_str()) {
            bail!("{name} is no table of medicines; they are {}", NAMES.join(", "));
        }
        let bytes = std::fs::read(&path).with_context(|| format!("reading {name}"))?;
        files.insert(name.clone(), String::from_utf8(bytes).map_err(|_| anyhow!("{name} is not UTF-8"))?);
    }
    if files.is_empty() {
        bail!("{} holds no table of medicines", folder.display());
    }
    Ok(files)
}

/// Rows that a file gains and loses, in their order.
fn changed<'f>(old: &'f str, new: &'f str) -> Vec<(char, &'f str)> {
    let rows = |text: &'f str| text.lines().map(str::trim_end).filter(|l| !l.is_empty()).collect::<Vec<_>>();
    let (old, new) = (rows(old), rows(new));
    let count = |rows: &[&'f str]| {
        let mut counted: HashMap<&'f str, usize> = HashMap::new();
        rows.iter().for_each(|r| *counted.entry(r).or_default() += 1);
        counted
    };
    let without = |rows: Vec<&'f str>, mut others: HashMap<&'f str, usize>, sign: char| {
        let mut out = Vec::new();
        for row in rows {
            match others.get_mut(row) {
                Some(left) if *left > 0 => *left -= 1,
                _ => out.push((sign, row)),
            }
        }
        out
    };
    let (had, has) = (count(&old), count(&new));
    let mut out = without(old, has, '-');
    out.extend(without(new, had, '+'));
    out
}

/// Products that go, and how many medicines and drafts are of each.
async fn gone(conn: &mut Conn, old: &Rules, new: &Rules) -> Result<Vec<(String, i64)>> {
    let codes: Vec<String> =
        old.products().iter().filter(|p| new.product(&p.code).is_none()).map(|p| p.code.clone()).collect();
    Ok(tables::in_use(conn, &codes).await?)
}

/// Prints what the tables of a folder change, a row a line (file, `+` or `-`, the row), and which products that are in use
/// go (`gone`, code, how many). Keeps them from a day on unless they are only tried. Says whether a product in use goes.
///
/// # Errors
/// Where a table cannot be read or does not agree with the others: file and line, and what was expected.
pub async fn import(database: &str, folder: &Path, from: Option<NaiveDate>, dry_run: bool) -> Result<bool> {
    let given = given(folder)?;
    let store = Store::open(database, 2).await?;
    let mut conn = store.reader().await?;
    let zone: chrono_tz::Tz = staff::clinic(&mut conn).await?.zone.parse().map_err(|_| anyhow!("the clinic's zone"))?;
    let from = from.unwrap_or_else(|| Utc::now().with_timezone(&zone).date_naive());
    let before = match tables::in_force(&mut conn, from).await? {
        Some(id) => tables::files(&mut conn, id).await?,
        None => BTreeMap::new(),
    };
    let mut after = before.clone();
    after.extend(given.clone());
    let located = |e: harbor_formats::Located| anyhow!("{}, line {}: expected {}", e.id, e.segment, e.expected);
    let (old, new) = (rules_of(&before).map_err(located)?, rules_of(&after).map_err(located)?);
    for (name, content) in &given {
        let ships = String::from_utf8_lossy(shipped_file(name));
        let was = before.get(name).map_or(ships.as_ref(), String::as_str);
        for (sign, row) in changed(was, content) {
            println!("{name}\t{sign}\t{row}");
        }
    }
    let gone = gone(&mut conn, &old, &new).await?;
    for (code, times) in &gone {
        println!("gone\t{code}\t{times}");
    }
    drop(conn);
    if dry_run {
        println!("tried\tcounting from {from}\tnothing is kept");
    } else {
        let keep = async |change: &mut harbor_store::Change<'_>| change.import_medicine_tables(from, after).await;
        store.change(&Actor::system("harbor medicines import"), Utc::now(), keep).await?;
        println!("kept\tcounting from {from}\t{} products", new.products().len());
    }
    Ok(!gone.is_empty())
}

#[cfg(test)]
mod tests {
    use super::changed;

    #[test]
    fn rows_that_come_and_go_are_told_and_their_order_does_not_matter() {
        let old = "code,brand\na,A\nb,B\nb,B\n";
        assert!(changed(old, "code,brand\r\nb,B\na,A\n\nb,B").is_empty());
        assert_eq!(changed(old, "code,brand\na,A\nb,B\nc,C\n"), [('-', "b,B"), ('+', "c,C")]);
    }
}
