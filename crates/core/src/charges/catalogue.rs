//! A service of the clinic's catalogue as it is typed or comes in a file, and what it must be.

use super::by_itself::{BLOOD_DRAW, GIVING, GIVING_FURTHER, is_done_code};
use super::fee_schedules::ServiceNeed;
use crate::fields::Faults;
use crate::fields::typed_date::{self, Sense};
use chrono::NaiveDate;
use std::collections::BTreeMap;

/// A service of the catalogue.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct CatalogueEntry {
    pub code: String,
    pub name: String,
    /// The code that payers know; empty where the clinic has none for it.
    pub external_code: String,
    /// X12 service type (data element 1365), by which plans say what they cover.
    pub service_type: String,
    /// 2 to 5 for visits whose level is suggested.
    pub level: Option<u8>,
    pub new_patient: Option<bool>,
    pub procedure: bool,
    pub done: Vec<String>,
    pub modifiers: Vec<String>,
    /// With how many units a line begins, and how many a visit has at most.
    pub units: u32,
    pub most_units: Option<u32>,
    /// Place of service code, where it is not the site's own; empty otherwise.
    pub place: String,
    pub diagnoses: Vec<String>,
    pub needs: Vec<ServiceNeed>,
    pub not_with: Vec<String>,
    pub starts_on: Option<NaiveDate>,
    pub ends_on: Option<NaiveDate>,
}

/// Words of a list, parted by semicolons, commas or blanks.
fn list(text: &str) -> Vec<String> {
    text.split(|c: char| c == ';' || c == ',' || c.is_whitespace())
        .filter(|w| !w.is_empty())
        .map(str::to_uppercase)
        .collect()
}

fn yes_or_no(faults: &mut Faults, field: &str, text: &str) -> Option<bool> {
    match text.trim().to_lowercase().as_str() {
        "" => None,
        "yes" | "y" | "true" | "1" => Some(true),
        "no" | "n" | "false" | "0" => Some(false),
        _ => {
            faults.add(field, "Say yes or no, or leave it empty.");
            None
        }
    }
}

fn number(faults: &mut Faults, field: &str, text: &str, (least, most): (u32, u32)) -> Option<u32> {
    match text.trim() {
        "" => None,
        typed => match typed.parse::<u32>() {
            Ok(n) if (least..=most).contains(&n) => Some(n),
            _ => {
                faults.add(field, format!("A whole number from {least} to {most}."));
                None
            }
        },
    }
}

fn day(faults: &mut Faults, field: &str, text: &str, today: NaiveDate) -> Option<NaiveDate> {
    match text.trim() {
        "" => None,
        typed => typed_date::parse(typed, today, Sense::Any).map_err(|e| faults.add(field, e.to_string())).ok(),
    }
}

fn is_code(text: &str, most: usize) -> bool {
    !text.is_empty() && text.len() <= most && text.bytes().all(|b| b.is_ascii_alphanumeric() || b == b'-' || b == b'_')
}

/// Reads a service from its fields as they are typed, by the names that the form has.
///
/// # Errors
/// What is missing or cannot be, field by field.
pub fn read<K: Ord + std::borrow::Borrow<str>>(
    fields: &BTreeMap<K, String>,
    today: NaiveDate,
) -> Result<CatalogueEntry, Faults> {
    let text = |name: &str| fields.get(name).map_or("", String::as_str);
    let mut faults = Faults::default();
    let code = text("code").trim().to_uppercase();
    if !is_code(&code, 20) {
        faults.add("code", "A code has 1 to 20 letters and digits.");
    }
    let external_code = text("externalCode").trim().to_uppercase();
    // SV101-2 holds 48 characters (X12 837P); no procedure code is longer than seven.
    if !external_code.is_empty() && !is_code(&external_code, 7) {
        faults.add("externalCode", "A code that payers know has at most seven letters and digits.");
    }
    let modifiers = list(text("modifiers"));
    let is_modifier = |m: &String| m.len() == 2 && m.bytes().all(|b| b.is_ascii_alphanumeric());
    if modifiers.len() > 4 || !modifiers.iter().all(is_modifier) {
        faults.add("modifiers", "Up to four modifiers of two letters or digits.");
    }
    let place = text("place").trim().to_owned();
    if !place.is_empty() && (place.len() != 2 || !place.bytes().all(|b| b.is_ascii_digit())) {
        faults.add("place", "A place of service has two digits, such as 81 for a laboratory.");
    }
    let service_type = text("serviceType").trim().to_uppercase();
    if !service_type.is_empty() && !is_code(&service_type, 2) {
        faults.add("serviceType", "A service type has one or two letters or digits, such as 98 for an office visit.");
    }
    let need = |word: &String| ServiceNeed::ALL.iter().copied().find(|n| n.code().eq_ignore_ascii_case(word));
    let wanted = list(text("needs"));
    if let Some(unknown) = wanted.iter().find(|w| need(w).is_none()) {
        let known: Vec<&str> = ServiceNeed::ALL.iter().map(|n| n.code()).collect();
        faults.add("needs", format!("{} is no such need; there are {}.", unknown.to_lowercase(), known.join(", ")));
    }
    let (starts_on, ends_on) =
        (day(&mut faults, "startsOn", text("startsOn"), today), day(&mut faults, "endsOn", text("endsOn"), today));
    if let (Some(from), Some(end)) = (starts_on, ends_on)
        && end < from
    {
        faults.add("endsOn", "It ends before it begins.");
    }
    let units = number(&mut faults, "units", text("units"), (1, 999)).unwrap_or(1);
    let most_units = number(&mut faults, "mostUnits", text("mostUnits"), (1, 999));
    if most_units.is_some_and(|most| units > most) {
        faults.add("units", "A line begins with more units than there may be.");
    }
    let level = number(&mut faults, "level", text("level"), (2, 5)).and_then(|l| u8::try_from(l).ok());
    let new_patient = yes_or_no(&mut faults, "newPatient", text("newPatient"));
    if new_patient.is_some() && level.is_none() {
        faults.add("newPatient", "Only a level of a visit is for somebody new or known.");
    }
    let not_with: Vec<String> = list(text("notWith"));
    if not_with.contains(&code) {
        faults.add("notWith", "A service does not exclude itself; say how many units there may be.");
    }
    let procedure = yes_or_no(&mut faults, "procedure", text("procedure")).unwrap_or(false);
    // Codes of the chart, of which some have an `@` and small letters.
    let done: Vec<String> =
        text("done").split([';', ',', ' ']).map(str::trim).filter(|d| !d.is_empty()).map(str::to_owned).collect();
    if let Some(unknown) = done.iter().find(|d| !is_done_code(d)) {
        faults.add(
            "done",
            format!("Nothing here is called {unknown}; there are {BLOOD_DRAW}, {GIVING}, {GIVING_FURTHER}, @flu and the like."),
        );
    }
    let name = faults.line("name", "Name", text("name"), 80);
    faults.none_or(())?;
    Ok(CatalogueEntry {
        code,
        name,
        external_code,
        service_type,
        level,
        new_patient,
        procedure,
        done,
        modifiers,
        units,
        most_units,
        place,
        diagnoses: list(text("diagnoses")),
        needs: wanted.iter().filter_map(need).collect(),
        not_with,
        starts_on,
        ends_on,
    })
}

impl CatalogueEntry {
    /// The fields as they are typed: what [`read`] reads back.
    pub fn typed(&self) -> BTreeMap<&'static str, String> {
        let word = |yes: bool| if yes { "yes" } else { "no" }.to_owned();
        let number = |n: Option<u32>| n.map(|n| n.to_string()).unwrap_or_default();
        let day = |d: Option<NaiveDate>| d.map(|d| d.format("%m/%d/%Y").to_string()).unwrap_or_default();
        [
            ("code", self.code.clone()),
            ("name", self.name.clone()),
            ("externalCode", self.external_code.clone()),
            ("serviceType", self.service_type.clone()),
            ("level", number(self.level.map(u32::from))),
            ("newPatient", self.new_patient.map(word).unwrap_or_default()),
            ("procedure", if self.procedure { "yes".into() } else { String::new() }),
            ("done", self.done.join("; ")),
            ("modifiers", self.modifiers.join("; ")),
            ("units", if self.units == 1 { String::new() } else { self.units.to_string() }),
            ("mostUnits", number(self.most_units)),
            ("place", self.place.clone()),
            ("diagnoses", self.diagnoses.join("; ")),
            ("needs", self.needs.iter().map(|n| n.code()).collect::<Vec<_>>().join("; ")),
            ("notWith", self.not_with.join("; ")),
            ("startsOn", day(self.starts_on)),
            ("endsOn", day(self.ends_on)),
        ]
        .into_iter()
        .filter(|(_, text)| !text.is_empty())
        .collect()
    }

    /// What is different from another, by the words of the form.
    pub fn differences(&self, other: &CatalogueEntry) -> Vec<&'static str> {
        const WORDS: [(&str, &str); 17] = [
            ("code", "code"),
            ("name", "name"),
            ("externalCode", "billing code"),
            ("serviceType", "service type"),
            ("level", "level"),
            ("newPatient", "new patient"),
            ("procedure", "procedure"),
            ("done", "charged by itself"),
            ("modifiers", "modifiers"),
            ("units", "units"),
            ("mostUnits", "most units"),
            ("place", "place"),
            ("diagnoses", "usual diagnoses"),
            ("needs", "needs"),
            ("notWith", "not beside"),
            ("startsOn", "first day"),
            ("endsOn", "last day"),
        ];
        let (mine, theirs) = (self.typed(), other.typed());
        WORDS.iter().filter(|(field, _)| mine.get(field) != theirs.get(field)).map(|(_, word)| *word).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn today() -> NaiveDate {
        NaiveDate::from_ymd_opt(2026, 11, 23).expect("a day")
    }

    fn fields(of: &[(&'static str, &str)]) -> BTreeMap<&'static str, String> {
        of.iter().map(|(k, v)| (*k, (*v).to_owned())).collect()
    }

    #[test]
    fn a_service_is_read_as_people_write_it() {
        let read = read(
            &fields(&[
                ("code", "spiro"),
                ("name", "Spirometry"),
                ("externalCode", "ih940"),
                ("modifiers", "26, lt"),
                ("mostUnits", "2"),
                ("needs", "Referring; side"),
                ("notWith", "NEBUL"),
                ("startsOn", "1/1/2026"),
                ("done", "SPIRO @draw"),
            ]),
            today(),
        );
        let s = read.expect("a service");
        assert_eq!((s.code.as_str(), s.external_code.as_str(), s.units), ("SPIRO", "IH940", 1));
        assert_eq!((s.modifiers.len(), s.most_units), (2, Some(2)));
        assert_eq!(s.needs, [ServiceNeed::Referring, ServiceNeed::Side]);
        assert_eq!(s.done, ["SPIRO", "@draw"]);
        assert_eq!(s.starts_on, NaiveDate::from_ymd_opt(2026, 1, 1));
    }

    #[test]
    fn what_cannot_be_is_told_by_its_field() {
        let wrong = |field: &'static str, value: &str| {
            let mut of = fields(&[("code", "X"), ("name", "Something"), ("level", "3"), ("startsOn", "1/1/2026")]);
            of.insert(field, value.to_owned());
            let faults = read(&of, today()).expect_err(field).0;
            faults.into_iter().map(|f| f.field).collect::<Vec<_>>()
        };
        for (field, value) in [
            ("code", ""),
            ("code", "A B"),
            ("name", ""),
            ("externalCode", "TOO-LONG-A-CODE"),
            ("serviceType", "123"),
            ("level", "6"),
            ("newPatient", "perhaps"),
            ("modifiers", "1"),
            ("modifiers", "A1 A2 A3 A4 A5"),
            ("units", "0"),
            ("mostUnits", "half"),
            ("place", "office"),
            ("needs", "patience"),
            ("notWith", "x"),
            ("endsOn", "12/31/2025"),
        ] {
            assert_eq!(wrong(field, value), [field], "{field} {value}");
        }
        let mut level = fields(&[("code", "X"), ("name", "Y"), ("newPatient", "yes")]);
        assert!(read(&level, today()).is_err(), "of no level");
        level.extend(fields(&[("level", "2"), ("units", "3"), ("mostUnits", "2")]));
        assert_eq!(read(&level, today()).expect_err("units").0[0].field, "units");
    }

    #[test]
    fn what_differs_is_told_in_the_words_of_the_form() {
        let one = read(&fields(&[("code", "X"), ("name", "Y")]), today()).expect("a service");
        let other = CatalogueEntry { name: "Z".into(), most_units: Some(3), ..one.clone() };
        assert_eq!(one.differences(&other), ["name", "most units"]);
        assert!(one.differences(&one).is_empty());
    }

    proptest! {
        #[test]
        fn what_is_written_reads_back(code in "[A-Z0-9]{1,20}", level in proptest::option::of(2u8..=5), units in 1u32..=999, more in 0u32..5, sides in any::<bool>(), days in 0u64..4000) {
            let from = today().checked_sub_days(chrono::Days::new(days));
            let entry = CatalogueEntry {
                code,
                name: "A service, of some kind".into(),
                external_code: "IH1".into(),
                service_type: "98".into(),
                level,
                new_patient: level.map(|_| sides),
                procedure: sides,
                done: vec!["@draw".into()],
                modifiers: if sides { vec!["LT".into(), "25".into()] } else { vec![] },
                units,
                most_units: Some((units + more).min(999)),
                place: String::new(),
                diagnoses: vec!["J45".into()],
                needs: if sides { vec![ServiceNeed::Side] } else { vec![] },
                not_with: vec!["-".into()],
                starts_on: from,
                ends_on: from,
            };
            prop_assert_eq!(read(&entry.typed(), today()), Ok(entry));
        }

        #[test]
        fn nothing_panics(name in "[a-zA-Z]{1,12}", text in ".*") {
            let _ = read(&BTreeMap::from([(name, text.clone()), ("code".into(), text)]), today());
        }
    }
}
