//! What would be posted of a remittance, claim by claim and line by line, and what waits for a person and why.

use super::matching::{KnownClaim, Standing, belongs};
use super::meaning::Meaning;
use super::{Remittance, RemittedClaim};
use crate::money::Cents;

coded! {
    /// Where an amount goes.
    PlanAccount {
        PayerPaid = "payer_paid", "paid by the payer";
        Contractual = "contractual", "given up by contract";
        PatientShare = "patient_share", "left to the patient";
        NextPayer = "next_payer", "for the next payer";
        Denied = "denied", "not paid, open";
        Interest = "interest", "interest";
        Takeback = "takeback", "taken back";
        ForwardBalance = "forward_balance", "carried to another payment";
        ProviderAdjustment = "provider_adjustment", "adjustment outside claims";
        Unmatched = "unmatched", "waits to be matched";
    }
}

/// One amount of a plan. Line 0 is the claim as a whole; of what is outside claims `claim` is the payer's reference, or `-`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PlanRow {
    pub claim: String,
    pub line: u32,
    pub account: PlanAccount,
    /// Of a reversal negative; outside claims above zero where it adds to the payment.
    pub amount: Cents,
    pub sentence: String,
}

/// A reckoning that decides nothing (CLP02 25).
fn is_forecast(status: &str) -> bool {
    status == "25"
}

/// Plans the posting of a remittance.
///
/// `known` finds a claim by its number; `next_payer` says that the patient has another policy after this payer; `standing` is what
/// was decided before, and afterwards what stands then.
pub fn plan<'k>(
    r: &Remittance,
    known: impl Fn(&str) -> Option<&'k KnownClaim>,
    next_payer: bool,
    standing: &mut Standing,
) -> Vec<PlanRow> {
    let mut rows = Vec::new();
    for c in r.claims.iter().filter(|c| !is_forecast(&c.status)) {
        match belongs(r, c, known(&c.claim_number), standing) {
            Err(why) => rows.push(PlanRow {
                claim: c.claim_number.to_string(),
                line: 0,
                account: PlanAccount::Unmatched,
                amount: c.paid,
                sentence: why,
            }),
            Ok(numbers) => rows.extend(of_claim(c, &numbers, next_payer || c.is_forwarded())),
        }
    }
    rows.extend(outside_claims(r));
    rows
}

fn of_claim(c: &RemittedClaim, numbers: &[Option<u32>], next: bool) -> Vec<PlanRow> {
    let share = if next { PlanAccount::NextPayer } else { PlanAccount::PatientShare };
    let mut rows = Vec::new();
    for part in c.parts(numbers) {
        let mut add = |account: PlanAccount, amount: Cents, sentence: String| {
            if !amount.is_zero() {
                let (claim, line) = (c.claim_number.to_string(), part.line.unwrap_or(0));
                rows.push(PlanRow { claim, line, account, amount, sentence });
            }
        };
        let back = if c.is_reversal() { "Taken back: " } else { "" };
        add(PlanAccount::PayerPaid, part.paid, format!("{back}Paid by the payer."));
        for (account, meaning) in [
            (PlanAccount::Contractual, Meaning::Contractual),
            (share, Meaning::PatientShare),
            (PlanAccount::Denied, Meaning::Denied),
        ] {
            let mut words: Vec<String> = Vec::new();
            for a in part.adjustments.iter().filter(|a| a.meaning() == meaning) {
                let word = format!("{} {}: {}", a.group.code(), a.reason, a.in_words());
                if !words.contains(&word) {
                    words.push(word);
                }
            }
            add(account, part.sum(meaning), format!("{back}{}", words.join(" ")));
        }
    }
    rows
}

/// What the payer keeps or adds besides claims (PLB), by its reason.
fn outside_claims(r: &Remittance) -> impl Iterator<Item = PlanRow> {
    r.provider_adjustments.iter().filter(|p| !p.amount.is_zero()).map(|p| {
        let (account, sentence) = match p.reason.as_str() {
            "L6" => (PlanAccount::Interest, "Interest for paying late.".to_owned()),
            "WO" => (PlanAccount::Takeback, "The payer takes back what it paid too much before.".to_owned()),
            "FB" => (PlanAccount::ForwardBalance, "A balance carried to or from another payment.".to_owned()),
            reason => (PlanAccount::ProviderAdjustment, format!("Adjustment {reason} of the payer's list.")),
        };
        let claim = if p.reference.is_empty() { "-".to_owned() } else { p.reference.clone() };
        PlanRow { claim, line: 0, account, amount: -p.amount, sentence }
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::money::remittance::matching::KnownLine;
    use crate::money::remittance::{Adjustment, AdjustmentGroup, ProviderAdjustment, RemittedLine};
    use AdjustmentGroup::{Contractual, Other, PatientResponsibility};
    use PlanAccount as A;
    use chrono::NaiveDate;

    fn cents(n: i64) -> Cents {
        Cents::new(n)
    }

    fn line(control: &str, paid: i64, adjustments: &[(AdjustmentGroup, &str, i64)]) -> RemittedLine {
        let adjustments: Vec<Adjustment> = adjustments
            .iter()
            .map(|(group, reason, amount)| Adjustment {
                group: *group,
                reason: (*reason).into(),
                amount: cents(*amount),
                quantity: None,
            })
            .collect();
        let adjusted: Cents = adjustments.iter().map(|a| a.amount).sum();
        RemittedLine {
            line_control: control.into(),
            charged: cents(paid) + adjusted,
            paid: cents(paid),
            adjustments,
            ..RemittedLine::default()
        }
    }

    fn claim(status: &str, lines: Vec<RemittedLine>) -> RemittedClaim {
        RemittedClaim {
            claim_number: "C1".into(),
            status: status.into(),
            charged: lines.iter().map(|l| l.charged).sum(),
            paid: lines.iter().map(|l| l.paid).sum(),
            patient_last: "QUARRIE".into(),
            patient_first: "INES".into(),
            lines,
            ..RemittedClaim::default()
        }
    }

    fn whole() -> RemittedClaim {
        claim(
            "1",
            vec![
                line("C1-1", 9_000, &[(Contractual, "45", 3_000), (PatientResponsibility, "2", 2_000)]),
                line("C1-2", 0, &[(Contractual, "97", 6_000)]),
            ],
        )
    }

    fn remittance(claims: Vec<RemittedClaim>, outside: &[(&str, &str, i64)]) -> Remittance {
        let adjustment = |(reason, reference, amount): &(&str, &str, i64)| ProviderAdjustment {
            reason: (*reason).into(),
            reference: (*reference).into(),
            amount: cents(*amount),
        };
        let outside: Vec<ProviderAdjustment> = outside.iter().map(adjustment).collect();
        let paid: Cents = claims.iter().map(|c| c.paid).sum();
        let kept: Cents = outside.iter().map(|p| p.amount).sum();
        Remittance {
            payer_name: "Saltmarsh Mutual".into(),
            payer_id: "SALTM".into(),
            payee_name: "Clinic".into(),
            payee_npi: "1234567893".into(),
            trace: "T1".into(),
            method: "ACH".into(),
            date: NaiveDate::from_ymd_opt(2026, 11, 23).expect("a day"),
            amount: paid - kept,
            claims,
            provider_adjustments: outside,
        }
    }

    fn known() -> KnownClaim {
        KnownClaim {
            number: "C1".into(),
            payer_id: "SALTM".into(),
            payer_name: "SALTMARSH MUTUAL HEALTH PLAN".into(),
            patient_last: "Quarrié".into(),
            patient_first: "Ines".into(),
            total: cents(20_000),
            lines: vec![
                KnownLine { control: "C1-1".into(), code: "IH214".into(), fee: cents(14_000) },
                KnownLine { control: "C1-2".into(), code: "IH940".into(), fee: cents(6_000) },
            ],
        }
    }

    fn planned(r: &Remittance, next: bool) -> Vec<(u32, PlanAccount, i64)> {
        let ours = known();
        let find = |number: &str| (number == "C1").then_some(&ours);
        let rows = plan(r, find, next, &mut Standing::default());
        rows.into_iter().map(|row| (row.line, row.account, row.amount.get())).collect()
    }

    #[test]
    fn each_amount_goes_where_it_belongs() {
        let expected =
            [(1, A::PayerPaid, 9_000), (1, A::Contractual, 3_000), (1, A::PatientShare, 2_000), (2, A::Denied, 6_000)];
        assert_eq!(planned(&remittance(vec![whole()], &[]), false), expected);
        let with_next = planned(&remittance(vec![whole()], &[]), true);
        assert_eq!(with_next[2], (1, A::NextPayer, 2_000), "it goes to the next policy first");
        let forwarded = RemittedClaim { status: "19".into(), ..whole() };
        assert_eq!(planned(&remittance(vec![forwarded], &[]), false)[2].1, A::NextPayer);
        let forecast = RemittedClaim { status: "25".into(), ..whole() };
        assert_eq!(planned(&remittance(vec![forecast], &[]), false), []);
    }

    #[test]
    fn money_outside_claims_is_told_by_its_reason_and_the_whole_is_the_payment() {
        let r =
            remittance(vec![whole()], &[("L6", "", -125), ("WO", "C77", 5_000), ("FB", "F1", -900), ("72", "", 40)]);
        let rows = planned(&r, false);
        let outside: Vec<_> = rows[4..].to_vec();
        assert_eq!(
            outside,
            [
                (0, A::Interest, 125),
                (0, A::Takeback, -5_000),
                (0, A::ForwardBalance, 900),
                (0, A::ProviderAdjustment, -40)
            ]
        );
        let moved = |a: PlanAccount| !matches!(a, A::Contractual | A::PatientShare | A::NextPayer | A::Denied);
        let money: i64 = rows.iter().filter(|(_, a, _)| moved(*a)).map(|(.., amount)| amount).sum();
        assert_eq!(money, r.amount.get());
    }

    #[test]
    fn a_reversal_is_negative_and_what_follows_it_is_decided_anew() {
        let back = |c: &RemittedClaim| {
            let negative = |l: &RemittedLine| RemittedLine {
                charged: -l.charged,
                paid: -l.paid,
                adjustments: l.adjustments.iter().map(|a| Adjustment { amount: -a.amount, ..a.clone() }).collect(),
                ..l.clone()
            };
            RemittedClaim { status: "22".into(), ..claim("22", c.lines.iter().map(negative).collect()) }
        };
        let rows = planned(&remittance(vec![whole(), back(&whole()), whole()], &[]), false);
        assert_eq!(rows.len(), 12);
        assert_eq!(rows[4], (1, A::PayerPaid, -9_000));
        for account in [A::PayerPaid, A::Contractual, A::PatientShare, A::Denied] {
            let sum = |rows: &[(u32, PlanAccount, i64)]| -> i64 {
                rows.iter().filter(|(_, a, _)| *a == account).map(|(.., amount)| amount).sum()
            };
            assert_eq!(sum(&rows[..8]), 0, "{account:?}");
            assert_ne!(sum(&rows), 0);
        }
        let twice = planned(&remittance(vec![whole(), whole()], &[]), false);
        assert_eq!(twice[4], (0, A::Unmatched, 9_000), "a second decision without a reversal waits");
    }

    #[test]
    fn what_contradicts_the_claim_waits_with_its_reason() {
        let waits = |change: &dyn Fn(&mut RemittedClaim), of: &dyn Fn(&mut Remittance)| {
            let mut c = whole();
            change(&mut c);
            let mut r = remittance(vec![c], &[]);
            of(&mut r);
            let ours = known();
            let find = |number: &str| (number == "C1").then_some(&ours);
            let rows = plan(&r, find, false, &mut Standing::default());
            rows.first().filter(|row| row.account == A::Unmatched).map(|row| (row.amount.get(), row.sentence.clone()))
        };
        let nothing = |_: &mut Remittance| ();
        let said = |change: &dyn Fn(&mut RemittedClaim)| waits(change, &nothing).map(|(_, why)| why);
        assert_eq!(said(&|_| ()), None);
        assert_eq!(said(&|c| c.patient_first = "I".into()), None, "an initial");
        assert!(said(&|c| c.claim_number = "C2".into()).is_some_and(|w| w.contains("under the number C2")));
        assert!(said(&|c| c.patient_last = "OTHER".into()).is_some_and(|w| w.contains("names OTHER")));
        assert!(said(&|c| c.patient_first = "TOM".into()).is_some_and(|w| w.contains("TOM")));
        assert!(said(&|c| c.charged = cents(50_000)).is_some_and(|w| w.contains("500.00 was charged")));
        assert!(said(&|c| c.lines[0].line_control = "C1-9".into()).is_some_and(|w| w.contains("C1-9")));
        assert!(said(&|c| c.lines[0].charged = cents(1)).is_some_and(|w| w.contains("for line 1;")));
        let other = waits(&|_| (), &|r| (r.payer_id, r.payer_name) = ("BEACN".into(), "Beacon Shoals".into()));
        assert_eq!(
            other,
            Some((9_000, "The remittance is Beacon Shoals's; the claim went to SALTMARSH MUTUAL HEALTH PLAN.".into()))
        );
        let by_name = waits(&|_| (), &|r| r.payer_id = "1990000101".into());
        assert_eq!(by_name, None, "its name is enough where the number is its company's");
    }

    #[test]
    fn a_claim_that_the_payer_split_is_decided_part_by_part() {
        let mut first = whole();
        let second =
            RemittedClaim { lines: vec![first.lines.remove(1)], charged: cents(6_000), paid: cents(0), ..whole() };
        (first.charged, first.paid) = (cents(14_000), cents(9_000));
        let rows = planned(&remittance(vec![first.clone(), second], &[]), false);
        assert_eq!(rows.len(), 4);
        assert!(rows.iter().all(|(_, a, _)| *a != A::Unmatched), "{rows:?}");
        let again = planned(&remittance(vec![first.clone(), first], &[]), false);
        assert_eq!(again.last(), Some(&(0, A::Unmatched, 9_000)), "the same part twice");
    }

    #[test]
    fn a_line_without_our_number_is_found_by_what_was_billed() {
        let bare = |change: &dyn Fn(&mut RemittedClaim)| {
            let mut c = whole();
            for (l, code) in c.lines.iter_mut().zip(["IH214", "IH940"]) {
                (l.line_control, l.service_code) = ("".into(), code.into());
            }
            change(&mut c);
            planned(&remittance(vec![c], &[]), false)
        };
        assert_eq!(bare(&|_| ()), planned(&remittance(vec![whole()], &[]), false));
        let changed = |c: &mut RemittedClaim| {
            (c.lines[1].service_code, c.lines[1].original_code) = ("IH941".into(), Some("IH940".into()));
        };
        assert_eq!(bare(&changed)[3], (2, A::Denied, 6_000), "the payer changed the code");
        assert_eq!(bare(&|c| c.lines[1].service_code = "IH999".into())[0].1, A::Unmatched);
        let twice = bare(&|c| c.lines[1] = c.lines[0].clone());
        assert_eq!(twice[0].1, A::Unmatched, "the claim has it once");
    }

    #[test]
    fn what_was_decided_before_and_an_uninsured_patient_are_told_apart() {
        let c = claim(
            "2",
            vec![
                line("C1-1", 2_000, &[(Other, "23", 12_000)]),
                line("C1-2", 0, &[(PatientResponsibility, "27", 6_000)]),
            ],
        );
        assert_eq!(planned(&remittance(vec![c], &[]), true), [(1, A::PayerPaid, 2_000), (2, A::Denied, 6_000)]);
    }
}
