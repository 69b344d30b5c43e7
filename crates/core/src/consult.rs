//! The consultation: measurements, the quick line, and the parts of a note.

pub mod diagnoses;
pub mod growth;
pub mod heading;
pub mod lists;
pub mod measurements;
pub mod questionnaires;
pub mod quick_line;
pub mod runs;
pub mod texts;

coded! {
    /// Whether a problem of the list is still one.
    ProblemState {
        Active = "active", "active";
        Inactive = "inactive", "inactive";
        Resolved = "resolved", "resolved";
        Recurrence = "recurrence", "recurrence";
        Remission = "remission", "in remission";
    }
}

coded! {
    /// How badly somebody reacts to what they do not bear.
    Reaction {
        Mild = "mild", "mild";
        Moderate = "moderate", "moderate";
        Severe = "severe", "severe";
    }
}

coded! {
    /// What it is that somebody does not bear.
    AllergyKind {
        Allergy = "allergy", "allergy";
        Intolerance = "intolerance", "intolerance";
        SideEffect = "side_effect", "side effect";
    }
}

coded! {
    /// From where something on a list is known.
    Source {
        Told = "told", "told by the patient";
        List = "list", "from a list";
        OtherClinic = "other_clinic", "from another clinic";
        Here = "here", "from here";
    }
}

coded! {
    /// How much a problem weighs.
    Weight {
        Major = "major", "major";
        Minor = "minor", "minor";
    }
}

coded! {
    /// A part of a note; each is optional.
    NotePart {
        Reason = "reason", "Reason";
        History = "history", "History of present illness";
        PastHistory = "past_history", "Past, family and social history";
        Systems = "systems", "Review of systems";
        Examination = "examination", "Examination";
        Procedures = "procedures", "Procedures done";
        Assessment = "assessment", "Assessment";
        Plan = "plan", "Plan";
        Advice = "advice", "Advice";
    }
}

coded! {
    /// What is told of somebody's past and life.
    HistoryKind {
        Family = "family", "Family history";
        Social = "social", "Social history";
        Surgical = "surgical", "Operations";
        Hospital = "hospital", "Stays in hospital";
        Immunisation = "immunisation", "Immunisations";
    }
}

coded! {
    /// A list on which "none known" is a statement of its own.
    KnownList {
        Allergies = "allergies", "allergies";
        Medicines = "medicines", "medicines";
        Problems = "problems", "problems";
    }
}

coded! {
    /// A list that somebody looks through, and marks as reviewed.
    ReviewedList {
        Allergies = "allergies", "allergies";
        Medicines = "medicines", "medicines";
        Problems = "problems", "problems";
        Histories = "histories", "histories";
    }
}

/// The largest note part, in characters.
pub const PART_LIMIT: usize = 20_000;

/// Whether a note may still be written in, and what is ordered or prescribed beside it may change.
pub fn writable(signed: bool, struck: bool) -> Result<(), &'static str> {
    match (struck, signed) {
        (true, _) => Err("The note is struck in error; nobody writes in it."),
        (_, true) => Err("The note is signed; add an addendum."),
        _ => Ok(()),
    }
}

/// Whether one part of a note may still be written in.
pub fn part_writable(signed: bool) -> Result<(), &'static str> {
    if signed { Err("This part is signed; add an addendum.") } else { Ok(()) }
}

/// The minutes that a visit may be documented with.
pub const MINUTES: std::ops::RangeInclusive<i32> = 1..=720;

/// Who may supervise a visit: a clinician, and not the one who sees the patient.
pub fn supervises<Id: PartialEq>(supervising: &Id, is_clinician: bool, clinician: &Id) -> Result<(), &'static str> {
    if is_clinician && supervising != clinician {
        return Ok(());
    }
    Err("Choose another clinician than the one of the visit.")
}

/// Who signs a note: the clinician of its visit, and nobody in their place.
pub fn signs<Id: PartialEq>(clinician: &Id, signer: &Id) -> Result<(), &'static str> {
    if clinician == signer { Ok(()) } else { Err("Only the clinician of this visit signs its note.") }
}

/// Who signs one part of a note before the rest: the clinician of its visit, or whoever wrote it.
pub fn signs_part<Id: PartialEq>(clinician: &Id, wrote_it: bool, signer: &Id) -> Result<(), &'static str> {
    if wrote_it || clinician == signer {
        return Ok(());
    }
    Err("Only who wrote this part, or the clinician of this visit, signs it.")
}

/// Who signs under a signed note: the supervising clinician, who is not the one who signed it.
pub fn cosigns<Id: PartialEq>(supervising: Option<&Id>, clinician: &Id, signer: &Id) -> Result<(), &'static str> {
    match supervising {
        None => Err("Nobody supervises this visit."),
        Some(_) if clinician == signer => Err("Nobody signs under their own signature."),
        Some(who) if who == signer => Ok(()),
        Some(_) => Err("Only the supervising clinician co-signs this note."),
    }
}

/// Who strikes a note that was written in error: the clinician of its visit, and who supervises it.
pub fn strikes<Id: PartialEq>(supervising: Option<&Id>, clinician: &Id, striker: &Id) -> Result<(), &'static str> {
    if clinician == striker || supervising == Some(striker) {
        return Ok(());
    }
    Err("Only the clinician of this visit strikes its note.")
}

/// What keeps a note from being signed, in words; an empty note is no note.
pub fn may_sign(parts: &[(NotePart, &str)], seen: bool) -> Result<(), &'static str> {
    if !seen {
        return Err("The patient has not been seen yet.");
    }
    let written = |wanted: &[NotePart]| parts.iter().any(|(p, text)| wanted.contains(p) && !text.trim().is_empty());
    if !written(&[NotePart::Assessment, NotePart::Plan]) {
        return Err("A note needs an assessment or a plan before it is signed.");
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_empty_note_is_not_signed() {
        assert!(may_sign(&[(NotePart::Reason, "cough")], true).is_err());
        assert!(may_sign(&[(NotePart::Plan, " \n")], true).is_err());
        assert!(may_sign(&[(NotePart::Plan, "rest")], false).is_err());
        assert_eq!(may_sign(&[(NotePart::Plan, "rest")], true), Ok(()));
        assert_eq!((signs(&1, &1).is_ok(), signs(&1, &2).is_ok()), (true, false));
        assert_eq!((part_writable(false), part_writable(true).is_err()), (Ok(()), true));
        assert_eq!((signs_part(&1, false, &1).is_ok(), signs_part(&1, true, &2).is_ok()), (true, true));
        assert!(signs_part(&1, false, &2).unwrap_err().contains("who wrote"));
        assert_eq!(cosigns(Some(&2), &1, &2), Ok(()));
        for (supervising, signer) in [(None, 2), (Some(1), 1), (Some(2), 3), (Some(2), 1)] {
            assert!(cosigns(supervising.as_ref(), &1, &signer).is_err(), "{supervising:?} {signer}");
        }
        assert_eq!((supervises(&2, true, &1).is_ok(), supervises(&2, false, &1).is_ok()), (true, false));
        assert!(supervises(&1, true, &1).is_err());
        assert_eq!((writable(false, false), writable(true, true).is_err()), (Ok(()), true));
        assert!(writable(true, false).unwrap_err().contains("addendum"));
        assert_eq!((strikes(Some(&2), &1, &2).is_ok(), strikes(Some(&2), &1, &3).is_ok()), (true, false));
    }
}
