//! What a closed month keeps of its figures.

use harbor_core::money::months::MonthSums;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// What a month came to, in cents.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MonthFigures {
    pub charged: i64,
    pub carried_over: i64,
    pub from_payers: i64,
    pub from_patients: i64,
    pub written_off: i64,
    pub given_up: i64,
    pub taken_off: i64,
    /// By how much what is owed has grown.
    pub owed_more: i64,
    /// Of what came in: for no visit.
    pub for_no_visit: i64,
}

impl From<MonthSums> for MonthFigures {
    fn from(s: MonthSums) -> MonthFigures {
        MonthFigures {
            charged: s.charged.get(),
            carried_over: s.carried_over.get(),
            from_payers: s.from_payers.get(),
            from_patients: s.from_patients.get(),
            written_off: s.written_off.get(),
            given_up: s.given_up.get(),
            taken_off: s.taken_off.get(),
            owed_more: s.owed_more.get(),
            for_no_visit: s.for_no_visit.get(),
        }
    }
}
