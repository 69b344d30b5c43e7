//! Orders, results and prescriptions.

use crate::codes;
use crate::documents::{self, Doc};
use chrono::{DateTime, Utc};
use uuid::Uuid;

row! {
    orders Order {
        id: Uuid,
        visit_id: Uuid,
        person_id: Uuid,
        test_code: String,
        test_name: String,
        loinc: String,
        specimen: String,
        state: codes::OrderState,
        #[schema(value_type = Vec<documents::QuestionAnswer>)]
        answers: Doc<Vec<documents::QuestionAnswer>>,
        placement_reason: String,
        requisition: Option<String>,
        ordered_at: DateTime<Utc>,
        ordered_by: String,
        orderer_id: Uuid,
        sent_at: Option<DateTime<Utc>>,
    }
}

row! {
    order_diagnoses OrderDiagnosis {
        order_id: Uuid,
        visit_id: Uuid,
        code: String,
    }
}

row! {
    lab_reports LabReport {
        id: Uuid,
        number: String,
        order_id: Option<Uuid>,
        person_id: Option<Uuid>,
        record_number: String,
        status: codes::ReportStatus,
        issued_at: DateTime<Utc>,
        received_at: DateTime<Utc>,
        #[schema(value_type = Vec<documents::ReportedValue>)]
        content: Doc<Vec<documents::ReportedValue>>,
        digest: String,
        replaces: Option<Uuid>,
        replaced: bool,
        reviewed_at: Option<DateTime<Utc>>,
        reviewed_by: Option<String>,
        review_comment: String,
    }
}

row! {
    pharmacies Pharmacy {
        id: Uuid,
        name: String,
        telephone: String,
    }
}

row! {
    prescriptions Prescription {
        id: Uuid,
        visit_id: Uuid,
        person_id: Uuid,
        product_code: String,
        medicine: String,
        dose: f64,
        per_day: f64,
        days: i32,
        as_needed: bool,
        quantity: i32,
        refills: i32,
        instructions: String,
        diagnosis: Option<String>,
        pharmacy_id: Option<Uuid>,
        state: codes::PrescriptionState,
        #[schema(value_type = Vec<documents::GivenWarning>)]
        warnings: Doc<Vec<documents::GivenWarning>>,
        override_reason: String,
        prescribed_at: DateTime<Utc>,
        prescribed_by: String,
        prescriber_id: Uuid,
        sent_at: Option<DateTime<Utc>>,
    }
}
