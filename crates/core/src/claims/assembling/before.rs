//! What a payer decided before, as the claim to the next one tells it.

use super::{OnRecord, PayerOfClaim, plain};
use crate::claims::lawful::{most, written};
use crate::claims::{ClaimLine, EarlierDecision, EarlierPayer};
use crate::money::Cents;
use crate::money::remittance::meaning::Meaning;
use crate::money::remittance::{RemittedClaim, line_number};
use chrono::NaiveDate;

/// A payer that decided before this one, with its decision as it came.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PayerBefore {
    pub payer: PayerOfClaim,
    /// Who holds that policy, when it is not the patient.
    pub holder: Option<OnRecord>,
    pub decision: RemittedClaim,
    pub on: NaiveDate,
}

/// A payer that is asked after this one: named, so that this one knows of it, with nothing decided yet.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PayerAfter {
    pub payer: PayerOfClaim,
    /// Who holds that policy, when it is not the patient.
    pub holder: Option<OnRecord>,
}

/// A policy beside the one that a claim goes to (loops 2320, 2330A and B).
fn named(payer: PayerOfClaim, held_by: &OnRecord) -> EarlierPayer {
    EarlierPayer {
        name: plain(&payer.name),
        id: payer.id,
        rank: payer.rank,
        relationship: payer.relationship,
        group_number: payer.group_number,
        filing_code: payer.filing_code,
        subscriber_last: written(&held_by.last, most::LAST_NAME).text,
        subscriber_first: written(&held_by.first, most::FIRST_NAME).text,
        subscriber_number: payer.subscriber_number,
        claim_number: String::new(),
        paid: None,
        left: None,
        adjustments: vec![],
        decided_on: None,
    }
}

impl PayerAfter {
    pub(super) fn told(self, patient: &OnRecord) -> EarlierPayer {
        let held_by = self.holder.as_ref().unwrap_or(patient);
        named(self.payer, held_by)
    }
}

impl PayerBefore {
    /// As it stands on the claim to the next payer (loops 2320, 2330A and B), and what it decided of each line by number (2430).
    pub(super) fn told(
        self,
        patient: &OnRecord,
        lines: &[ClaimLine],
        patient_paid: Cents,
    ) -> (EarlierPayer, Vec<(u32, EarlierDecision)>) {
        let d = self.decision;
        let mut of_lines: Vec<(u32, EarlierDecision)> = Vec::new();
        for l in &d.lines {
            let billed = l.original_code.as_deref().unwrap_or(&l.service_code);
            let by_code = || {
                let free = |n: u32| !of_lines.iter().any(|(taken, _)| *taken == n);
                let mut numbered = (1u32..).zip(lines);
                numbered.find(|(n, own)| own.code == billed && free(*n)).map(|(n, _)| n)
            };
            let Some(number) = line_number(&l.line_control).or_else(by_code) else { continue };
            let decision = EarlierDecision { paid: l.paid, adjustments: l.adjustments.clone(), on: self.on };
            of_lines.push((number, decision));
        }
        let share: Cents = d
            .adjustments
            .iter()
            .chain(d.lines.iter().flat_map(|l| &l.adjustments))
            .filter(|a| a.meaning() == Meaning::PatientShare)
            .map(|a| a.amount)
            .sum();
        let held_by = self.holder.as_ref().unwrap_or(patient);
        let earlier = EarlierPayer {
            claim_number: d.payer_claim_number.to_string(),
            paid: Some(d.paid),
            left: Some((share - patient_paid).max(Cents::ZERO)),
            adjustments: d.adjustments,
            decided_on: of_lines.is_empty().then_some(self.on),
            ..named(self.payer, held_by)
        };
        (earlier, of_lines)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::claims::assembling::tests::{day, facts};
    use crate::claims::assembling::{ClaimFacts, assemble};
    use crate::coverage::Rank;
    use crate::money::remittance::{Adjustment, AdjustmentGroup, RemittedLine};

    #[test]
    fn the_first_payer_is_told_who_comes_after_it() {
        let payer = PayerOfClaim { name: "Gannet".into(), id: "GAN".into(), rank: Rank::Second, ..facts().payer };
        let claim =
            assemble(ClaimFacts { after: vec![PayerAfter { payer, holder: None }], ..facts() }).expect("a claim");
        let told = &claim.others[0];
        assert_eq!(
            (told.name.as_str(), told.rank, told.subscriber_last.as_str()),
            ("GANNET", Rank::Second, "NUNEZ-ORTEGA")
        );
        assert_eq!((told.paid, told.left, told.decided_on), (None, None, None), "it has decided nothing");
        assert!(claim.lines.iter().all(|l| l.decided.is_empty()));
    }

    #[test]
    fn the_next_payer_is_told_what_the_one_before_decided_line_by_line() {
        let adjusted = |group, reason: &str, cents| Adjustment {
            group,
            reason: reason.into(),
            amount: Cents::new(cents),
            quantity: None,
        };
        let line = |control: &str| RemittedLine {
            line_control: control.into(),
            service_code: "V3".into(),
            charged: Cents::new(12_000),
            paid: Cents::new(7_000),
            adjustments: vec![
                adjusted(AdjustmentGroup::Contractual, "45", 2_000),
                adjusted(AdjustmentGroup::PatientResponsibility, "2", 3_000),
            ],
            ..RemittedLine::default()
        };
        let second = |control: &str| {
            let before = PayerBefore {
                payer: PayerOfClaim { name: "Gannet".into(), id: "GAN".into(), ..facts().payer },
                holder: None,
                decision: RemittedClaim {
                    status: "1".into(),
                    charged: Cents::new(12_000),
                    paid: Cents::new(7_000),
                    payer_claim_number: "G-9".into(),
                    lines: vec![line(control)],
                    ..RemittedClaim::default()
                },
                on: day(),
            };
            assemble(ClaimFacts { before: vec![before], ..facts() }).expect("a claim")
        };
        let claim = second("C-0-1");
        let told = &claim.others[0];
        assert_eq!((told.name.as_str(), told.claim_number.as_str()), ("GANNET", "G-9"));
        assert_eq!(
            (told.paid, told.left),
            (Some(Cents::new(7_000)), Some(Cents::new(500))),
            "25.00 was paid at the desk"
        );
        assert_eq!((told.subscriber_last.as_str(), told.decided_on), ("NUNEZ-ORTEGA", None), "each line says when");
        let (payer, decided) = &claim.lines[0].decided[0];
        assert_eq!((payer.as_str(), decided.paid, decided.on), ("GAN", Cents::new(7_000), day()));
        let adjusted: Cents = decided.adjustments.iter().map(|a| a.amount).sum();
        assert_eq!(claim.lines[0].fee, decided.paid + adjusted, "the line balances");
        assert_eq!(second("").lines[0].decided.len(), 1, "a line without our number is found by its code");
    }
}
