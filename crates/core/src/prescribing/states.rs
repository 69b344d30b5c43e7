//! What becomes of a prescription, and how somebody stands to a medicine.

coded! {
    PrescriptionState {
        Draft = "draft", "not sent";
        /// Signed and waiting to be handed to the pharmacy.
        Sending = "sending", "being handed over";
        Sent = "sent", "pharmacy has it";
        Dispensed = "dispensed", "dispensed";
        Stopped = "stopped", "stopped";
    }
}

/// Something that happened to a prescription.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PrescriptionEvent {
    /// Signed by the prescriber, for the pharmacy.
    Signed,
    /// The pharmacy has it.
    HandedOver,
    Dispensed,
    /// Taken back before it was sent, or ended after.
    Stopped,
}

impl PrescriptionEvent {
    /// The word for the record of changes.
    pub fn word(self) -> &'static str {
        match self {
            PrescriptionEvent::Signed => "signed",
            PrescriptionEvent::HandedOver => "handed over",
            PrescriptionEvent::Dispensed => "dispensed",
            PrescriptionEvent::Stopped => "stopped",
        }
    }
}

#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{}", self.sentence())]
pub struct PrescriptionRefusal {
    pub from: PrescriptionState,
    pub event: PrescriptionEvent,
}

impl PrescriptionRefusal {
    fn sentence(&self) -> String {
        match (self.from, self.event) {
            (PrescriptionState::Stopped, _) => "This prescription has been stopped.".into(),
            (_, PrescriptionEvent::Signed) => "This prescription has been sent already.".into(),
            (from, _) => format!("This prescription is {}; that cannot happen to it.", from.label().to_lowercase()),
        }
    }
}

impl PrescriptionState {
    /// The state after the event. The same word of the pharmacy twice changes nothing; a word that comes late never undoes
    /// what is known.
    pub fn after(self, event: PrescriptionEvent) -> Result<PrescriptionState, PrescriptionRefusal> {
        use PrescriptionEvent as E;
        use PrescriptionState::*;
        let next = match (self, event) {
            (Draft, E::Signed) => Sending,
            (Sending | Sent, E::HandedOver) => Sent,
            (Dispensed | Stopped, E::HandedOver) => self,
            (Sending | Sent | Dispensed, E::Dispensed) => Dispensed,
            (_, E::Stopped) => Stopped,
            _ => return Err(PrescriptionRefusal { from: self, event }),
        };
        Ok(next)
    }
}

coded! {
    /// How somebody stands to a medicine that is on their list.
    MedicineState {
        Taking = "taking", "Taking";
        NotTaking = "not_taking", "Not taking";
        Stopped = "stopped", "Stopped";
        /// Nobody could say.
        Unknown = "unknown", "Not known";
    }
}

impl MedicineState {
    /// Whether the checks of a prescription look at it. Where nobody knows it counts, since silence would be a guess.
    pub fn counts(self) -> bool {
        matches!(self, MedicineState::Taking | MedicineState::Unknown)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_prescription_goes_its_way_and_late_words_change_nothing() {
        use PrescriptionEvent as E;
        use PrescriptionState::*;
        let mut state = Draft;
        for (event, next) in [(E::Signed, Sending), (E::HandedOver, Sent), (E::Dispensed, Dispensed)] {
            state = state.after(event).unwrap();
            assert_eq!(state, next);
        }
        assert_eq!(Dispensed.after(E::HandedOver), Ok(Dispensed), "a late word of the pharmacy");
        assert_eq!(Stopped.after(E::HandedOver), Ok(Stopped), "it was on its way when it was stopped");
        for from in PrescriptionState::ALL {
            assert_eq!(from.after(E::Stopped), Ok(Stopped));
            assert_eq!(from.after(E::Signed).is_ok(), *from == Draft, "{from}: signed once");
        }
        assert_eq!(Sent.after(E::Signed).unwrap_err().to_string(), "This prescription has been sent already.");
        assert!(Draft.after(E::Dispensed).is_err());
    }

    #[test]
    fn what_nobody_knows_counts_in_the_checks() {
        let counting: Vec<_> = MedicineState::ALL.iter().filter(|s| s.counts()).collect();
        assert_eq!(counting, [&MedicineState::Taking, &MedicineState::Unknown]);
    }
}
