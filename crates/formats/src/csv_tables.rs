//! The clinic's tables as CSV (RFC 4180) with headings: laboratory tests, medicines with what they are checked against.

pub mod medicines;

use crate::Located;
use csv::StringRecord;
use harbor_core::consult::diagnoses::Meaning;
use harbor_core::consult::growth::{GrowthRow, GrowthTable};
use harbor_core::orders::specimens::ContainerRule;
use harbor_core::orders::{OrderKind, OrderQuestion, Orderable};
use harbor_core::people::Sex;
use harbor_core::prescribing::Severity;

/// Ends the name of a column that a table may lack.
const OPTIONAL: char = '?';

/// Rows by heading, each with its line for errors.
fn rows<T>(bytes: &[u8], headings: &[&str], read: impl Fn(&Row) -> Result<T, Located>) -> Result<Vec<T>, Located> {
    let mut reader =
        csv::ReaderBuilder::new().flexible(true).trim(csv::Trim::All).comment(Some(b'#')).from_reader(bytes);
    let line_error =
        |line: usize, expected: String| Located { segment: line, byte: 0, id: "CSV".into(), element: None, expected };
    let head = reader.headers().map_err(|e| line_error(1, format!("a readable heading ({e})")))?.clone();
    let columns: Vec<Option<usize>> = headings
        .iter()
        .map(|h| match (head.iter().position(|c| c == h.trim_end_matches(OPTIONAL)), h.ends_with(OPTIONAL)) {
            (Some(at), _) => Ok(Some(at)),
            (None, true) => Ok(None),
            (None, false) => Err(line_error(1, format!("a column headed {h}"))),
        })
        .collect::<Result<_, _>>()?;
    let mut out = Vec::new();
    for record in reader.records() {
        let record = record.map_err(|e| {
            let line = e.position().map_or(0, |p| usize::try_from(p.line()).unwrap_or(0));
            line_error(line, format!("a readable row ({e})"))
        })?;
        let line = record.position().map_or(0, |p| usize::try_from(p.line()).unwrap_or(0));
        out.push(read(&Row { record: &record, columns: &columns, line })?);
    }
    Ok(out)
}

struct Row<'a> {
    record: &'a StringRecord,
    columns: &'a [Option<usize>],
    line: usize,
}

impl Row<'_> {
    fn text(&self, column: usize) -> String {
        self.columns[column].and_then(|at| self.record.get(at)).unwrap_or("").to_owned()
    }

    fn list(&self, column: usize) -> Vec<String> {
        self.text(column).split(';').map(str::trim).filter(|t| !t.is_empty()).map(str::to_owned).collect()
    }

    fn wrong(&self, column: usize, expected: &str) -> Located {
        Located {
            segment: self.line,
            byte: 0,
            id: "CSV".into(),
            element: self.columns[column].map(|at| at + 1),
            expected: expected.into(),
        }
    }

    fn optional<T>(&self, column: usize, read: impl Fn(&str) -> Option<T>, what: &str) -> Result<Option<T>, Located> {
        let text = self.text(column);
        if text.is_empty() { Ok(None) } else { read(&text).map(Some).ok_or_else(|| self.wrong(column, what)) }
    }

    fn number<T: std::str::FromStr>(&self, column: usize) -> Result<T, Located> {
        self.text(column).parse().map_err(|_| self.wrong(column, "a number"))
    }

    fn severity(&self, column: usize) -> Result<Severity, Located> {
        Severity::from_code(&self.text(column)).ok_or_else(|| self.wrong(column, "note, caution or serious"))
    }
}

/// Questions at order of a row, each as what it asks for.
fn questions(r: &Row, column: usize) -> Result<Vec<OrderQuestion>, Located> {
    let read = |spec: String| {
        OrderQuestion::parse(&spec).ok_or_else(|| r.wrong(column, "questions such as Fasting?=yes/no, parted by ;"))
    };
    r.list(column).into_iter().map(read).collect()
}

/// What is ordered besides tests: studies, what is done here, specialties.
pub fn studies_and_referrals(bytes: &[u8]) -> Result<Vec<Orderable>, Located> {
    let headings = ["kind", "code", "name", "short", "questions", "usual_for", "usual_days"];
    rows(bytes, &headings, |r| {
        let kind = OrderKind::from_code(&r.text(0)).filter(|k| *k != OrderKind::Laboratory);
        Ok(Orderable {
            kind: kind.ok_or_else(|| r.wrong(0, "imaging, procedure or referral"))?,
            code: r.text(1),
            name: r.text(2),
            short: r.text(3),
            questions: questions(r, 4)?,
            usual_for: r.list(5),
            usual_days: r.number(6)?,
            ..Orderable::default()
        })
    })
}

/// What specimens go into.
pub fn containers(bytes: &[u8]) -> Result<Vec<ContainerRule>, Located> {
    rows(bytes, &["specimen", "tests", "container", "up_to"], |r| {
        let up_to = r.number(3)?;
        if up_to == 0 {
            return Err(r.wrong(3, "1 or more"));
        }
        Ok(ContainerRule { specimen: r.text(0), tests: r.list(1), container: r.text(2), up_to })
    })
}

pub fn laboratory_tests(bytes: &[u8]) -> Result<Vec<Orderable>, Located> {
    let headings = ["code", "name", "short", "loinc", "specimen", "questions", "usual_for", "contains", "usual_days"];
    let tests = rows(bytes, &headings, |r| {
        let loinc = r.text(3);
        if !harbor_core::fields::identifiers::loinc_is_valid(&loinc) {
            return Err(r.wrong(3, "a LOINC code with a right check digit"));
        }
        Ok(Orderable {
            kind: OrderKind::Laboratory,
            code: r.text(0),
            name: r.text(1),
            short: r.text(2),
            loinc,
            specimen: r.text(4),
            questions: questions(r, 5)?,
            usual_for: r.list(6),
            contains: r.list(7),
            usual_days: r.text(8).parse().map_err(|_| r.wrong(8, "days as a whole number"))?,
        })
    })?;
    let known = |code: &String| tests.iter().any(|t| t.code == *code);
    match tests.iter().find_map(|t| Some((t, t.contains.iter().find(|c| !known(c))?))) {
        Some((test, code)) => Err(Located {
            segment: 0,
            byte: 0,
            id: test.code.clone(),
            element: None,
            expected: format!("a test of the list, not {code}, in what it contains"),
        }),
        None => Ok(tests),
    }
}

/// The growth reference, by the names of its tables.
pub fn growth(bytes: &[u8]) -> Result<Vec<GrowthRow>, Located> {
    rows(bytes, &["measure", "sex", "x", "l", "m", "s"], |r| {
        Ok(GrowthRow {
            table: GrowthTable::from_code(&r.text(0)).ok_or_else(|| r.wrong(0, "a table of the reference"))?,
            sex: Sex::from_code(&r.text(1)).ok_or_else(|| r.wrong(1, "F or M"))?,
            x: r.number(2)?,
            l: r.number(3)?,
            m: r.number(4)?,
            s: r.number(5)?,
        })
    })
}

/// What people say, and which diagnoses they mean by it.
pub fn diagnosis_words(bytes: &[u8]) -> Result<Vec<Meaning>, Located> {
    rows(bytes, &["words", "means", "codes"], |r| Ok(Meaning { words: r.text(0), means: r.text(1), codes: r.list(2) }))
}
