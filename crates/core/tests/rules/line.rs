//! What is always true of a visit line, whatever the facts.

use chrono::{DateTime, TimeZone, Utc};
use harbor_core::arrival::Stage;
use harbor_core::house::permissions::Role;
use harbor_core::money::Cents;
use harbor_core::visit_line::work_list::{Standing, task};
use harbor_core::visit_line::{BenefitsState, Mark, Pays, Reached, VisitFacts, visit_line};
use proptest::prelude::*;

fn at(minute: u32) -> DateTime<Utc> {
    Utc.with_ymd_and_hms(2026, 11, 23, 8, minute % 60, 0).unwrap()
}

fn reached() -> impl Strategy<Value = Option<Reached>> {
    proptest::option::of((0u32..60).prop_map(|m| Reached { at: at(m), by: "someone".into() }))
}

fn benefits() -> impl Strategy<Value = BenefitsState> {
    prop_oneof![
        Just(BenefitsState::NotNeeded),
        Just(BenefitsState::NotAsked),
        Just(BenefitsState::Waiting),
        Just(BenefitsState::InForce),
        "[a-z]{1,8}".prop_map(BenefitsState::Refused),
    ]
}

prop_compose! {
    fn facts()(
        stage in proptest::sample::select(Stage::ALL.to_vec()),
        pays in proptest::sample::select(vec![Pays::Insurance, Pays::SelfPay, Pays::Nobody, Pays::Unknown]),
        appointment in any::<bool>(),
        alone in proptest::bool::weighted(0.1),
        marks in proptest::array::uniform9(reached()),
        benefits in benefits(),
        counts in proptest::array::uniform4(0usize..3),
        unplaced in proptest::collection::vec("[a-z]{1,6}", 0..3),
        faults in proptest::collection::vec("[a-z]{1,6}", 0..3),
        rejections in proptest::collection::vec("[a-z]{1,6}", 0..2),
        waiting_for_payer in any::<bool>(),
        money in (-5_000i64..5_000, -5_000i64..5_000),
    ) -> VisitFacts {
        let reached = Mark::ALL.iter().zip(marks).filter_map(|(mark, r)| Some((*mark, r?)));
        VisitFacts {
            stage, appointment, alone, pays,
            marks: reached.collect(),
            registration_gaps: if counts[0] > 0 { vec!["address"] } else { vec![] },
            benefits,
            referral_lack: faults.first().cloned(),
            estimate_lack: unplaced.first().cloned(),
            diagnoses: counts[1],
            runs_without_code: unplaced.clone(),
            orders_without_diagnosis: unplaced.clone(),
            orders_unsent: counts[2],
            prescriptions_without_diagnosis: unplaced,
            prescriptions_unsent: counts[2],
            claim_faults: faults,
            charge_lines: counts[3],
            cosigner_missing: None,
            note_struck: false,
            claim_rejections: rejections,
            waiting_for_payer,
            payer_balance: Cents::new(money.0),
            patient_balance: Cents::new(money.1),
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(4_000))]

    #[test]
    fn a_line_is_in_order_and_blocks_only_what_is_not_reached(f in facts()) {
        let line = visit_line(&f);
        let order: Vec<usize> =
            line.marks.iter().map(|m| Mark::ALL.iter().position(|a| *a == m.mark).unwrap()).collect();
        prop_assert!(order.is_sorted() && order.len() <= 9);
        let said: Vec<&str> = line.blockers().map(|b| b.sentence.as_str()).collect();
        prop_assert!((1..said.len()).all(|n| !said[..n].contains(&said[n])), "two blockers never say the same: {:?}", said);
        for mark in &line.marks {
            let left_open = mark.mark == Mark::CheckedIn && !f.marks.has(Mark::Charged);
            prop_assert!(mark.reached.is_none() || mark.blockers.is_empty() || left_open, "a reached mark is not blocked");
            for blocker in &mark.blockers {
                prop_assert_eq!(blocker.mark, mark.mark);
                prop_assert!(!blocker.sentence.is_empty() && !blocker.code.is_empty());
            }
        }
    }

    #[test]
    fn the_current_mark_is_the_first_not_reached_unless_the_visit_ended(f in facts()) {
        let line = visit_line(&f);
        let first = line.marks.iter().find(|m| m.reached.is_none()).map(|m| m.mark);
        match line.ended {
            Some(_) => prop_assert_eq!((line.current, line.next_role), (None, None)),
            None => {
                prop_assert_eq!(line.current, first);
                prop_assert_eq!(line.next_role.is_some(), first.is_some(), "somebody acts next, or nothing is left");
            }
        }
    }

    #[test]
    fn shorter_lines_ask_nothing_of_what_they_leave_out(f in facts()) {
        let line = visit_line(&f);
        let has = |mark: Mark| line.marks.iter().any(|m| m.mark == mark);
        if f.pays == Pays::Nobody {
            prop_assert!(!has(Mark::Charged) && !has(Mark::Claimed) && !has(Mark::Settled));
        }
        if f.pays == Pays::SelfPay {
            prop_assert!(!has(Mark::Claimed), "nothing is claimed for who pays alone");
        }
        if !f.appointment {
            prop_assert!(!has(Mark::Booked));
        }
        if f.alone {
            prop_assert!(line.marks.iter().all(|m| matches!(m.mark, Mark::Charged | Mark::Settled)));
        }
        if f.stage == Stage::Cancelled {
            prop_assert!(!has(Mark::Seen) && line.ended == Some("cancelled"));
        }
    }

    #[test]
    fn a_task_is_always_about_the_current_mark(f in facts(), past in any::<bool>(), own in any::<bool>()) {
        let line = visit_line(&f);
        let standing = Standing { stage: f.stage, past, own };
        for role in Role::ALL {
            let Some(task) = task(*role, &line, standing) else { continue };
            // The desk sees somebody out, and closes what check-in left open, also when no mark is left to reach.
            let at_the_desk = *role == Role::FrontDesk && line.ended.is_none();
            prop_assert!(line.current.is_some() || at_the_desk, "an ended line is nobody's task");
            prop_assert!(!task.group.is_empty() && !task.action.is_empty());
            prop_assert!(own || *role != Role::Clinician);
            prop_assert!(*role != Role::Manager, "a manager clears no visit");
        }
    }
}
