//! What a visit leaves in the chart.

use crate::codes;
use crate::documents::{Doc, HistoryDetail};
use chrono::{DateTime, Utc};
use uuid::Uuid;

row! {
    measurements Measurement {
        id: Uuid,
        visit_id: Uuid,
        person_id: Uuid,
        measure: codes::Measure,
        tenths: i32,
        standing: codes::Standing,
        typed: String,
        taken_at: DateTime<Utc>,
        taken_by: String,
        struck_at: Option<DateTime<Utc>>,
        /// Position, side or place, as it was said.
        manner: String,
    }
}

row! {
    allergies Allergy {
        id: Uuid,
        person_id: Uuid,
        substance: String,
        reaction: String,
        severity: Option<codes::Reaction>,
        ended_at: Option<DateTime<Utc>>,
        recorded_at: DateTime<Utc>,
        recorded_by: String,
    }
}

row! {
    medicines Medicine {
        id: Uuid,
        person_id: Uuid,
        name: String,
        product_code: Option<String>,
        state: codes::MedicineState,
        note: String,
        recorded_at: DateTime<Utc>,
        recorded_by: String,
        how: String,
        /// A year, a month or a day; empty when nobody said.
        since: String,
        struck_at: Option<DateTime<Utc>>,
    }
}

row! {
    problems ListedProblem {
        id: Uuid,
        person_id: Uuid,
        code: String,
        title: String,
        state: codes::ProblemState,
        recorded_at: DateTime<Utc>,
        recorded_by: String,
        /// A year, a month or a day; empty when nobody said.
        since: String,
        /// The visit whose diagnosis brought it about, if one did.
        visit_id: Option<Uuid>,
        struck_at: Option<DateTime<Utc>>,
    }
}

row! {
    /// One version of an entry; the last one holds.
    histories History {
        id: Uuid,
        entry_id: Uuid,
        version: i32,
        person_id: Uuid,
        visit_id: Option<Uuid>,
        kind: codes::HistoryKind,
        #[schema(value_type = HistoryDetail)]
        detail: Doc<HistoryDetail>,
        /// Why it no longer holds.
        ended: Option<String>,
        recorded_at: DateTime<Utc>,
        recorded_by: String,
    }
}

row! {
    none_known NoneKnown {
        person_id: Uuid,
        list: codes::KnownList,
        stated_at: DateTime<Utc>,
        stated_by: String,
    }
}

row! {
    note_parts WrittenPart {
        visit_id: Uuid,
        part: codes::NotePart,
        body: String,
        version: i32,
        updated_at: DateTime<Utc>,
        updated_by: String,
    }
}

row! {
    note_signatures NoteSignature {
        visit_id: Uuid,
        signed_at: DateTime<Utc>,
        signed_by: String,
        digest: String,
        /// The diagnoses and measurements as they stood when it was signed.
        facts: String,
    }
}

row! {
    addenda Addendum {
        id: Uuid,
        visit_id: Uuid,
        body: String,
        added_at: DateTime<Utc>,
        added_by: String,
    }
}

row! {
    visit_diagnoses VisitDiagnosis {
        visit_id: Uuid,
        code: String,
        title: String,
        position: i32,
    }
}
