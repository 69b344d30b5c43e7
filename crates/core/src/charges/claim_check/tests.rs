use super::*;
use crate::charges::Catalogued;
use crate::charges::fee_schedules::ServiceNeed;
use crate::consult::diagnoses::{CodeEntry, DiagnosisIndex};
use crate::money::Cents;

fn index() -> DiagnosisIndex {
    let leaf = |code: &str, title: &str| CodeEntry {
        code: code.into(),
        title: title.into(),
        leaf: true,
        ..Default::default()
    };
    DiagnosisIndex::new(vec![
        CodeEntry { code: "R05".into(), title: "Cough".into(), leaf: false, ..Default::default() },
        CodeEntry { parent: Some("R05".into()), ..leaf("R05.3", "Chronic cough") },
        leaf("I10", "Essential (primary) hypertension"),
        leaf("N18.30", "Chronic kidney disease, stage 3 unspecified"),
        leaf("N40.1", "Benign prostatic hyperplasia with lower urinary tract symptoms"),
        leaf("Z3A.20", "20 weeks gestation of pregnancy"),
    ])
}

fn day(y: i32, m: u32, d: u32) -> NaiveDate {
    NaiveDate::from_ymd_opt(y, m, d).expect("a day")
}

fn policy() -> PolicyOnClaim {
    PolicyOnClaim {
        payer: "Saltmarsh".into(),
        subscriber_number: "SM1".into(),
        group_number: "G 1".into(),
        in_force: true,
        verified: true,
        employment: false,
        relationship: Relationship::SelfHolder,
        holder_name: "Inès Quarrie".into(),
        holder_birth: Some(day(1990, 1, 1)),
        holder_address: true,
        filing_days: Some(90),
        needs_referral: false,
    }
}

fn line(number: u32) -> ChargeLine {
    ChargeLine {
        number,
        service: "Visit".into(),
        code: "IH213".into(),
        modifiers: vec![],
        units: 1,
        price: Some(Cents::new(15_000)),
        pointers: vec![1],
        is_level: true,
        is_procedure: false,
        catalogued: Catalogued::default(),
    }
}

fn sound<'a>() -> ClaimCandidate<'a> {
    ClaimCandidate {
        today: day(2026, 11, 24),
        service_date: day(2026, 11, 23),
        name: "Inès Quarrie".into(),
        birth_date: Some(day(1990, 1, 1)),
        sex: Some(Sex::Female),
        has_address: true,
        policy: Some(policy()),
        self_pay: false,
        alone: false,
        estimated: None,
        diagnoses: vec!["R05.3".into()],
        unrelated: vec![],
        lines: vec![line(1)],
        rendering: Rendering { npi: Some("1234567893"), taxonomy: Some("207Q00000X") },
        billing_postal_code: "04998-1234",
        accident_date: None,
        accident_number: String::new(),
        accident_at_work: false,
        employer: String::new(),
        supervised: false,
        referral: None,
        referrals_on_file: 0,
        approved: false,
    }
}

fn found(c: &ClaimCandidate) -> Vec<&'static str> {
    check_claim(c, &index()).faults.iter().map(|f| f.code).collect()
}

fn with(change: impl Fn(&mut ClaimCandidate)) -> Vec<&'static str> {
    let mut c = sound();
    change(&mut c);
    found(&c)
}

fn with_policy(change: impl Fn(&mut PolicyOnClaim)) -> Vec<&'static str> {
    with(|c| change(c.policy.as_mut().expect("a policy")))
}

fn with_line(change: impl Fn(&mut ChargeLine)) -> Vec<&'static str> {
    with(|c| change(&mut c.lines[0]))
}

#[test]
fn a_sound_claim_passes_every_check_and_says_how_many() {
    let check = check_claim(&sound(), &index());
    assert_eq!(check.faults, []);
    assert_eq!(check.said(), format!("Ready: {} checks passed.", check.checks.len()));
    let names: std::collections::HashSet<_> = rules::RULES.iter().map(|r| r.name).collect();
    assert_eq!(names.len(), rules::RULES.len(), "each rule has a name of its own");
    let own = check_claim(&ClaimCandidate { policy: None, self_pay: true, ..sound() }, &index());
    assert!(own.is_ready() && own.checks.len() < check.checks.len(), "what only payers want is not asked");
}

#[test]
fn only_a_missing_line_may_be_filled_with_the_suggested_level() {
    let lacks = |c: &ClaimCandidate| check_claim(c, &index()).lacks_only_lines();
    assert!(lacks(&ClaimCandidate { lines: vec![], ..sound() }));
    assert!(!lacks(&ClaimCandidate { lines: vec![], diagnoses: vec![], ..sound() }), "something else is in the way");
    assert!(!lacks(&sound()), "nothing is missing");
}

#[test]
fn a_payer_that_asks_for_a_referral_is_not_billed_without_one_that_holds() {
    use crate::coverage::referrals::{ReferralFault, ReferralOfVisit};
    let asks = |c: &mut ClaimCandidate| c.policy.as_mut().expect("a policy").needs_referral = true;
    let named = |fault| Some(ReferralOfVisit { who: "Dr. Okafor-Lund".into(), fault });
    let over = ReferralFault::Until(day(2026, 11, 1));
    assert_eq!(with(asks), ["referral"]);
    let asked = |referral: Option<ReferralOfVisit>| {
        with(|c| {
            asks(c);
            c.referral = referral.clone();
        })
    };
    assert_eq!(asked(named(None)), [""; 0]);
    assert_eq!(asked(named(Some(over))), ["referral"]);
    assert_eq!(with(|c| c.referral = named(Some(over))), ["referral_over"], "one that nobody asked for is only told");
}

#[test]
fn what_is_missing_of_the_person_and_the_clinic_is_told() {
    assert_eq!(with(|c| c.birth_date = None), ["birth_date"]);
    assert_eq!(with(|c| c.sex = None), ["sex"]);
    assert_eq!(with(|c| c.has_address = false), ["address"]);
    assert_eq!(with(|c| c.service_date = day(2026, 11, 25)), ["future"]);
    assert_eq!(with(|c| c.name = "Мария Quarrie".into()), ["letters"]);
    assert_eq!(with(|c| c.name = "x".repeat(96)), ["name_cut"]);
    assert_eq!(with(|c| c.rendering.npi = Some("1234567890")), ["npi"]);
    assert_eq!(with(|c| c.rendering.taxonomy = None), ["taxonomy"]);
    assert_eq!(with(|c| c.billing_postal_code = "04998"), ["billing_postal_code"]);
}

#[test]
fn a_policy_is_that_of_the_very_day_with_numbers_that_can_be_sent() {
    assert_eq!(with(|c| c.policy = None), ["no_policy"]);
    assert_eq!(with_policy(|p| p.in_force = false), ["policy_ended"]);
    assert_eq!(with_policy(|p| p.verified = false), ["not_verified"]);
    assert_eq!(with_policy(|p| p.subscriber_number.clear()), ["subscriber_number"]);
    assert_eq!(with_policy(|p| p.group_number = "G 1:0*1".into()), ["number_signs"]);
    assert_eq!(with_policy(|p| p.holder_birth = None), ["holder_birth"]);
    assert_eq!(with_policy(|p| p.holder_address = false), ["holder_address"]);
    assert_eq!(with_policy(|p| p.relationship = Relationship::Child), ["child_age"]);
    let child = |r| {
        with(|c| {
            c.birth_date = Some(day(2018, 5, 5));
            c.policy.as_mut().expect("a policy").relationship = r;
        })
    };
    assert_eq!([child(Relationship::SelfHolder), child(Relationship::Child)], [vec!["holder_age"], vec![]]);
}

#[test]
fn the_time_to_file_is_counted_where_the_payer_told_it() {
    let on = |today| with(|c| c.today = today);
    assert_eq!(on(day(2027, 1, 22)), ["filing_soon"], "thirty days left");
    assert_eq!(on(day(2027, 1, 21)), [""; 0]);
    assert_eq!(on(day(2027, 2, 21)), ["filing_soon"], "the last day");
    assert_eq!(on(day(2027, 2, 22)), ["too_late"]);
    let unknown = with(|c| {
        c.today = day(2029, 1, 1);
        c.policy.as_mut().expect("a policy").filing_days = None;
    });
    assert_eq!(unknown, [""; 0], "nobody guesses a limit");
}

#[test]
fn an_accident_at_work_wants_its_day_its_employer_and_its_number() {
    let at_work = |change: &dyn Fn(&mut ClaimCandidate)| {
        with(|c| {
            c.policy.as_mut().expect("a policy").employment = true;
            (c.accident_date, c.accident_number, c.employer) =
                (Some(day(2026, 11, 2)), "W-8".into(), "Kelp & Sons".into());
            change(c);
        })
    };
    assert_eq!(at_work(&|_| ()), [""; 0]);
    assert_eq!(at_work(&|c| c.accident_date = None), ["accident_date"]);
    assert_eq!(at_work(&|c| c.accident_date = Some(day(2026, 12, 1))), ["accident_after"]);
    assert_eq!(at_work(&|c| c.employer.clear()), ["employer"]);
    let warned = at_work(&|c| c.accident_number.clear());
    assert_eq!(warned, ["accident_number"]);
}

#[test]
fn diagnoses_stop_where_payers_refuse_and_only_warn_where_the_record_may_be_right() {
    assert_eq!(with(|c| c.diagnoses = vec!["R05".into()]), ["diagnosis"]);
    assert_eq!(with(|c| c.diagnoses = vec![]), ["no_diagnosis", "pointer"]);
    assert_eq!(with(|c| c.diagnoses = vec!["N40.1".into()]), ["sex_or_age"]);
    let presumed = |unrelated: Vec<Pair>| {
        with(|c| (c.diagnoses, c.unrelated) = (vec!["I10".into(), "N18.30".into()], unrelated.clone()))
    };
    assert_eq!(presumed(vec![]), ["presumption"]);
    assert_eq!(presumed(vec![Pair("I10".into(), "N18.30".into())]), [""; 0], "the note says that they are unrelated");
    assert_eq!(presumed(vec![Pair("I10".into(), "N18.3".into())]), ["presumption"], "said of another code");
    let warns = check_claim(&ClaimCandidate { diagnoses: vec!["N40.1".into()], ..sound() }, &index());
    assert!(warns.is_ready() && warns.said().ends_with("checks passed, 1 to look at."), "{}", warns.said());
    let first = with(|c| {
        c.diagnoses = vec!["R05.3".into(), "Z3A.20".into()];
        c.lines[0].pointers = vec![2, 1];
    });
    assert_eq!(first, ["pointer_first"]);
}

#[test]
fn lines_are_priced_pointed_and_told_apart() {
    assert_eq!(with_line(|l| l.code.clear()), ["service_code"]);
    assert_eq!(with_line(|l| l.price = None), ["no_fee"]);
    assert_eq!(with_line(|l| l.price = Some(Cents::ZERO)), ["zero_fee"]);
    assert_eq!(with_line(|l| l.units = 0), ["units"]);
    assert_eq!(with_line(|l| l.pointers = vec![]), ["no_pointer"]);
    assert_eq!(with_line(|l| l.pointers = vec![1, 1]), ["pointer_twice"]);
    assert_eq!(with_line(|l| l.pointers = vec![1, 2, 3, 4, 5]), ["too_many_pointers"]);
    assert_eq!(with_line(|l| l.modifiers = vec!["2".into()]), ["modifiers"]);
    assert_eq!(with_line(|l| l.modifiers = vec!["LT".into(), "RT".into()]), ["modifiers_exclude"]);
    assert_eq!(with_line(|l| l.modifiers = vec!["25".into(), "25".into()]), ["modifier_twice"]);
    let second = |change: &dyn Fn(&mut ChargeLine)| {
        with(|c| {
            let mut more = line(2);
            change(&mut more);
            c.lines.push(more);
        })
    };
    assert_eq!(second(&|l| l.is_level = false), ["duplicate"]);
    assert_eq!(second(&|l| l.code = "IH214".into()), ["two_levels"]);
    let procedure = |l: &mut ChargeLine| (l.code, l.is_level, l.is_procedure) = ("IH963".into(), false, true);
    assert_eq!(second(&procedure), ["modifier_25"]);
}

#[test]
fn faults_of_the_chart_are_known_as_such_and_what_stops_comes_first() {
    let late = ClaimCandidate { sex: None, today: day(2027, 2, 20), diagnoses: vec!["R05".into()], ..sound() };
    let check = check_claim(&late, &index());
    let told: Vec<_> = check.faults.iter().map(|f| (f.code, f.stops(), f.tells_of_chart())).collect();
    assert_eq!(told, [("sex", true, false), ("diagnosis", true, true), ("filing_soon", false, false)]);
}

#[test]
fn what_the_catalogue_says_of_a_service_holds_for_its_lines() {
    let of = |change: &dyn Fn(&mut ChargeLine)| {
        with(|c| {
            let mut second = line(2);
            (second.is_level, second.code) = (false, "IH940".into());
            second.catalogued.service = "SPIRO".into();
            change(&mut second);
            c.lines.push(second);
        })
    };
    assert_eq!(of(&|_| ()), [""; 0]);
    assert_eq!(of(&|l| (l.units, l.catalogued.most_units) = (3, Some(2))), ["most_units"]);
    assert_eq!(of(&|l| (l.units, l.catalogued.most_units) = (2, Some(2))), [""; 0], "as many as there may be");
    assert_eq!(of(&|l| l.catalogued.out_of_time = true), ["out_of_time"]);
    for need in [ServiceNeed::Supervising, ServiceNeed::Referring, ServiceNeed::Authorisation, ServiceNeed::Side] {
        assert_eq!(of(&|l| l.catalogued.needs = vec![need]), ["lacks"], "{need:?}");
    }
    let sided = |l: &mut ChargeLine| (l.catalogued.needs, l.modifiers) = (vec![ServiceNeed::Side], vec!["RT".into()]);
    assert_eq!(of(&sided), [""; 0]);
    let all = |c: &mut ClaimCandidate| {
        (c.supervised, c.approved) = (true, true);
        c.referral = Some(crate::coverage::referrals::ReferralOfVisit { who: "Dr. Okafor-Lund".into(), fault: None });
        c.lines[0].catalogued.needs =
            vec![ServiceNeed::Supervising, ServiceNeed::Referring, ServiceNeed::Authorisation];
    };
    assert_eq!(with(all), [""; 0]);
}

#[test]
fn services_that_exclude_each_other_are_told_once() {
    let both = |first: &str, second: &str| {
        with(|c| {
            let mut other = line(2);
            (other.is_level, other.code, other.catalogued.service) = (false, "IH940".into(), "B".into());
            other.catalogued.not_with = vec![second.into()];
            c.lines[0].catalogued.service = "A".into();
            c.lines[0].catalogued.not_with = vec![first.into()];
            c.lines.push(other);
        })
    };
    assert_eq!(both("B", "A"), ["not_together"], "each names the other");
    assert_eq!(both("B", ""), ["not_together"]);
    assert_eq!(both("", "A"), ["not_together"]);
    assert_eq!(both("C", "C"), [""; 0]);
}

#[test]
fn an_accident_at_work_is_not_for_the_patients_plan() {
    assert_eq!(with(|c| c.accident_at_work = true), ["not_the_fund"]);
}

#[test]
fn a_charge_alone_needs_neither_diagnosis_nor_clinician_but_a_price() {
    let mut form = ClaimCandidate {
        policy: None,
        self_pay: true,
        alone: true,
        diagnoses: vec![],
        sex: None,
        birth_date: None,
        rendering: Rendering::default(),
        lines: vec![ChargeLine { pointers: vec![], is_level: false, ..line(1) }],
        ..sound()
    };
    assert!(check_claim(&form, &index()).is_ready());
    form.lines[0].price = None;
    assert!(!check_claim(&form, &index()).is_ready());
    form.alone = false;
    let codes: Vec<&str> = check_claim(&form, &index()).stops().map(|f| f.code).collect();
    assert_eq!(codes, ["birth_date", "sex", "npi", "no_diagnosis", "no_fee", "no_pointer"]);
}

#[test]
fn charges_far_beyond_the_written_estimate_are_told_to_who_pays_alone() {
    let told = |estimated: i64, insured: bool| {
        let policy = insured.then(policy);
        let c = ClaimCandidate { self_pay: !insured, policy, estimated: Some(Cents::new(estimated)), ..sound() };
        let lines = vec![ChargeLine { price: Some(Cents::new(60_000)), ..line(1) }];
        let check = check_claim(&ClaimCandidate { lines, ..c }, &index());
        check.faults.into_iter().find(|f| f.code == "beyond_estimate").map(|f| f.sentence)
    };
    assert_eq!(
        told(20_000, false).as_deref(),
        Some(
            "The charges go 400.00 beyond the written estimate; the patient may dispute them within 120 days of the first bill."
        )
    );
    assert_eq!((told(20_100, false), told(20_000, true)), (None, None));
}
