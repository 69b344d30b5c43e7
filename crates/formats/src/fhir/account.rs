//! Who pays the laboratory: Coverage with its payer, and Account with its guarantor (FHIR R4, Coverage and Account).

use super::person::{CLASS, RELATIONSHIP, relationship_code};
use super::{entries, entry_at, text};
use harbor_core::coverage::Relationship;
use harbor_core::orders::{BillTo, TestAccount, TestPolicy};
use serde_json::{Value, json};

/// The kinds of paying, as our own codes: the standard has no value set for who pays an order.
const BILL_TO: &str = "urn:indigo-harbor:bill-to";

/// The entries of an account, for the patient with this reference.
pub(super) fn write(account: &TestAccount, patient: &Value) -> Vec<Value> {
    let mut out = Vec::new();
    let mut row = json!({
        "resourceType": "Account", "id": "account", "status": "active",
        "type": { "coding": [{ "system": BILL_TO, "code": account.bill_to.code(), "display": account.bill_to.label() }] },
        "subject": [patient]
    });
    // Who answers for it: the clinic that pays, somebody else for the patient, or the patient.
    let guarantor = match (&account.bill_to, &account.responsible) {
        (BillTo::Clinic, _) => {
            out.push(json!({ "resourceType": "Organization", "id": "clinic", "name": account.clinic }));
            json!({ "reference": "Organization/clinic" })
        }
        (_, Some(name)) => {
            out.push(related("responsible", name, patient));
            json!({ "reference": "RelatedPerson/responsible" })
        }
        (_, None) => patient.clone(),
    };
    row["guarantor"] = json!([{ "party": guarantor }]);
    if let Some(policy) = &account.policy {
        out.push(json!({ "resourceType": "Organization", "id": "payer", "name": policy.payer }));
        out.extend(self::policy(policy, patient));
        row["coverage"] = json!([{ "coverage": { "reference": "Coverage/coverage" }, "priority": 1 }]);
    }
    out.push(row);
    out
}

/// A policy with whoever holds it; the payer is told beside.
pub(super) fn policy(policy: &TestPolicy, patient: &Value) -> Vec<Value> {
    let holder = policy.holder.iter().map(|name| related("holder", name, patient));
    std::iter::once(coverage(policy, patient)).chain(holder).collect()
}

fn related(id: &str, name: &str, patient: &Value) -> Value {
    json!({ "resourceType": "RelatedPerson", "id": id, "patient": patient, "name": [{ "text": name }] })
}

fn coverage(policy: &TestPolicy, patient: &Value) -> Value {
    let relationship = relationship_code(Some(policy.relationship));
    let holder = match policy.holder {
        Some(_) => json!({ "reference": "RelatedPerson/holder" }),
        None => patient.clone(),
    };
    let mut out = json!({
        "resourceType": "Coverage", "id": "coverage", "status": "active",
        "subscriberId": policy.subscriber_number,
        "policyHolder": holder, "beneficiary": patient,
        "relationship": { "coding": [{ "system": RELATIONSHIP, "code": relationship }] },
        "payor": [{ "reference": "Organization/payer" }]
    });
    if !policy.group_number.is_empty() {
        let kind = json!({ "coding": [{ "system": CLASS, "code": "group" }] });
        out["class"] = json!([{ "type": kind, "value": policy.group_number }]);
    }
    out
}

/// The account of a bundle; one that names none is not billed to anybody by us.
pub(super) fn read(bundle: &Value) -> Option<TestAccount> {
    let account = entries(bundle).find(|r| r["resourceType"] == "Account")?;
    let named = |pointer: &str| entry_at(bundle, text(account, pointer));
    let guarantor = named("/guarantor/0/party/reference");
    let of_kind = |kind: &str| guarantor.filter(|r| r["resourceType"] == kind).map(name);
    let policy = named("/coverage/0/coverage/reference").map(|c| read_policy(bundle, c));
    Some(TestAccount {
        bill_to: BillTo::from_code(text(account, "/type/coding/0/code"))?,
        policy,
        responsible: of_kind("RelatedPerson"),
        clinic: of_kind("Organization").unwrap_or_default(),
    })
}

fn name(r: &Value) -> String {
    match text(r, "/resourceType") {
        "Organization" => text(r, "/name").to_owned(),
        _ => text(r, "/name/0/text").to_owned(),
    }
}

/// The policy that a Coverage of a bundle tells.
pub(super) fn read_policy(bundle: &Value, coverage: &Value) -> TestPolicy {
    let at = |pointer: &str| entry_at(bundle, text(coverage, pointer));
    let holder = at("/policyHolder/reference").filter(|r| r["resourceType"] == "RelatedPerson").map(name);
    let code = text(coverage, "/relationship/coding/0/code");
    let own = Relationship::ALL.iter().find(|r| relationship_code(Some(**r)) == code);
    TestPolicy {
        payer: at("/payor/0/reference").map(name).unwrap_or_default(),
        subscriber_number: text(coverage, "/subscriberId").into(),
        group_number: text(coverage, "/class/0/value").into(),
        relationship: own.copied().unwrap_or(Relationship::Other),
        holder,
    }
}
