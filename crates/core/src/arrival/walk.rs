//! Check-in as a walk: the clinic's own steps in its own order, what is fine folded with the reason why, and
//! the first thing that is still to do.

use crate::money::Cents;
use crate::visit_line::BenefitsState;

coded! {
    /// A step of check-in.
    Step {
        Visit = "visit", "Visit";
        Details = "details", "Details and contact";
        Consents = "consents", "Consents";
        Coverage = "coverage", "Coverage and benefits";
        Forms = "forms", "Forms to sign";
        Collect = "collect", "Balances and copay";
    }
}

/// The order until a clinic has chosen its own.
pub const USUAL: [Step; 6] = [Step::Visit, Step::Details, Step::Consents, Step::Coverage, Step::Forms, Step::Collect];

/// An order of steps that cannot be walked.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum BadOrder {
    #[error("A walk has at least one step.")]
    Empty,
    #[error("A step stands twice in the walk.")]
    Twice,
}

pub fn checked_order(steps: &[Step]) -> Result<(), BadOrder> {
    if steps.is_empty() {
        return Err(BadOrder::Empty);
    }
    let twice = steps.iter().enumerate().any(|(n, s)| steps[..n].contains(s));
    if twice { Err(BadOrder::Twice) } else { Ok(()) }
}

/// What the walk looks at.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WalkFacts {
    pub reason: String,
    /// Clinics that ask for a reason at booking want one by now.
    pub reason_required: bool,
    pub clinician: String,
    /// What the registration lacks, consents aside.
    pub gaps: Vec<&'static str>,
    /// Birth date, address and telephone, as they are read out.
    pub contact: String,
    /// Consents that are asked for and not answered.
    pub open_consents: Vec<&'static str>,
    /// How many consents there is an answer to, of how many.
    pub answered_consents: (usize, usize),
    /// Payer and number of the policy in force on the day, or nothing; there may be one beside self-pay.
    pub policy: Option<String>,
    /// Pays this visit alone, and who told that payment is due.
    pub self_pay: bool,
    pub told_self_pay: Option<String>,
    pub benefits: BenefitsState,
    /// Forms that are missing or have run out, by name.
    pub forms: Vec<String>,
    /// Forms that are signed and still hold.
    pub signed: usize,
    /// Still expected today; what was paid for the visit; older balances.
    pub expected: Cents,
    pub paid: Cents,
    pub older: Cents,
}

/// A step as it stands.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Standing {
    pub step: Step,
    pub fine: bool,
    /// Why it is fine, or what is to do.
    pub sentence: String,
}

/// The walk in the clinic's order. Nothing of it holds anybody up but what must be read first; an older balance is asked
/// for like the rest.
pub fn walk(order: &[Step], f: &WalkFacts) -> Vec<Standing> {
    let stands = |step: Step| {
        let (fine, sentence) = match step {
            Step::Visit if f.reason.is_empty() && f.reason_required => {
                (false, format!("{}, no reason yet", f.clinician))
            }
            Step::Visit if f.reason.is_empty() => (true, f.clinician.clone()),
            Step::Visit => (true, format!("{}, {}", f.reason, f.clinician)),
            Step::Details if f.gaps.is_empty() => (true, f.contact.clone()),
            Step::Details => (false, format!("lacks {}", f.gaps.join(", "))),
            Step::Consents if f.open_consents.is_empty() => {
                let (answered, all) = f.answered_consents;
                (true, if answered == all { "all answered".into() } else { format!("{answered} of {all} answered") })
            }
            Step::Consents => (false, format!("not asked: {}", f.open_consents.join(", "))),
            Step::Coverage => coverage(f),
            Step::Forms if !f.forms.is_empty() => (false, format!("to sign: {}", f.forms.join(", "))),
            Step::Forms if f.signed == 0 => (true, "no form is asked for".into()),
            Step::Forms => (true, format!("{} signed, nothing has run out", f.signed)),
            Step::Collect => collect(f),
        };
        Standing { step, fine, sentence }
    };
    order.iter().map(|step| stands(*step)).collect()
}

fn coverage(f: &WalkFacts) -> (bool, String) {
    if f.self_pay {
        let on_file = f.policy.as_ref().map_or_else(String::new, |p| format!("; {p} is on file and not used"));
        return match &f.told_self_pay {
            Some(by) => (true, format!("self-pay, told by {by} that payment is due{on_file}")),
            None => (false, format!("self-pay: tell that payment is due at the visit{on_file}")),
        };
    }
    let Some(policy) = &f.policy else { return (false, "nothing on file: add a policy, or self-pay".into()) };
    match &f.benefits {
        BenefitsState::InForce => (true, format!("{policy}, in force today")),
        BenefitsState::NotNeeded => (true, policy.clone()),
        BenefitsState::Waiting => (false, format!("{policy}, the payer has not answered yet")),
        BenefitsState::NotAsked => (false, format!("{policy}, the payer was not asked")),
        BenefitsState::Refused(why) => (false, format!("{policy}: {why}")),
        BenefitsState::NoAnswer(why) => (false, format!("{policy}, no answer: {why}")),
    }
}

fn collect(f: &WalkFacts) -> (bool, String) {
    let older = if f.older.is_positive() { format!(", {} from before", f.older) } else { String::new() };
    if f.expected.is_positive() {
        return (false, format!("{} expected today{older}", f.expected));
    }
    if f.older.is_positive() {
        let paid = if f.paid.is_positive() { format!("{} paid for this visit, ", f.paid) } else { String::new() };
        return (false, format!("{paid}{} from before is open", f.older));
    }
    if f.paid.is_positive() {
        return (true, format!("{} paid for this visit", f.paid));
    }
    (true, "nothing expected today".into())
}

/// The first thing that is to do.
pub fn next(walk: &[Standing]) -> Option<Step> {
    walk.iter().find(|s| !s.fine).map(|s| s.step)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn fine() -> WalkFacts {
        WalkFacts {
            reason: "Cough".into(),
            reason_required: true,
            clinician: "Dr. Valcourt".into(),
            gaps: vec![],
            contact: "Mar 4 1962, 7 Ropewalk".into(),
            open_consents: vec![],
            answered_consents: (5, 5),
            policy: Some("Saltmarsh SM1".into()),
            self_pay: false,
            told_self_pay: None,
            benefits: BenefitsState::InForce,
            forms: vec![],
            signed: 1,
            expected: Cents::ZERO,
            paid: Cents::new(2_500),
            older: Cents::ZERO,
        }
    }

    #[test]
    fn an_unchanged_patient_walks_straight_through_and_reads_why() {
        let all = walk(&USUAL, &fine());
        assert_eq!(next(&all), None);
        let said: Vec<&str> = all.iter().map(|s| s.sentence.as_str()).collect();
        assert_eq!(
            said,
            [
                "Cough, Dr. Valcourt",
                "Mar 4 1962, 7 Ropewalk",
                "all answered",
                "Saltmarsh SM1, in force today",
                "1 signed, nothing has run out",
                "25.00 paid for this visit"
            ]
        );
    }

    #[test]
    fn each_thing_that_is_open_is_told_and_the_order_decides_what_comes_first() {
        let facts = WalkFacts {
            gaps: vec!["birth date"],
            open_consents: vec!["text messages"],
            policy: None,
            forms: vec!["Privacy notice".into()],
            expected: Cents::new(2_500),
            paid: Cents::ZERO,
            older: Cents::new(1_000),
            ..fine()
        };
        let all = walk(&USUAL, &facts);
        assert_eq!(next(&all), Some(Step::Details));
        assert_eq!(all.iter().filter(|s| s.fine).count(), 1);
        assert_eq!(all[5].sentence, "25.00 expected today, 10.00 from before");
        let money_first = walk(&[Step::Collect, Step::Details], &facts);
        assert_eq!((next(&money_first), money_first.len()), (Some(Step::Collect), 2));
        let alone = WalkFacts { self_pay: true, ..facts.clone() };
        assert!(!walk(&[Step::Coverage], &alone)[0].fine, "nobody told that payment is due");
        let told = WalkFacts { told_self_pay: Some("Junia".into()), ..alone };
        assert!(walk(&[Step::Coverage], &told)[0].fine);
        let beside = WalkFacts { policy: Some("Saltmarsh SM1".into()), ..told };
        let said = walk(&[Step::Coverage], &beside)[0].sentence.clone();
        assert!(said.ends_with("; Saltmarsh SM1 is on file and not used"), "a policy is never hidden: {said}");
        for (benefits, open) in [
            (BenefitsState::NotAsked, true),
            (BenefitsState::Waiting, true),
            (BenefitsState::Refused("No such subscriber.".into()), true),
            (BenefitsState::NoAnswer("The payer is down.".into()), true),
            (BenefitsState::NotNeeded, false),
        ] {
            let at = WalkFacts { benefits, ..fine() };
            assert_eq!(walk(&[Step::Coverage], &at)[0].fine, !open);
        }
        let blank = WalkFacts { reason: String::new(), ..fine() };
        assert!(!walk(&[Step::Visit], &blank)[0].fine);
        assert!(walk(&[Step::Visit], &WalkFacts { reason_required: false, ..blank })[0].fine);
    }

    #[test]
    fn what_is_open_is_never_fine_and_what_nobody_asked_is_not_answered() {
        let all = walk(&[Step::Collect], &WalkFacts { paid: Cents::ZERO, older: Cents::new(500), ..fine() });
        assert_eq!((all[0].fine, all[0].sentence.as_str()), (false, "5.00 from before is open"));
        let some = walk(&[Step::Consents], &WalkFacts { answered_consents: (2, 5), ..fine() });
        assert_eq!((some[0].fine, some[0].sentence.as_str()), (true, "2 of 5 answered"));
    }

    #[test]
    fn orders_that_cannot_be_walked() {
        assert_eq!(checked_order(&[]), Err(BadOrder::Empty));
        assert_eq!(checked_order(&[Step::Visit, Step::Visit]), Err(BadOrder::Twice));
        assert_eq!(checked_order(&USUAL), Ok(()));
    }
}
