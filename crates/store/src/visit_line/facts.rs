//! Gathers the facts of many visits at once, for the visit line.

use crate::arrival::own_stages;
use crate::charges::fees::{self, Fees};
use crate::consult::heads;
use crate::money::ledger;
use crate::people::registration::Registrations;
use crate::prescribing::approvals;
use crate::rows::{Coverage, NoteRun, OwnStage, Person, Visit};
use crate::visit_line::candidate::{Basics, Of};
use crate::visit_line::visits;
use crate::{Conn, Result, charges, claims, coverage, orders, people, prescribing};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::charges::fee_schedules::Paying;
use harbor_core::charges::{Catalogued, ChargeLine, ClaimCheck, check_claim};
use harbor_core::consult::diagnoses::DiagnosisIndex;
use harbor_core::coverage::referrals;
use harbor_core::coverage::{CheckState, Fact, Verdict, verdicts};
use harbor_core::money::Cents;
use harbor_core::money::ledger::Balances;
use harbor_core::orders::OrderState;
use harbor_core::prescribing::PrescriptionState;
use harbor_core::schedule::VisitKind;
use harbor_core::visit_line::{BenefitsState, Mark, Pays, VisitFacts, VisitLine, visit_line};
use std::collections::{HashMap, HashSet};
use uuid::Uuid;

/// A visit with what its line was computed from.
pub struct Gathered {
    pub visit: Visit,
    pub person: Person,
    pub facts: VisitFacts,
    pub claim_check: Option<ClaimCheck>,
    /// The charge lines with the prices in force, as the claim check saw them.
    pub charges: Vec<ChargeLine>,
    /// By which fee schedule each of them is priced; nothing where it has no price, or one of its own.
    pub schedules: Vec<Option<String>>,
    pub balances: Balances,
    pub coverage: Option<Coverage>,
    /// The clinic's own stage within the fixed one.
    pub own_stage: Option<OwnStage>,
    /// The chart is under restriction: the line tells nothing of it.
    pub restricted: bool,
}

impl Gathered {
    /// The line as everybody may see it.
    pub fn line(&self) -> VisitLine {
        let line = visit_line(&self.facts);
        if self.restricted { line.without_chart() } else { line }
    }
}

/// Rows under what they belong to, so that no visit walks through the rows of all.
fn under<T>(rows: Vec<T>, of: impl Fn(&T) -> Uuid) -> HashMap<Uuid, Vec<T>> {
    let mut found: HashMap<Uuid, Vec<T>> = HashMap::new();
    for row in rows {
        found.entry(of(&row)).or_default().push(row);
    }
    found
}

fn of<T>(rows: &HashMap<Uuid, Vec<T>>, id: Uuid) -> &[T] {
    rows.get(&id).map_or(&[], Vec::as_slice)
}

/// By which release of the codes, and on which day, it is asked.
#[derive(Clone, Copy)]
pub struct Asked<'a> {
    pub index: &'a DiagnosisIndex,
    pub today: NaiveDate,
}

/// Loads everything about these visits in a fixed number of queries.
pub async fn gather(conn: &mut Conn, rows: Vec<Visit>, asked: Asked<'_>) -> Result<Vec<Gathered>> {
    let ids: Vec<Uuid> = rows.iter().map(|v| v.id).collect();
    let mut person_ids: Vec<Uuid> = rows.iter().map(|v| v.person_id).collect();
    person_ids.sort();
    person_ids.dedup();
    let persons: HashMap<Uuid, Person> =
        people::many(conn, &person_ids).await?.into_iter().map(|p| (p.id, p)).collect();
    let registrations = Registrations::load(conn, &person_ids).await?;
    let policies = coverage::of_people(conn, &person_ids).await?;
    let holder_ids: Vec<Uuid> = policies.iter().filter_map(|c| c.holder_id).collect();
    let holders: HashMap<Uuid, Person> =
        people::many(conn, &holder_ids).await?.into_iter().map(|p| (p.id, p)).collect();
    let days: Vec<NaiveDate> = rows.iter().map(|v| v.day).collect::<HashSet<_>>().into_iter().collect();
    let checks = coverage::attempts(conn, &policies.iter().map(|c| c.id).collect::<Vec<_>>(), &days).await?;
    let payers: HashMap<Uuid, crate::rows::Payer> =
        coverage::payers(conn).await?.into_iter().map(|p| (p.id, p)).collect();
    let policies = under(policies, |c| c.person_id);
    let checks = under(checks, |b| b.coverage_id);
    // They were asked for by their visits, so each has one.
    let order_rows = under(orders::of_visits(conn, &ids).await?, |o| o.visit_id.unwrap_or_default());
    let linked = orders::placed_in(conn, &ids).await?;
    let prescriptions = under(prescribing::of_visits(conn, &ids).await?, |p| p.visit_id.unwrap_or_default());
    let lines = under(charges::lines_of(conn, &ids).await?, |l| l.visit_id);
    let claim_rows = under(claims::of_visits(conn, &ids).await?, |c| c.visit_id);
    let mut balances = ledger::balances(conn, &ids).await?;
    let at_own = rows.iter().any(|v| v.own_stage_id.is_some());
    let own = if at_own { own_stages::all(conn).await? } else { vec![] };
    let runs: HashMap<Uuid, Vec<NoteRun>> = {
        use crate::schema::note_runs as r;
        let found = r::table.filter(r::visit_id.eq_any(&ids)).order((r::visit_id, r::position));
        under(found.select(NoteRun::as_select()).load(conn).await?, |run: &NoteRun| run.visit_id)
    };
    let services: HashMap<String, crate::rows::Service> =
        charges::services(conn).await?.into_iter().map(|s| (s.code.clone(), s)).collect();
    let basics = Basics::load(conn, &rows, asked.today).await?;
    let mut marks = visits::marks_of(conn, &ids).await?;
    let charged: HashSet<Uuid> = marks.iter().filter(|(_, m)| m.has(Mark::Charged)).map(|(id, _)| *id).collect();
    // Only what has lines that are not charged yet wants prices, and what else a service may need.
    let open: Vec<&Visit> = rows.iter().filter(|v| !charged.contains(&v.id) && !of(&lines, v.id).is_empty()).collect();
    let fees = Fees::on(conn, &open.iter().map(|v| v.day).collect::<Vec<_>>()).await?;
    let open: Vec<Uuid> = open.into_iter().map(|v| v.id).collect();
    let (approved, supervised) = match open.is_empty() {
        true => Default::default(),
        false => (approvals::numbers_of_visits(conn, &open).await?, heads::supervised(conn, &open).await?),
    };
    let struck: HashSet<Uuid> = heads::struck_among(conn, &ids).await?.into_iter().collect();
    let cosigners: HashMap<Uuid, String> = heads::cosigners_missing(conn, &ids).await?.into_iter().collect();
    let mut out = Vec::with_capacity(rows.len());
    for visit in rows {
        let Some(person) = persons.get(&visit.person_id).cloned() else { continue };
        let marks = marks.remove(&visit.id).unwrap_or_default();
        let is_fund = |id| payers.get(&id).is_some_and(|p| p.employment);
        let policy =
            coverage::pays_for(of(&policies, visit.person_id), &visit, basics.is_at_work(&visit), is_fund).cloned();
        let own_runs = of(&runs, visit.id);
        let codes: Vec<String> = own_runs.iter().filter_map(|r| r.code.clone()).collect();
        let own_orders = of(&order_rows, visit.id);
        let own_scripts = of(&prescriptions, visit.id);
        let own_claims = of(&claim_rows, visit.id);
        let balance = balances.remove(&visit.id).unwrap_or_default();
        let pays = fees::paying(&visit, policy.as_ref());
        let (own_lines, schedules): (Vec<ChargeLine>, Vec<Option<String>>) =
            of(&lines, visit.id).iter().map(|l| charge_line(l, &services, &fees, (pays, visit.day))).unzip();
        let benefits = match &policy {
            None => BenefitsState::NotNeeded,
            // What was said of another day says nothing of this one.
            Some(c) => {
                let of_day = of(&checks, c.id).iter().filter(|b| b.service_date == visit.day);
                BenefitsState::of_attempts(of_day.map(benefits_state))
            }
        };
        let payer = policy.as_ref().and_then(|c| payers.get(&c.payer_id));
        let (referral, on_file) = basics.referral(&visit, payer.map(|p| p.id));
        let referral_lack = payer
            .and_then(|p| referrals::lack(&p.name, p.needs_referral, referral.as_ref(), on_file))
            .filter(|l| l.stops && *visit.kind != VisitKind::Administrative);
        let claim_check = (!marks.has(Mark::Charged)).then(|| {
            let holder = policy.as_ref().and_then(|c| c.holder_id).and_then(|h| holders.get(&h)).unwrap_or(&person);
            let candidate = basics.candidate(&Of {
                visit: &visit,
                person: &person,
                policy: policy.as_ref(),
                payer,
                holder,
                verified: benefits == BenefitsState::InForce,
                diagnoses: &codes,
                lines: &own_lines,
                supervised: supervised.contains_key(&visit.id),
                approved: policy.as_ref().is_some_and(|c| approved.contains_key(&(visit.id, c.payer_id))),
            });
            check_claim(&candidate, asked.index)
        });
        let facts = VisitFacts {
            note_struck: struck.contains(&visit.id),
            cosigner_missing: cosigners.get(&visit.id).cloned(),
            stage: visit.stage(),
            appointment: visit.appointment,
            alone: *visit.kind == VisitKind::Charge,
            pays: match (&policy, *visit.kind) {
                (_, VisitKind::Administrative) => Pays::Nobody,
                (Some(_), _) => Pays::Insurance,
                (None, _) if visit.self_pay => Pays::SelfPay,
                (None, _) => Pays::Unknown,
            },
            marks,
            registration_gaps: registrations.gaps(&person, visit.day).iter().map(|f| f.label()).collect(),
            benefits,
            referral_lack: referral_lack.map(|l| l.sentence),
            estimate_lack: basics.estimate_lack(&visit),
            diagnoses: codes.len(),
            runs_without_code: own_runs.iter().filter(|r| r.code.is_none()).map(|r| r.title.clone()).collect(),
            orders_without_diagnosis: own_orders
                .iter()
                .filter(|o| !linked.contains(&o.id))
                .map(|o| o.test_name.to_lowercase())
                .collect(),
            orders_unsent: own_orders.iter().filter(|o| o.state == OrderState::Draft).count(),
            prescriptions_without_diagnosis: own_scripts
                .iter()
                .filter(|p| p.diagnosis.is_none())
                .map(|p| p.medicine.clone())
                .collect(),
            prescriptions_unsent: own_scripts.iter().filter(|p| p.state == PrescriptionState::Draft).count(),
            claim_faults: claim_check.iter().flat_map(|c| c.stops()).map(|f| f.sentence.clone()).collect(),
            charge_lines: own_lines.len(),
            claim_rejections: own_claims.iter().flat_map(|c| c.reasons.clone()).collect(),
            waiting_for_payer: own_claims.iter().any(|c| c.state.waits_for_payer()),
            payer_balance: balance.payer_owes,
            patient_balance: balance.patient_owes,
        };
        let own_stage = own.iter().find(|o| Some(o.id) == visit.own_stage_id).cloned();
        let restricted = registrations.restricted(person.id);
        out.push(Gathered {
            visit,
            person,
            facts,
            claim_check,
            charges: own_lines,
            schedules,
            balances: balance,
            coverage: policy,
            own_stage,
            restricted,
        });
    }
    Ok(out)
}

/// A line as the core knows it, and the schedule that it is priced by.
fn charge_line(
    l: &crate::rows::ChargeLine,
    services: &HashMap<String, crate::rows::Service>,
    fees: &Fees,
    (pays, day): (Paying<'_, Uuid>, NaiveDate),
) -> (ChargeLine, Option<String>) {
    let service = services.get(&l.service_code);
    // What was charged stays; before that another price than the schedule's may be said.
    let fixed = l.price_cents.or(l.own_price_cents);
    let priced = if fixed.is_none() { fees.price(&l.service_code, pays, day) } else { None };
    let catalogued = service.map(|s| Catalogued {
        service: s.code.clone(),
        most_units: s.most_units.and_then(|m| u32::try_from(m).ok()),
        needs: s.needs.iter().map(|n| **n).collect(),
        not_with: s.not_with.clone(),
        out_of_time: s.is_out_of_time(day),
    });
    let line = ChargeLine {
        number: u32::try_from(l.number).unwrap_or(0),
        service: service.map_or_else(|| l.service_code.clone(), |s| s.name.clone()),
        code: service.map(|s| s.external_code.clone()).unwrap_or_default(),
        modifiers: l.modifiers.clone(),
        units: u32::try_from(l.units).unwrap_or(0),
        price: fixed.or(priced.as_ref().map(|p| p.cents)).map(Cents::new),
        pointers: l.pointers.iter().filter_map(|p| u8::try_from(*p).ok()).collect(),
        is_level: service.is_some_and(|s| s.level.is_some()),
        is_procedure: service.is_some_and(|s| s.procedure),
        catalogued: catalogued.unwrap_or_default(),
    };
    (line, l.schedule.clone().or(priced.map(|p| p.schedule)))
}

/// The state of a benefits check for the line.
pub fn benefits_state(check: &crate::rows::BenefitCheck) -> BenefitsState {
    match (*check.state, &check.answer) {
        (CheckState::Waiting, _) => BenefitsState::Waiting,
        (CheckState::Answered, Some(value)) => {
            let answer = value.in_core();
            if answer.is_no_answer() {
                return BenefitsState::NoAnswer(answer.refusals[0].in_words().to_owned());
            }
            let sent: Vec<Fact> = check.facts.iter().map(|f| **f).collect();
            let refused = verdicts(&answer, &sent).into_iter().find_map(|(_, v)| match v {
                Verdict::Refused(why) => Some(why),
                _ => None,
            });
            match (
                answer.active,
                refused.or_else(|| answer.refusals.as_slice().first().map(|r| r.in_words().to_owned())),
            ) {
                (_, Some(why)) => BenefitsState::Refused(why),
                (Some(true), None) => BenefitsState::InForce,
                _ => BenefitsState::Refused("The policy is not in force on the day of the visit.".into()),
            }
        }
        _ => {
            let unreadable = || "The payer gave no readable answer.".into();
            BenefitsState::NoAnswer(check.failure.clone().unwrap_or_else(unreadable))
        }
    }
}
