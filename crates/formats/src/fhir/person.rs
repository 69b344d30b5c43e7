//! One person with policies as a FHIR R4 bundle: Patient, Coverage, and RelatedPerson for a policyholder who
//! is somebody else. Codes are those of the base specification.

use super::{entries, resource, text, wrong};
use crate::Located;
use crate::incoming::{Fields, IncomingPerson, IncomingPolicy, UNFIT, put};
use harbor_core::coverage::{Rank, Relationship};
use serde_json::{Value, json};

const RECORD: &str = "urn:indigo-harbor:record";
pub(super) const RELATIONSHIP: &str = "http://terminology.hl7.org/CodeSystem/subscriber-relationship";
pub(super) const CLASS: &str = "http://terminology.hl7.org/CodeSystem/coverage-class";

/// Marital status (v3-MaritalStatus) and our own.
const MARITAL: [(&str, &str); 7] = [
    ("S", "single"),
    ("M", "married"),
    ("T", "partnered"),
    ("L", "separated"),
    ("D", "divorced"),
    ("W", "widowed"),
    ("UNK", "declined"),
];

/// A person as written out: the same fields as come in, dates as 1962-03-04.
pub fn write(record_number: &str, person: &Fields, policies: &[IncomingPolicy]) -> Result<String, Located> {
    let mut out = patient(record_number, person);
    out["identifier"] = json!([{ "system": RECORD, "value": record_number }]);
    let mut resources = vec![out];
    for (at, policy) in policies.iter().enumerate() {
        let holder_id = format!("holder-{}", at + 1);
        if let Some(holder) = &policy.holder {
            let mut related = patient(&holder_id, holder);
            related["resourceType"] = json!("RelatedPerson");
            related["patient"] = json!({ "reference": format!("Patient/{record_number}") });
            resources.push(related);
        }
        resources.push(coverage(record_number, at + 1, &holder_id, policy));
    }
    let entry: Vec<Value> = resources.into_iter().map(|r| json!({ "resource": r })).collect();
    let out = json!({ "resourceType": "Bundle", "type": "collection", "entry": entry }).to_string();
    resource(out.as_bytes(), "Bundle")?;
    Ok(out)
}

fn patient(id: &str, f: &Fields) -> Value {
    let get = |name: &str| f.get(name).map_or("", String::as_str);
    let given: Vec<&str> = [get("firstName"), get("middleName")].into_iter().filter(|n| !n.is_empty()).collect();
    let mut names = vec![json!({ "use": "official", "family": get("lastName"), "given": given })];
    if f.contains_key("preferredName") {
        names.push(json!({ "use": "usual", "given": [get("preferredName")] }));
    }
    if f.contains_key("formerName") {
        names.push(json!({ "use": "old", "family": get("formerName") }));
    }
    let gender = match get("sex") {
        "F" => "female",
        "M" => "male",
        _ => "unknown",
    };
    let mut p = json!({ "resourceType": "Patient", "id": id, "name": names, "gender": gender });
    let telecom: Vec<Value> =
        [("phone", "mobile", "phone"), ("otherPhone", "home", "phone"), ("email", "home", "email")]
            .into_iter()
            .filter_map(|(name, place, system)| Some(json!({ "system": system, "use": place, "value": f.get(name)? })))
            .collect();
    if !telecom.is_empty() {
        p["telecom"] = json!(telecom);
    }
    if let Some(born) = f.get("birthDate") {
        p["birthDate"] = json!(born);
    }
    if let Some(died) = f.get("deceasedOn") {
        p["deceasedDateTime"] = json!(died);
    }
    let lines: Vec<&String> = ["addressLine", "addressLine2"].into_iter().filter_map(|n| f.get(n)).collect();
    let mut address = json!({});
    if !lines.is_empty() {
        address["line"] = json!(lines);
    }
    for (name, key) in [("city", "city"), ("state", "state"), ("postalCode", "postalCode")] {
        if let Some(value) = f.get(name) {
            address[key] = json!(value);
        }
    }
    if address != json!({}) {
        p["address"] = json!([address]);
    }
    if let Some(language) = f.get("language") {
        p["communication"] = json!([{ "language": { "text": language }, "preferred": true }]);
    }
    if let Some((code, _)) = MARITAL.iter().find(|(_, ours)| *ours == get("maritalStatus")) {
        let system = match *code {
            "UNK" => "http://terminology.hl7.org/CodeSystem/v3-NullFlavor",
            _ => "http://terminology.hl7.org/CodeSystem/v3-MaritalStatus",
        };
        p["maritalStatus"] = json!({ "coding": [{ "system": system, "code": code }] });
    }
    if let Some(name) = f.get("emergencyName") {
        let mut contact = json!({ "name": { "text": name } });
        if let Some(phone) = f.get("emergencyPhone") {
            contact["telecom"] = json!([{ "system": "phone", "value": phone }]);
        }
        if let Some(relation) = f.get("emergencyRelation") {
            contact["relationship"] = json!([{ "text": relation }]);
        }
        p["contact"] = json!([contact]);
    }
    p
}

/// The patient to the policyholder, as the standard's code.
pub(super) fn relationship_code(relationship: Option<Relationship>) -> &'static str {
    match relationship {
        Some(Relationship::Spouse) => "spouse",
        Some(Relationship::Child) => "child",
        Some(Relationship::Other) => "other",
        _ => "self",
    }
}

fn coverage(record_number: &str, number: usize, holder_id: &str, policy: &IncomingPolicy) -> Value {
    let get = |name: &str| policy.fields.get(name).map_or("", String::as_str);
    let relationship = relationship_code(Relationship::from_code(get("relationship")));
    let who = format!("Patient/{record_number}");
    let holder = if policy.holder.is_some() { format!("RelatedPerson/{holder_id}") } else { who.clone() };
    let order = Rank::ALL.iter().position(|r| r.code() == get("rank")).unwrap_or(0) + 1;
    let mut period = json!({ "start": get("startsOn") });
    if let Some(end) = policy.fields.get("endsOn") {
        period["end"] = json!(end);
    }
    let mut out = json!({
        "resourceType": "Coverage", "id": format!("coverage-{number}"), "status": "active",
        "subscriberId": get("subscriberNumber"),
        "policyHolder": { "reference": holder },
        "beneficiary": { "reference": who },
        "relationship": { "coding": [{ "system": RELATIONSHIP, "code": relationship }] },
        "period": period, "order": order,
        "payor": [{ "display": get("payer") }]
    });
    let class: Vec<Value> = [("groupNumber", "group"), ("planName", "plan")]
        .into_iter()
        .filter_map(|(name, code)| {
            let value = policy.fields.get(name)?;
            Some(json!({ "type": { "coding": [{ "system": CLASS, "code": code }] }, "value": value }))
        })
        .collect();
    if !class.is_empty() {
        out["class"] = json!(class);
    }
    out
}

/// Reads a bundle (or one Patient alone): every Patient with the Coverage that names it as beneficiary.
/// What a partner adds beyond that is left out.
pub fn read(bytes: &[u8]) -> Result<Vec<IncomingPerson>, Located> {
    let alone = resource(bytes, "Patient");
    if let Ok(patient) = alone {
        return Ok(vec![IncomingPerson { line: 1, fields: person_fields(&patient), policies: vec![] }]);
    }
    let bundle = resource(bytes, "Bundle")?;
    let all: Vec<(String, &Value)> = bundle["entry"]
        .as_array()
        .into_iter()
        .flatten()
        .map(|e| (text(e, "/fullUrl").to_owned(), &e["resource"]))
        .collect();
    // A reference names a resource by its type and id, or by the address of its entry.
    let is = |reference: &str, url: &str, r: &Value| {
        !reference.is_empty()
            && (reference == url
                || reference.ends_with(&format!("{}/{}", text(r, "/resourceType"), text(r, "/id")))
                    && !text(r, "/id").is_empty())
    };
    let mut out = Vec::new();
    for (at, (url, patient)) in all.iter().enumerate().filter(|(_, (_, r))| r["resourceType"] == "Patient") {
        let policies = entries(&bundle)
            .filter(|r| r["resourceType"] == "Coverage" && is(text(r, "/beneficiary/reference"), url, patient))
            .filter(|c| holds(c))
            .map(|c| {
                let reference = text(c, "/policyHolder/reference");
                let reference = if reference.is_empty() { text(c, "/subscriber/reference") } else { reference };
                let holder = all
                    .iter()
                    .find(|(url, r)| is(reference, url, r))
                    .filter(|(other, r)| other != url || !std::ptr::eq(*r, *patient))
                    .map(|(_, r)| person_fields(r));
                policy_fields(c, holder)
            })
            .collect();
        out.push(IncomingPerson { line: at as u64 + 1, fields: person_fields(patient), policies });
    }
    if out.is_empty() {
        return Err(wrong("Bundle.entry", "at least one Patient"));
    }
    Ok(out)
}

/// Whether a policy was ever in force: one that is a draft or a slip never was, a cancelled one only until its end.
fn holds(c: &Value) -> bool {
    match text(c, "/status") {
        "draft" | "entered-in-error" => false,
        "cancelled" => !text(c, "/period/end").is_empty(),
        _ => true,
    }
}

fn person_fields(p: &Value) -> Fields {
    let mut f = Fields::new();
    if p["active"] == false {
        put(&mut f, UNFIT, "The file says that this record is not used any more.");
    }
    if p["deceasedBoolean"] == true {
        put(&mut f, UNFIT, "The file says that they died, and not when: register them by hand.");
    }
    let names: Vec<&Value> = p["name"].as_array().into_iter().flatten().collect();
    let used = |word: &str| names.iter().find(|n| text(n, "/use") == word).copied();
    let official = used("official").or_else(|| names.iter().find(|n| !text(n, "/family").is_empty()).copied());
    if let Some(name) = official {
        put(&mut f, "lastName", text(name, "/family"));
        put(&mut f, "firstName", text(name, "/given/0"));
        put(&mut f, "middleName", text(name, "/given/1"));
    }
    let called = used("usual").or_else(|| used("nickname"));
    if let Some(name) =
        called.map(|n| text(n, "/given/0")).filter(|n| Some(*n) != f.get("firstName").map(String::as_str))
    {
        put(&mut f, "preferredName", name);
    }
    if let Some(name) = used("old").or_else(|| used("maiden")) {
        put(&mut f, "formerName", text(name, "/family"));
    }
    put(&mut f, "birthDate", text(p, "/birthDate"));
    put(&mut f, "deceasedOn", text(p, "/deceasedDateTime").get(..10).unwrap_or(""));
    let sex = match text(p, "/gender") {
        "female" => "F",
        "male" => "M",
        "other" | "unknown" => "U",
        _ => "",
    };
    put(&mut f, "sex", sex);
    for t in p["telecom"].as_array().into_iter().flatten() {
        let name = match (text(t, "/system"), text(t, "/use")) {
            ("phone" | "sms", "mobile") => "phone",
            ("phone", _) if f.contains_key("phone") => "otherPhone",
            ("phone", "home" | "work") => "otherPhone",
            ("phone", _) => "phone",
            ("email", _) => "email",
            _ => continue,
        };
        if !f.contains_key(name) {
            put(&mut f, name, text(t, "/value"));
        }
    }
    put(&mut f, "addressLine", text(p, "/address/0/line/0"));
    put(&mut f, "addressLine2", text(p, "/address/0/line/1"));
    put(&mut f, "city", text(p, "/address/0/city"));
    put(&mut f, "state", text(p, "/address/0/state"));
    put(&mut f, "postalCode", text(p, "/address/0/postalCode"));
    let language = text(p, "/communication/0/language/text");
    let display = text(p, "/communication/0/language/coding/0/display");
    put(&mut f, "language", if language.is_empty() { display } else { language });
    let marital = text(p, "/maritalStatus/coding/0/code");
    put(&mut f, "maritalStatus", MARITAL.iter().find(|(code, _)| *code == marital).map_or("", |(_, ours)| ours));
    let contact = text(p, "/contact/0/name/text").to_owned();
    let spelled = format!("{} {}", text(p, "/contact/0/name/given/0"), text(p, "/contact/0/name/family"));
    put(&mut f, "emergencyName", if contact.is_empty() { &spelled } else { &contact });
    put(&mut f, "emergencyPhone", text(p, "/contact/0/telecom/0/value"));
    put(&mut f, "emergencyRelation", text(p, "/contact/0/relationship/0/text"));
    let number = text(p, "/identifier/0/value");
    put(&mut f, "outsideId", number);
    f
}

fn policy_fields(c: &Value, holder: Option<Fields>) -> IncomingPolicy {
    let mut f = Fields::new();
    let payer = text(c, "/payor/0/display");
    put(&mut f, "payer", if payer.is_empty() { text(c, "/payor/0/identifier/value") } else { payer });
    put(&mut f, "subscriberNumber", text(c, "/subscriberId"));
    for class in c["class"].as_array().into_iter().flatten() {
        match text(class, "/type/coding/0/code") {
            "group" => put(&mut f, "groupNumber", text(class, "/value")),
            "plan" => put(&mut f, "planName", text(class, "/value")),
            _ => {}
        }
    }
    put(&mut f, "startsOn", text(c, "/period/start").get(..10).unwrap_or(""));
    put(&mut f, "endsOn", text(c, "/period/end").get(..10).unwrap_or(""));
    let order = c["order"].as_u64().and_then(|n| usize::try_from(n).ok()).unwrap_or(1);
    put(&mut f, "rank", Rank::ALL.get(order.saturating_sub(1)).map_or("", |r| r.code()));
    let relationship = match text(c, "/relationship/coding/0/code") {
        "spouse" | "common" => Relationship::Spouse,
        "child" => Relationship::Child,
        "self" | "" if holder.is_none() => Relationship::SelfHolder,
        _ => Relationship::Other,
    };
    put(&mut f, "relationship", relationship.code());
    IncomingPolicy { fields: f, holder }
}
