//! What becomes of a prescription, and how somebody stands to a medicine.

use chrono::NaiveDate;

coded! {
    PrescriptionState {
        Draft = "draft", "not signed";
        /// Signed and waiting to be handed to the pharmacy.
        Sending = "sending", "being handed over";
        Sent = "sent", "pharmacy has it";
        /// Signed for the patient to carry.
        Printed = "printed", "on paper";
        PartlyDispensed = "partly_dispensed", "dispensed in part";
        Dispensed = "dispensed", "dispensed";
        /// The pharmacy does not take it.
        Refused = "refused", "refused by the pharmacy";
        /// Ended here; the pharmacy is being told.
        Stopping = "stopping", "stopped, pharmacy is being told";
        Stopped = "stopped", "stopped";
    }
}

impl PrescriptionState {
    /// Whether it was ended: here, or by the pharmacy.
    pub fn has_ended(self) -> bool {
        use PrescriptionState::{Refused, Stopped, Stopping};
        matches!(self, Refused | Stopping | Stopped)
    }

    /// Whether another may take its place: only of what was signed, and was not stopped. What a pharmacy did not take may be
    /// changed.
    pub fn may_be_replaced(self) -> Result<(), &'static str> {
        use PrescriptionState::{Draft, Stopped, Stopping};
        match self {
            Draft => Err("It is not signed yet; change the draft itself."),
            Stopping | Stopped => Err("This prescription has been stopped."),
            _ => Ok(()),
        }
    }

    /// Whether it counts today: not signed yet, or standing and not run out.
    pub fn is_current(self, runs_out: NaiveDate, today: NaiveDate) -> bool {
        self == PrescriptionState::Draft || (self.stands() && runs_out >= today)
    }

    /// Whether it stands: signed, and not ended by anybody.
    pub fn stands(self) -> bool {
        use PrescriptionState::{Dispensed, PartlyDispensed, Printed, Sending, Sent};
        matches!(self, Sending | Sent | Printed | PartlyDispensed | Dispensed)
    }
}

coded! {
    /// How a pharmacy's request for another round is answered.
    RenewalAnswer {
        Yes = "yes", "renewed";
        /// With another dose or product.
        Changed = "changed", "renewed, changed";
        No = "no", "not renewed";
    }
}

/// Something that happened to a prescription.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PrescriptionEvent {
    /// Signed by the prescriber, for the pharmacy.
    Signed,
    /// Signed by the prescriber, on paper.
    Printed,
    /// The pharmacy has it.
    HandedOver,
    DispensedInPart,
    Dispensed,
    /// The pharmacy does not take it.
    Refused,
    /// Taken back before it was signed, or ended after.
    Stopped,
    /// The pharmacy knows that it was ended.
    StopTold,
}

impl PrescriptionEvent {
    /// The word for the record of changes.
    pub fn word(self) -> &'static str {
        match self {
            PrescriptionEvent::Signed => "signed",
            PrescriptionEvent::Printed => "signed on paper",
            PrescriptionEvent::HandedOver => "handed over",
            PrescriptionEvent::DispensedInPart => "dispensed in part",
            PrescriptionEvent::Dispensed => "dispensed",
            PrescriptionEvent::Refused => "refused",
            PrescriptionEvent::Stopped => "stopped",
            PrescriptionEvent::StopTold => "stop told",
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
            (PrescriptionState::Stopped | PrescriptionState::Stopping, _) => {
                "This prescription has been stopped.".into()
            }
            (_, PrescriptionEvent::Signed | PrescriptionEvent::Printed) => {
                "This prescription has been signed already.".into()
            }
            (from, _) => format!("This prescription is {}; that cannot happen to it.", from.label().to_lowercase()),
        }
    }
}

impl PrescriptionState {
    /// The state after the event. The same word of the pharmacy twice changes nothing; a word that comes late never undoes
    /// what is known: what was dispensed before the pharmacy heard of the end stays ended here.
    pub fn after(self, event: PrescriptionEvent) -> Result<PrescriptionState, PrescriptionRefusal> {
        use PrescriptionEvent as E;
        use PrescriptionState::*;
        let next = match (self, event) {
            (Draft, E::Signed) => Sending,
            (Draft, E::Printed) => Printed,
            (Sending | Sent, E::HandedOver) => Sent,
            (PartlyDispensed | Dispensed | Stopping | Stopped | Refused, E::HandedOver) => self,
            (Sending | Sent | PartlyDispensed, E::DispensedInPart) => PartlyDispensed,
            (Sending | Sent | PartlyDispensed | Dispensed, E::Dispensed) => Dispensed,
            (Dispensed, E::DispensedInPart) => Dispensed,
            (Sending | Sent | Refused, E::Refused) => Refused,
            (Stopping | Stopped, E::Dispensed | E::DispensedInPart | E::Refused) => self,
            (Draft | Printed | Refused | Stopped, E::Stopped) => Stopped,
            (Sending | Sent | PartlyDispensed | Dispensed | Stopping, E::Stopped) => Stopping,
            (Stopping | Stopped, E::StopTold) => Stopped,
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
        for (event, next) in [
            (E::Signed, Sending),
            (E::HandedOver, Sent),
            (E::DispensedInPart, PartlyDispensed),
            (E::Dispensed, Dispensed),
            (E::Stopped, Stopping),
            (E::Dispensed, Stopping),
            (E::StopTold, Stopped),
        ] {
            state = state.after(event).unwrap();
            assert_eq!(state, next);
        }
        assert_eq!(Dispensed.after(E::HandedOver), Ok(Dispensed), "a late word of the pharmacy");
        assert_eq!(Stopped.after(E::HandedOver), Ok(Stopped), "it was on its way when it was stopped");
        assert_eq!(Dispensed.after(E::DispensedInPart), Ok(Dispensed), "the words came in another order");
        assert_eq!([Draft.after(E::Stopped), Printed.after(E::Stopped)], [Ok(Stopped), Ok(Stopped)], "nobody to tell");
        for from in PrescriptionState::ALL {
            assert!(matches!(from.after(E::Stopped), Ok(Stopped | Stopping)), "{from} can always be ended");
            assert_eq!(from.after(E::Signed).is_ok(), *from == Draft, "{from}: signed once");
        }
        assert_eq!(Sent.after(E::Signed).unwrap_err().to_string(), "This prescription has been signed already.");
        assert!(Draft.after(E::Dispensed).is_err() && Printed.after(E::Refused).is_err());
    }

    #[test]
    fn what_was_signed_and_not_stopped_may_be_replaced_and_counts_until_it_runs_out() {
        use PrescriptionState::*;
        let may: Vec<_> = PrescriptionState::ALL.iter().filter(|s| s.may_be_replaced().is_ok()).collect();
        assert_eq!(may, [&Sending, &Sent, &Printed, &PartlyDispensed, &Dispensed, &Refused]);
        let day = |d| NaiveDate::from_ymd_opt(2026, 12, d).unwrap();
        let current = |s: PrescriptionState, last| s.is_current(day(last), day(10));
        assert!(current(Sent, 10) && !current(Sent, 9) && !current(Refused, 20) && !current(Stopped, 20));
        assert!(current(Draft, 1), "a draft waits, however old");
    }

    #[test]
    fn what_nobody_knows_counts_in_the_checks() {
        let counting: Vec<_> = MedicineState::ALL.iter().filter(|s| s.counts()).collect();
        assert_eq!(counting, [&MedicineState::Taking, &MedicineState::Unknown]);
    }
}
