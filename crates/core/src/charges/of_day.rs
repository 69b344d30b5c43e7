//! The sheet of a day: of each visit what is charged, what is missing, and what differs from what is documented.

/// How far a visit's charges are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct SoFar {
    pub signed: bool,
    pub charged: bool,
    pub lines: usize,
    /// The level among the lines, and the one that is documented.
    pub level: Option<u8>,
    pub documented: Option<u8>,
    /// What stops the claim.
    pub stops: usize,
}

coded! {
    /// What a visit's charges wait for.
    ChargeStand {
        /// The note is not signed.
        Unsigned = "unsigned", "note unsigned";
        /// Signed, and nothing is charged.
        Nothing = "nothing", "nothing charged";
        Stopped = "stopped", "something is in the way";
        Ready = "ready", "ready to complete";
        Done = "done", "completed";
    }
}

pub fn stand(s: &SoFar) -> ChargeStand {
    match s {
        SoFar { charged: true, .. } => ChargeStand::Done,
        SoFar { signed: false, .. } => ChargeStand::Unsigned,
        SoFar { lines: 0, .. } => ChargeStand::Nothing,
        SoFar { stops: 1.., .. } => ChargeStand::Stopped,
        _ => ChargeStand::Ready,
    }
}

/// In which way the level that is charged differs from the documented one; nothing where they agree, or one is not there.
pub fn differs(s: &SoFar) -> Option<String> {
    let (level, documented) = (s.level?, s.documented?);
    match level.cmp(&documented) {
        std::cmp::Ordering::Equal => None,
        std::cmp::Ordering::Greater => Some(format!("Level {level} is charged, and level {documented} is documented.")),
        std::cmp::Ordering::Less => {
            Some(format!("Level {level} is charged; what is documented reaches level {documented}."))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_visit_is_told_by_what_it_waits_for() {
        let s = SoFar { signed: true, charged: false, lines: 2, level: Some(3), documented: Some(3), stops: 0 };
        assert_eq!(stand(&s), ChargeStand::Ready);
        assert_eq!(stand(&SoFar { signed: false, ..s }), ChargeStand::Unsigned);
        assert_eq!(stand(&SoFar { lines: 0, stops: 1, ..s }), ChargeStand::Nothing);
        assert_eq!(stand(&SoFar { stops: 2, ..s }), ChargeStand::Stopped);
        assert_eq!(stand(&SoFar { charged: true, stops: 2, ..s }), ChargeStand::Done);
    }

    #[test]
    fn a_level_above_and_one_below_what_is_documented_are_told() {
        let of =
            |level, documented| differs(&SoFar { signed: true, charged: false, lines: 1, level, documented, stops: 0 });
        assert_eq!((of(Some(3), Some(3)), of(None, Some(3)), of(Some(3), None)), (None, None, None));
        assert_eq!(of(Some(4), Some(3)).as_deref(), Some("Level 4 is charged, and level 3 is documented."));
        assert_eq!(of(Some(2), Some(4)).as_deref(), Some("Level 2 is charged; what is documented reaches level 4."));
    }
}
