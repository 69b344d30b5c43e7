//! People, payers and policies.

use crate::codes;
use crate::documents::{self, Doc};
use chrono::{DateTime, NaiveDate, Utc};
use uuid::Uuid;

row! {
    people Person {
        id: Uuid,
        record_number: String,
        first_name: String,
        last_name: String,
        middle_name: String,
        preferred_name: String,
        former_name: String,
        birth_date: Option<NaiveDate>,
        sex: Option<codes::Sex>,
        phone: Option<String>,
        other_phone: Option<String>,
        email: Option<String>,
        email_declined: bool,
        address_line: String,
        address_line2: String,
        city: String,
        state: String,
        postal_code: String,
        language: String,
        responsible_id: Option<Uuid>,
        usual_clinician_id: Option<Uuid>,
        chart_alert: String,
        billing_note: String,
        deceased_on: Option<NaiveDate>,
        folded: String,
        patient: bool,
        merged_into: Option<Uuid>,
        version: i32,
        created_at: DateTime<Utc>,
    }
}

row! {
    payers Payer {
        id: Uuid,
        name: String,
        payer_code: String,
        filing_code: String,
        employment: bool,
        telephone: String,
        address: String,
        /// Days from the visit until when it takes a claim; unknown where nobody has told.
        filing_days: Option<i32>,
        correction_days: Option<i32>,
        appeal_days: Option<i32>,
        /// It pays only with a referral.
        needs_referral: bool,
    }
}

row! {
    /// A visit that the patient keeps from the plan.
    kept_from_plan KeptFromPlan {
        visit_id: Uuid,
        asked_at: DateTime<Utc>,
        asked_by: String,
    }
}

row! {
    /// A referral to the clinic.
    referrals Referral {
        id: Uuid,
        person_id: Uuid,
        /// The payer that it is for; nothing where nobody said.
        payer_id: Option<Uuid>,
        from_last: String,
        from_first: String,
        from_npi: String,
        /// What is asked, in the words of who referred.
        question: String,
        /// The payer's own number of it.
        number: String,
        valid_from: NaiveDate,
        /// Its last day.
        valid_until: Option<NaiveDate>,
        visits: Option<i32>,
        told_at: DateTime<Utc>,
        told_by: String,
        /// Taken back.
        ended_at: Option<DateTime<Utc>>,
        ended_by: String,
    }
}

row! {
    coverages Coverage {
        id: Uuid,
        person_id: Uuid,
        rank: codes::Rank,
        payer_id: Uuid,
        plan_name: String,
        subscriber_number: String,
        group_number: String,
        relationship: codes::Relationship,
        holder_id: Option<Uuid>,
        starts_on: NaiveDate,
        ends_on: Option<NaiveDate>,
        copay_cents: Option<i64>,
        version: i32,
    }
}

row! {
    benefit_checks BenefitCheck {
        id: Uuid,
        coverage_id: Uuid,
        person_id: Uuid,
        visit_id: Option<Uuid>,
        service_date: NaiveDate,
        trace: String,
        state: codes::CheckState,
        facts: Vec<codes::Fact>,
        asked_at: DateTime<Utc>,
        asked_by: String,
        answered_at: Option<DateTime<Utc>>,
        #[schema(value_type = Option<documents::StoredAnswer>)]
        answer: Option<Doc<documents::StoredAnswer>>,
        failure: Option<String>,
        #[schema(value_type = std::collections::HashMap<String, String>)]
        sent: Doc<documents::SentFacts>,
    }
}

row! {
    #[derive(Default, diesel::AsChangeset)]
    #[diesel(treat_none_as_null = true)]
    registrations Registration {
        person_id: Uuid,
        gender_identity: String,
        pronouns: String,
        marital_status: Option<codes::MaritalStatus>,
        interpreter: bool,
        race: Option<codes::Race>,
        ethnicity: Option<codes::Ethnicity>,
        occupation: String,
        employer: String,
        outside_id: String,
        emergency_name: String,
        emergency_phone: Option<String>,
        emergency_relation: String,
        pharmacy_id: Option<Uuid>,
        usual_site_id: Option<Uuid>,
        outside_clinician: String,
        referred_by: String,
        heard_from: String,
        restricted: bool,
    }
}

row! {
    consents ConsentAnswer {
        id: Uuid,
        person_id: Uuid,
        kind: codes::Consent,
        given: bool,
        recorded_at: DateTime<Utc>,
        recorded_by: String,
    }
}

row! {
    relations HouseholdTie {
        person_id: Uuid,
        other_id: Uuid,
        kind: codes::Relation,
    }
}

row! {
    chart_openings ChartOpening {
        id: Uuid,
        person_id: Uuid,
        staff_id: Uuid,
        staff_name: String,
        reason: String,
        at: DateTime<Utc>,
    }
}

row! {
    merges Merge {
        id: Uuid,
        kept_id: Uuid,
        gone_id: Uuid,
        #[serde(skip_serializing)]
        #[schema(ignore)]
        moved: Doc<documents::Carried>,
        #[serde(skip_serializing)]
        #[schema(ignore)]
        stayed: Doc<documents::Carried>,
        merged_at: DateTime<Utc>,
        merged_by: String,
        undone_at: Option<DateTime<Utc>>,
        undone_by: Option<String>,
        /// What each column of the record that stays was before, and became.
        #[serde(skip_serializing)]
        #[schema(ignore)]
        filled: Doc<documents::Filled>,
    }
}

row! {
    /// What came in with one file.
    imports Import {
        id: Uuid,
        kind: codes::ImportKind,
        file_name: String,
        started_at: DateTime<Utc>,
        by: String,
        /// Lines of the file.
        lines: i32,
        /// How many of them were gone through.
        done: i32,
        added: i32,
        /// Nothing while it goes on, and for good when it broke off.
        ended_at: Option<DateTime<Utc>>,
        undone_at: Option<DateTime<Utc>>,
        undone_by: Option<String>,
        /// How many people of it stayed when it was taken back: they had been worked with.
        stayed: i32,
    }
}
