//! Reports of the laboratory: a DiagnosticReport with its Observations, contained or beside it in a Bundle.

use super::laboratory::{LOINC, instant};
use super::{entries, resource, text, wrong};
use crate::Located;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use harbor_core::orders::candidates::NamedPerson;
use harbor_core::orders::{
    Comparator, FlaggedBy, Interpretation, LabReport, Limits, ReportFile, ReportStatus, ReportedValue, Said,
};
use serde_json::{Value, json};
use std::collections::HashSet;

const UCUM: &str = "http://unitsofmeasure.org";
const INTERPRETATION: &str = "http://terminology.hl7.org/CodeSystem/v3-ObservationInterpretation";
/// What a range is for; its `critical` is the only standard code of R4 for limits that somebody has to know of at once.
const RANGE_CATEGORY: &str = "http://hl7.org/fhir/observation-range-category";
const RECORD: &str = "urn:indigo-harbor:record";

/// Values of one report; a report of more is an attack, or a mistake.
const MOST_VALUES: usize = 2000;
/// Characters of any words of a report.
const MOST_WORDS: usize = 20_000;

/// A DiagnosticReport with its observations contained.
pub fn write_report(r: &LabReport) -> Result<String, Located> {
    let mut contained: Vec<Value> = r.values.iter().enumerate().map(|(i, v)| observation(i, v, r.status)).collect();
    let links: Vec<Value> = (0..contained.len()).map(|i| json!({ "reference": format!("#v{}", i + 1) })).collect();
    let mut report = json!({
        "resourceType": "DiagnosticReport", "id": r.number, "status": r.status.code(),
        "identifier": [{ "system": "urn:laboratory:report", "value": r.number }],
        "code": { "text": if r.name.is_empty() { "Laboratory report" } else { r.name.as_str() } },
        "issued": instant(r.issued)
    });
    if !r.order_reference.is_empty() {
        report["basedOn"] =
            json!([{ "identifier": { "system": "urn:indigo-harbor:order", "value": r.order_reference } }]);
    }
    if r.subject != NamedPerson::default() {
        contained.push(named(&r.subject));
        report["subject"] = json!({ "reference": "#p" });
    }
    if !contained.is_empty() {
        report["contained"] = Value::Array(contained);
    }
    if !links.is_empty() {
        report["result"] = Value::Array(links);
    }
    if !r.performer.is_empty() {
        report["performer"] = json!([{ "display": r.performer }]);
    }
    if !r.conclusion.is_empty() {
        report["conclusion"] = json!(r.conclusion);
    }
    if !r.files.is_empty() {
        let one = |f: &ReportFile| json!({ "contentType": f.media_type, "title": f.title, "data": STANDARD.encode(&f.content) });
        report["presentedForm"] = r.files.iter().map(one).collect();
    }
    let out = report.to_string();
    resource(out.as_bytes(), "DiagnosticReport")?;
    Ok(out)
}

fn named(p: &NamedPerson) -> Value {
    let mut out = json!({ "resourceType": "Patient", "id": "p" });
    if !p.record_number.is_empty() {
        out["identifier"] = json!([{ "system": RECORD, "value": p.record_number }]);
    }
    if !p.last.is_empty() || !p.first.is_empty() {
        let mut name = json!({});
        if !p.last.is_empty() {
            name["family"] = json!(p.last);
        }
        if !p.first.is_empty() {
            name["given"] = json!([p.first]);
        }
        out["name"] = json!([name]);
    }
    if let Some(day) = p.birth_date {
        out["birthDate"] = json!(day.to_string());
    }
    match p.sex.as_str() {
        "F" => out["gender"] = json!("female"),
        "M" => out["gender"] = json!("male"),
        "U" => out["gender"] = json!("unknown"),
        _ => {}
    }
    out
}

fn observation(i: usize, v: &ReportedValue, status: ReportStatus) -> Value {
    let mut codings = Vec::new();
    if let Some((system, code)) = v.own_code.split_once('|') {
        codings.push(json!({ "system": system, "code": code }));
    }
    if !v.loinc.is_empty() {
        codings.push(json!({ "system": LOINC, "code": v.loinc, "display": v.name }));
    }
    let mut code = json!({ "text": v.name });
    if !codings.is_empty() {
        code["coding"] = Value::Array(codings);
    }
    let mut o = json!({
        "resourceType": "Observation", "id": format!("v{}", i + 1), "status": status.code(), "code": code
    });
    let quantity = |n: f64| {
        let mut q = json!({ "value": n });
        if !v.unit.is_empty() {
            q["unit"] = json!(v.unit);
            if v.has_lawful_unit() {
                q["system"] = json!(UCUM);
                q["code"] = json!(v.unit);
            }
        }
        q
    };
    match &v.said {
        Said::Number { comparator, value } => {
            o["valueQuantity"] = quantity(*value);
            if let Some(c) = comparator {
                o["valueQuantity"]["comparator"] = json!(c.code());
            }
        }
        Said::Words(words) => o["valueString"] = json!(words),
        Said::NotMeasured(why) => o["dataAbsentReason"] = json!({ "text": why }),
    }
    let range = |limits: Limits| {
        let mut range = json!({});
        if let Some(low) = limits.low {
            range["low"] = quantity(low);
        }
        if let Some(high) = limits.high {
            range["high"] = quantity(high);
        }
        range
    };
    let mut ranges = Vec::new();
    if v.usual.are_given() || !v.range.is_empty() {
        let mut usual = range(v.usual);
        if !v.range.is_empty() {
            usual["text"] = json!(v.range);
        }
        ranges.push(usual);
    }
    if v.critical.are_given() {
        let mut critical = range(v.critical);
        critical["type"] = json!({ "coding": [{ "system": RANGE_CATEGORY, "code": "critical" }] });
        ranges.push(critical);
    }
    if !ranges.is_empty() {
        o["referenceRange"] = Value::Array(ranges);
    }
    // What follows from the range is left for the reader to see.
    if let Some(flag) = v.interpretation.filter(|_| v.flagged_by == Some(FlaggedBy::Laboratory)) {
        o["interpretation"] = json!([{ "coding": [{ "system": INTERPRETATION, "code": flag.code() }] }]);
    }
    if !v.method.is_empty() {
        o["method"] = json!({ "text": v.method });
    }
    if !v.note.is_empty() {
        o["note"] = json!([{ "text": v.note }]);
    }
    o
}

/// Reads a report: a DiagnosticReport alone, or the one of a Bundle.
pub fn read_report(bytes: &[u8]) -> Result<LabReport, Located> {
    let whole: Value = match resource(bytes, "DiagnosticReport") {
        Ok(report) => report,
        Err(e) if e.id == "resourceType" => resource(bytes, "Bundle").map_err(|_| e)?,
        Err(e) => return Err(e),
    };
    let around = Around { bundle: &whole };
    let mut reports = match whole["resourceType"] == "Bundle" {
        true => entries(&whole).filter(|r| r["resourceType"] == "DiagnosticReport").collect(),
        false => vec![&whole],
    };
    let (Some(r), true) = (reports.pop(), reports.is_empty()) else {
        return Err(wrong("Bundle.entry", "exactly one DiagnosticReport"));
    };
    let status = match text(r, "/status") {
        "partial" => ReportStatus::Preliminary,
        "amended" | "appended" => ReportStatus::Corrected,
        "entered-in-error" => ReportStatus::Cancelled,
        other => ReportStatus::from_code(other)
            .ok_or_else(|| wrong("DiagnosticReport.status", "a report status of FHIR R4"))?,
    };
    let number = text(r, "/identifier/0/value");
    if number.is_empty() {
        return Err(wrong("DiagnosticReport.identifier", "the laboratory's report number"));
    }
    Ok(LabReport {
        number: words(number),
        order_reference: words(text(r, "/basedOn/0/identifier/value")),
        subject: subject(r, around),
        status,
        issued: text(r, "/issued").parse().map_err(|_| wrong("DiagnosticReport.issued", "a date and time"))?,
        name: words(concept(&r["code"])),
        performer: performer(r, around),
        values: values(r, around)?,
        conclusion: words(text(r, "/conclusion")),
        files: files(r)?,
    })
}

/// Words as they are kept: of a length that somebody can read, without what no text holds.
fn words(text: &str) -> String {
    text.trim().chars().filter(|c| !c.is_control() || *c == '\n').take(MOST_WORDS).collect()
}

/// Where a reference of a report may lead.
#[derive(Clone, Copy)]
struct Around<'v> {
    bundle: &'v Value,
}

impl<'v> Around<'v> {
    /// The resource that a reference means: contained, or an entry by its address or by its type and id.
    fn find(self, within: &'v Value, reference: &str) -> Option<&'v Value> {
        if let Some(id) = reference.strip_prefix('#') {
            return within["contained"].as_array()?.iter().find(|c| text(c, "/id") == id);
        }
        let entry = |e: &&Value| {
            let r = &e["resource"];
            text(e, "/fullUrl") == reference || format!("{}/{}", text(r, "/resourceType"), text(r, "/id")) == reference
        };
        self.bundle["entry"].as_array()?.iter().find(entry).map(|e| &e["resource"])
    }
}

fn subject(r: &Value, around: Around) -> NamedPerson {
    let reference = &r["subject"];
    let patient = around.find(r, text(reference, "/reference")).filter(|p| p["resourceType"] == "Patient");
    let Some(p) = patient else {
        // `Ferreira-Holm, Lucan` of the reference itself.
        let shown = text(reference, "/display");
        let (last, first) = shown.split_once(',').unwrap_or_else(|| {
            let (first, last) = shown.rsplit_once(' ').unwrap_or(("", shown));
            (last, first)
        });
        return NamedPerson {
            record_number: words(text(reference, "/identifier/value")),
            last: words(last),
            first: words(first),
            ..NamedPerson::default()
        };
    };
    let numbers = || p["identifier"].as_array().into_iter().flatten();
    let ours = numbers().find(|i| text(i, "/system") == RECORD).or_else(|| numbers().next());
    NamedPerson {
        record_number: ours.map(|i| words(text(i, "/value"))).unwrap_or_default(),
        last: words(text(p, "/name/0/family")),
        first: words(text(p, "/name/0/given/0")),
        birth_date: text(p, "/birthDate").parse().ok(),
        sex: match text(p, "/gender") {
            "female" => "F",
            "male" => "M",
            "" => "",
            _ => "U",
        }
        .into(),
    }
}

fn performer(r: &Value, around: Around) -> String {
    let first = &r["performer"][0];
    let shown = text(first, "/display");
    if !shown.is_empty() {
        return words(shown);
    }
    let Some(who) = around.find(r, text(first, "/reference")) else { return String::new() };
    let names = [text(who, "/name"), text(who, "/name/0/text"), text(who, "/name/0/family")];
    words(names.into_iter().find(|n| !n.is_empty()).unwrap_or_default())
}

/// The values of a report in its own order. A value that it names and does not bring is an error: it would be lost
/// without anybody seeing it.
fn values(r: &Value, around: Around) -> Result<Vec<ReportedValue>, Located> {
    let mut out = Vec::new();
    let mut seen = HashSet::new();
    let named: Vec<&str> = r["result"].as_array().into_iter().flatten().map(|l| text(l, "/reference")).collect();
    if named.is_empty() {
        for o in r["contained"].as_array().into_iter().flatten().filter(|o| o["resourceType"] == "Observation") {
            read_observation(o, r, around, &mut seen, &mut out)?;
        }
    }
    for reference in named {
        let found = around.find(r, reference).filter(|o| o["resourceType"] == "Observation");
        let o = found.ok_or_else(|| wrong("DiagnosticReport.result", format!("the Observation {reference}")))?;
        read_observation(o, r, around, &mut seen, &mut out)?;
    }
    Ok(out)
}

fn read_observation<'v>(
    o: &'v Value,
    r: &'v Value,
    around: Around<'v>,
    seen: &mut HashSet<*const Value>,
    out: &mut Vec<ReportedValue>,
) -> Result<(), Located> {
    // Members that name each other would go round for ever.
    if !seen.insert(std::ptr::from_ref(o)) {
        return Ok(());
    }
    if out.len() >= MOST_VALUES {
        return Err(wrong("DiagnosticReport.result", format!("{MOST_VALUES} values at most")));
    }
    let parts: Vec<&Value> = o["component"].as_array().into_iter().flatten().collect();
    let members: Vec<&str> = o["hasMember"].as_array().into_iter().flatten().map(|m| text(m, "/reference")).collect();
    // A panel that only holds others together says nothing itself.
    let says = o.as_object().is_some_and(|o| o.keys().any(|k| k.starts_with("value") || k == "dataAbsentReason"));
    if says || (parts.is_empty() && members.is_empty()) {
        out.push(read_value(o));
    }
    for part in parts.into_iter().take(MOST_VALUES) {
        out.push(read_value(part));
    }
    for reference in members {
        let found = around.find(r, reference).filter(|o| o["resourceType"] == "Observation");
        let member = found.ok_or_else(|| wrong("Observation.hasMember", format!("the Observation {reference}")))?;
        read_observation(member, r, around, seen, out)?;
    }
    Ok(())
}

/// The words of a concept: its own, or those of its first code.
fn concept(c: &Value) -> &str {
    let of_codings = c["coding"].as_array().into_iter().flatten();
    let codings = of_codings.flat_map(|c| [text(c, "/display"), text(c, "/code")]);
    std::iter::once(text(c, "/text")).chain(codings).find(|t| !t.is_empty()).unwrap_or_default()
}

fn unit_of(q: &Value) -> String {
    let code = text(q, "/code");
    let unit = if text(q, "/system") == UCUM && !code.is_empty() { code } else { text(q, "/unit") };
    words(if unit.is_empty() { code } else { unit })
}

/// A quantity in words, for what is said with more than one: `1:40`, `0–2 /HPF`.
fn quantity_words(q: &Value) -> String {
    let value = q["value"].as_f64().map(|v| v.to_string()).unwrap_or_default();
    words(&format!("{}{value} {}", text(q, "/comparator"), unit_of(q)))
}

fn said(o: &Value) -> Said {
    let quantity = &o["valueQuantity"];
    if let Some(value) = quantity["value"].as_f64() {
        return Said::Number { comparator: Comparator::from_code(text(quantity, "/comparator")), value };
    }
    if let Some(value) = o["valueInteger"].as_f64() {
        return Said::number(value);
    }
    if let Some(yes) = o["valueBoolean"].as_bool() {
        return Said::Words(if yes { "yes" } else { "no" }.into());
    }
    if o["valueRatio"].is_object() {
        let (top, bottom) = (&o["valueRatio"]["numerator"], &o["valueRatio"]["denominator"]);
        return Said::Words(format!("{}:{}", quantity_words(top), quantity_words(bottom)));
    }
    if o["valueRange"].is_object() {
        let (low, high) = (&o["valueRange"]["low"], &o["valueRange"]["high"]);
        return Said::Words(format!("{}–{}", quantity_words(low), quantity_words(high)));
    }
    let plain = ["/valueString", "/valueDateTime", "/valueTime"].map(|at| text(o, at));
    let told = plain.into_iter().chain([concept(&o["valueCodeableConcept"])]).find(|t| !t.is_empty());
    if let Some(told) = told {
        return Said::Words(words(told));
    }
    match o.as_object().is_some_and(|o| o.keys().any(|k| k.starts_with("value"))) {
        true => Said::Words("said in a way that is not read here; see what the laboratory sent".into()),
        false => Said::NotMeasured(words(concept(&o["dataAbsentReason"]))),
    }
}

/// The laboratory's flag, or its words where it is none that we know.
fn flag(o: &Value) -> (Option<Interpretation>, String) {
    let all = || o["interpretation"].as_array().into_iter().flatten();
    let codes = all().flat_map(|c| c["coding"].as_array().into_iter().flatten());
    let known = codes.filter(|c| text(c, "/system") == INTERPRETATION).find_map(|c| match text(c, "/code") {
        "LU" => Some(Interpretation::CriticalLow),
        "HU" => Some(Interpretation::CriticalHigh),
        "<" => Some(Interpretation::Low),
        ">" => Some(Interpretation::High),
        "DET" => Some(Interpretation::Positive),
        "ND" => Some(Interpretation::Negative),
        code => Interpretation::from_code(code),
    });
    let said = all().map(concept).find(|t| !t.is_empty()).filter(|_| known.is_none());
    (known, words(said.unwrap_or_default()))
}

fn read_value(o: &Value) -> ReportedValue {
    let codings = || o.pointer("/code/coding").and_then(Value::as_array).into_iter().flatten();
    // A code of another system that stands first is no LOINC code.
    let loinc = codings().find(|c| text(c, "/system") == LOINC);
    let own = codings().find(|c| text(c, "/system") != LOINC && !text(c, "/code").is_empty());
    let is_critical = |range: &Value| {
        let codes = range.pointer("/type/coding").and_then(Value::as_array);
        codes.into_iter().flatten().any(|c| text(c, "/system") == RANGE_CATEGORY && text(c, "/code") == "critical")
    };
    let ranges = || o["referenceRange"].as_array().into_iter().flatten();
    let limits = |range: Option<&Value>| {
        let bound = |which: &str| range.and_then(|r| r[which]["value"].as_f64());
        Limits { low: bound("low"), high: bound("high") }
    };
    let usual = ranges().find(|r| !is_critical(r));
    let (interpretation, flag_words) = flag(o);
    let notes = o["note"].as_array().into_iter().flatten().map(|n| text(n, "/text").to_owned());
    let of_flag = Some(flag_words).filter(|f| !f.is_empty()).map(|f| format!("The laboratory's mark: {f}"));
    ReportedValue {
        loinc: loinc.map(|c| words(text(c, "/code"))).unwrap_or_default(),
        own_code: own.map(|c| words(&format!("{}|{}", text(c, "/system"), text(c, "/code")))).unwrap_or_default(),
        name: words(concept(&o["code"])),
        said: said(o),
        unit: unit_of(&o["valueQuantity"]),
        usual: limits(usual),
        critical: limits(ranges().find(|r| is_critical(r))),
        range: usual.map(|r| words(text(r, "/text"))).unwrap_or_default(),
        interpretation,
        flagged_by: interpretation.map(|_| FlaggedBy::Laboratory),
        method: words(concept(&o["method"])),
        note: words(&notes.chain(of_flag).collect::<Vec<_>>().join("\n")),
    }
    .interpreted()
}

/// The files of a report. A file is kept only whole.
fn files(r: &Value) -> Result<Vec<ReportFile>, Located> {
    let forms = r["presentedForm"].as_array().into_iter().flatten().filter(|f| f["data"].is_string());
    forms
        .map(|f| {
            let content = STANDARD
                .decode(text(f, "/data").as_bytes())
                .map_err(|_| wrong("DiagnosticReport.presentedForm.data", "base64"))?;
            Ok(ReportFile { title: words(text(f, "/title")), media_type: words(text(f, "/contentType")), content })
        })
        .collect()
}
