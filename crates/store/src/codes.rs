//! Codes of the core as columns, answers and forms: one [`Code`] for all of them, and a name for each.
//!
//! The table, the API document and TypeScript know the same values. A code that the core does not know is an error where it is
//! read, never a default: what a program cannot name it must not pass over.

use diesel::deserialize::{self, FromSql, FromSqlRow};
use diesel::expression::AsExpression;
use diesel::pg::{Pg, PgValue};
use diesel::serialize::{self, Output, ToSql};
use diesel::sql_types::{Nullable, Text};
use harbor_core::Coded;
use serde::de::Error as _;
use std::borrow::Cow;

/// A value of a coded enum of the core, stored and sent as its code.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, FromSqlRow)]
pub struct Code<T: Coded>(pub T);

impl<T: Coded> std::ops::Deref for Code<T> {
    type Target = T;
    fn deref(&self) -> &T {
        &self.0
    }
}

impl<T: Coded> From<T> for Code<T> {
    fn from(value: T) -> Self {
        Code(value)
    }
}

impl<T: Coded> PartialEq<T> for Code<T> {
    fn eq(&self, other: &T) -> bool {
        self.0 == *other
    }
}

fn unknown<T: Coded>(code: &str) -> String {
    format!("“{code}” is no {}", T::NAME)
}

impl<T: Coded> FromSql<Text, Pg> for Code<T> {
    fn from_sql(bytes: PgValue<'_>) -> deserialize::Result<Self> {
        let code = std::str::from_utf8(bytes.as_bytes())?;
        T::from_code(code).map(Code).ok_or_else(|| unknown::<T>(code).into())
    }
}

impl<T: Coded> ToSql<Text, Pg> for Code<T> {
    fn to_sql<'b>(&'b self, out: &mut Output<'b, '_, Pg>) -> serialize::Result {
        <str as ToSql<Text, Pg>>::to_sql(self.0.code(), out)
    }
}

impl<T: Coded> ToSql<Nullable<Text>, Pg> for Code<T> {
    fn to_sql<'b>(&'b self, out: &mut Output<'b, '_, Pg>) -> serialize::Result {
        <Self as ToSql<Text, Pg>>::to_sql(self, out)
    }
}

// Diesel derives these for no type with a parameter.
macro_rules! as_expression {
    ($($sql:ty),+) => { $(
        impl<T: Coded> AsExpression<$sql> for Code<T> {
            type Expression = diesel::internal::derives::as_expression::Bound<$sql, Self>;
            fn as_expression(self) -> Self::Expression {
                Self::Expression::new(self)
            }
        }
        impl<T: Coded> AsExpression<$sql> for &Code<T> {
            type Expression = diesel::internal::derives::as_expression::Bound<$sql, Code<T>>;
            fn as_expression(self) -> Self::Expression {
                Self::Expression::new(*self)
            }
        }
    )+ };
}
as_expression!(Text, Nullable<Text>);

impl<T: Coded> serde::Serialize for Code<T> {
    fn serialize<S: serde::Serializer>(&self, s: S) -> Result<S::Ok, S::Error> {
        s.serialize_str(self.0.code())
    }
}

impl<'de, T: Coded> serde::Deserialize<'de> for Code<T> {
    fn deserialize<D: serde::Deserializer<'de>>(d: D) -> Result<Self, D::Error> {
        let code = <Cow<'de, str>>::deserialize(d)?;
        T::from_code(&code).map(Code).ok_or_else(|| D::Error::custom(unknown::<T>(&code)))
    }
}

impl<T: Coded> utoipa::PartialSchema for Code<T> {
    fn schema() -> utoipa::openapi::RefOr<utoipa::openapi::schema::Schema> {
        utoipa::openapi::ObjectBuilder::new()
            .schema_type(utoipa::openapi::schema::Type::String)
            .enum_values(Some(T::ALL.iter().map(|value| value.code())))
            .into()
    }
}

impl<T: Coded> utoipa::ToSchema for Code<T> {
    fn name() -> Cow<'static, str> {
        Cow::Borrowed(T::NAME)
    }
}

/// The names under which rows, answers and forms use them: the API document knows no type with a parameter.
macro_rules! names {
    ($($name:ident = $kind:path;)+) => { $(pub type $name = Code<$kind>;)+ };
}

names! {
    Topic = crate::topic::Topic;
    AccidentCause = harbor_core::claims::assembling::AccidentCause;
    Account = harbor_core::money::ledger::Account;
    AllergyKind = harbor_core::consult::AllergyKind;
    AlertKind = harbor_core::arrival::alerts::Kind;
    ByDay = harbor_core::claims::ByDay;
    BatchState = harbor_core::claims::BatchState;
    CancelledBy = harbor_core::schedule::CancelledBy;
    CardState = harbor_core::money::ledger::CardState;
    Channel = harbor_core::people::messages::Channel;
    CheckState = harbor_core::coverage::CheckState;
    ChargeStand = harbor_core::charges::of_day::ChargeStand;
    ClaimSeverity = harbor_core::charges::claim_check::ClaimSeverity;
    FixPlace = harbor_core::charges::claim_check::FixPlace;
    ClaimState = harbor_core::claims::ClaimState;
    CorrectionEnd = harbor_core::charges::CorrectionEnd;
    AdjustmentGroup = harbor_core::money::remittance::AdjustmentGroup;
    DenialState = harbor_core::money::denials::DenialState;
    RatesBy = harbor_core::money::denials::RatesBy;
    Remedy = harbor_core::money::denials::Remedy;
    FiguresBy = harbor_core::money::months::FiguresBy;
    AgedFrom = harbor_core::money::receivables::AgedFrom;
    OwedBy = harbor_core::money::receivables::OwedBy;
    ReductionKind = harbor_core::money::reductions::ReductionKind;
    ReductionState = harbor_core::money::reductions::ReductionState;
    StatementWay = harbor_core::money::statements::StatementWay;
    Every = harbor_core::money::plans::Every;
    Comparator = harbor_core::orders::Comparator;
    Consent = harbor_core::people::Consent;
    Doing = harbor_core::arrival::hands::Doing;
    DoseUnit = harbor_core::prescribing::DoseUnit;
    Doubt = harbor_core::schedule::Doubt;
    Ethnicity = harbor_core::people::Ethnicity;
    Fact = harbor_core::coverage::Fact;
    Fate = harbor_core::people::messages::Fate;
    Field = harbor_core::people::Field;
    FieldKind = harbor_core::consult::texts::FieldKind;
    FlaggedBy = harbor_core::orders::FlaggedBy;
    Frequency = harbor_core::claims::Frequency;
    HoldsFor = harbor_core::charges::fee_schedules::HoldsFor;
    ServiceNeed = harbor_core::charges::fee_schedules::ServiceNeed;
    ImportKind = harbor_core::people::importing::ImportKind;
    Interpretation = harbor_core::orders::Interpretation;
    HistoryKind = harbor_core::consult::HistoryKind;
    KnownList = harbor_core::consult::KnownList;
    ListKind = harbor_core::schedule::untimed::ListKind;
    MaritalStatus = harbor_core::people::MaritalStatus;
    Mark = harbor_core::visit_line::Mark;
    Measure = harbor_core::consult::measurements::Measure;
    MedicineState = harbor_core::prescribing::MedicineState;
    Method = harbor_core::money::ledger::Method;
    NotePart = harbor_core::consult::NotePart;
    ReviewedList = harbor_core::consult::ReviewedList;
    BillTo = harbor_core::orders::BillTo;
    Enclosed = harbor_core::orders::kinds::Enclosed;
    OrderKind = harbor_core::orders::OrderKind;
    OrderState = harbor_core::orders::OrderState;
    PaymentKind = harbor_core::money::ledger::PaymentKind;
    Permission = harbor_core::house::permissions::Permission;
    Place = harbor_core::visit_line::Place;
    Priority = harbor_core::orders::Priority;
    Posting = harbor_core::money::ledger::Posting;
    PersonState = harbor_core::prescribing::person_states::PersonState;
    PrescriptionState = harbor_core::prescribing::PrescriptionState;
    ProblemState = harbor_core::consult::ProblemState;
    Purpose = harbor_core::people::messages::Purpose;
    Race = harbor_core::people::Race;
    Rank = harbor_core::coverage::Rank;
    Reaction = harbor_core::consult::Reaction;
    Relation = harbor_core::people::Relation;
    Relationship = harbor_core::coverage::Relationship;
    RenewalAnswer = harbor_core::prescribing::RenewalAnswer;
    ApprovalState = harbor_core::prescribing::approvals::ApprovalState;
    ApprovalAnswerKind = harbor_core::prescribing::approvals::ApprovalAnswerKind;
    ReportStatus = harbor_core::orders::ReportStatus;
    Role = harbor_core::house::permissions::Role;
    RoomKind = harbor_core::arrival::rooms::RoomKind;
    Section = harbor_core::people::Section;
    Severity = harbor_core::prescribing::Severity;
    Sex = harbor_core::people::Sex;
    Source = harbor_core::consult::Source;
    SignedAs = harbor_core::arrival::forms::SignedAs;
    Stage = harbor_core::arrival::Stage;
    Standing = harbor_core::consult::measurements::Standing;
    Step = harbor_core::arrival::walk::Step;
    NextStep = harbor_core::visit_line::work_list::NextStep;
    TaskPlace = harbor_core::visit_line::work_list::TaskPlace;
    TakenWhere = harbor_core::orders::specimens::TakenWhere;
    Urgency = harbor_core::orders::review::Urgency;
    VisitKind = harbor_core::schedule::VisitKind;
    Wait = harbor_core::arrival::Wait;
    WaitingEnd = harbor_core::schedule::WaitingEnd;
    Weight = harbor_core::consult::Weight;
    Where = harbor_core::arrival::own_stages::Where;
}
