//! What the database's own guards say, in words: each by the name of its constraint or trigger, with the stable code that
//! screens know and a sentence that a person can act on.

use crate::StoreError;
use diesel::result::{DatabaseErrorInformation, DatabaseErrorKind, Error as DieselError};

const GUARDS: [(&str, &str, &str); 40] = [
    ("shifts_clinician_id_tstzrange_excl", "shift_overlaps", "The clinician has another shift at this time."),
    ("slots_clinician_id_tstzrange_excl", "slot_overlaps", "There is a slot at this time already."),
    (
        "shift_templates_clinician_id_weekday_int4range_daterange_excl",
        "template",
        "The clinician has another shift at this time on this weekday.",
    ),
    ("clinician_groups_coalesce_lower_idx", "group", "There is a group of this name already."),
    ("waiting_visit_id_idx", "waiting", "This visit waits for an earlier time already."),
    ("visits_clinician_id_tstzrange_excl", "taken", "This time was just taken."),
    ("visits_one_per_slot", "taken", "This time was just taken."),
    ("visits_one_per_room", "room_occupied", "The room is occupied."),
    (
        "coverages_person_id_rank_daterange_excl",
        "coverage_overlaps",
        "A policy of this rank is in force in that time; end it first.",
    ),
    ("coverages_check", "coverage_dates", "The policy ends before it starts."),
    ("remittances_payer_code_trace_key", "posted_before", "This remittance is posted already."),
    ("payments_idempotency_key_key", "posted_before", "This is posted already."),
    ("ledger_transactions_idempotency_key_key", "posted_before", "This is posted already."),
    ("visits_day_call_sign_key", "try_again", "Two bookings met; try again."),
    // Triggers.
    ("booked_for_the_dead", "booking", "The person has died; no visit can be booked."),
    ("booked_in_the_past", "booking", "This time has passed."),
    ("booked_outside_a_shift", "booking", "The clinician does not work at this time."),
    ("booked_without_a_shift", "booking", "Nobody works on this day."),
    ("booked_in_held_time", "booking", "This time is held."),
    ("booked_before_release", "booking", "This time is not open for booking yet."),
    ("list_is_full", "booking", "The list of this day is full."),
    ("slot_too_short", "booking", "A visit type takes longer than its slot."),
    ("shift_too_short", "booking", "The slots are longer than the shift."),
    ("slot_is_booked", "booking", "Somebody is booked in a time that falls out; try again."),
    ("slot_fell_out", "booking", "This time has just fallen out; choose another."),
    ("merged_already", "booking", "One of the records is merged already."),
    ("changed_beside_a_signed_note", "booking", "The note is signed; what changes beside it is told in an addendum."),
    ("note_is_signed", "note_signed", "The note is signed; add an addendum."),
    ("part_is_signed", "part_signed", "This part is signed; add an addendum."),
    ("note_is_struck", "note_struck", "The note is struck in error; nobody writes or signs in it."),
    ("append_only", "append_only", "What is written here is not changed; a slip is put right by a new entry."),
    ("closed_till", "till_closed", "A closed till is not changed; a slip is put right in the next one."),
    ("till_is_closed", "till_closed", "The till is closed; open the next one first."),
    ("charge_stays_alone", "alone", "This is a charge without a visit: it has no note, and becomes no visit."),
    (
        "kept_from_plan",
        "kept_from_plan",
        "The patient keeps this visit from the plan; only when they no longer do, a policy can pay for it.",
    ),
    ("deposit_within", "nothing_left", "More was matched at the same time than is open; look again."),
    ("closed_month", "month_closed", "This month is closed; what is put right lands in the open one."),
    // These two speak only when a program is wrong; what was asked is not done, and nothing is lost.
    ("ledger_sums_to_zero", "unbalanced", "The amounts do not add up, so nothing was posted."),
    ("payment_agrees", "unbalanced", "The payment and its parts do not add up, so nothing was posted."),
    ("visits_within_stage", "stage", "The clinic's own stage lies elsewhere on the way."),
];

/// How PostgreSQL says that a value is none of its type's (SQLSTATE class 22). Diesel tells no SQLSTATE and these have no
/// name, so they are known by their words; the server speaks English whatever the machine speaks (`cluster.rs`, `wire.rs`).
const UNWRITABLE: [&str; 3] =
    ["invalid byte sequence for encoding", "unsupported Unicode escape sequence", "out of range"];

/// How it shows that the server, or the line to it, broke in the middle: SQLSTATE classes 57P and 08, and the driver's own
/// words. Whether what was asked was done is then not known.
const BROKEN: [&str; 9] = [
    "terminating connection",
    "connection closed",
    "error communicating with the server",
    "Connection reset",
    "Broken pipe",
    "the database system is",
    "server closed the connection",
    "Connection refused",
    "early eof",
];

impl From<DieselError> for StoreError {
    fn from(error: DieselError) -> Self {
        let broken = |said: &str| BROKEN.iter().any(|words| said.contains(words));
        match &error {
            DieselError::NotFound => StoreError::NotFound("record"),
            DieselError::DatabaseError(kind, info) => match spoken(kind, info.as_ref()) {
                Some(said) => said,
                None if broken(info.message()) => StoreError::Unreachable(info.message().to_owned()),
                None => StoreError::Database(error),
            },
            // A transaction that cannot be used any more has lost its line.
            DieselError::BrokenTransactionManager => StoreError::Unreachable(error.to_string()),
            DieselError::QueryBuilderError(e)
            | DieselError::SerializationError(e)
            | DieselError::DeserializationError(e)
                if broken(&e.to_string()) =>
            {
                StoreError::Unreachable(error.to_string())
            }
            _ => StoreError::Database(error),
        }
    }
}

/// What a refusal of the database is to people, when it is for them.
fn spoken(kind: &DatabaseErrorKind, info: &dyn DatabaseErrorInformation) -> Option<StoreError> {
    let name = info.constraint_name().unwrap_or("");
    if let Some((_, code, sentence)) = GUARDS.iter().find(|(n, ..)| *n == name) {
        return Some(StoreError::refused(code, *sentence));
    }
    let again = || Some(StoreError::refused("try_again", "Two changes met; try again."));
    match kind {
        DatabaseErrorKind::ForeignKeyViolation => {
            Some(StoreError::refused("reference", "Something that this refers to is not there any more."))
        }
        DatabaseErrorKind::SerializationFailure => again(),
        DatabaseErrorKind::ClosedConnection => Some(StoreError::Unreachable(info.message().to_owned())),
        _ if UNWRITABLE.iter().any(|words| info.message().contains(words)) => {
            Some(StoreError::refused("unwritable", "A sign or a number in this cannot be kept; type it again."))
        }
        // SQLSTATE 40P01.
        _ if info.message().contains("deadlock detected") => again(),
        _ => None,
    }
}
