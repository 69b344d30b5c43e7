//! Who works here, where, and the clinic itself.

use crate::codes;
use crate::documents::{self, Doc};
use chrono::{DateTime, Utc};
use std::collections::BTreeMap;
use uuid::Uuid;

row! {
    clinic Clinic {
        id: i16,
        name: String,
        zone: String,
        npi: String,
        tax_id: String,
        taxonomy: String,
        address_line: String,
        city: String,
        state: String,
        postal_code: String,
        telephone: String,
        submitter_id: String,
        clearing_house: String,
        clearing_house_id: String,
        production: bool,
        required_fields: Vec<codes::Field>,
        cancel_reasons: Vec<String>,
        reason_required: bool,
        supply_days: i32,
        wait_long: i32,
        wait_too_long: i32,
        late_after: i32,
        did_not_come_after: i32,
        lock_minutes: i32,
        second_factor_roles: Vec<codes::Role>,
        critical_after: i32,
        /// Days in which a result usually is here, by the code of what is ordered, where the clinic says so.
        #[schema(value_type = BTreeMap<String, u32>)]
        usual_days: Doc<BTreeMap<String, u32>>,
    }
}

row! {
    sites Site {
        id: Uuid,
        name: String,
        place_of_service: String,
        sort: i32,
        /// Of its own; all four empty where it lies at the clinic's.
        address_line: String,
        city: String,
        state: String,
        postal_code: String,
    }
}

row! {
    rooms Room {
        id: Uuid,
        site_id: Uuid,
        name: String,
        kind: codes::RoomKind,
        sort: i32,
        place_x: i32,
        place_y: i32,
        active: bool,
    }
}

row! {
    own_stages OwnStage {
        id: Uuid,
        name: String,
        after_stage: codes::Stage,
        place: codes::Where,
        walked: bool,
        sort: i32,
        active: bool,
    }
}

row! {
    check_in_walks CheckInWalk {
        id: Uuid,
        visit_type_id: Option<Uuid>,
        steps: Vec<codes::Step>,
    }
}

row! {
    alert_rules AlertRule {
        id: Uuid,
        sentence: String,
        #[serde(skip_serializing)]
        #[schema(ignore)]
        conditions: Doc<Vec<documents::AlertCondition>>,
        active: bool,
    }
}

row! {
    alert_acknowledgements AlertAcknowledgement {
        id: i64,
        visit_id: Uuid,
        rule: String,
        sentence: String,
        at: DateTime<Utc>,
        by: String,
    }
}

row! {
    forms Form {
        id: Uuid,
        name: String,
        body: String,
        valid_months: Option<i32>,
        active: bool,
        sort: i32,
    }
}

row! {
    signed_forms SignedForm {
        id: Uuid,
        form_id: Uuid,
        person_id: Uuid,
        visit_id: Option<Uuid>,
        name: String,
        body: String,
        signer: String,
        kind: codes::SignedAs,
        #[schema(value_type = Vec<Vec<Vec<u16>>>)]
        strokes: Doc<documents::Strokes>,
        at: DateTime<Utc>,
        by: String,
        #[serde(skip_serializing)]
        paper: Option<Vec<u8>>,
    }
}

row! {
    /// A signed form without its paper.
    signed_forms SignedFormHead {
        id: Uuid,
        form_id: Uuid,
        person_id: Uuid,
        name: String,
        signer: String,
        kind: codes::SignedAs,
        at: DateTime<Utc>,
        by: String,
    }
}

row! {
    staff Staff {
        id: Uuid,
        login: String,
        name: String,
        last_name: String,
        first_name: String,
        role: codes::Role,
        specialty: String,
        npi: Option<String>,
        taxonomy: Option<String>,
        #[serde(skip_serializing)]
        password_hash: String,
        active: bool,
        sort: i32,
        /// Number of the Drug Enforcement Administration; empty where there is none.
        dea: String,
    }
}

row! {
    saved_views SavedView {
        id: Uuid,
        #[serde(skip_serializing)]
        #[schema(ignore)]
        staff_id: Uuid,
        #[serde(skip_serializing)]
        #[schema(ignore)]
        place: String,
        name: String,
        /// What is looked for, as the list that it is of has it.
        asked: String,
    }
}
