//! What columns of JSONB hold, as the types that it is: [`Doc`] for all of them, and the shape of each.
//!
//! As with a code, what does not fit is an error where it is read, never half-read.

mod months;

pub use months::MonthFigures;

use crate::codes;
use chrono::NaiveDate;
use diesel::deserialize::{self, FromSql, FromSqlRow};
use diesel::expression::AsExpression;
use diesel::pg::{Pg, PgValue};
use diesel::serialize::{self, Output, ToSql};
use diesel::sql_types::{Jsonb, Nullable};
use harbor_core::arrival::forms::Point;
use harbor_core::consult::HistoryKind;
use harbor_core::coverage::{BenefitAnswer, Refusal};
use harbor_core::money::Cents;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::collections::BTreeMap;
use std::fmt::Debug;
use utoipa::ToSchema;
use uuid::Uuid;

/// A value kept as JSON.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, FromSqlRow)]
#[serde(transparent)]
pub struct Doc<T>(pub T);

impl<T> std::ops::Deref for Doc<T> {
    type Target = T;
    fn deref(&self) -> &T {
        &self.0
    }
}

impl<T: DeserializeOwned> FromSql<Jsonb, Pg> for Doc<T> {
    fn from_sql(bytes: PgValue<'_>) -> deserialize::Result<Self> {
        let value = <Value as FromSql<Jsonb, Pg>>::from_sql(bytes)?;
        Ok(Doc(serde_json::from_value(value)?))
    }
}

impl<T: Debug + Serialize> ToSql<Jsonb, Pg> for Doc<T> {
    fn to_sql<'b>(&'b self, out: &mut Output<'b, '_, Pg>) -> serialize::Result {
        let value = serde_json::to_value(&self.0)?;
        <Value as ToSql<Jsonb, Pg>>::to_sql(&value, &mut out.reborrow())
    }
}

impl<T: Debug + Serialize> ToSql<Nullable<Jsonb>, Pg> for Doc<T> {
    fn to_sql<'b>(&'b self, out: &mut Output<'b, '_, Pg>) -> serialize::Result {
        <Self as ToSql<Jsonb, Pg>>::to_sql(self, out)
    }
}

// Diesel derives these for no type with a parameter.
macro_rules! as_expression {
    ($($sql:ty),+) => { $(
        impl<T> AsExpression<$sql> for Doc<T> {
            type Expression = diesel::internal::derives::as_expression::Bound<$sql, Self>;
            fn as_expression(self) -> Self::Expression {
                Self::Expression::new(self)
            }
        }
        impl<'a, T> AsExpression<$sql> for &'a Doc<T> {
            type Expression = diesel::internal::derives::as_expression::Bound<$sql, &'a Doc<T>>;
            fn as_expression(self) -> Self::Expression {
                Self::Expression::new(self)
            }
        }
    )+ };
}
as_expression!(Jsonb, Nullable<Jsonb>);

/// A price as it stood before others took its place.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct PriceBefore {
    pub service_code: String,
    pub schedule: String,
    pub cents: i64,
    pub starts_on: NaiveDate,
    pub ends_on: Option<NaiveDate>,
    pub change_id: Option<Uuid>,
}

/// A line as it was charged.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LineBefore {
    pub id: Uuid,
    pub number: i32,
    pub service_code: String,
    pub modifiers: Vec<String>,
    pub units: i32,
    pub pointers: Vec<i32>,
    pub price_cents: Option<i64>,
    pub reason: String,
    pub by_itself: bool,
    pub own_price_cents: Option<i64>,
    pub own_price_reason: String,
    pub schedule: Option<String>,
}

/// A service of a written estimate, as it was told.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct EstimateLine {
    pub service_code: String,
    pub name: String,
    pub external_code: String,
    pub units: u32,
    /// Of one unit.
    pub price_cents: i64,
}

/// Charges as they stood before they were opened again.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ChargedBefore {
    pub lines: Vec<LineBefore>,
    pub coverage_id: Option<Uuid>,
    pub self_pay: bool,
    pub accident_date: Option<NaiveDate>,
    /// When they were completed, and by whom.
    pub at: chrono::DateTime<chrono::Utc>,
    pub by: String,
}

/// What the laboratory asks about an order, and what was answered.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct QuestionAnswer {
    pub question: String,
    pub answer: String,
    /// The question as it was asked, with what answers it; a later list may ask otherwise.
    #[serde(default)]
    pub asked: String,
}

/// What is said with an order.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", default)]
pub struct OrderRequest {
    /// What is to be found out.
    pub question: String,
    /// Who is asked; empty when anybody may do it.
    pub to_whom: String,
    /// What of the chart goes with it.
    pub enclosed: Vec<codes::Enclosed>,
}

/// Whom a report names; everything may be missing.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", default)]
pub struct NamedPerson {
    pub record_number: String,
    pub last: String,
    pub first: String,
    pub birth_date: Option<NaiveDate>,
    /// F, M or U; empty when not said.
    pub sex: String,
}

impl From<&harbor_core::orders::candidates::NamedPerson> for NamedPerson {
    fn from(p: &harbor_core::orders::candidates::NamedPerson) -> Self {
        NamedPerson {
            record_number: p.record_number.clone(),
            last: p.last.clone(),
            first: p.first.clone(),
            birth_date: p.birth_date,
            sex: p.sex.clone(),
        }
    }
}

impl From<&NamedPerson> for harbor_core::orders::candidates::NamedPerson {
    fn from(p: &NamedPerson) -> Self {
        harbor_core::orders::candidates::NamedPerson {
            record_number: p.record_number.clone(),
            last: p.last.clone(),
            first: p.first.clone(),
            birth_date: p.birth_date,
            sex: p.sex.clone(),
        }
    }
}

/// What was told of somebody's past and life.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum HistoryDetail {
    /// The age at onset, or at death.
    Family {
        relative: String,
        condition: String,
        age: Option<u32>,
        died: bool,
        /// The year, where it is known: of somebody living the age follows from it.
        #[serde(default)]
        born: Option<i32>,
        /// The code of the condition, where one is sure.
        #[serde(default)]
        code: Option<String>,
    },
    Social {
        topic: String,
        said: String,
        amount: String,
    },
    /// When it was, as exactly as it is known: a year, a month or a day; empty when nobody said.
    Surgical {
        what: String,
        when: String,
    },
    Hospital {
        what: String,
        when: String,
    },
    /// Given here, or told.
    Immunisation {
        what: String,
        when: String,
        given: bool,
        #[serde(default)]
        product: String,
        #[serde(default)]
        lot: String,
        #[serde(default)]
        site: String,
        #[serde(default)]
        dose: Option<u32>,
    },
}

impl HistoryDetail {
    pub fn kind(&self) -> HistoryKind {
        match self {
            HistoryDetail::Family { .. } => HistoryKind::Family,
            HistoryDetail::Social { .. } => HistoryKind::Social,
            HistoryDetail::Surgical { .. } => HistoryKind::Surgical,
            HistoryDetail::Hospital { .. } => HistoryKind::Hospital,
            HistoryDetail::Immunisation { .. } => HistoryKind::Immunisation,
        }
    }
}

/// What a text template says in one part of a note.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct TextOfPart {
    pub part: codes::NotePart,
    pub body: String,
}

/// An answer to a question: the place of the choice, counted from 0, or words.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(untagged)]
pub enum AnswerGiven {
    Chosen(u32),
    Words(String),
}

/// Answers by the numbers of their questions.
pub type Answered = BTreeMap<String, AnswerGiven>;

/// What was warned of when a medicine was prescribed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct GivenWarning {
    pub severity: codes::Severity,
    pub kind: String,
    pub sentence: String,
    /// The pair that it is about; what was overridden for it before is found by it.
    #[serde(default)]
    pub about: String,
}

/// Why a serious finding was overridden.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct GivenOverride {
    pub about: String,
    pub sentence: String,
    pub reason: String,
}

/// Money that a payer moved beside any claim (X12 835, PLB).
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct OutsideClaims {
    pub reason: String,
    pub reference: String,
    pub cents: i64,
}

/// An amount that a payer did not pay, with its group (X12 CAS01) and reason.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct AdjustedPart {
    pub group: codes::AdjustmentGroup,
    pub reason: String,
    pub cents: i64,
}

/// What a payer decided of one line of a claim.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct DecidedLine {
    /// Our own number of the line, as the payer returned it; empty where it returned none.
    pub control: String,
    pub code: String,
    /// What had been billed, where the payer changed or bundled it.
    pub billed: Option<String>,
    pub charged_cents: i64,
    pub allowed_cents: Option<i64>,
    pub paid_cents: i64,
    pub adjustments: Vec<AdjustedPart>,
    pub remarks: Vec<String>,
}

/// What a payer decided of a claim, as it came.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Decided {
    pub patient_last: String,
    pub patient_first: String,
    /// The payer's own number of the claim.
    pub payer_claim_number: String,
    pub lines: Vec<DecidedLine>,
    /// Of the claim as a whole.
    pub adjustments: Vec<AdjustedPart>,
    pub remarks: Vec<String>,
}

/// An amount that is denied; no line where it is of the claim as a whole.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct DeniedPart {
    pub line: Option<u32>,
    pub group: codes::AdjustmentGroup,
    pub reason: String,
    pub cents: i64,
}

/// One condition of an alert.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct AlertCondition {
    pub kind: codes::AlertKind,
    pub value: String,
}

/// The strokes of a drawn signature.
pub type Strokes = Vec<Vec<Point>>;

/// Cents by means of payment.
pub type ByMeans = BTreeMap<codes::Method, i64>;

/// The facts that a question to a payer carried, as they were sent.
pub type SentFacts = BTreeMap<codes::Fact, String>;

/// What a part of a waiting payment is for; of a visit, its id stands beside it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum WaitingFor {
    Visit,
    CarriedOver,
    Credit,
}

/// A payment as it waits for the card terminal.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct WaitingPayment {
    pub site: Uuid,
    pub means: Vec<(codes::Method, i64, String)>,
    /// Person, visit, what for, cents.
    pub parts: Vec<(Uuid, Option<Uuid>, WaitingFor, i64)>,
}

/// The rows that a merge found under one of the two, by table and column, and the ties between people.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
pub struct Carried {
    #[serde(default)]
    #[schema(value_type = Vec<Vec<String>>)]
    pub relations: Vec<(Uuid, Uuid, String)>,
    #[serde(flatten)]
    pub rows: BTreeMap<String, Vec<String>>,
}

/// What a column of the kept record was before a merge, and became.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Became {
    pub before: Value,
    pub after: Value,
}

/// By table and column.
pub type Filled = BTreeMap<String, Became>;

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct StoredRefusal {
    pub place: String,
    pub reason: String,
    pub follow_up: String,
}

/// A payer's answer as it is kept: amounts in cents, coinsurance in basis points.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct StoredAnswer {
    trace: String,
    payer_name: String,
    active: Option<bool>,
    plan_name: String,
    copay_cents: Option<i64>,
    #[serde(default)]
    copay_covers_visit: bool,
    coinsurance: Option<u32>,
    deductible_cents: Option<i64>,
    deductible_left_cents: Option<i64>,
    out_of_pocket_cents: Option<i64>,
    out_of_pocket_left_cents: Option<i64>,
    plan_begins: Option<NaiveDate>,
    plan_ends: Option<NaiveDate>,
    refusals: Vec<StoredRefusal>,
    messages: Vec<String>,
    #[serde(default)]
    not_covered: Vec<String>,
    #[serde(default)]
    other_plans: Vec<String>,
}

impl From<&BenefitAnswer> for StoredAnswer {
    fn from(a: &BenefitAnswer) -> Self {
        let cents = |c: Option<Cents>| c.map(Cents::get);
        let refusal = |r: &Refusal| StoredRefusal {
            place: r.place.clone(),
            reason: r.reason.clone(),
            follow_up: r.follow_up.clone(),
        };
        StoredAnswer {
            trace: a.trace.clone(),
            payer_name: a.payer_name.clone(),
            active: a.active,
            plan_name: a.plan_name.clone(),
            copay_cents: cents(a.copay),
            copay_covers_visit: a.copay_covers_visit,
            coinsurance: a.coinsurance,
            deductible_cents: cents(a.deductible),
            deductible_left_cents: cents(a.deductible_left),
            out_of_pocket_cents: cents(a.out_of_pocket),
            out_of_pocket_left_cents: cents(a.out_of_pocket_left),
            plan_begins: a.plan_begins,
            plan_ends: a.plan_ends,
            refusals: a.refusals.iter().map(refusal).collect(),
            messages: a.messages.clone(),
            not_covered: a.not_covered.clone(),
            other_plans: a.other_plans.clone(),
        }
    }
}

impl StoredAnswer {
    /// As the core sees it.
    pub fn in_core(&self) -> BenefitAnswer {
        let cents = |c: Option<i64>| c.map(Cents::new);
        let refusal = |r: &StoredRefusal| Refusal {
            place: r.place.clone(),
            reason: r.reason.clone(),
            follow_up: r.follow_up.clone(),
        };
        BenefitAnswer {
            trace: self.trace.clone(),
            payer_name: self.payer_name.clone(),
            active: self.active,
            plan_name: self.plan_name.clone(),
            copay: cents(self.copay_cents),
            copay_covers_visit: self.copay_covers_visit,
            coinsurance: self.coinsurance,
            deductible: cents(self.deductible_cents),
            deductible_left: cents(self.deductible_left_cents),
            out_of_pocket: cents(self.out_of_pocket_cents),
            out_of_pocket_left: cents(self.out_of_pocket_left_cents),
            plan_begins: self.plan_begins,
            plan_ends: self.plan_ends,
            refusals: self.refusals.iter().map(refusal).collect(),
            messages: self.messages.clone(),
            not_covered: self.not_covered.clone(),
            other_plans: self.other_plans.clone(),
        }
    }
}
