//! Supply and visits.

use crate::codes;
use chrono::{DateTime, NaiveDate, Utc};
use harbor_core::arrival::Stage;
use harbor_core::people::messages::{ToDo, to_do};
use harbor_core::schedule::VisitKind;
use uuid::Uuid;

/// Stages in which a visit does not take its time any more.
pub const NOT_LIVE: [&str; 3] = [Stage::Cancelled.code(), Stage::DidNotCome.code(), Stage::LeftUnseen.code()];

row! {
    visit_types VisitType {
        id: Uuid,
        name: String,
        glyph: String,
        pattern: String,
        minutes: i32,
        services: Vec<String>,
        sort: i32,
        release_days: Option<i32>,
        booked_by: Vec<codes::Role>,
        online: bool,
        ground: String,
        active: bool,
        from_age: Option<i32>,
        to_age: Option<i32>,
    }
}

row! {
    shifts Shift {
        id: Uuid,
        clinician_id: Uuid,
        site_id: Uuid,
        starts_at: DateTime<Utc>,
        ends_at: DateTime<Utc>,
        cancelled_at: Option<DateTime<Utc>>,
        cancel_reason: Option<String>,
        template_id: Option<Uuid>,
    }
}

row! {
    slots Slot {
        id: Uuid,
        shift_id: Uuid,
        clinician_id: Uuid,
        visit_type_id: Option<Uuid>,
        starts_at: DateTime<Utc>,
        ends_at: DateTime<Utc>,
        held_for: Option<String>,
        clinic: String,
        by_hand: bool,
        withdrawn: bool,
    }
}

row! {
    visits Visit {
        id: Uuid,
        person_id: Uuid,
        clinician_id: Uuid,
        site_id: Uuid,
        visit_type_id: Uuid,
        slot_id: Option<Uuid>,
        kind: codes::VisitKind,
        starts_at: DateTime<Utc>,
        ends_at: DateTime<Utc>,
        day: NaiveDate,
        reason: String,
        booking_note: String,
        call_sign: String,
        stage: codes::Stage,
        stage_at: DateTime<Utc>,
        room_id: Option<Uuid>,
        extra: bool,
        self_pay: bool,
        coverage_id: Option<Uuid>,
        accident_date: Option<NaiveDate>,
        cancel_reason: Option<String>,
        left_at: Option<DateTime<Utc>>,
        version: i32,
        over_type_id: Option<Uuid>,
        placed_at: DateTime<Utc>,
        cancelled_by: Option<codes::CancelledBy>,
        rebook: bool,
        own_stage_id: Option<Uuid>,
        appointment: bool,
        done_at: Option<DateTime<Utc>>,
        /// Nothing is owed for it any more, by payer or patient.
        settled: bool,
    }
}

row! {
    visit_marks VisitMark {
        visit_id: Uuid,
        mark: codes::Mark,
        at: DateTime<Utc>,
        by: String,
    }
}

impl Visit {
    /// Where the patient is.
    pub fn stage(&self) -> Stage {
        *self.stage
    }

    /// Whether it is a charge without a visit, which bears no time of anybody.
    pub fn is_charge_alone(&self) -> bool {
        *self.kind == VisitKind::Charge
    }
}

row! {
    slot_events SlotEvent {
        id: i64,
        slot_id: Uuid,
        clinician_id: Uuid,
        starts_at: DateTime<Utc>,
        ends_at: DateTime<Utc>,
        what: String,
        detail: String,
        at: DateTime<Utc>,
        by: String,
    }
}

row! {
    visit_moves VisitMove {
        id: i64,
        visit_id: Uuid,
        from_starts_at: DateTime<Utc>,
        from_clinician_id: Uuid,
        to_starts_at: DateTime<Utc>,
        to_clinician_id: Uuid,
        reason: String,
        at: DateTime<Utc>,
        by: String,
    }
}

row! {
    schedule_notes ScheduleNote {
        id: Uuid,
        clinician_id: Uuid,
        at: DateTime<Utc>,
        body: String,
        made_at: DateTime<Utc>,
        made_by: String,
        removed_at: Option<DateTime<Utc>>,
    }
}

row! {
    /// Working time that comes every week, or every so many weeks; minutes are of the local day.
    shift_templates ShiftTemplate {
        id: Uuid,
        clinician_id: Uuid,
        site_id: Uuid,
        weekday: i32,
        from_minute: i32,
        to_minute: i32,
        every_weeks: i32,
        begins_on: NaiveDate,
        ends_on: Option<NaiveDate>,
        version: i32,
    }
}

row! {
    template_runs TemplateRun {
        template_id: Uuid,
        sort: i32,
        count: i32,
        minutes: i32,
        visit_type_id: Option<Uuid>,
        held_for: Option<String>,
        clinic: String,
    }
}

row! {
    /// Days that are not as the week says: of the clinic, of a site, or of one clinician.
    supply_exceptions SupplyException {
        id: Uuid,
        clinician_id: Option<Uuid>,
        site_id: Option<Uuid>,
        from_day: NaiveDate,
        to_day: NaiveDate,
        reason: String,
        made_at: DateTime<Utc>,
        made_by: String,
        removed_at: Option<DateTime<Utc>>,
    }
}

row! {
    clinician_groups ClinicianGroup {
        id: Uuid,
        name: String,
        owner_id: Option<Uuid>,
        members: Vec<Uuid>,
    }
}

row! {
    untimed_lists UntimedList {
        id: Uuid,
        name: String,
        kind: codes::ListKind,
        clinician_id: Uuid,
        site_id: Uuid,
        visit_type_id: Uuid,
        weekdays: Vec<i32>,
        from_minute: i32,
        to_minute: i32,
        most: i32,
        active: bool,
    }
}

row! {
    list_entries ListEntry {
        visit_id: Uuid,
        list_id: Uuid,
        day: NaiveDate,
        place: i32,
    }
}

row! {
    series Series {
        id: Uuid,
        person_id: Uuid,
        rule: String,
        made_at: DateTime<Utc>,
        made_by: String,
    }
}

row! {
    /// Somebody who waits for a time, or for an earlier one than they have.
    waiting WaitingEntry {
        id: Uuid,
        person_id: Uuid,
        visit_id: Option<Uuid>,
        visit_type_id: Uuid,
        clinician_ids: Vec<Uuid>,
        site_ids: Vec<Uuid>,
        weekdays: Vec<i32>,
        from_minute: i32,
        to_minute: i32,
        not_before: Option<NaiveDate>,
        urgent: bool,
        note: String,
        made_at: DateTime<Utc>,
        made_by: String,
        closed_as: Option<codes::WaitingEnd>,
        closed_at: Option<DateTime<Utc>>,
    }
}

row! {
    /// When and where a person can come at all; what is empty is any.
    person_limits PersonLimits {
        person_id: Uuid,
        site_ids: Vec<Uuid>,
        weekdays: Vec<i32>,
        same_clinician: bool,
        note: String,
    }
}

row! {
    messages Message {
        id: Uuid,
        person_id: Uuid,
        visit_id: Option<Uuid>,
        purpose: codes::Purpose,
        channel: codes::Channel,
        reach: String,
        why: String,
        subject: String,
        body: String,
        state: codes::Fate,
        fate: String,
        made_at: DateTime<Utc>,
        made_by: String,
        state_at: DateTime<Utc>,
        state_by: String,
    }
}

impl Message {
    /// What somebody has still to do about it.
    pub fn to_do(&self) -> ToDo {
        to_do(*self.channel, *self.state)
    }
}
