//! What the patient will owe for a visit before it is charged, line by line and in words.

use super::BenefitAnswer;
use crate::money::Cents;

/// X12 service type (data element 1365) of a visit to the office.
pub const OFFICE_VISIT: &str = "98";

/// One expected service with the clinic's fee; what a payer allows of it is known only afterwards.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ExpectedService {
    pub name: String,
    /// X12 service type, data element 1365.
    pub kind: String,
    /// Nothing: no price is set for it on that day.
    pub fee: Option<Cents>,
}

/// A policy in force on the day, with what its payer answered. They come in the order in which they pay.
#[derive(Debug, Clone, Copy)]
pub struct Plan<'a> {
    pub payer: &'a str,
    pub benefits: &'a BenefitAnswer,
}

/// What is left of one service for the patient.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ShareLine {
    pub name: String,
    pub fee: Cents,
    pub share: Cents,
    pub why: String,
}

/// What the patient will owe, with each step in words. A service without a price is left out, and told.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ShareEstimate {
    pub total: Cents,
    /// What is collected at check-in: the copay of the first plan, or all of it of whoever pays alone.
    pub copay: Cents,
    pub lines: Vec<ShareLine>,
    /// Stretches of the amount river: what they are, how much, and the sentence of each. All but the
    /// first add up to the first.
    pub river: Vec<(&'static str, Cents, String)>,
    pub sentences: Vec<String>,
}

/// The patient's part of one service under one plan alone.
#[derive(Debug, Clone, Copy, Default)]
struct Part {
    copay: Cents,
    deductible: Cents,
    coinsurance: Cents,
    not_covered: Cents,
    /// What the out-of-pocket maximum spared the patient.
    spared: Cents,
}

impl Part {
    fn share(self) -> Cents {
        self.copay + self.deductible + self.coinsurance + self.not_covered - self.spared
    }

    fn why(self) -> String {
        let said = [
            (self.not_covered, "not covered"),
            (self.copay, "copay"),
            (self.deductible, "deductible"),
            (self.coinsurance, "coinsurance"),
        ];
        let words: Vec<&str> = said.iter().filter(|(c, _)| c.is_positive()).map(|(_, word)| *word).collect();
        if words.is_empty() { "covered in full".into() } else { words.join(" and ") }
    }
}

/// What one plan alone leaves to the patient of each service: what it does not cover in full; the copay
/// once a visit; then the deductible that is left, then coinsurance; and never more for what it covers
/// than is left of the out-of-pocket maximum.
fn under(benefits: &BenefitAnswer, services: &[(&ExpectedService, Cents)]) -> Vec<Part> {
    let least = |c: Option<Cents>| c.map(|c| c.max(Cents::ZERO));
    let mut copay_left = least(benefits.copay).unwrap_or_default();
    let mut deductible_left = least(benefits.deductible_left.or(benefits.deductible)).unwrap_or_default();
    let mut most = least(benefits.out_of_pocket_left);
    let rate = benefits.coinsurance.unwrap_or(0).min(10_000);
    let of_one = |(s, fee): &(&ExpectedService, Cents)| {
        let fee = *fee;
        if benefits.not_covered.contains(&s.kind) {
            return Part { not_covered: fee, ..Part::default() };
        }
        let visit = s.kind == OFFICE_VISIT;
        let mut part = Part::default();
        if !benefits.copay_covers_visit || visit {
            part.copay = copay_left.min(fee);
            copay_left = copay_left - part.copay;
        }
        if !(benefits.copay_covers_visit && visit && benefits.copay.is_some()) {
            part.deductible = deductible_left.min(fee - part.copay);
            deductible_left = deductible_left - part.deductible;
            part.coinsurance = (fee - part.copay - part.deductible).share(rate);
        }
        if let Some(left) = &mut most {
            part.spared = (part.share() - *left).max(Cents::ZERO);
            *left = *left - part.share();
        }
        part
    };
    services.iter().map(of_one).collect()
}

/// The share of the patient. The first plan decides; each further one pays at most what it would have
/// paid had it been the only one, and never more than is left.
pub fn share_estimate(plans: &[Plan], services: &[ExpectedService]) -> ShareEstimate {
    let unpriced: Vec<&str> = services.iter().filter(|s| s.fee.is_none()).map(|s| s.name.as_str()).collect();
    let services: Vec<(&ExpectedService, Cents)> =
        services.iter().filter_map(|s| Some((s, s.fee?.max(Cents::ZERO)))).collect();
    let shares: Vec<Vec<Part>> = plans.iter().map(|p| under(p.benefits, &services)).collect();
    let fees: Cents = services.iter().map(|(_, fee)| *fee).sum();
    let mut paid: Vec<Cents> = vec![Cents::ZERO; plans.len()];
    let mut lines = Vec::new();
    for (at, (service, fee)) in services.iter().enumerate() {
        let (fee, mut left) = (*fee, *fee);
        for (plan, parts) in shares.iter().enumerate() {
            let pays = (fee - parts[at].share()).min(left);
            paid[plan] += pays;
            left = left - pays;
        }
        let why = shares.first().map_or_else(|| "nobody else pays".to_owned(), |first| first[at].why());
        lines.push(ShareLine { name: service.name.clone(), fee, share: left, why });
    }
    let total: Cents = lines.iter().map(|l| l.share).sum();
    let mut river = vec![("charged", fees, "What the clinic usually charges for this visit.".to_owned())];
    for (place, (plan, amount)) in plans.iter().zip(&paid).enumerate() {
        let name = ["payer_owes", "second_payer_owes", "third_payer_owes"][place.min(2)];
        river.push((name, *amount, format!("{} is expected to pay or write off.", plan.payer)));
    }
    river.push(("patient_owes", total, "The patient is expected to owe.".to_owned()));
    let first: &[Part] = shares.first().map_or(&[], Vec::as_slice);
    let copay = if plans.is_empty() { total } else { first.iter().map(|p| p.copay).sum() };
    let mut sentences = sentences(plans, first, &paid);
    if !unpriced.is_empty() {
        sentences.push(format!("No price is set for {}, so it is not in this estimate.", unpriced.join(", ")));
    }
    ShareEstimate { total, copay, lines, river, sentences }
}

fn sentences(plans: &[Plan], first: &[Part], paid: &[Cents]) -> Vec<String> {
    let Some(plan) = plans.first() else {
        return vec!["Self-pay: the clinic's usual prices, due at the visit.".into()];
    };
    let sum = |of: fn(&Part) -> Cents| first.iter().map(of).sum::<Cents>();
    let (copay, deductible, coinsurance) = (sum(|p| p.copay), sum(|p| p.deductible), sum(|p| p.coinsurance));
    let (not_covered, spared) = (sum(|p| p.not_covered), sum(|p| p.spared));
    let mut out = Vec::new();
    if copay.is_positive() {
        let what = if plan.benefits.copay_covers_visit { ", which covers the visit itself" } else { "" };
        out.push(format!("The plan asks a copay of {copay} at each visit{what}."));
    }
    if deductible.is_positive() {
        let left = plan.benefits.deductible_left.or(plan.benefits.deductible).unwrap_or_default();
        out.push(format!("{left} of the deductible is left, so {deductible} of it falls on this visit."));
    }
    if coinsurance.is_positive() {
        let rate = plan.benefits.coinsurance.unwrap_or(0).min(10_000);
        out.push(format!("Of the rest the patient pays {} %: {coinsurance}.", rate / 100));
    }
    if spared.is_positive() {
        let most = plan.benefits.out_of_pocket_left.unwrap_or_default().max(Cents::ZERO);
        out.push(format!("Only {most} of the out-of-pocket maximum is left, so the share stops there."));
    }
    if not_covered.is_positive() {
        out.push(format!("The plan does not cover services of {not_covered}."));
    }
    if out.is_empty() {
        out.push("The plan pays the whole visit.".into());
    }
    for (plan, amount) in plans.iter().zip(paid).skip(1) {
        out.push(format!("Of what is left {} takes {amount}.", plan.payer));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn service(kind: &str, cents: i64) -> ExpectedService {
        ExpectedService { name: format!("Service {kind}"), kind: kind.into(), fee: Some(Cents::new(cents)) }
    }

    fn plan(benefits: &BenefitAnswer) -> Plan<'_> {
        Plan { payer: "Payer", benefits }
    }

    fn total(benefits: &BenefitAnswer, services: &[ExpectedService]) -> i64 {
        share_estimate(&[plan(benefits)], services).total.get()
    }

    #[test]
    fn the_steps_come_in_their_order() {
        let visit = [service(OFFICE_VISIT, 15_000)];
        let ppo = BenefitAnswer {
            copay: Some(Cents::new(2500)),
            deductible_left: Some(Cents::new(5_000)),
            coinsurance: Some(2000),
            ..Default::default()
        };
        // 25.00 copay, 50.00 deductible, a fifth of the 75.00 that are left.
        assert_eq!(total(&ppo, &visit), 2500 + 5000 + 1500);
        let nearly_out = BenefitAnswer { out_of_pocket_left: Some(Cents::new(300)), ..ppo.clone() };
        let e = share_estimate(&[plan(&nearly_out)], &visit);
        assert_eq!(e.total.get(), 300);
        let told = "Only 3.00 of the out-of-pocket maximum is left, so the share stops there.";
        assert_eq!(e.sentences.last().unwrap(), told);
        let free = BenefitAnswer::default();
        assert_eq!(share_estimate(&[plan(&free)], &visit).sentences, ["The plan pays the whole visit."]);
    }

    #[test]
    fn whoever_pays_alone_is_asked_for_all_of_it_and_a_missing_price_is_told() {
        let alone = share_estimate(&[], &[service(OFFICE_VISIT, 15_000)]);
        assert_eq!((alone.total.get(), alone.copay.get()), (15_000, 15_000));
        assert_eq!(alone.sentences, ["Self-pay: the clinic's usual prices, due at the visit."]);
        let unpriced = ExpectedService { fee: None, ..service("5", 0) };
        let some = share_estimate(&[], &[service(OFFICE_VISIT, 15_000), unpriced]);
        assert_eq!((some.total.get(), some.lines.len()), (15_000, 1));
        assert_eq!(some.sentences[1], "No price is set for Service 5, so it is not in this estimate.");
    }

    #[test]
    fn a_copay_for_the_visit_spares_it_the_deductible() {
        let services = [service(OFFICE_VISIT, 14_000), service("5", 4_000)];
        let benefits = BenefitAnswer {
            copay: Some(Cents::new(2500)),
            copay_covers_visit: true,
            deductible_left: Some(Cents::new(100_000)),
            ..Default::default()
        };
        let e = share_estimate(&[plan(&benefits)], &services);
        assert_eq!(e.lines.iter().map(|l| l.share.get()).collect::<Vec<_>>(), [2500, 4000]);
        assert_eq!(e.lines.iter().map(|l| l.why.as_str()).collect::<Vec<_>>(), ["copay", "deductible"]);
        assert_eq!(e.copay.get(), 2500);
    }

    #[test]
    fn what_is_not_covered_falls_on_the_patient_even_beyond_the_maximum() {
        let services = [service(OFFICE_VISIT, 14_000), service("80", 2_800)];
        let benefits = BenefitAnswer {
            not_covered: vec!["80".into()],
            out_of_pocket_left: Some(Cents::ZERO),
            coinsurance: Some(2000),
            ..Default::default()
        };
        let e = share_estimate(&[plan(&benefits)], &services);
        assert_eq!(e.total.get(), 2_800);
        assert_eq!(e.lines[1].why, "not covered");
    }

    #[test]
    fn the_second_plan_takes_what_it_would_have_paid_alone_and_no_more() {
        let visit = [service(OFFICE_VISIT, 10_000)];
        let first = BenefitAnswer { deductible_left: Some(Cents::new(6_000)), ..Default::default() };
        let half = BenefitAnswer { coinsurance: Some(5000), ..Default::default() };
        let e = share_estimate(&[plan(&first), Plan { payer: "Second", benefits: &half }], &visit);
        // The first leaves 60.00; the second alone would have paid 50.00.
        assert_eq!(e.total.get(), 1_000);
        assert_eq!(e.sentences.last().unwrap(), "Of what is left Second takes 50.00.");
        let whole = BenefitAnswer::default();
        assert_eq!(share_estimate(&[plan(&first), plan(&whole)], &visit).total, Cents::ZERO);
    }

    fn any_benefits() -> impl Strategy<Value = BenefitAnswer> {
        (
            proptest::option::of(-5i64..10_000),
            any::<bool>(),
            0i64..300_000,
            0u32..12_000,
            proptest::option::of(-5i64..50_000),
            proptest::collection::vec("98|5|80", 0..2),
        )
            .prop_map(|(copay, visit, left, rate, most, not_covered)| BenefitAnswer {
                copay: copay.map(Cents::new),
                copay_covers_visit: visit,
                deductible_left: Some(Cents::new(left)),
                coinsurance: Some(rate),
                out_of_pocket_left: most.map(Cents::new),
                not_covered,
                ..Default::default()
            })
    }

    proptest! {
        #[test]
        fn the_river_adds_up_and_a_further_plan_never_makes_it_dearer(
            plans in proptest::collection::vec(any_benefits(), 0..4),
            services in proptest::collection::vec(("98|5|80", 0i64..100_000), 0..6),
        ) {
            let services: Vec<_> = services.iter().map(|(kind, fee)| service(kind, *fee)).collect();
            let plans: Vec<_> = plans.iter().map(plan).collect();
            let e = share_estimate(&plans, &services);
            let rest: Cents = e.river[1..].iter().map(|(_, c, _)| *c).sum();
            prop_assert_eq!(e.river[0].1, rest);
            prop_assert!(e.river.iter().all(|(_, c, _)| *c >= Cents::ZERO));
            prop_assert_eq!(e.lines.iter().map(|l| l.share).sum::<Cents>(), e.total);
            for n in 1..=plans.len() {
                let (fewer, more) = (share_estimate(&plans[..n - 1], &services), share_estimate(&plans[..n], &services));
                prop_assert!(more.total <= fewer.total);
            }
        }
    }
}
