//! What came to the bank, and which payments it is.

use chrono::{DateTime, NaiveDate, Utc};
use uuid::Uuid;

row! {
    deposits Deposit {
        id: Uuid,
        day: NaiveDate,
        cents: i64,
        /// What the bank says of it.
        reference: String,
        entered_at: DateTime<Utc>,
        entered_by: String,
    }
}

row! {
    deposit_parts DepositPart {
        id: Uuid,
        deposit_id: Uuid,
        remittance_id: Uuid,
        /// The opposite where it was taken apart.
        cents: i64,
        at: DateTime<Utc>,
        by: String,
    }
}

row! {
    deposit_explanations DepositExplanation {
        id: Uuid,
        /// Of either one.
        deposit_id: Option<Uuid>,
        remittance_id: Option<Uuid>,
        cents: i64,
        reason: String,
        at: DateTime<Utc>,
        by: String,
    }
}
