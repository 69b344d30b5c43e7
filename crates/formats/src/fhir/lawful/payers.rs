//! What a payer is asked and answers before it pays: Claim and ClaimResponse.

use super::Is::{Bool, Code, DateTime, Text, Type, Whole};
use super::tables::{CONCEPT, REFERENCE};
use super::{Element, many, needed, one};

pub(super) const PAYERS: [(&str, &[Element]); 5] = [
    (
        "Claim",
        &[
            many("identifier", Type("Identifier")),
            needed(one("status", Code(&["active", "cancelled", "draft", "entered-in-error"]))),
            needed(one("type", CONCEPT)),
            needed(one("use", Code(&["claim", "preauthorization", "predetermination"]))),
            needed(one("patient", REFERENCE)),
            needed(one("created", DateTime)),
            one("insurer", REFERENCE),
            needed(one("provider", REFERENCE)),
            needed(one("priority", CONCEPT)),
            one("prescription", REFERENCE),
            many("supportingInfo", Type("Claim.supportingInfo")),
            many("insurance", Type("Claim.insurance")),
            many("item", Type("Claim.item")),
        ],
    ),
    (
        "Claim.supportingInfo",
        &[
            needed(one("sequence", Whole)),
            needed(one("category", CONCEPT)),
            one("valueString", Text),
            one("valueReference", REFERENCE),
        ],
    ),
    (
        "Claim.insurance",
        &[needed(one("sequence", Whole)), needed(one("focal", Bool)), needed(one("coverage", REFERENCE))],
    ),
    (
        "Claim.item",
        &[needed(one("sequence", Whole)), needed(one("productOrService", CONCEPT)), one("quantity", Type("Quantity"))],
    ),
    (
        "ClaimResponse",
        &[
            many("identifier", Type("Identifier")),
            needed(one("status", Code(&["active", "cancelled", "draft", "entered-in-error"]))),
            needed(one("type", CONCEPT)),
            needed(one("use", Code(&["claim", "preauthorization", "predetermination"]))),
            needed(one("patient", REFERENCE)),
            needed(one("created", DateTime)),
            needed(one("insurer", REFERENCE)),
            one("request", REFERENCE),
            needed(one("outcome", Code(&["queued", "complete", "error", "partial"]))),
            one("disposition", Text),
            one("preAuthRef", Text),
            one("preAuthPeriod", Type("Period")),
        ],
    ),
];
