//! Orders, results and prescriptions.

use crate::codes;
use crate::documents::{self, Doc};
use chrono::{DateTime, NaiveDate, Utc};
use std::collections::BTreeMap;
use uuid::Uuid;

row! {
    orders Order {
        id: Uuid,
        /// The visit that it was made in, if any; it belongs to the person.
        visit_id: Option<Uuid>,
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
        /// What was handed over, byte for byte.
        sent_document_id: Option<Uuid>,
        /// Why it was refused or cancelled.
        state_reason: String,
        kind: codes::OrderKind,
        priority: codes::Priority,
        #[schema(value_type = documents::OrderRequest)]
        request: Doc<documents::OrderRequest>,
        /// Who laid it there, when that is not who signs it.
        prepared_by: String,
        /// Whose it was before it was taken over.
        taken_over_from: String,
        signed_at: Option<DateTime<Utc>>,
        /// When it was done in this house, and by whom.
        done_at: Option<DateTime<Utc>>,
        done_by: String,
        /// Who pays the laboratory; not said yet without it.
        bill_to: Option<codes::BillTo>,
        /// Of insurance: the policy.
        coverage_id: Option<Uuid>,
        taken_where: codes::TakenWhere,
        /// When the specimen was taken in this house, and by whom.
        taken_at: Option<DateTime<Utc>>,
        taken_by: String,
    }
}

row! {
    /// What is ordered together; without an owner it is the clinic's.
    order_sets OrderSet {
        id: Uuid,
        owner_id: Option<Uuid>,
        name: String,
        /// Codes of what is ordered.
        items: Vec<String>,
    }
}

row! {
    /// Something that comes due again by itself.
    order_repeats OrderRepeat {
        id: Uuid,
        person_id: Uuid,
        orderer_id: Uuid,
        test_code: String,
        test_name: String,
        under: Vec<String>,
        months: i32,
        until: NaiveDate,
        /// The day on which the next is made; it has ended without one.
        due: Option<NaiveDate>,
        begun_at: DateTime<Utc>,
        begun_by: String,
        ended_why: String,
    }
}

row! {
    /// Who reads the results of somebody who is away; without a deputy any clinician.
    stand_ins StandIn {
        staff_id: Uuid,
        deputy_id: Option<Uuid>,
        from_day: NaiveDate,
        to_day: NaiveDate,
        set_by: String,
    }
}

row! {
    order_diagnoses OrderDiagnosis {
        order_id: Uuid,
        visit_id: Option<Uuid>,
        code: String,
        /// Its words, as they were when the order was laid under it.
        title: String,
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
        digest: String,
        replaces: Option<Uuid>,
        replaced: bool,
        reviewed_at: Option<DateTime<Utc>>,
        reviewed_by: Option<String>,
        review_comment: String,
        name: String,
        performer: String,
        conclusion: String,
        /// Whom the laboratory named.
        #[schema(value_type = documents::NamedPerson)]
        subject: Doc<documents::NamedPerson>,
        urgency: codes::Urgency,
        /// Who is to read it; nobody where everybody may who signs results.
        reviewer_id: Option<Uuid>,
        reviewed_by_id: Option<Uuid>,
    }
}

row! {
    result_values ResultValue {
        report_id: Uuid,
        position: i32,
        test_key: String,
        loinc: String,
        own_code: String,
        name: String,
        comparator: Option<codes::Comparator>,
        number: Option<f64>,
        words: String,
        /// Not measured, and why stands in the words.
        missing: bool,
        unit: String,
        low: Option<f64>,
        high: Option<f64>,
        critical_low: Option<f64>,
        critical_high: Option<f64>,
        range: String,
        flag: Option<codes::Interpretation>,
        flagged_by: Option<codes::FlaggedBy>,
        method: String,
        note: String,
    }
}

row! {
    report_files ReportFile {
        report_id: Uuid,
        position: i32,
        title: String,
        media_type: String,
        #[serde(skip)]
        content: Vec<u8>,
    }
}

row! {
    result_questions ResultQuestion {
        id: Uuid,
        report_id: Uuid,
        from_id: Uuid,
        to_id: Uuid,
        question: String,
        asked_at: DateTime<Utc>,
    }
}

row! {
    result_risings ResultRising {
        id: Uuid,
        report_id: Uuid,
        /// Nobody, where everybody might have read it.
        from_id: Option<Uuid>,
        to_id: Uuid,
        risen_at: DateTime<Utc>,
    }
}

row! {
    result_filings ResultFiling {
        id: Uuid,
        report_id: Uuid,
        person_id: Uuid,
        order_id: Option<Uuid>,
        /// Filed, or taken away.
        filed: bool,
        reason: String,
        done_by: String,
        done_at: DateTime<Utc>,
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
    /// What was signed together, with one signature.
    prescription_heads PrescriptionHead {
        id: Uuid,
        person_id: Uuid,
        prescriber_id: Uuid,
        prescriber_name: String,
        /// As they were at signing.
        npi: String,
        dea: String,
        signed_at: DateTime<Utc>,
    }
}

row! {
    /// A pharmacy asks for another round.
    renewal_requests RenewalRequest {
        id: Uuid,
        prescription_id: Uuid,
        reference: String,
        asked_at: DateTime<Utc>,
        note: String,
        #[serde(skip_serializing)]
        document_id: Option<Uuid>,
        answer: Option<codes::RenewalAnswer>,
        answered_at: Option<DateTime<Utc>>,
        answered_by: String,
        reason: String,
        new_id: Option<Uuid>,
        told_at: Option<DateTime<Utc>>,
    }
}

row! {
    /// How a payer stands to a medicine of somebody: a covered use that was chosen, or a request and what became of it.
    approvals Approval {
        id: Uuid,
        prescription_id: Uuid,
        person_id: Uuid,
        coverage_id: Uuid,
        payer_id: Uuid,
        product_code: String,
        state: codes::ApprovalState,
        covered_use: String,
        /// Why, in words, where no covered use is met.
        reason: String,
        #[schema(value_type = Vec<documents::QuestionAnswer>)]
        answers: Doc<Vec<documents::QuestionAnswer>>,
        asked_at: DateTime<Utc>,
        asked_by: String,
        #[serde(skip_serializing)]
        sent_document_id: Option<Uuid>,
        /// The payer's, of what it approved.
        number: String,
        until: Option<NaiveDate>,
        /// Why it was not approved.
        refusal: String,
        decided_at: Option<DateTime<Utc>>,
    }
}

row! {
    /// Tables of medicines as a clinic imported them, counting from a day.
    medicine_tables MedicineTables {
        id: Uuid,
        counts_from: NaiveDate,
        imported_at: DateTime<Utc>,
        imported_by: String,
        #[schema(value_type = Object)]
        files: Doc<BTreeMap<String, String>>,
    }
}

row! {
    /// Why a prescription stands no more: stopped here, or refused by the pharmacy.
    prescription_ends PrescriptionEnd {
        prescription_id: Uuid,
        refused: bool,
        ended_at: DateTime<Utc>,
        ended_by: String,
        reason: String,
    }
}

row! {
    /// What a pharmacy handed out.
    dispenses Dispense {
        id: Uuid,
        prescription_id: Uuid,
        reference: String,
        dispensed_on: chrono::NaiveDate,
        quantity: f64,
        days: Option<i32>,
        in_part: bool,
        #[serde(skip_serializing)]
        document_id: Option<Uuid>,
    }
}

row! {
    prescriptions Prescription {
        id: Uuid,
        /// The visit that it was written in; none where it was renewed without one.
        visit_id: Option<Uuid>,
        person_id: Uuid,
        product_code: String,
        medicine: String,
        dose: f64,
        per_day: f64,
        days: i32,
        quantity: i32,
        refills: i32,
        instructions: String,
        diagnosis: Option<String>,
        pharmacy_id: Option<Uuid>,
        state: codes::PrescriptionState,
        #[schema(value_type = Vec<documents::GivenWarning>)]
        warnings: Doc<Vec<documents::GivenWarning>>,
        prescribed_at: DateTime<Utc>,
        prescribed_by: String,
        prescriber_id: Uuid,
        sent_at: Option<DateTime<Utc>>,
        /// What was handed over, byte for byte.
        sent_document_id: Option<Uuid>,
        head_id: Option<Uuid>,
        /// In the core's own words, which it reads back.
        dosage: String,
        /// What the quantity counts.
        unit: codes::DoseUnit,
        substitution: bool,
        /// To the pharmacist.
        note: String,
        /// Serious findings with the reason why each was overridden.
        #[schema(value_type = Vec<documents::GivenOverride>)]
        overrides: Doc<Vec<documents::GivenOverride>>,
        replaces_id: Option<Uuid>,
        renews_id: Option<Uuid>,
        /// The way in; empty where it was written before a way was chosen.
        route: String,
    }
}
