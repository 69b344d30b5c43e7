//! Shapes that several areas show: a person at a glance, a visit with its line.

use chrono::{DateTime, NaiveDate, Utc};
use harbor_core::money::Cents;
use harbor_core::people::age_in_words;
use harbor_core::visit_line::VisitLine;
use harbor_store::codes;
use harbor_store::rows::{Person, Visit};
use harbor_store::visit_line::facts::Gathered;
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// One of several that are chosen from.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Choice {
    pub id: String,
    pub label: String,
}

impl Choice {
    pub fn of(id: &str, label: &str) -> Choice {
        Choice { id: id.into(), label: label.into() }
    }
}

/// Enough of a person to be sure of them.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PersonCard {
    pub id: Uuid,
    pub record_number: String,
    pub name: String,
    pub preferred_name: String,
    pub birth_date: Option<NaiveDate>,
    pub age: Option<String>,
    pub sex: Option<codes::Sex>,
    pub address: String,
    pub phone: Option<String>,
    pub chart_alert: String,
    pub deceased: bool,
    /// False for somebody who only answers for a patient, or holds a policy.
    pub patient: bool,
    pub merged: bool,
}

impl PersonCard {
    pub fn of(p: &Person, today: NaiveDate) -> Self {
        let address: Vec<&str> =
            [p.address_line.as_str(), p.city.as_str()].into_iter().filter(|t| !t.is_empty()).collect();
        PersonCard {
            id: p.id,
            record_number: p.record_number.clone(),
            name: format!("{}, {}", p.last_name, [p.first_name.as_str(), p.middle_name.as_str()].join(" ").trim()),
            preferred_name: p.preferred_name.clone(),
            birth_date: p.birth_date,
            age: p.birth_date.map(|b| age_in_words(b, today)),
            sex: p.sex,
            address: address.join(", "),
            phone: p.phone.clone(),
            chart_alert: p.chart_alert.clone(),
            deceased: p.deceased_on.is_some(),
            patient: p.patient,
            merged: p.merged_into.is_some(),
        }
    }
}

#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BlockerView {
    pub mark: String,
    pub code: String,
    pub sentence: String,
    pub role: String,
    pub place: String,
}

#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MarkView {
    pub mark: String,
    pub label: String,
    pub at: Option<DateTime<Utc>>,
    pub by: Option<String>,
    pub current: bool,
    pub blockers: Vec<BlockerView>,
}

#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LineView {
    pub marks: Vec<MarkView>,
    pub current: Option<String>,
    pub next_role: Option<String>,
    pub ended: Option<String>,
}

impl From<VisitLine> for LineView {
    fn from(line: VisitLine) -> Self {
        LineView {
            marks: line
                .marks
                .into_iter()
                .map(|m| MarkView {
                    mark: m.mark.code().into(),
                    label: m.mark.label().into(),
                    at: m.reached.as_ref().map(|r| r.at),
                    by: m.reached.map(|r| r.by),
                    current: line.current == Some(m.mark),
                    blockers: m
                        .blockers
                        .into_iter()
                        .map(|b| BlockerView {
                            mark: b.mark.code().into(),
                            code: b.code.into(),
                            sentence: b.sentence,
                            role: b.role.code().into(),
                            place: b.place.code().into(),
                        })
                        .collect(),
                })
                .collect(),
            current: line.current.map(|m| m.code().into()),
            next_role: line.next_role.map(|r| r.code().into()),
            ended: line.ended.map(Into::into),
        }
    }
}

/// A visit wherever it stands in a list.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct VisitCard {
    pub visit: Visit,
    /// Where the patient is, in words: the clinic's own stage, else the fixed one.
    pub stage: String,
    pub person: PersonCard,
    pub line: LineView,
}

impl VisitCard {
    pub fn of(g: &Gathered, today: NaiveDate) -> Self {
        VisitCard {
            visit: g.visit.clone(),
            stage: g.own_stage.as_ref().map_or_else(|| g.visit.stage().label().to_lowercase(), |o| o.name.clone()),
            person: PersonCard::of(&g.person, today),
            line: g.line().into(),
        }
    }
}

#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RiverPart {
    pub part: String,
    pub cents: i64,
    pub sentence: String,
}

/// The amount river of a visit.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RiverView {
    pub parts: Vec<RiverPart>,
    pub patient_owes_cents: i64,
    pub payer_owes_cents: i64,
    pub left_cents: i64,
}

impl From<(&'static str, Cents, String)> for RiverPart {
    fn from((part, amount, sentence): (&'static str, Cents, String)) -> Self {
        RiverPart { part: part.into(), cents: amount.get(), sentence }
    }
}

impl From<harbor_core::money::ledger::Balances> for RiverView {
    fn from(b: harbor_core::money::ledger::Balances) -> Self {
        RiverView {
            parts: b.river().into_iter().map(RiverPart::from).collect(),
            patient_owes_cents: b.patient_owes.get(),
            payer_owes_cents: b.payer_owes.get(),
            left_cents: b.left().get(),
        }
    }
}
