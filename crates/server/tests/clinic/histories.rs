//! A clinician's day through long random histories: after every step the program and its database must have done
//! just what the core's rules say, sentence for sentence.

use crate::{Hand, id};
use chrono::{DateTime, Duration, Utc};
use chrono_tz::America::New_York;
use harbor_core::schedule::slots::{self as rules, Cut, SlotRefusal};
use harbor_core::schedule::{BookingRefusal, Shift, Span, Wish, may_book};
use harbor_demo::testing::{Product, now};
use serde_json::{Value, json};

/// Numbers that are the same at every run of one seed.
struct Chance(u64);

impl Chance {
    fn below(&mut self, n: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        usize::try_from(self.0 >> 33).unwrap() % n.max(1)
    }
}

fn at(value: &Value) -> DateTime<Utc> {
    value.as_str().unwrap().parse().unwrap()
}

fn span_of(value: &Value) -> Span {
    Span::new(at(&value["startsAt"]), at(&value["endsAt"])).unwrap()
}

fn clock(at: DateTime<Utc>) -> String {
    at.with_timezone(&New_York).format("%H:%M").to_string()
}

#[derive(Clone, Debug, PartialEq)]
struct Slot {
    id: String,
    span: Span,
    visit_type: Option<String>,
    held: Option<String>,
}

#[derive(Clone, Debug)]
struct Visit {
    id: String,
    span: Span,
    extra: bool,
}

/// What the test believes about one shift.
struct Day {
    desk: Hand,
    boss: Hand,
    day: &'static str,
    shift: String,
    whole: Span,
    /// The clinician's other shifts of the day, and the slots in them.
    others: Vec<Span>,
    elsewhere: Vec<Span>,
    slots: Vec<Slot>,
    visits: Vec<Visit>,
    /// Visit types: id, name in small letters, minutes.
    types: Vec<(String, String, i64)>,
    people: Vec<String>,
    chance: Chance,
}

/// What came of a step: done, or the sentence that says why not.
type Outcome = Result<(), String>;

fn said(reply: crate::Reply) -> Result<Value, String> {
    match reply.status {
        200 => Ok(reply.body),
        409 | 422 => Err(reply.detail().replace(" The next open times are offered.", "")),
        other => panic!("{other} {}", reply.body),
    }
}

impl Day {
    async fn open(product: &Product, day: &'static str, last: &str, seed: u64) -> Day {
        let (desk, boss) = (Hand::sign_in(product, "junia").await, Hand::sign_in(product, "soren").await);
        let clinic = desk.get("/api/clinic").await;
        let who = id(clinic["staff"].as_array().unwrap().iter().find(|s| s["lastName"] == last).unwrap());
        let types = clinic["visitTypes"].as_array().unwrap().iter().filter(|t| t["releaseDays"].is_null());
        let types = types.map(|t| (id(t), t["name"].as_str().unwrap().to_lowercase(), t["minutes"].as_i64().unwrap()));
        let shifts = desk.get(&format!("/api/shifts?from={day}&clinicianId={who}")).await;
        let shift = shifts[0].clone();
        let mut people = Vec::new();
        for name in ["Brandvold", "Moreau", "Ferreira", "Takahashi", "Sorrentino"] {
            people.push(id(&desk.person(name).await));
        }
        let mut this = Day {
            day,
            shift: id(&shift),
            whole: span_of(&shift),
            elsewhere: vec![],
            others: shifts.as_array().unwrap()[1..].iter().map(span_of).collect(),
            slots: vec![],
            visits: vec![],
            types: types.collect(),
            people,
            chance: Chance(seed),
            desk,
            boss,
        };
        let view = this.desk.get(&format!("/api/schedule?day={day}")).await;
        let elsewhere = |s: &&Value| s["clinicianId"] == who.as_str() && s["shiftId"] != this.shift.as_str();
        this.elsewhere = view["slots"].as_array().unwrap().iter().filter(elsewhere).map(span_of).collect();
        let shown = this.shown().await;
        this.slots = shown.0;
        this.visits = shown.1;
        this
    }

    /// The slots and visits of the shift as the schedule shows them.
    async fn shown(&self) -> (Vec<Slot>, Vec<Visit>) {
        let view = self.desk.get(&format!("/api/schedule?day={}", self.day)).await;
        let mine = |s: &&Value| s["shiftId"] == self.shift.as_str();
        let slot = |s: &Value| Slot {
            id: id(s),
            span: span_of(s),
            visit_type: s["visitTypeId"].as_str().map(str::to_owned),
            held: s["heldFor"].as_str().map(str::to_owned),
        };
        let slots: Vec<Slot> = view["slots"].as_array().unwrap().iter().filter(mine).map(slot).collect();
        let shift = view["shifts"].as_array().unwrap().iter().find(|s| s["id"] == self.shift.as_str()).unwrap();
        let live = view["visits"].as_array().unwrap().iter().map(|v| &v["visit"]).filter(|v| {
            v["clinicianId"] == shift["clinicianId"]
                && v["stage"] == "booked"
                && at(&v["startsAt"]) < at(&shift["endsAt"])
        });
        let visit = |v: &Value| Visit { id: id(v), span: span_of(v), extra: v["extra"] == true };
        (slots, live.map(visit).collect())
    }

    fn cut(&self, slot: &Slot) -> Cut {
        Cut { span: slot.span, booked: self.visits.iter().any(|v| v.span.overlaps(&slot.span)) }
    }

    /// The next slot by chance.
    fn any_slot(&mut self) -> Option<Slot> {
        let n = self.chance.below(self.slots.len());
        self.slots.get(n).cloned()
    }

    async fn change(&self, slot: &Slot, body: Value) -> Outcome {
        said(self.boss.post(&format!("/api/slots/{}", slot.id), body).await).map(|_| ())
    }

    /// A change of a slot by hand: what the rules say of it, and what the program did.
    async fn by_hand(&mut self, slot: &Slot) -> (Outcome, Outcome) {
        let cut = self.cut(slot);
        let words = |r: Result<(), SlotRefusal>| r.map_err(|e| e.to_string());
        match self.chance.below(6) {
            0 => {
                let minutes = i64::try_from(self.chance.below(9)).unwrap() * 5;
                let moment = slot.span.start() + Duration::minutes(minutes);
                let asked = json!({ "what": "split", "at": clock(moment) });
                (words(rules::split(cut, moment).map(|_| ())), self.change(slot, asked).await)
            }
            1 => {
                let next = self.slots.iter().find(|s| s.span.start() == slot.span.end());
                let rule = next.map_or(Err(SlotRefusal::NotNeighbours), |n| rules::join(cut, self.cut(n)).map(|_| ()));
                (words(rule), self.change(slot, json!({ "what": "join" })).await)
            }
            2 => (words(rules::change(cut)), self.change(slot, json!({ "what": "hold", "heldFor": "drill" })).await),
            3 => {
                let rule = words(rules::change(cut)).and_then(|()| match slot.visit_type {
                    Some(_) => Ok(()),
                    None => Err("The slot has no type yet; choose one, which frees it.".into()),
                });
                (rule, self.change(slot, json!({ "what": "free" })).await)
            }
            4 => {
                let (kind, name, minutes) = self.types[self.chance.below(self.types.len())].clone();
                let asked = json!({ "what": "retype", "visitTypeId": kind });
                (words(rules::retype(cut, &name, minutes)), self.change(slot, asked).await)
            }
            _ => (words(rules::change(cut)), self.change(slot, json!({ "what": "delete" })).await),
        }
    }

    async fn add_a_slot(&mut self) -> (Outcome, Outcome) {
        let (kind, name, needed) = self.types[self.chance.below(self.types.len())].clone();
        let minutes = i64::try_from(self.chance.below(9)).unwrap() * 5;
        let within = self.whole.start() + Duration::minutes(i64::try_from(self.chance.below(60)).unwrap() * 5);
        let (word, place) =
            [("beginning", rules::Place::Beginning), ("end", rules::Place::End), ("at", rules::Place::At(within))]
                [self.chance.below(3)];
        let taken: Vec<Span> = self.slots.iter().map(|s| s.span).chain(self.elsewhere.clone()).collect();
        let rule = rules::add(self.whole, &taken, &self.others, place, minutes)
            .and_then(|(span, _)| rules::retype(Cut { span, booked: false }, &name, needed));
        let body = json!({ "place": word, "at": clock(within), "minutes": minutes, "visitTypeId": kind });
        let done = said(self.boss.post(&format!("/api/shifts/{}/slots", self.shift), body).await).map(|_| ());
        (rule.map_err(|e| e.to_string()), done)
    }

    /// The stretch that a visit would take in a slot, and what the rules say of it.
    fn asked(
        &self,
        slot: &Slot,
        kind: &(String, String, i64),
        minutes: Option<i64>,
        extra: bool,
        moving: Option<&Visit>,
    ) -> Result<(), BookingRefusal> {
        let own = moving.map(|v| v.span.minutes());
        let usual = if extra { kind.2 } else { slot.span.minutes() };
        let minutes = minutes.or(own.map(|own| own.max(usual))).unwrap_or(usual);
        let span = Span::new(slot.span.start(), slot.span.start() + Duration::minutes(minutes))?;
        let held = self.slots.iter().filter_map(|s| Some((s.span, s.held.clone()?))).collect();
        let others = self.visits.iter().filter(|v| !v.extra && moving.is_none_or(|m| m.id != v.id));
        let shift = Shift { span: self.whole, held, taken: others.map(|v| v.span).collect() };
        let wish = Wish {
            visit_type: kind.1.clone(),
            span,
            deceased: None,
            opens: None,
            closed: None,
            needed: own.unwrap_or(kind.2).min(kind.2),
            kept_for: None,
            not_yours: None,
            extra,
            elsewhere: None,
            same_day: None,
            swallows: None,
            age: None,
            meant: vec![],
        };
        may_book(&wish, Some(&shift), now(), New_York)
    }

    async fn book(&mut self, slot: &Slot) -> (Outcome, Outcome) {
        let kind = self.types[self.chance.below(self.types.len())].clone();
        let minutes = [None, None, Some(20), Some(45), Some(90)][self.chance.below(5)];
        let extra = self.chance.below(4) == 0;
        let rule = self.asked(slot, &kind, minutes, extra, None).map_err(|e| e.to_string());
        let person = self.people[self.chance.below(self.people.len())].clone();
        let body = json!({ "personId": person, "slotId": slot.id, "visitTypeId": kind.0, "minutes": minutes, "extra": extra,
            "meant": crate::meant(), "reason": "one of many" });
        (rule, said(self.desk.post("/api/visits", body).await).map(|_| ()))
    }

    async fn move_or_cancel(&mut self, slot: &Slot) -> (Outcome, Outcome) {
        let n = self.chance.below(self.visits.len());
        let Some(visit) = self.visits.get(n).cloned() else { return (Ok(()), Ok(())) };
        if self.chance.below(3) == 0 {
            let body = json!({ "reason": "patient ill", "byPatient": true });
            return (Ok(()), said(self.desk.post(&format!("/api/visits/{}/cancel", visit.id), body).await).map(|_| ()));
        }
        let view = self.desk.get(&format!("/api/visits/{}", visit.id)).await;
        let kind = self.types.iter().find(|t| view["card"]["visit"]["visitTypeId"] == t.0.as_str()).cloned();
        let Some(kind) = kind else { return (Ok(()), Ok(())) };
        let rule = self.asked(slot, &kind, None, false, Some(&visit)).map_err(|e| e.to_string());
        let body = json!({ "slotId": slot.id, "meant": crate::meant() });
        (rule, said(self.desk.post(&format!("/api/visits/{}/move", visit.id), body).await).map(|_| ()))
    }

    /// One step; the rules and the program must agree about it, and nothing may change when it was refused.
    async fn step(&mut self, n: usize) -> bool {
        let before = self.slots.clone();
        let Some(slot) = self.any_slot() else {
            let (rule, done) = self.add_a_slot().await;
            assert_eq!(done, rule, "step {n}, into an empty shift");
            (self.slots, self.visits) = self.shown().await;
            return true;
        };
        let (rule, done) = match self.chance.below(10) {
            0..=2 => self.by_hand(&slot).await,
            3 => self.add_a_slot().await,
            4..=7 => self.book(&slot).await,
            _ => self.move_or_cancel(&slot).await,
        };
        assert_eq!(done, rule, "step {n} at {}", clock(slot.span.start()));
        let shown = self.shown().await;
        if done.is_err() {
            assert_eq!(shown.0, before, "step {n} was refused and changed the slots");
            assert_eq!(shown.1.len(), self.visits.len(), "step {n} was refused and changed the visits");
        }
        (self.slots, self.visits) = shown;
        self.whole = self
            .slots
            .iter()
            .fold(self.whole, |w, s| Span::new(w.start().min(s.span.start()), w.end().max(s.span.end())).unwrap());
        self.in_order(n);
        done.is_ok()
    }

    /// No slot overlaps another, no visit another one or held time, and each visit begins within the shift.
    fn in_order(&self, n: usize) {
        for (i, a) in self.slots.iter().enumerate() {
            assert!(self.slots[i + 1..].iter().all(|b| !a.span.overlaps(&b.span)), "step {n}: two slots overlap");
        }
        for (i, v) in self.visits.iter().enumerate() {
            let clash = |o: &Visit| !v.extra && !o.extra && v.span.overlaps(&o.span);
            assert!(!self.visits[i + 1..].iter().any(clash), "step {n}: two visits at once");
            let held = |s: &Slot| s.held.is_some() && s.span.overlaps(&v.span);
            assert!(!self.slots.iter().any(held), "step {n}: a visit lies in held time");
            assert!(self.whole.holds(v.span.start()), "step {n}: a visit begins outside the shift");
        }
    }
}

async fn history(day: &'static str, last: &str, seed: u64, steps: usize) {
    let product = Product::start().await.unwrap();
    let mut day = Day::open(&product, day, last, seed).await;
    let mut done = 0;
    for n in 0..steps {
        done += usize::from(day.step(n).await);
    }
    assert!(done > steps / 5 && done < steps, "{done} of {steps} steps were done: some of both kinds");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_childrens_morning_follows_the_rules_whatever_happens_to_it() {
    history("2026-12-09", "Adeyemi-Strand", 9, 140).await;
}

#[actix_web::test]
async fn a_morning_with_long_slots_follows_the_rules_whatever_happens_to_it() {
    history("2026-12-10", "Valcourt", 10, 140).await;
}

#[actix_web::test]
async fn a_saturday_follows_the_rules_whatever_happens_to_it() {
    history("2026-12-05", "Corrigan", 5, 140).await;
}
