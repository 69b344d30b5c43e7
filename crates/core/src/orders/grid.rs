//! The results of a person as a grid: a test a line, a report a column.

use super::units::converted;
use std::collections::HashMap;

/// A value as it stands in a report.
#[derive(Debug, Clone, PartialEq)]
pub struct Placed<'a> {
    /// Which report it is of, by its position; the first is the oldest.
    pub report: usize,
    /// What the report is of, for its panel.
    pub panel: &'a str,
    /// See [`super::values::ReportedValue::test_key`].
    pub test_key: &'a str,
    pub name: &'a str,
    pub unit: &'a str,
    /// The number, where it is one that can be drawn.
    pub number: Option<f64>,
}

/// One line: all values of a test that are of one unit, or can be said in it.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Line {
    pub panel: String,
    pub test_key: String,
    pub name: String,
    pub unit: String,
    /// The positions of the values, as they were given, with their numbers in the unit of the line.
    pub cells: Vec<Cell>,
}

#[derive(Debug, Clone, PartialEq)]
pub struct Cell {
    pub value: usize,
    pub number: Option<f64>,
    /// It was reported in another unit, and is converted here.
    pub converted: bool,
}

/// Lays values out in lines. A line has the unit of the newest value of its test; an older one in a unit that is not
/// defined in that one stands in a line of its own, for two numbers of different units in one line are read as one.
/// Lines of one panel stand together, panels in the order of their newest reports, lines as the newest report has them.
pub fn lines(values: &[Placed<'_>]) -> Vec<Line> {
    let mut out: Vec<Line> = Vec::new();
    let mut of_test: HashMap<&str, Vec<usize>> = HashMap::new();
    let mut order: Vec<usize> = (0..values.len()).collect();
    // Newest first; in a report as it has them.
    order.sort_by_key(|i| (std::cmp::Reverse(values[*i].report), *i));
    for i in order {
        let v = &values[i];
        let known = of_test.entry(v.test_key).or_default();
        let fits = |line: &Line| match v.number {
            _ if v.unit == line.unit => Some((v.number, false)),
            Some(n) => converted(n, v.unit, &line.unit).map(|n| (Some(n), true)),
            // Words have no unit to convert.
            None if v.unit.is_empty() => Some((None, false)),
            None => None,
        };
        let found = known.iter().find_map(|at| Some((*at, fits(&out[*at])?)));
        let (at, (number, converted)) = found.unwrap_or_else(|| {
            out.push(Line {
                panel: v.panel.to_owned(),
                test_key: v.test_key.to_owned(),
                name: v.name.to_owned(),
                unit: v.unit.to_owned(),
                cells: Vec::new(),
            });
            known.push(out.len() - 1);
            (out.len() - 1, (v.number, false))
        });
        out[at].cells.push(Cell { value: i, number, converted });
    }
    let mut panels: Vec<String> = Vec::new();
    for line in &out {
        if !panels.contains(&line.panel) {
            panels.push(line.panel.clone());
        }
    }
    // Stable: lines of a panel keep their order.
    out.sort_by_key(|line| panels.iter().position(|p| *p == line.panel));
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn value(report: usize, panel: &'static str, name: &'static str, unit: &'static str, n: f64) -> Placed<'static> {
        Placed { report, panel, test_key: name, name, unit, number: Some(n) }
    }

    #[test]
    fn one_test_is_one_line_in_the_unit_of_its_newest_value() {
        let all = [
            value(0, "Albumin", "Albumin", "g/L", 41.0),
            value(1, "Metabolic panel", "Albumin", "g/dL", 4.3),
            value(1, "Metabolic panel", "Sodium", "mmol/L", 140.0),
        ];
        let lines = lines(&all);
        let told: Vec<(&str, &str, &str)> =
            lines.iter().map(|l| (l.panel.as_str(), l.name.as_str(), l.unit.as_str())).collect();
        assert_eq!(told, [("Metabolic panel", "Albumin", "g/dL"), ("Metabolic panel", "Sodium", "mmol/L")]);
        assert_eq!(
            lines[0].cells,
            [
                Cell { value: 1, number: Some(4.3), converted: false },
                Cell { value: 0, number: Some(4.1), converted: true }
            ]
        );
    }

    #[test]
    fn what_cannot_be_converted_stands_apart() {
        let all = [
            value(0, "Glucose", "Glucose", "mmol/L", 5.1),
            value(1, "Glucose", "Glucose", "mg/dL", 92.0),
            value(2, "Glucose", "Glucose", "mIU/L", 92.0),
        ];
        let units: Vec<String> = lines(&all).into_iter().map(|l| l.unit).collect();
        assert_eq!(units, ["mIU/L", "mg/dL", "mmol/L"]);
        // Words of a test stand in its line.
        let words = Placed { number: None, unit: "", ..value(3, "Glucose", "Glucose", "", 0.0) };
        let older = [all[1].clone(), Placed { report: 0, ..words }];
        assert_eq!(lines(&older).len(), 1);
    }

    proptest! {
        #[test]
        fn every_value_stands_in_exactly_one_line(
            all in prop::collection::vec((0usize..5, 0usize..3, 0usize..4), 0..40)
        ) {
            const NAMES: [&str; 3] = ["Sodium", "Glucose", "Albumin"];
            const UNITS: [&str; 4] = ["g/L", "mg/dL", "mmol/L", ""];
            let values: Vec<Placed> =
                all.iter().map(|(r, n, u)| value(*r, "Panel", NAMES[*n], UNITS[*u], 2.0)).collect();
            let mut seen: Vec<usize> = lines(&values).iter().flat_map(|l| l.cells.iter().map(|c| c.value)).collect();
            seen.sort_unstable();
            prop_assert_eq!(seen, (0..values.len()).collect::<Vec<_>>());
        }
    }
}
