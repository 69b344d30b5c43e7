//! The types that this crate reads or writes, with their elements as the standard has them.

use super::Is::{self, Bool, Code, Date, DateTime, Number, Resource, Text, Type, Whole};
use super::{Element, many, needed, one};

const GENDER: Is = Code(&["male", "female", "other", "unknown"]);
const REFERENCE: Is = Type("Reference");
const CONCEPT: Is = Type("CodeableConcept");
const REQUEST_STATUS: Is = Code(&["draft", "active", "on-hold", "revoked", "completed", "entered-in-error", "unknown"]);
const REQUEST_INTENT: Is = Code(&[
    "proposal",
    "plan",
    "directive",
    "order",
    "original-order",
    "reflex-order",
    "filler-order",
    "instance-order",
    "option",
]);

/// Every type that this crate reads or writes, resources first.
pub(super) const TYPES: [(&str, &[Element]); 31] = [
    (
        "Bundle",
        &[
            needed(one(
                "type",
                Code(&[
                    "document",
                    "message",
                    "transaction",
                    "transaction-response",
                    "batch",
                    "batch-response",
                    "history",
                    "searchset",
                    "collection",
                ]),
            )),
            many("entry", Type("Bundle.entry")),
        ],
    ),
    ("Bundle.entry", &[one("fullUrl", Text), one("resource", Resource)]),
    (
        "Patient",
        &[
            many("identifier", Type("Identifier")),
            many("name", Type("HumanName")),
            many("telecom", Type("ContactPoint")),
            one("gender", GENDER),
            one("birthDate", Date),
            one("deceasedDateTime", DateTime),
            one("deceasedBoolean", Bool),
            many("address", Type("Address")),
            one("maritalStatus", CONCEPT),
            many("contact", Type("Patient.contact")),
            many("communication", Type("Patient.communication")),
        ],
    ),
    (
        "Patient.contact",
        &[many("relationship", CONCEPT), one("name", Type("HumanName")), many("telecom", Type("ContactPoint"))],
    ),
    ("Patient.communication", &[needed(one("language", CONCEPT)), one("preferred", Bool)]),
    (
        "RelatedPerson",
        &[
            needed(one("patient", REFERENCE)),
            many("name", Type("HumanName")),
            many("telecom", Type("ContactPoint")),
            one("gender", GENDER),
            one("birthDate", Date),
            many("address", Type("Address")),
        ],
    ),
    ("Practitioner", &[many("identifier", Type("Identifier")), many("name", Type("HumanName"))]),
    (
        "Coverage",
        &[
            needed(one("status", Code(&["active", "cancelled", "draft", "entered-in-error"]))),
            one("policyHolder", REFERENCE),
            one("subscriber", REFERENCE),
            one("subscriberId", Text),
            needed(one("beneficiary", REFERENCE)),
            one("relationship", CONCEPT),
            one("period", Type("Period")),
            needed(many("payor", REFERENCE)),
            many("class", Type("Coverage.class")),
            one("order", Whole),
        ],
    ),
    ("Coverage.class", &[needed(one("type", CONCEPT)), needed(one("value", Text))]),
    (
        "Questionnaire",
        &[
            one("url", Text),
            one("version", Text),
            one("title", Text),
            needed(one("status", Code(&["draft", "active", "retired", "unknown"]))),
            one("description", Text),
            many("item", Type("Questionnaire.item")),
        ],
    ),
    (
        "Questionnaire.item",
        &[
            needed(one("linkId", Text)),
            one("text", Text),
            needed(one(
                "type",
                Code(&[
                    "group",
                    "display",
                    "boolean",
                    "decimal",
                    "integer",
                    "date",
                    "dateTime",
                    "time",
                    "string",
                    "text",
                    "url",
                    "choice",
                    "open-choice",
                    "attachment",
                    "reference",
                    "quantity",
                ]),
            )),
            one("required", Bool),
            many("answerOption", Type("Questionnaire.item.answerOption")),
            many("item", Type("Questionnaire.item")),
        ],
    ),
    ("Questionnaire.item.answerOption", &[one("valueCoding", Type("Coding")), one("valueString", Text)]),
    (
        "QuestionnaireResponse",
        &[
            one("questionnaire", Text),
            needed(one("status", Code(&["in-progress", "completed", "amended", "entered-in-error", "stopped"]))),
            one("subject", REFERENCE),
            one("authored", DateTime),
            many("item", Type("QuestionnaireResponse.item")),
        ],
    ),
    (
        "QuestionnaireResponse.item",
        &[
            needed(one("linkId", Text)),
            one("text", Text),
            many("answer", Type("QuestionnaireResponse.answer")),
            many("item", Type("QuestionnaireResponse.item")),
        ],
    ),
    (
        "QuestionnaireResponse.answer",
        &[one("valueCoding", Type("Coding")), one("valueString", Text), one("valueBoolean", Bool)],
    ),
    (
        "Task",
        &[
            many("identifier", Type("Identifier")),
            needed(one(
                "status",
                Code(&[
                    "draft",
                    "requested",
                    "received",
                    "accepted",
                    "rejected",
                    "ready",
                    "cancelled",
                    "in-progress",
                    "on-hold",
                    "failed",
                    "completed",
                    "entered-in-error",
                ]),
            )),
            needed(one(
                "intent",
                Code(&[
                    "unknown",
                    "proposal",
                    "plan",
                    "order",
                    "original-order",
                    "reflex-order",
                    "filler-order",
                    "instance-order",
                    "option",
                ]),
            )),
            one("for", REFERENCE),
            one("requester", REFERENCE),
            one("authoredOn", DateTime),
        ],
    ),
    (
        "ServiceRequest",
        &[
            many("identifier", Type("Identifier")),
            needed(one("status", REQUEST_STATUS)),
            needed(one("intent", REQUEST_INTENT)),
            one("code", CONCEPT),
            needed(one("subject", REFERENCE)),
            one("requester", REFERENCE),
            one("authoredOn", DateTime),
            many("reasonCode", CONCEPT),
            many("supportingInfo", REFERENCE),
        ],
    ),
    (
        "QuestionnaireResponse",
        &[
            needed(one("status", Code(&["in-progress", "completed", "amended", "entered-in-error", "stopped"]))),
            many("item", Type("QuestionnaireResponse.item")),
        ],
    ),
    (
        "QuestionnaireResponse.item",
        &[needed(one("linkId", Text)), one("text", Text), many("answer", Type("QuestionnaireResponse.item.answer"))],
    ),
    ("QuestionnaireResponse.item.answer", &[one("valueString", Text)]),
    (
        "DiagnosticReport",
        &[
            many("identifier", Type("Identifier")),
            many("basedOn", REFERENCE),
            needed(one(
                "status",
                Code(&[
                    "registered",
                    "partial",
                    "preliminary",
                    "final",
                    "amended",
                    "corrected",
                    "appended",
                    "cancelled",
                    "entered-in-error",
                    "unknown",
                ]),
            )),
            needed(one("code", CONCEPT)),
            one("subject", REFERENCE),
            one("issued", DateTime),
            many("result", REFERENCE),
            many("contained", Resource),
        ],
    ),
    (
        "Observation",
        &[
            needed(one(
                "status",
                Code(&[
                    "registered",
                    "preliminary",
                    "final",
                    "amended",
                    "corrected",
                    "cancelled",
                    "entered-in-error",
                    "unknown",
                ]),
            )),
            needed(one("code", CONCEPT)),
            one("valueQuantity", Type("Quantity")),
            one("valueString", Text),
            many("interpretation", CONCEPT),
            many("referenceRange", Type("Observation.referenceRange")),
        ],
    ),
    ("Observation.referenceRange", &[one("low", Type("Quantity")), one("high", Type("Quantity"))]),
    (
        "MedicationRequest",
        &[
            many("identifier", Type("Identifier")),
            needed(one(
                "status",
                Code(&[
                    "active",
                    "on-hold",
                    "cancelled",
                    "completed",
                    "entered-in-error",
                    "stopped",
                    "draft",
                    "unknown",
                ]),
            )),
            needed(one(
                "intent",
                Code(&[
                    "proposal",
                    "plan",
                    "order",
                    "original-order",
                    "reflex-order",
                    "filler-order",
                    "instance-order",
                    "option",
                ]),
            )),
            one("medicationCodeableConcept", CONCEPT),
            needed(one("subject", REFERENCE)),
            one("requester", REFERENCE),
            one("authoredOn", DateTime),
            many("reasonCode", CONCEPT),
            many("dosageInstruction", Type("Dosage")),
            one("dispenseRequest", Type("MedicationRequest.dispenseRequest")),
        ],
    ),
    (
        "MedicationRequest.dispenseRequest",
        &[
            one("numberOfRepeatsAllowed", Whole),
            one("quantity", Type("Quantity")),
            one("expectedSupplyDuration", Type("Quantity")),
        ],
    ),
    ("Dosage", &[one("text", Text)]),
    (
        "HumanName",
        &[
            one("use", Code(&["usual", "official", "temp", "nickname", "anonymous", "old", "maiden"])),
            one("text", Text),
            one("family", Text),
            many("given", Text),
        ],
    ),
    (
        "ContactPoint",
        &[
            one("system", Code(&["phone", "fax", "email", "pager", "url", "sms", "other"])),
            one("value", Text),
            one("use", Code(&["home", "work", "temp", "old", "mobile"])),
        ],
    ),
    ("Address", &[many("line", Text), one("city", Text), one("state", Text), one("postalCode", Text)]),
    ("Period", &[one("start", DateTime), one("end", DateTime)]),
    ("Quantity", &[one("value", Number), one("unit", Text), one("system", Text), one("code", Text)]),
];

/// The smaller types that everything is made of.
pub(super) const SMALL: [(&str, &[Element]); 4] = [
    ("Identifier", &[one("system", Text), one("value", Text)]),
    ("Reference", &[one("reference", Text), one("identifier", Type("Identifier")), one("display", Text)]),
    ("CodeableConcept", &[many("coding", Type("Coding")), one("text", Text)]),
    ("Coding", &[one("system", Text), one("code", Text), one("display", Text)]),
];
