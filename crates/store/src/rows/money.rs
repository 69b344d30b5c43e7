//! Claims, remittances and the ledger.

use crate::codes;
use crate::documents::{self, Doc};
use chrono::{DateTime, NaiveDate, Utc};
use harbor_core::money::Cents;
use harbor_core::money::payments::Mean;
use uuid::Uuid;

row! {
    accidents Accident {
        id: Uuid,
        person_id: Uuid,
        happened_on: NaiveDate,
        cause: codes::AccidentCause,
        state: String,
        number: String,
        employer: String,
        employer_line: String,
        employer_city: String,
        employer_state: String,
        employer_postal_code: String,
        told_at: DateTime<Utc>,
        told_by: String,
    }
}

row! {
    visit_billing VisitBilling {
        visit_id: Uuid,
        onset: Option<NaiveDate>,
        last_seen: Option<NaiveDate>,
        /// Two codes with a `+` between, which the note says are unrelated.
        unrelated: Vec<String>,
        said_at: DateTime<Utc>,
        said_by: String,
        /// The referral that the visit is for.
        referral_id: Option<Uuid>,
    }
}

row! {
    stray_answers StrayAnswer {
        id: Uuid,
        document_id: Uuid,
        kind: String,
        sentence: String,
        at: DateTime<Utc>,
        seen_at: Option<DateTime<Utc>>,
        seen_by: String,
    }
}

row! {
    documents Document {
        id: Uuid,
        kind: String,
        direction: String,
        sha256: String,
        #[serde(skip_serializing)]
        content: Vec<u8>,
        at: DateTime<Utc>,
    }
}

row! {
    batches Batch {
        id: Uuid,
        control: i64,
        document_id: Uuid,
        state: codes::BatchState,
        claims: i32,
        total_cents: i64,
        made_at: DateTime<Utc>,
        made_by: String,
        answer: String,
    }
}

row! {
    claims Claim {
        id: Uuid,
        number: String,
        visit_id: Uuid,
        coverage_id: Uuid,
        payer_id: Uuid,
        state: codes::ClaimState,
        frequency: codes::Frequency,
        original_reference: Option<String>,
        payer_claim_number: String,
        total_cents: i64,
        batch_id: Option<Uuid>,
        reasons: Vec<String>,
        made_at: DateTime<Utc>,
        /// The version whose place it takes.
        replaces_id: Option<Uuid>,
    }
}

row! {
    remittances Remittance {
        id: Uuid,
        payer_name: String,
        payer_code: String,
        trace: String,
        method: String,
        amount_cents: i64,
        paid_on: NaiveDate,
        document_id: Uuid,
        #[schema(value_type = Vec<documents::OutsideClaims>)]
        outside_claims: Doc<Vec<documents::OutsideClaims>>,
        posted_at: DateTime<Utc>,
        posted_by: String,
        /// Of payments under one trace in one file: which one, from 0.
        part: i32,
    }
}

row! {
    ledger_transactions LedgerTransaction {
        id: Uuid,
        kind: codes::Posting,
        visit_id: Option<Uuid>,
        person_id: Option<Uuid>,
        claim_id: Option<Uuid>,
        remittance_id: Option<Uuid>,
        idempotency_key: String,
        posted_at: DateTime<Utc>,
        posted_by: String,
        memo: String,
        payment_id: Option<Uuid>,
    }
}

row! {
    payments Payment {
        id: Uuid,
        kind: codes::PaymentKind,
        of_payment: Option<Uuid>,
        person_id: Uuid,
        site_id: Uuid,
        till_id: Uuid,
        cents: i64,
        at: DateTime<Utc>,
        by: String,
        reason: String,
        #[serde(skip_serializing)]
        idempotency_key: String,
        /// The payment whose card this goes back on.
        card_of: Option<Uuid>,
        /// Of the receipt: short, to be said on the telephone.
        number: i64,
    }
}

row! {
    payment_means PaymentMean {
        id: i64,
        payment_id: Uuid,
        method: codes::Method,
        cents: i64,
        reference: String,
    }
}

impl PaymentMean {
    /// As the core sees it: always above zero.
    pub fn in_core(&self) -> Mean {
        Mean { method: *self.method, amount: Cents::new(self.cents.abs()), reference: self.reference.clone() }
    }
}

row! {
    tills Till {
        id: Uuid,
        site_id: Uuid,
        began_at: DateTime<Utc>,
        opening_cents: i64,
        opened_at: Option<DateTime<Utc>>,
        opened_by: Option<String>,
        closed_at: Option<DateTime<Utc>>,
        closed_by: Option<String>,
        #[schema(value_type = Option<std::collections::HashMap<String, i64>>)]
        expected: Option<Doc<documents::ByMeans>>,
        #[schema(value_type = Option<std::collections::HashMap<String, i64>>)]
        counted: Option<Doc<documents::ByMeans>>,
        stays_cents: Option<i64>,
        reason: String,
    }
}

row! {
    card_requests CardRequest {
        key: Uuid,
        person_id: Uuid,
        cents: i64,
        #[serde(skip_serializing)]
        #[schema(ignore)]
        payment: Doc<documents::WaitingPayment>,
        asked_at: DateTime<Utc>,
        asked_by: String,
        staff_id: Option<Uuid>,
        state: codes::CardState,
        word: String,
    }
}

row! {
    remitted_claims RemittedClaim {
        id: Uuid,
        remittance_id: Uuid,
        claim_number: String,
        claim_id: Option<Uuid>,
        patient_name: String,
        subscriber_number: String,
        status: String,
        charged_cents: i64,
        paid_cents: i64,
        share_cents: i64,
        explanation: Vec<String>,
        transaction_id: Option<Uuid>,
        /// Line by line as it came; nothing of those from before it was kept.
        #[schema(value_type = Option<documents::Decided>)]
        decision: Option<Doc<documents::Decided>>,
        /// By hand.
        matched_at: Option<DateTime<Utc>>,
        matched_by: Option<String>,
    }
}

row! {
    denials Denial {
        id: Uuid,
        remitted_claim_id: Uuid,
        claim_id: Uuid,
        visit_id: Uuid,
        payer_id: Uuid,
        cents: i64,
        #[schema(value_type = Vec<documents::DeniedPart>)]
        amounts: Doc<Vec<documents::DeniedPart>>,
        state: codes::DenialState,
        raised_at: DateTime<Utc>,
        correct_by: Option<NaiveDate>,
        appeal_by: Option<NaiveDate>,
        due_on: Option<NaiveDate>,
        owner_id: Option<Uuid>,
        won_cents: i64,
        wanted_by: Option<Uuid>,
        wanted_reason: Option<String>,
        ended_at: Option<DateTime<Utc>>,
    }
}

row! {
    denial_events DenialEvent {
        id: i64,
        denial_id: Uuid,
        at: DateTime<Utc>,
        by: String,
        state: codes::DenialState,
        sentence: String,
        document_id: Option<Uuid>,
    }
}

row! {
    money_rules MoneyRules {
        id: i16,
        /// Days at which a debt moves on.
        age_bounds: Vec<i32>,
        statement_days: i32,
        statement_least_cents: i64,
        small_balance_cents: i64,
        bad_debt_statements: i32,
        bad_debt_days: i32,
        how_to_pay: String,
    }
}

row! {
    closed_months ClosedMonth {
        month: NaiveDate,
        closed_at: DateTime<Utc>,
        closed_by: String,
        #[schema(value_type = documents::MonthFigures)]
        sums: Doc<documents::MonthFigures>,
    }
}

row! {
    hardships Hardship {
        id: Uuid,
        person_id: Uuid,
        percent: i32,
        from_day: NaiveDate,
        to_day: NaiveDate,
        /// What was shown for it.
        shown: String,
        at: DateTime<Utc>,
        by: String,
        ended_at: Option<DateTime<Utc>>,
    }
}

row! {
    reductions Reduction {
        id: Uuid,
        visit_id: Uuid,
        kind: codes::ReductionKind,
        cents: i64,
        reason: String,
        state: codes::ReductionState,
        asked_at: DateTime<Utc>,
        asked_by: Uuid,
        settled_at: Option<DateTime<Utc>>,
        settled_by: Option<Uuid>,
        back_at: Option<DateTime<Utc>>,
        back_by: Option<Uuid>,
        back_reason: Option<String>,
    }
}

row! {
    statement_wishes StatementWish {
        id: Uuid,
        person_id: Uuid,
        held_because: String,
        large_type: bool,
        by_email: bool,
        other_address: String,
        at: DateTime<Utc>,
        by: String,
    }
}

row! {
    statement_runs StatementRun {
        id: Uuid,
        at: DateTime<Utc>,
        by: String,
        asked: i32,
        made: i32,
        passed_over: i32,
        ended_at: Option<DateTime<Utc>>,
    }
}

row! {
    statements StatementSent {
        id: Uuid,
        run_id: Option<Uuid>,
        guarantor_id: Uuid,
        to_person_id: Uuid,
        at: DateTime<Utc>,
        by: String,
        cents: i64,
        way: codes::StatementWay,
        document_id: Uuid,
        #[serde(skip_serializing)]
        #[schema(ignore)]
        facts: Doc<serde_json::Value>,
        visits: Vec<Uuid>,
    }
}

row! {
    payment_plans PaymentPlan {
        id: Uuid,
        guarantor_id: Uuid,
        instalment_cents: i64,
        every: codes::Every,
        first_on: NaiveDate,
        at: DateTime<Utc>,
        by: String,
        ended_at: Option<DateTime<Utc>>,
        ended_by: Option<String>,
        ended_because: Option<String>,
    }
}

row! {
    call_notes CallNote {
        id: Uuid,
        guarantor_id: Uuid,
        at: DateTime<Utc>,
        by: String,
        sentence: String,
        promised_cents: Option<i64>,
        promised_on: Option<NaiveDate>,
        owed_cents: i64,
        again_on: Option<NaiveDate>,
    }
}
