//! Services with their prices, and what of them is charged.

use crate::codes;
use crate::documents::{self, Doc};
use chrono::{DateTime, NaiveDate, Utc};
use uuid::Uuid;

row! {
    services Service {
        code: String,
        name: String,
        external_code: String,
        level: Option<i16>,
        service_type: String,
        /// Of a visit's level: for somebody new, or for somebody known.
        new_patient: Option<bool>,
        /// Something done besides the visit.
        procedure: bool,
        /// What of the chart makes it a charge by itself.
        done: Vec<String>,
        /// With what a line of it begins.
        modifiers: Vec<String>,
        units: i32,
        /// So many units a visit.
        most_units: Option<i32>,
        /// Where it takes place, where that is not the site's own code; empty otherwise.
        place: String,
        /// What it is usually done for: codes, or their beginnings.
        diagnoses: Vec<String>,
        needs: Vec<codes::ServiceNeed>,
        /// Services that are not charged beside it.
        not_with: Vec<String>,
        starts_on: Option<NaiveDate>,
        ends_on: Option<NaiveDate>,
    }
}

row! {
    /// A written estimate as it was given; its paper is read apart.
    written_estimates WrittenEstimate {
        id: Uuid,
        person_id: Uuid,
        visit_id: Option<Uuid>,
        /// The day of the care, where it is booked.
        day: Option<NaiveDate>,
        reason: String,
        #[schema(value_type = Vec<documents::EstimateLine>)]
        lines: Doc<Vec<documents::EstimateLine>>,
        total_cents: i64,
        made_at: DateTime<Utc>,
        made_by: String,
    }
}

row! {
    fee_schedules FeeSchedule {
        code: String,
        name: String,
        holds_for: codes::HoldsFor,
        payer_id: Option<Uuid>,
        plan: String,
        falls_back: Option<String>,
    }
}

row! {
    price_changes PriceChange {
        id: Uuid,
        what: String,
        at: DateTime<Utc>,
        by: String,
        #[serde(skip_serializing)]
        #[schema(ignore)]
        before: Doc<Vec<documents::PriceBefore>>,
        taken_back_at: Option<DateTime<Utc>>,
    }
}

row! {
    charge_corrections ChargeCorrection {
        id: Uuid,
        visit_id: Uuid,
        number: i32,
        reason: String,
        begun_at: DateTime<Utc>,
        begun_by: String,
        #[schema(value_type = documents::ChargedBefore)]
        before: Doc<documents::ChargedBefore>,
        outcome: Option<codes::CorrectionEnd>,
        ended_at: Option<DateTime<Utc>>,
        ended_by: Option<String>,
    }
}

row! {
    prices Price {
        id: Uuid,
        service_code: String,
        schedule: String,
        cents: i64,
        starts_on: NaiveDate,
        ends_on: Option<NaiveDate>,
        /// What it was set with, where many were set together.
        change_id: Option<Uuid>,
    }
}

row! {
    charge_lines ChargeLine {
        id: Uuid,
        visit_id: Uuid,
        number: i32,
        service_code: String,
        modifiers: Vec<String>,
        units: i32,
        pointers: Vec<i32>,
        price_cents: Option<i64>,
        /// Why it stands there by itself; empty of one that somebody put there.
        reason: String,
        by_itself: bool,
        /// Another price than the schedule's, with why.
        own_price_cents: Option<i64>,
        own_price_reason: String,
        /// By which schedule it was charged.
        schedule: Option<String>,
    }
}
