//! What a visit leaves in the chart.

use crate::audit::Actor;
use crate::codes;
use crate::documents::{Answered, Doc, HistoryDetail, TextOfPart};
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
    /// A word about a state of a person.
    person_states PersonStateRow {
        id: Uuid,
        person_id: Uuid,
        state: codes::PersonState,
        holds: bool,
        due: Option<chrono::NaiveDate>,
        said_on: chrono::NaiveDate,
        recorded_at: DateTime<Utc>,
        recorded_by: String,
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
        kind: codes::AllergyKind,
        /// A year, a month or a day; empty when nobody said.
        since: String,
        source: codes::Source,
        end_reason: String,
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
        /// Until when it was taken, said like since when.
        until: String,
        source: codes::Source,
        /// Why it is taken, or why no longer.
        reason: String,
        /// The prescription that it is taken by; none where it is merely taken.
        prescription_id: Option<Uuid>,
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
        weight: Option<codes::Weight>,
        /// Why it is no longer one.
        end_reason: String,
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
    /// A part of a note: of one of its runs, or of the note as a whole.
    note_parts WrittenPart {
        visit_id: Uuid,
        part: codes::NotePart,
        body: String,
        version: i32,
        updated_at: DateTime<Utc>,
        updated_by: String,
        id: Uuid,
        run_id: Option<Uuid>,
        /// The visit whose text it began with.
        carried_from: Option<Uuid>,
        /// Nobody touched or reviewed it since it was carried.
        carried: bool,
        reviewed_at: Option<DateTime<Utc>>,
        reviewed_by: Option<String>,
        written_by_id: Option<Uuid>,
        reviewed_by_id: Option<Uuid>,
    }
}

impl WrittenPart {
    /// A part as somebody writes it: neither carried nor reviewed.
    pub fn written(
        visit_id: Uuid,
        run_id: Option<Uuid>,
        part: codes::NotePart,
        body: &str,
        (updated_at, by): (DateTime<Utc>, &Actor),
    ) -> WrittenPart {
        WrittenPart {
            visit_id,
            part,
            body: body.to_owned(),
            version: 1,
            updated_at,
            updated_by: by.name.clone(),
            written_by_id: by.staff_id,
            id: Uuid::now_v7(),
            run_id,
            carried_from: None,
            carried: false,
            reviewed_at: None,
            reviewed_by: None,
            reviewed_by_id: None,
        }
    }
}

row! {
    /// A problem handled in a visit: in words first, or with its code.
    note_runs NoteRun {
        visit_id: Uuid,
        code: Option<String>,
        /// The title of its code, or the words it began with.
        title: String,
        position: i32,
        id: Uuid,
    }
}

row! {
    /// Somebody looked through a list, and nothing of it changed since.
    list_reviews ListReview {
        person_id: Uuid,
        list: codes::ReviewedList,
        visit_id: Option<Uuid>,
        reviewed_at: DateTime<Utc>,
        reviewed_by: String,
        reviewed_by_id: Option<Uuid>,
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
    /// How a visit is documented: who supervises it, and how many minutes it took.
    note_heads NoteHead {
        visit_id: Uuid,
        supervising_id: Option<Uuid>,
        minutes: Option<i32>,
        updated_at: DateTime<Utc>,
        updated_by: String,
    }
}

row! {
    /// A signature under one part of a note, before the rest of it is signed.
    part_signatures PartSignature {
        part_id: Uuid,
        visit_id: Uuid,
        signed_at: DateTime<Utc>,
        signed_by: String,
        digest: String,
    }
}

row! {
    /// The supervising clinician's signature under a signed note, for the same digest.
    note_cosignatures NoteCosignature {
        visit_id: Uuid,
        signed_at: DateTime<Utc>,
        signed_by: String,
        signer_id: Uuid,
        digest: String,
    }
}

row! {
    /// A note that was written in error; it stays, and is read as struck.
    struck_notes StruckNote {
        visit_id: Uuid,
        struck_at: DateTime<Utc>,
        struck_by: String,
        reason: String,
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
    /// A run of the note that has a code; read only, since the runs are what is written.
    visit_diagnoses VisitDiagnosis {
        visit_id: Uuid,
        code: String,
        title: String,
        position: i32,
    }
}

row! {
    text_templates TextTemplate {
        id: Uuid,
        /// What all its versions are of.
        entry_id: Uuid,
        version: i32,
        /// Whose own it is; nothing for the clinic's.
        owner_id: Option<Uuid>,
        title: String,
        complaints: String,
        #[schema(value_type = Vec<TextOfPart>)]
        texts: Doc<Vec<TextOfPart>>,
        ended: bool,
        recorded_at: DateTime<Utc>,
        recorded_by: String,
    }
}

row! {
    questionnaires WrittenQuestionnaire {
        entry: String,
        version: i32,
        title: String,
        body: String,
        ended: bool,
        recorded_at: DateTime<Utc>,
        recorded_by: String,
    }
}

row! {
    questionnaire_responses QuestionnaireResponse {
        id: Uuid,
        visit_id: Uuid,
        entry: String,
        entry_version: i32,
        #[schema(value_type = std::collections::HashMap<String, crate::documents::AnswerGiven>)]
        answers: Doc<Answered>,
        version: i32,
        answered_at: DateTime<Utc>,
        answered_by: String,
        struck_at: Option<DateTime<Utc>>,
    }
}

row! {
    /// What an entry of a list said before it was changed.
    list_versions ListVersion {
        id: Uuid,
        list: codes::KnownList,
        entry_id: Uuid,
        #[schema(value_type = Object)]
        said: serde_json::Value,
    }
}
