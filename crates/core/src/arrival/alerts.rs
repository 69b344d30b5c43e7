//! Alerts at check-in: rules that a manager writes from facts. Whoever checks in acknowledges each that fits.

use crate::money::Cents;
use chrono::{Months, NaiveDate};

coded! {
    /// What a condition looks at.
    Kind {
        Payer = "payer", "is insured by";
        SelfPay = "self_pay", "pays by themselves";
        NoCoverage = "no_coverage", "has nothing on file";
        AgeFrom = "age_from", "is at least so old";
        AgeUnder = "age_under", "is younger than";
        FormMissing = "form_missing", "lacks a form, or it has run out";
        BalanceOver = "balance_over", "owes more than";
        NotSeenFor = "not_seen_for", "has not been seen for so many months";
        VisitType = "visit_type", "comes for";
        ChartAlert = "chart_alert", "has a chart alert";
        Restricted = "restricted", "has a restricted chart";
    }
}

/// One condition of a rule. `value` is an age, an amount in cents, months, or the reference of a payer, a form
/// or a visit type; empty where the kind says everything.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Condition {
    pub kind: Kind,
    pub value: String,
}

/// A rule that cannot be.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum BadRule {
    #[error("A rule needs at least one condition.")]
    Nothing,
    #[error("“{0}” needs a number.")]
    Number(Kind),
    #[error("“{0}” needs a choice.")]
    Choice(Kind),
}

impl Condition {
    /// A condition as it is typed: amounts as people type them, ages and months as numbers.
    pub fn typed(kind: Kind, text: &str) -> Result<Condition, BadRule> {
        let value = match kind {
            Kind::BalanceOver => Cents::parse(text).map_err(|_| BadRule::Number(kind))?.get().to_string(),
            _ => text.trim().to_owned(),
        };
        let condition = Condition { kind, value };
        checked(std::slice::from_ref(&condition))?;
        Ok(condition)
    }

    /// The value as it is typed.
    pub fn shown(&self) -> String {
        match (self.kind, self.value.parse()) {
            (Kind::BalanceOver, Ok(cents)) => Cents::new(cents).to_string(),
            _ => self.value.clone(),
        }
    }
}

/// A rule as a clinic wrote it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Rule {
    pub key: String,
    pub sentence: String,
    pub conditions: Vec<Condition>,
}

/// An alert that fits: which rule, and what is to be read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Alert {
    pub rule: String,
    pub sentence: String,
}

impl Alert {
    /// Whether somebody who read these words of this rule has read it: other words are read again.
    pub fn is_read_by(&self, rule: &str, sentence: &str) -> bool {
        self.rule == rule && self.sentence == sentence
    }
}

/// Everything that fits: what every clinic is alerted to, then its own rules in their order.
pub fn standing(rules: &[Rule], facts: &Facts) -> Vec<Alert> {
    let mut all = Vec::new();
    let mut add = |rule: &str, sentence: &str| all.push(Alert { rule: rule.to_owned(), sentence: sentence.to_owned() });
    if !facts.chart_alert.is_empty() {
        add(Kind::ChartAlert.code(), &facts.chart_alert);
    }
    if facts.restricted {
        add(Kind::Restricted.code(), "The chart is restricted: do not speak of it within hearing.");
    }
    for rule in rules.iter().filter(|r| applies(&r.conditions, facts)) {
        add(&rule.key, &rule.sentence);
    }
    all
}

/// Checks a rule as it was written.
pub fn checked(conditions: &[Condition]) -> Result<(), BadRule> {
    if conditions.is_empty() {
        return Err(BadRule::Nothing);
    }
    for c in conditions {
        match c.kind {
            Kind::AgeFrom | Kind::AgeUnder | Kind::NotSeenFor => {
                c.value.parse::<u32>().ok().filter(|n| *n <= 150).ok_or(BadRule::Number(c.kind))?;
            }
            Kind::BalanceOver => {
                c.value.parse::<i64>().ok().filter(|n| *n >= 0).ok_or(BadRule::Number(c.kind))?;
            }
            Kind::Payer | Kind::FormMissing | Kind::VisitType if c.value.is_empty() => {
                return Err(BadRule::Choice(c.kind));
            }
            _ => {}
        }
    }
    Ok(())
}

/// What the conditions are held against.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Facts {
    pub today: NaiveDate,
    pub birth: Option<NaiveDate>,
    pub payer: Option<String>,
    pub self_pay: bool,
    /// Forms that are missing or have run out.
    pub forms_missing: Vec<String>,
    pub owes: Cents,
    /// The last visit that took place; nothing for a new patient.
    pub last_seen: Option<NaiveDate>,
    pub visit_type: String,
    /// The words of the chart alert, or nothing.
    pub chart_alert: String,
    pub restricted: bool,
}

fn fits(c: &Condition, f: &Facts) -> bool {
    let number = || c.value.parse::<u32>().unwrap_or(u32::MAX);
    let age = || f.birth.and_then(|b| f.today.years_since(b));
    match c.kind {
        Kind::Payer => f.payer.as_deref() == Some(c.value.as_str()),
        Kind::SelfPay => f.self_pay,
        Kind::NoCoverage => f.payer.is_none() && !f.self_pay,
        Kind::AgeFrom => age().is_some_and(|a| a >= number()),
        Kind::AgeUnder => age().is_some_and(|a| a < number()),
        Kind::FormMissing => f.forms_missing.contains(&c.value),
        Kind::BalanceOver => f.owes > Cents::new(c.value.parse().unwrap_or(i64::MAX)),
        // A new patient is not overdue.
        Kind::NotSeenFor => {
            f.last_seen.and_then(|d| d.checked_add_months(Months::new(number()))).is_some_and(|due| due <= f.today)
        }
        Kind::VisitType => f.visit_type == c.value,
        Kind::ChartAlert => !f.chart_alert.is_empty(),
        Kind::Restricted => f.restricted,
    }
}

/// Whether a rule fits: all of its conditions do.
pub fn applies(conditions: &[Condition], facts: &Facts) -> bool {
    !conditions.is_empty() && conditions.iter().all(|c| fits(c, facts))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn day(y: i32, m: u32, d: u32) -> NaiveDate {
        NaiveDate::from_ymd_opt(y, m, d).unwrap()
    }

    fn facts() -> Facts {
        Facts {
            today: day(2026, 11, 23),
            birth: Some(day(1986, 11, 24)),
            payer: Some("SALTM".into()),
            self_pay: false,
            forms_missing: vec!["privacy".into()],
            owes: Cents::new(5_000),
            last_seen: Some(day(2025, 11, 23)),
            visit_type: "new".into(),
            chart_alert: String::new(),
            restricted: true,
        }
    }

    #[test]
    fn every_kind_of_condition_fits_and_does_not() {
        let one = |kind, value: &str| applies(&[Condition { kind, value: value.into() }], &facts());
        for (kind, yes, no) in [
            (Kind::Payer, "SALTM", "BEACN"),
            (Kind::AgeFrom, "39", "40"),
            (Kind::AgeUnder, "40", "39"),
            (Kind::FormMissing, "privacy", "other"),
            (Kind::BalanceOver, "4999", "5000"),
            (Kind::NotSeenFor, "12", "13"),
            (Kind::VisitType, "new", "old"),
        ] {
            assert!(one(kind, yes) && !one(kind, no), "{kind}");
        }
        assert!(one(Kind::Restricted, "") && !one(Kind::ChartAlert, "") && !one(Kind::SelfPay, ""));
        let bare = Facts { payer: None, birth: None, last_seen: None, ..facts() };
        let on_bare = |kind, value: &str| applies(&[Condition { kind, value: value.into() }], &bare);
        assert!(on_bare(Kind::NoCoverage, "") && !on_bare(Kind::AgeFrom, "0") && !on_bare(Kind::NotSeenFor, "0"));
        let both = [
            Condition { kind: Kind::Restricted, value: String::new() },
            Condition { kind: Kind::AgeFrom, value: "65".into() },
        ];
        assert!(!applies(&both, &facts()) && applies(&both[..1], &facts()) && !applies(&[], &facts()));
    }

    #[test]
    fn what_stands_at_the_top_and_what_counts_as_read() {
        let rule = |key: &str, kind, value: &str| Rule {
            key: key.into(),
            sentence: format!("{key}!"),
            conditions: vec![Condition { kind, value: value.into() }],
        };
        let rules = [rule("old", Kind::AgeFrom, "65"), rule("open", Kind::BalanceOver, "100")];
        let at = standing(&rules, &Facts { chart_alert: "Falls.".into(), ..facts() });
        assert_eq!(at.iter().map(|a| a.rule.as_str()).collect::<Vec<_>>(), ["chart_alert", "restricted", "open"]);
        assert!(at[2].is_read_by("open", "open!") && !at[2].is_read_by("open", "other words"));
        assert_eq!(standing(&rules, &Facts { restricted: false, owes: Cents::ZERO, ..facts() }), []);
        let amount = Condition::typed(Kind::BalanceOver, "$300").unwrap();
        assert_eq!((amount.value.as_str(), amount.shown().as_str()), ("30000", "300.00"));
        assert_eq!(Condition::typed(Kind::BalanceOver, "much"), Err(BadRule::Number(Kind::BalanceOver)));
        assert_eq!(Condition::typed(Kind::AgeFrom, " 65 ").unwrap().shown(), "65");
    }

    #[test]
    fn a_rule_is_checked_when_it_is_written() {
        let bad = |kind, value: &str| checked(&[Condition { kind, value: value.into() }]).unwrap_err();
        assert_eq!(checked(&[]), Err(BadRule::Nothing));
        assert_eq!(bad(Kind::AgeFrom, "old").to_string(), "“is at least so old” needs a number.");
        assert_eq!(bad(Kind::AgeUnder, "-1"), BadRule::Number(Kind::AgeUnder));
        assert_eq!(bad(Kind::BalanceOver, "-5"), BadRule::Number(Kind::BalanceOver));
        assert_eq!(bad(Kind::Payer, ""), BadRule::Choice(Kind::Payer));
        assert_eq!(checked(&[Condition { kind: Kind::SelfPay, value: String::new() }]), Ok(()));
    }
}
