//! A guided tour of the rules: one visit, from the telephone call to a settled balance.
//!
//! Ines Quarrie calls; she is new. Nothing here touches a database or a clock: facts go in, values come out.

use chrono::{DateTime, Duration, NaiveDate, NaiveTime, Utc};
use chrono_tz::America::New_York;
use harbor_core::arrival::Stage;
use harbor_core::charges::level::{VisitEffort, suggest_level};
use harbor_core::claims::{ClaimEvent, ClaimState};
use harbor_core::consult::quick_line::{Item, Known, understand};
use harbor_core::coverage::BenefitAnswer;
use harbor_core::coverage::share::{ExpectedService, OFFICE_VISIT, Plan, share_estimate};
use harbor_core::fields::typed_date::{Sense, in_words, parse};
use harbor_core::house::permissions::{Permission, Role};
use harbor_core::money::Cents;
use harbor_core::money::ledger::{Balances, LineDecision, Method, charge, decision};
use harbor_core::money::payments::payment;
use harbor_core::orders::{Orderable, place};
use harbor_core::people::{Field, USUALLY_REQUIRED, gaps, search_terms};
use harbor_core::schedule::{Shift, Span, Wish, at_local, call_sign, may_book};
use harbor_core::visit_line::{BenefitsState, Mark, Pays, Reached, VisitFacts, visit_line};

fn today() -> NaiveDate {
    NaiveDate::from_ymd_opt(2026, 11, 23).unwrap()
}

fn at(hour: u32, minute: u32) -> DateTime<Utc> {
    at_local(New_York, today(), NaiveTime::from_hms_opt(hour, minute, 0).unwrap())
}

fn reached(hour: u32, minute: u32, by: &str) -> Option<Reached> {
    Some(Reached { at: at(hour, minute), by: by.into() })
}

#[test]
fn one_visit() {
    // 1. The call. The desk searches any mix of name and birth, and reads the birth date back in words.
    let terms = search_terms("qua ine 1999", today());
    assert_eq!((terms.words.len(), terms.birth_year), (2, Some(1999)));
    let born = parse("2/13/99", today(), Sense::Birth).unwrap();
    assert_eq!(in_words(born), "Saturday, February 13, 1999");

    // She is booked into an open slot; a slot that was just taken says so.
    let slot = Span::new(at(11, 20), at(11, 40)).unwrap();
    let mut shift = Shift { span: Span::new(at(8, 0), at(12, 0)).unwrap(), held: vec![], taken: vec![] };
    let wish = Wish {
        elsewhere: None,
        same_day: None,
        swallows: None,
        age: None,
        meant: vec![],
        visit_type: "Consultation".into(),
        span: slot,
        deceased: None,
        opens: None,
        closed: None,
        needed: 20,
        kept_for: None,
        not_yours: None,
        extra: false,
    };
    assert_eq!(may_book(&wish, Some(&shift), at(10, 20), New_York), Ok(()));
    shift.taken.push(slot);
    assert!(may_book(&wish, Some(&shift), at(10, 20), New_York).is_err());
    assert_eq!(call_sign(0), call_sign(0), "the call-sign follows from the place in the day");

    // 2. Arrival. The line says what is still open, where, and whose it is.
    let mut facts = VisitFacts::booked(at(10, 20), "Junia", Pays::Insurance);
    assert_eq!(Stage::Booked.may_become(Stage::Here), Ok(()));
    facts.stage = Stage::Here;
    facts.marks.set(Mark::Here, reached(11, 12, "Junia"));
    let lacking = gaps(&USUALLY_REQUIRED, &[Field::BirthDate, Field::Phone], Some(born), today());
    facts.registration_gaps = lacking.into_iter().map(Field::label).collect();
    let line = visit_line(&facts);
    assert_eq!((line.current, line.next_role), (Some(Mark::CheckedIn), Some(Role::FrontDesk)));
    assert_eq!(line.blockers().map(|b| b.code).collect::<Vec<_>>(), ["registration_gaps", "benefits_not_asked"]);

    // The payer answers; the share follows from it.
    let benefits = BenefitAnswer { active: Some(true), copay: Some(Cents::new(2500)), ..BenefitAnswer::default() };
    let visit =
        [ExpectedService { name: "Office visit".into(), kind: OFFICE_VISIT.into(), fee: Some(Cents::new(12_675)) }];
    assert_eq!(
        share_estimate(&[Plan { payer: "Saltmarsh Mutual", benefits: &benefits }], &visit).total,
        Cents::new(2500)
    );
    facts.registration_gaps.clear();
    facts.benefits = BenefitsState::InForce;
    facts.marks.set(Mark::CheckedIn, reached(11, 16, "Junia"));

    // 3. Rooming: one line of typing becomes measurements.
    facts.marks.set(Mark::Roomed, reached(11, 21, "Petra"));
    let items = understand("bp 152/94 w 80kg h 180cm", &Known { age: Some(27), ..Known::nothing(today()) });
    assert!(matches!(&items[0], Item::Measured(m) if m.in_words() == "Blood pressure, systolic 152 mmHg, high"));

    // 4. Consultation: orders lie down under the diagnosis that usually carries them.
    facts.marks.set(Mark::Seen, reached(11, 30, "Dr. Valcourt"));
    let potassium = Orderable {
        code: "K".into(),
        name: "Potassium".into(),
        usual_for: vec!["N18".into(), "I10".into()],
        ..Orderable::default()
    };
    let diagnoses = [("E78.5", "Hyperlipidemia"), ("I10", "Hypertension")].map(|(c, t)| (c.to_owned(), t.to_owned()));
    assert_eq!(place(&potassium, &diagnoses).diagnoses, [1]);
    facts.diagnoses = 2;
    assert!(Role::Clinician.may(Permission::WriteNote) && !Role::Biller.may(Permission::WriteNote));
    facts.marks.set(Mark::Signed, reached(11, 55, "Dr. Valcourt"));

    // 5. Charges: the level is suggested with its reasons; the fee is posted to the payer.
    let effort = VisitEffort { lasting: 2, tests: 2, prescriptions: 1, ..VisitEffort::default() };
    assert_eq!(suggest_level(&effort).level, Some(4));
    let fee = Cents::new(19_500);
    let mut ledger = payment(Cents::new(2500), Method::Card, "approval A1").unwrap().entries().to_vec();
    ledger.extend(charge(&[(1, fee)], true).unwrap().entries().to_vec());
    facts.marks.set(Mark::Charged, reached(12, 10, "Agathe"));

    // 6. The claim goes out, is accepted, and decided.
    let state = [ClaimEvent::Sent, ClaimEvent::Accepted, ClaimEvent::Paid]
        .into_iter()
        .try_fold(ClaimState::Ready, |s, e| s.after(e));
    assert_eq!(state, Ok(ClaimState::Paid));
    facts.marks.set(Mark::Claimed, reached(12, 30, "clearing house"));
    let decided = LineDecision {
        line: Some(1),
        paid: Cents::new(8140),
        written_off: Cents::new(6825),
        patient_share: Cents::new(4535),
    };
    ledger.extend(decision(&[decided]).unwrap().entries().to_vec());
    let balances = Balances::of(&ledger);
    facts.patient_balance = balances.patient_owes;
    assert_eq!(
        visit_line(&facts).blockers().next().map(|b| b.sentence.clone()),
        Some("The patient owes 20.35.".into())
    );

    // 7. She pays the rest, and the line is at its end.
    ledger.extend(payment(balances.patient_owes, Method::Cash, "").unwrap().entries().to_vec());
    assert!(Balances::of(&ledger).is_settled());
    facts.marks.set(Mark::Settled, Some(Reached { at: at(12, 30) + Duration::days(9), by: "Casimir".into() }));
    let line = visit_line(&facts);
    assert_eq!((line.current, line.marks.iter().filter(|m| m.reached.is_some()).count()), (None, 9));
}
