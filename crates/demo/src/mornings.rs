//! Mornings of a made-up clinic, minute by minute, for measuring how well the time of being roomed is foretold.
//!
//! What happens is drawn, not computed by the rules that are measured: people come early, late or never, some
//! clinicians are slow today, visits take from half to twice their usual time, making ready takes 4 to 9 minutes.

use crate::{Chance, at};
use chrono::{DateTime, Duration, NaiveDate, Utc};
use harbor_core::arrival::Stage;
use harbor_core::arrival::waiting::{InLine, Setting, expected};
use std::collections::HashMap;

/// Errors in minutes, summed over everybody who waited when somebody looked.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Errors {
    pub looks: u32,
    /// Of the core's expected time.
    pub ours: f64,
    /// Of the appointment time plus the average delay of the clinician so far today.
    pub plain: f64,
}

impl Errors {
    /// Mean absolute error of both, in minutes.
    pub fn means(&self) -> (f64, f64) {
        let n = f64::from(self.looks.max(1));
        (self.ours / n, self.plain / n)
    }
}

struct Coming {
    line: InLine<u32>,
    comes: Option<DateTime<Utc>>,
    lasts: i64,
    made_ready: i64,
}

const CLINICIANS: u32 = 4;
const ROOMS: usize = 6;

fn morning(chance: &mut Chance, day: NaiveDate) -> Vec<Coming> {
    let mut all = Vec::new();
    for clinician in 0..CLINICIANS {
        let pace = 80 + chance.below(60) as i64;
        let mut minute = 0;
        while minute < 240 {
            let usual = [20, 20, 20, 30][chance.below(4)];
            let starts_at = at(day, 8, 0) + Duration::minutes(minute);
            let early = match chance.below(20) {
                0 => None,
                1 | 2 => Some(5 + chance.below(20) as i64),
                _ => Some(-(chance.below(18) as i64)),
            };
            // Three draws make very short and very long visits rare.
            let spread = 55 + (chance.below(31) + chance.below(31) + chance.below(31)) as i64;
            all.push(Coming {
                line: InLine {
                    visit: all.len() as u32,
                    clinician,
                    site: 0,
                    starts_at,
                    stage: Stage::Booked,
                    roomed_at: None,
                    seen_at: None,
                    done_at: None,
                    usual,
                },
                comes: early.map(|m| starts_at + Duration::minutes(m)),
                lasts: (usual * pace * spread / 10_000).max(4),
                made_ready: 4 + chance.below(6) as i64,
            });
            minute += usual;
        }
    }
    all
}

fn in_rooms(all: &[Coming], clinician: Option<u32>) -> usize {
    let inside = |p: &&Coming| matches!(p.line.stage, Stage::InRoom | Stage::WithClinician);
    all.iter().filter(inside).filter(|p| clinician.is_none_or(|c| p.line.clinician == c)).count()
}

/// One minute of the morning.
fn tick(all: &mut [Coming], now: DateTime<Utc>, chance: &mut Chance) {
    for p in all.iter_mut() {
        match p.line.stage {
            Stage::Booked if p.comes.is_some_and(|at| at <= now) => p.line.stage = Stage::Here,
            Stage::WithClinician if p.line.seen_at.is_some_and(|at| now - at >= Duration::minutes(p.lasts)) => {
                p.line.stage = Stage::Left;
                p.line.done_at = Some(now);
            }
            _ => {}
        }
    }
    for clinician in 0..CLINICIANS {
        let own = |p: &Coming, stage| p.line.clinician == clinician && p.line.stage == stage;
        if !all.iter().any(|p| own(p, Stage::WithClinician)) {
            let ready = |p: &Coming| p.line.roomed_at.is_some_and(|at| now - at >= Duration::minutes(p.made_ready));
            let next = (0..all.len()).filter(|n| own(&all[*n], Stage::InRoom) && ready(&all[*n]));
            if let Some(n) = next.min_by_key(|n| all[*n].line.roomed_at) {
                all[n].line.stage = Stage::WithClinician;
                all[n].line.seen_at = Some(now);
            }
        }
    }
    let mut waiting: Vec<usize> = (0..all.len()).filter(|n| all[*n].line.stage == Stage::Here).collect();
    waiting.sort_by_key(|n| (all[*n].line.starts_at, all[*n].line.visit));
    for n in waiting {
        // The assistants are not always at hand.
        let at_hand = chance.below(3) > 0;
        if at_hand && in_rooms(all, None) < ROOMS && in_rooms(all, Some(all[n].line.clinician)) < 2 {
            all[n].line.stage = Stage::InRoom;
            all[n].line.roomed_at = Some(now);
        }
    }
}

/// What the plain rule says: the appointment time and the average delay of those roomed so far.
fn plain(day: &[InLine<u32>], of: &InLine<u32>, now: DateTime<Utc>) -> f64 {
    let late: Vec<f64> = day
        .iter()
        .filter(|v| v.clinician == of.clinician)
        .filter_map(|v| Some((v.roomed_at? - v.starts_at).num_seconds() as f64 / 60.0))
        .collect();
    let average = if late.is_empty() { 0.0 } else { late.iter().sum::<f64>() / late.len() as f64 };
    ((of.starts_at - now).num_seconds() as f64 / 60.0 + average).max(0.0)
}

/// Looks at every tenth minute of so many mornings.
pub fn measure(mornings: u64) -> Errors {
    let day = NaiveDate::from_ymd_opt(2026, 11, 23).unwrap_or_default();
    let mut errors = Errors::default();
    for number in 0..mornings {
        let mut chance = Chance::new(number.wrapping_mul(7_919) + 11);
        let mut all = morning(&mut chance, day);
        // visit, when it was looked at, what both said.
        let mut said: Vec<(u32, DateTime<Utc>, f64, f64)> = Vec::new();
        let begin = at(day, 7, 30);
        for minute in 0..420 {
            let now = begin + Duration::minutes(minute);
            tick(&mut all, now, &mut chance);
            if minute % 10 != 0 {
                continue;
            }
            let line: Vec<InLine<u32>> = all.iter().map(|p| p.line.clone()).collect();
            let setting = Setting { rooms: HashMap::from([(0, ROOMS)]), did_not_come: 45, now };
            for (visit, minutes) in expected(&line, &setting) {
                if let Some(of) = line.iter().find(|v| v.visit == visit) {
                    said.push((visit, now, minutes as f64, plain(&line, of, now)));
                }
            }
        }
        for (visit, looked, ours, theirs) in said {
            let Some(roomed) = all.iter().find(|p| p.line.visit == visit).and_then(|p| p.line.roomed_at) else {
                continue;
            };
            let truth = (roomed - looked).num_seconds() as f64 / 60.0;
            errors.looks += 1;
            errors.ours += (ours - truth).abs();
            errors.plain += (theirs - truth).abs();
        }
    }
    errors
}
