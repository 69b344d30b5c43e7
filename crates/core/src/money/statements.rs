//! Statements: what somebody is asked for by post or e-mail, on whose paper each debt may stand, and when the next is due.
//!
//! A statement asks for what a household owes together. What nobody else of the household may learn never stands on another's paper:
//! a minor's confidential visit, a restricted chart, and whatever belongs to somebody who wants to be reached elsewhere (45 CFR
//! 164.522(b)). What a payer may still pay is asked of nobody.

use crate::money::Cents;
use chrono::{Days, NaiveDate};

coded! {
    /// How a statement goes out.
    StatementWay {
        Letter = "letter", "letter";
        Email = "email", "e-mail";
    }
}

/// What is known of a debt of a patient.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct DebtFacts {
    /// Who owes is the patient.
    pub own: bool,
    /// A payer has not decided about the visit yet.
    pub payer_decides: bool,
    /// Nobody else is to learn of this visit.
    pub confidential: bool,
    /// The patient's chart is restricted.
    pub restricted: bool,
    /// The patient wants to be written to elsewhere.
    pub elsewhere: bool,
}

/// On whose statement a debt stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum StandsOn {
    Guarantors,
    /// On the patient's own, to where they want to be reached.
    Patients,
    Nobodys(&'static str),
}

pub fn stands_on(d: DebtFacts) -> StandsOn {
    if d.payer_decides {
        StandsOn::Nobodys("a payer has not decided yet")
    } else if d.own {
        StandsOn::Guarantors
    } else if d.elsewhere {
        StandsOn::Patients
    } else if d.confidential || d.restricted {
        StandsOn::Nobodys("confidential, and the patient gave no address of their own")
    } else {
        StandsOn::Guarantors
    }
}

/// What the clinic set for statements.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct StatementRules {
    /// Days between two.
    pub every: u64,
    /// Below it none is sent.
    pub least: Cents,
}

/// What is known of whom a statement would go to.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Recipient {
    pub owes: Cents,
    pub deceased: bool,
    /// None is sent, because of this; empty: they are.
    pub held_because: String,
    pub last: Option<NaiveDate>,
    pub address: bool,
    /// They want it by e-mail, agreed to e-mail, and an address for it is on file.
    pub by_email: bool,
}

#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum NotNow {
    #[error("nothing is to be asked for")]
    Nothing,
    #[error("less than {0}")]
    TooLittle(Cents),
    #[error("has died: write to the estate by hand")]
    Died,
    #[error("held: {0}")]
    Held(String),
    #[error("the last was sent on {}", crate::fields::typed_date::in_words(*.0))]
    TooSoon(NaiveDate),
    #[error("no postal address, and no e-mail was agreed to")]
    NoWay,
}

/// How a statement goes out now, or why none does. One that somebody asks for does not wait for its turn, nor for the least amount.
pub fn due(r: &Recipient, rules: StatementRules, today: NaiveDate, asked_for: bool) -> Result<StatementWay, NotNow> {
    if !r.owes.is_positive() {
        return Err(NotNow::Nothing);
    }
    if r.deceased {
        return Err(NotNow::Died);
    }
    if !asked_for {
        if !r.held_because.is_empty() {
            return Err(NotNow::Held(r.held_because.clone()));
        }
        if r.owes < rules.least {
            return Err(NotNow::TooLittle(rules.least));
        }
        if let Some(last) = r.last.filter(|last| *last + Days::new(rules.every) > today) {
            return Err(NotNow::TooSoon(last));
        }
    }
    match (r.by_email, r.address) {
        (true, _) => Ok(StatementWay::Email),
        (false, true) => Ok(StatementWay::Letter),
        (false, false) => Err(NotNow::NoWay),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn day(ago: i64) -> NaiveDate {
        NaiveDate::from_ymd_opt(2026, 11, 23).unwrap() - chrono::Duration::days(ago)
    }

    #[test]
    fn what_nobody_else_may_learn_stands_on_nobody_elses_paper() {
        let facts = DebtFacts::default();
        assert_eq!(stands_on(facts), StandsOn::Guarantors);
        for private in [
            DebtFacts { confidential: true, ..facts },
            DebtFacts { restricted: true, ..facts },
            DebtFacts { confidential: true, restricted: true, ..facts },
        ] {
            assert!(matches!(stands_on(private), StandsOn::Nobodys(_)), "{private:?}");
            assert_eq!(stands_on(DebtFacts { elsewhere: true, ..private }), StandsOn::Patients);
            assert_eq!(stands_on(DebtFacts { own: true, ..private }), StandsOn::Guarantors, "their own paper");
        }
        assert_eq!(stands_on(DebtFacts { elsewhere: true, ..facts }), StandsOn::Patients);
        let open = DebtFacts { payer_decides: true, own: true, ..facts };
        assert!(matches!(stands_on(open), StandsOn::Nobodys(_)), "a payer may still pay");
    }

    #[test]
    fn a_statement_goes_once_a_cycle_above_the_least_to_the_living_who_can_be_reached() {
        let rules = StatementRules { every: 28, least: Cents::new(500) };
        let r = Recipient { owes: Cents::new(500), address: true, ..Default::default() };
        let now = |r: &Recipient| due(r, rules, day(0), false);
        assert_eq!(now(&r), Ok(StatementWay::Letter));
        assert_eq!(now(&Recipient { by_email: true, ..r.clone() }), Ok(StatementWay::Email));
        let little = Recipient { owes: Cents::new(499), ..r.clone() };
        assert_eq!(now(&little), Err(NotNow::TooLittle(rules.least)));
        assert_eq!(due(&little, rules, day(0), true), Ok(StatementWay::Letter), "asked for");
        let sent = |ago| Recipient { last: Some(day(ago)), ..r.clone() };
        assert_eq!((now(&sent(27)), now(&sent(28))), (Err(NotNow::TooSoon(day(27))), Ok(StatementWay::Letter)));
        let held = Recipient { held_because: "disputes it".into(), ..r.clone() };
        assert_eq!(now(&held).unwrap_err().to_string(), "held: disputes it");
        let dead = Recipient { deceased: true, ..r.clone() };
        assert_eq!(due(&dead, rules, day(0), true), Err(NotNow::Died), "nobody writes to the dead");
        assert_eq!(now(&Recipient { address: false, ..r.clone() }), Err(NotNow::NoWay));
        assert_eq!(due(&Recipient { owes: Cents::ZERO, ..r }, rules, day(0), true), Err(NotNow::Nothing));
    }
}
