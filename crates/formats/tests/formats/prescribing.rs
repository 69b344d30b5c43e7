//! The shipped tables of prescribing: that they agree with themselves, and what they tell of prescriptions that were
//! labelled by hand before the tables were filled.

use harbor_core::prescribing::ingredients::Way;
use harbor_core::prescribing::leaflets::leaflet;
use harbor_core::prescribing::search::{MOST_FOUND, MedicineSearch};
use harbor_core::prescribing::strength::amounts;
use harbor_core::prescribing::{Allergy, Finding, FindingKind, Medicine, Patient, Prescribed, Rules, Severity, check};
use harbor_formats::csv_tables::medicines::{Files, SHIPPED, products, shipped, tables};
use harbor_formats::medicine_case;
use proptest::prelude::*;
use serde_json::{Map, Value, json};
use std::collections::HashSet;
use std::sync::OnceLock;

static RULES: OnceLock<Rules> = OnceLock::new();

const DANGERS: &str = include_str!("../prescribing/dangers.txt");
const ORDINARY: &str = include_str!("../prescribing/ordinary.txt");

/// A labelled prescription: its name, the case, and what must be told of it.
struct Labelled {
    name: String,
    case: Value,
    told: Vec<(Severity, FindingKind)>,
}

fn number(text: &str) -> Value {
    if text == "?" { Value::Null } else { json!(text.parse::<f64>().unwrap_or_else(|_| panic!("a number: {text}"))) }
}

fn age_days(text: &str) -> u32 {
    let unit = text.find(|c: char| !c.is_ascii_digit()).unwrap();
    let n: f64 = text[..unit].parse().unwrap();
    let of = match &text[unit..] {
        "y" => 365.25,
        "mo" => 30.4375,
        "d" => 1.0,
        other => panic!("an age in y, mo or d, not {other}"),
    };
    // In the middle of the year or month that is meant.
    if of > 1.0 { ((n + 0.5) * of) as u32 } else { n as u32 }
}

fn medicine(text: &str) -> Map<String, Value> {
    let parts: Vec<&str> = text.split(';').map(str::trim).collect();
    let [ingredients, strength, form, dosing] = parts[..] else { panic!("an item: {text}") };
    let dosing: Vec<&str> = dosing.split('x').collect();
    let [dose, per_day, days] = dosing[..] else { panic!("dose x times x days: {text}") };
    let ingredients: Vec<&str> = ingredients.split('+').map(str::trim).collect();
    let mut out = Map::new();
    out.insert("ingredients".into(), json!(ingredients));
    out.insert("strength".into(), json!(strength));
    out.insert("form".into(), json!(form));
    out.insert("dose".into(), number(dose));
    out.insert("per_day".into(), number(per_day));
    out.insert("days".into(), number(days));
    out
}

/// `warfarin 5 mg x1`.
fn taken(text: &str) -> Value {
    let (what, per_day) = text.rsplit_once(" x").unwrap_or_else(|| panic!("how often: {text}"));
    let digit = what.find(|c: char| c.is_ascii_digit()).unwrap_or(what.len());
    let ingredients: Vec<&str> = what[..digit].split('+').map(str::trim).collect();
    json!({ "ingredients": ingredients, "strength": what[digit..].trim(), "per_day": number(per_day) })
}

fn labelled(line: &str) -> Labelled {
    let columns: Vec<&str> = line.split('|').map(str::trim).collect();
    let mut patient = json!({
        "age_days": age_days("45y"), "sex": "F", "weight_kg": 70, "height_cm": 168, "creatinine_mg_dl": 0.8,
        "creatinine_days_old": 40, "pregnant": false, "breastfeeding": false, "allergies_asked": true,
        "allergies": [], "problems": [], "taking": [],
    });
    let mut item = medicine(columns[3]);
    for fact in columns[1].split(',').map(str::trim).filter(|f| !f.is_empty()) {
        let (word, rest) = fact.split_once(' ').unwrap_or((fact, ""));
        match (word, rest) {
            ("M", _) => patient["sex"] = json!("M"),
            ("age", age) => patient["age_days"] = json!(age_days(age)),
            ("w", kg) => patient["weight_kg"] = number(kg),
            ("h", cm) => patient["height_cm"] = number(cm),
            ("cr", "?") => patient["creatinine_mg_dl"] = Value::Null,
            ("cr", cr) => {
                let (value, days) = cr.split_once('/').unwrap();
                patient["creatinine_mg_dl"] = number(value);
                patient["creatinine_days_old"] = number(days);
            }
            ("preg", "?") => patient["pregnant"] = Value::Null,
            ("preg", _) => patient["pregnant"] = json!(true),
            ("bf", _) => patient["breastfeeding"] = json!(true),
            ("allergies", "?") => patient["allergies_asked"] = json!(false),
            ("allergy", of) => {
                let of: Vec<&str> = of.split('/').collect();
                let list = patient["allergies"].as_array_mut().unwrap();
                list.push(json!({ "substance": of[0], "reaction": of[1], "severity": of[2] }));
            }
            ("dx", code) => patient["problems"].as_array_mut().unwrap().push(json!(code)),
            ("last", of) => {
                let (ago, days) = of.split_once('/').unwrap();
                item.insert("last_dispensed_days_ago".into(), number(ago));
                item.insert("last_dispensed_for_days".into(), number(days));
            }
            other => panic!("{other:?} in {line}"),
        }
    }
    let takes = columns[2].split(';').map(str::trim).filter(|t| !t.is_empty());
    patient["taking"] = takes.map(taken).collect();
    let told = columns.get(4).map_or("", |t| t).split(',').map(str::trim).filter(|t| !t.is_empty());
    let told = told.map(|t| {
        let (severity, kind) = t.split_once(' ').unwrap();
        (Severity::from_code(severity).unwrap(), FindingKind::from_code(kind).unwrap())
    });
    Labelled { name: columns[0].to_owned(), told: told.collect(), case: json!({ "patient": patient, "item": item }) }
}

fn all(text: &str) -> Vec<Labelled> {
    text.lines().filter(|l| !l.is_empty() && !l.starts_with('#')).map(labelled).collect()
}

fn findings(rules: &Rules, case: &Value) -> Vec<Finding> {
    let case = medicine_case::of(case, rules).unwrap_or_else(|e| panic!("{e}: {case}"));
    check(rules, &case.item, &case.patient)
}

fn lines(findings: &[Finding]) -> String {
    findings.iter().map(|f| format!("    {} {} {}\n", f.severity.code(), f.kind.code(), f.sentence)).collect()
}

#[test]
fn of_the_labelled_dangers_at_least_95_of_100_are_told() {
    let rules = shipped().unwrap();
    let dangers = all(DANGERS);
    assert!(dangers.len() >= 120, "{} dangers", dangers.len());
    let mut untold = Vec::new();
    for one in &dangers {
        let found = findings(&rules, &one.case);
        for (severity, kind) in &one.told {
            if !found.iter().any(|f| f.kind == *kind && f.severity >= *severity) {
                untold.push(format!("{}: {} {}\n{}", one.name, severity.code(), kind.code(), lines(&found)));
            }
        }
    }
    let told = 1.0 - untold.len() as f64 / dangers.len() as f64;
    println!("{:.1} % of {} dangers told", told * 100.0, dangers.len());
    assert!(told >= 0.95, "{:.1} % told; not:\n{}", told * 100.0, untold.join(""));
    // What a session leaves untold stands here by name, so that nobody thinks it is told.
    assert!(untold.is_empty(), "not told:\n{}", untold.join(""));
}

#[test]
fn of_twenty_ordinary_prescriptions_at_most_one_is_called_serious() {
    let rules = shipped().unwrap();
    let ordinary = all(ORDINARY);
    assert!(ordinary.len() + all(DANGERS).len() >= 200);
    let mut alarms = Vec::new();
    for one in &ordinary {
        let found = findings(&rules, &one.case);
        if found.iter().any(|f| f.severity == Severity::Serious) {
            alarms.push(format!("{}\n{}", one.name, lines(&found)));
        }
    }
    println!("{} serious alarms in {} ordinary prescriptions", alarms.len(), ordinary.len());
    assert!(alarms.len() * 20 <= ordinary.len(), "{}", alarms.join(""));
    assert!(alarms.is_empty(), "{}", alarms.join(""));
}

#[test]
fn the_tables_are_as_large_as_they_say_and_every_ingredient_is_covered() {
    let rules = shipped().unwrap();
    let names: HashSet<&str> = rules.ingredients.iter().map(|i| i.name.as_str()).collect();
    let prescribed: HashSet<&String> = rules.products().iter().flat_map(|p| &p.ingredients).collect();
    assert!(prescribed.len() >= 150 && rules.products().len() >= 350);
    assert!(rules.interactions.len() >= 250 && rules.harms.len() >= 120);
    for ingredient in &rules.ingredients {
        let (name, way) = (&ingredient.name, ingredient.way);
        assert!(rules.pregnancy.iter().any(|r| r.medicine.means(ingredient)), "pregnancy of {name} ({way})");
        if prescribed.contains(name) && matches!(way, Way::Body | Way::Inhaled) {
            let dosed = rules.doses.iter().any(|r| r.medicine.means(ingredient));
            // A patch that lets out so much an hour has no amount to compare.
            assert!(dosed || name == "fentanyl", "a usual dose of {name}");
        }
        assert!(ingredient.atc.len() == 7 && ingredient.name == ingredient.name.to_lowercase(), "{name}");
    }
    assert!(names.len() >= 150);
    // What opens the tables to a slip: a term that means nothing is refused, and named.
    let wrong = String::from_utf8(SHIPPED.doubled.to_vec()).unwrap() + "@nonsuch,serious,nothing,stop one\n";
    let read = tables(&Files { doubled: wrong.as_bytes(), ..SHIPPED }).unwrap();
    assert_eq!(Rules::new(read, vec![]).unwrap_err(), "@nonsuch in the table of doubled means no ingredient");
}

#[test]
fn every_product_is_what_its_ingredients_are() {
    let rules = shipped().unwrap();
    let (mut codes, mut packs) = (HashSet::new(), HashSet::new());
    for p in rules.products() {
        assert!(codes.insert(&p.code), "{} twice", p.code);
        assert!(packs.insert((&p.ingredients, &p.form, &p.strength)), "{} is another's pack", p.code);
        let medicine = rules.medicine_of(p);
        assert_eq!(medicine.parts.len(), p.ingredients.len(), "{}", p.code);
        assert!(p.usual_dose > 0.0 && p.usual_per_day > 0.0 && (1..=365).contains(&p.usual_days), "{}", p.code);
        if let [part] = medicine.parts[..] {
            assert_eq!(part.ingredient.atc, p.atc, "{}", p.code);
        }
        let local = medicine.parts.iter().all(|m| !matches!(m.ingredient.way, Way::Body | Way::Inhaled | Way::Mouth));
        let by_hour = p.strength.ends_with("/h");
        assert!(local || by_hour || amounts(&p.strength).is_some_and(|a| a.len() == p.ingredients.len()), "{}", p.code);
    }
}

/// Somebody for whom nothing is unusual: what a product is usually given for and in which dose must not be told.
fn usual_dose_is_told(rules: &Rules, code: &str, patient: &Value) -> Vec<Finding> {
    let p = rules.product(code).unwrap();
    let item = json!({ "ingredients": p.ingredients, "form": p.form, "strength": p.strength, "dose": p.usual_dose,
        "per_day": p.usual_per_day, "days": p.usual_days });
    let mut found = findings(rules, &json!({ "patient": patient, "item": item }));
    found.retain(|f| {
        matches!(f.kind, FindingKind::DoseHigh | FindingKind::DoseLow | FindingKind::Duration)
            && f.severity > Severity::Note
    });
    found
}

#[test]
fn no_product_comes_with_a_usual_dose_that_the_checks_tell() {
    let rules = shipped().unwrap();
    let adult = json!({ "age_days": 16_000, "sex": "M", "weight_kg": 75, "height_cm": 178, "creatinine_mg_dl": 0.9,
        "creatinine_days_old": 10, "allergies_asked": true });
    let child = |years: u32, kg: u32, cm: u32| json!({ "age_days": years * 366, "sex": "M", "weight_kg": kg, "height_cm": cm, "allergies_asked": true });
    // Some are made for children of one age.
    let people = [adult, child(4, 17, 103), child(8, 26, 128), child(2, 12, 87)];
    let mut told = Vec::new();
    for p in rules.products() {
        let of_each: Vec<Vec<Finding>> = people.iter().map(|who| usual_dose_is_told(&rules, &p.code, who)).collect();
        if of_each.iter().all(|found| !found.is_empty()) {
            told.extend(of_each[0].iter().map(|f| format!("{}: {} {}", p.code, f.kind.code(), f.sentence)));
        }
    }
    assert!(told.is_empty(), "{}", told.join("\n"));
}

fn found(typed: &str) -> Vec<String> {
    let rules = shipped().unwrap();
    let index = MedicineSearch::new(&rules);
    let of = |at: usize| {
        let p = &rules.products()[at];
        format!("{} {} {}", p.ingredients.join(";"), p.form, p.strength)
    };
    index.find(typed, &|_| 0).into_iter().map(of).collect()
}

#[test]
fn a_medicine_is_found_in_three_letters_and_narrowed_by_every_further_word() {
    for (typed, first) in [
        ("met dap", "metformin;dapagliflozin tablet 1000/5 mg"),
        ("amox 250 susp", "amoxicillin suspension 250 mg/5 mL"),
        ("ibu child", "ibuprofen suspension 100 mg/5 mL"),
        ("amoxicillin 875", "amoxicillin tablet 875 mg"),
        ("acetaminophen 500", "paracetamol tablet 500 mg"),
        ("lisinopril hydro 20/25", "lisinopril;hydrochlorothiazide tablet 20/25 mg"),
        ("albuterol neb", "salbutamol nebuliser solution 2.5 mg/3 mL"),
        ("timolol eye 0.5", "timolol eye drops 0.5 %"),
        ("Amoxelle 500mg", "amoxicillin capsule 500 mg"),
        ("amoxicilin 500", "amoxicillin capsule 500 mg"),
        ("400/57", ""),
        ("am", ""),
        ("500", ""),
        ("zzzz", ""),
    ] {
        let all = found(typed);
        assert_eq!(all.first().map_or("", String::as_str), first, "{typed}: {all:?}");
    }
    let of_met = found("met");
    assert!(of_met.len() <= MOST_FOUND && of_met.iter().any(|f| f.starts_with("metformin tablet")), "{of_met:?}");
    let pain: HashSet<String> = found("gout").iter().map(|f| f.split(' ').next().unwrap().to_owned()).collect();
    assert!(pain.contains("allopurinol") && pain.contains("colchicine"), "{pain:?}");
    // What is of the same ingredients stands together, by form and then by strength.
    let amox = found("amoxicillin");
    let groups: Vec<&str> = amox.iter().map(|f| f.split(' ').next().unwrap()).collect();
    let mut seen = groups.clone();
    seen.dedup();
    assert_eq!(seen.len(), seen.iter().collect::<HashSet<_>>().len(), "{amox:?}");
}

#[test]
fn what_is_liked_stands_before_what_is_as_near() {
    let rules = shipped().unwrap();
    let index = MedicineSearch::new(&rules);
    let at = |code: &str| rules.products().iter().position(|p| p.code == code).unwrap();
    let (liked, other) = (at("losquay-100"), at("losquay-25"));
    assert_eq!(index.find("losartan", &|_| 0)[0], other);
    assert_eq!(index.find("losartan", &|p| u32::from(p == liked))[0], liked);
    assert_ne!(index.find("lisinopril", &|p| u32::from(p == liked))[0], liked);

    // What the clinic keeps comes first of its kind until somebody prescribes another for weeks.
    let kept = at("ibudrift-400");
    let ibuprofen = |used: u32| {
        let often = at("ibudrift-600");
        index.find("ibuprofen", &|p| rules.products()[p].liked(if p == often { used } else { 0 }))[0]
    };
    assert_eq!([ibuprofen(0), ibuprofen(10), ibuprofen(30)], [kept, kept, at("ibudrift-600")]);
}

#[test]
fn a_table_of_products_from_before_there_was_a_stock_is_read_as_one_without() {
    let head = "code,brand,ingredients,atc,form,strength,route,dose,per_day,days";
    let row = "a-1,Amoxelle,amoxicillin,J01CA04,capsule,500 mg,oral,1,3,7";
    let stock = |text: String| products(text.as_bytes()).map(|p| p[0].stock);
    assert!(!stock(format!("{head}\n{row}\n")).unwrap());
    assert!(!stock(format!("{head},stock\n{row},\n")).unwrap());
    assert!(stock(format!("{head},stock\n{row},yes\n")).unwrap());
    assert!(stock(format!("{head},stock\n{row},perhaps\n")).is_err());
}

#[test]
fn strengths_in_units_and_milliequivalents_find_the_product_that_is_weighed() {
    let rules = shipped().unwrap();
    let with = |ingredient: &str, form: &str, strength: &str| {
        rules.product_with(&[ingredient.to_owned()], form, strength).map(|p| p.code.as_str())
    };
    assert_eq!(with("vitamin d3", "capsule", "1000 units"), Some("colecalm-0_025"));
    assert_eq!(with("ergocalciferol", "capsule", "50,000 units"), Some("ergocfern-1250"));
    assert_eq!(with("potassium chloride", "tablet", "8 mEq"), Some("potassell-600"));
    assert_eq!(with("colecalciferol", "capsule", "1000 mg"), None);
}

#[test]
fn a_case_that_cannot_be_read_names_its_place() {
    let rules = shipped().unwrap();
    let item = r#""item":{"ingredients":["ibuprofen"]}"#;
    for (case, place) in [
        ("{".to_owned(), "JSON"),
        ("{}".to_owned(), "case.patient"),
        (r#"{"patient":{}}"#.to_owned(), "case.item"),
        (r#"{"patient":{},"item":{}}"#.to_owned(), "item.ingredients"),
        (format!(r#"{{"patient":{{"weight_kg":-1}},{item}}}"#), "patient.weight_kg"),
        (format!(r#"{{"patient":{{"age_days":1.5}},{item}}}"#), "patient.age_days"),
        (format!(r#"{{"patient":{{"sex":"x"}},{item}}}"#), "patient.sex"),
        (format!(r#"{{"patient":{{"problems":[1]}},{item}}}"#), "patient.problems"),
        (format!(r#"{{"patient":{{"allergies":[{{"substance":""}}]}},{item}}}"#), "patient.allergies.substance"),
    ] {
        assert_eq!(medicine_case::read(case.as_bytes(), &rules).err().map(|e| e.id).as_deref(), Some(place), "{case}");
    }
    let nothing_known = format!(r#"{{"patient":{{}},{item}}}"#);
    let case = medicine_case::read(nothing_known.as_bytes(), &rules).unwrap();
    let told = check(&rules, &case.item, &case.patient);
    assert!(told.iter().all(|f| f.kind == FindingKind::Missing), "{}", lines(&told));
    for what in ["allergies", "dose", "age", "pregnan", "kidneys"] {
        assert!(told.iter().any(|f| f.sentence.contains(what)), "{what}:\n{}", lines(&told));
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(120))]

    #[test]
    fn more_allergies_problems_or_medicines_never_make_findings_fewer(
        item in 0..700_usize,
        taking in proptest::collection::vec(0..700_usize, 0..12),
        problems in proptest::collection::vec(0..300_usize, 0..8),
        allergies in proptest::collection::vec(0..400_usize, 0..4),
        age in 0..33_000_u32,
    ) {
        let rules = RULES.get_or_init(|| shipped().unwrap());
        let medicine = |n: usize| rules.medicine_of(&rules.products()[n % rules.products().len()]);
        let item = Prescribed { medicine: Medicine { dose: Some(1.0), per_day: Some(2.0), ..medicine(item) }, days: Some(10) };
        let code = |n: &usize| rules.harms[n % rules.harms.len()].diagnosis.clone();
        let substance = |n: &usize| rules.ingredients[n % rules.ingredients.len()].name.clone();
        let allergy = |n: &usize| Allergy { substance: substance(n), reaction: "hives".into(), severity: None };
        let told = |share: usize| {
            let part = |n: usize| n * share / 2;
            let patient = Patient {
                age_days: Some(age),
                allergies_asked: true,
                problems: problems[..part(problems.len())].iter().map(code).collect(),
                allergies: allergies[..part(allergies.len())].iter().map(allergy).collect(),
                taking: taking[..part(taking.len())].iter().map(|n| medicine(*n)).collect(),
                ..Patient::default()
            };
            let found = check(rules, &item, &patient);
            found.into_iter().filter(|f| f.kind != FindingKind::Missing).collect::<Vec<_>>()
        };
        let (none, half, whole) = (told(0), told(1), told(2));
        for (fewer, more) in [(&none, &half), (&half, &whole)] {
            for f in fewer {
                // Its sentence may name more; what it is about is still told, and as gravely.
                let still = more.iter().any(|m| m.kind == f.kind && m.about == f.about && m.severity >= f.severity);
                let graver = more.iter().any(|m| m.kind == f.kind && m.severity > f.severity);
                prop_assert!(still || graver, "{} is told no more", f.sentence);
            }
            prop_assert!(fewer.len() <= more.len());
        }
    }
}

/// Nobody goes home with half a leaflet.
#[test]
fn every_ingredient_of_a_product_has_a_whole_leaflet() {
    let rules = shipped().unwrap();
    for product in rules.products() {
        for name in &product.ingredients {
            let ingredient = rules.ingredient(name, &product.form).unwrap();
            assert!(leaflet(&rules, ingredient).is_some(), "{name} of {} lacks a part of its leaflet", product.code);
        }
    }
    let of = |name: &str| leaflet(&rules, rules.ingredient(name, "tablet").unwrap()).unwrap();
    assert!(of("methotrexate").how.starts_with("ONCE A WEEK"), "the narrowest row counts");
    assert_eq!(of("warfarin").watch, of("apixaban").watch, "and what it leaves out is the family's");
    assert_ne!(of("warfarin").how, of("apixaban").how);
}
