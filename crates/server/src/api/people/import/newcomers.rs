//! People who come in with their policies, unless somebody here, or before them in the file, is likely the same.

use super::{Lines, Outcome, ToAdd, add_policies, cannot_hold, form, policy_of, said};
use crate::api::people::person_form::{PersonForm, details};
use crate::api::people::records::likeness;
use crate::problem::Problem;
use crate::state::State;
use harbor_core::people::{Likeness, TwinFinder, TwinScore};
use harbor_formats::incoming::{Fields, IncomingPerson, IncomingPolicy, UNFIT};
use harbor_store::Change;
use harbor_store::coverage::Policy;
use harbor_store::people::Details;
use harbor_store::people::imports::Brought;
use harbor_store::people::many::{Known, learn_words, twins_of_each};
use harbor_store::rows::{Payer, Registration};
use serde_json::json;
use std::collections::{HashSet, VecDeque};
use uuid::Uuid;

/// So many lines are judged before others have their turn.
const JUDGED_AT_ONCE: usize = 100;

/// A record that may come in.
struct Record {
    details: Details,
    more: Registration,
    likeness: Likeness,
    /// Who was here before and is most likely the same.
    here: Option<(Known, TwinScore)>,
}

impl Record {
    /// The record of a form, or what speaks against it.
    fn of(fields: &Fields, patient: bool, state: &State) -> Result<Result<Record, String>, Problem> {
        let typed: PersonForm = form(fields, json!({ "noPatient": !patient }))?;
        Ok(match details(&typed, state.today()) {
            Ok((details, more)) => {
                let likeness = likeness(&details);
                Ok(Record { details, more, likeness, here: None })
            }
            Err(faults) => Err(said(faults)),
        })
    }

    fn name(&self) -> String {
        format!("{} {}", self.details.first_name, self.details.last_name)
    }
}

struct Insured {
    /// As it is when somebody else holds it.
    policy: Policy,
    typed: IncomingPolicy,
    /// Whoever holds it, or why they cannot be registered; nothing: the person.
    holder: Option<Result<Record, String>>,
}

enum Judged {
    Refused(String),
    Person(Box<Record>, Vec<Insured>),
}

/// Somebody of this file who came in, by their place in [`Newcomers::came`].
#[derive(Clone, Copy)]
struct OfFile {
    line: u64,
    place: usize,
}

/// Whoever holds a policy.
#[derive(Clone, Copy)]
enum Holder {
    Here(Uuid),
    OfFile(usize),
}

/// A policy for somebody of this file.
struct Wanted {
    place: usize,
    policy: Policy,
    holder: Option<Holder>,
    outcome: usize,
}

pub(super) struct Newcomers<'a> {
    state: &'a State,
    payers: Vec<Payer>,
    /// Lines that come in whoever is like them.
    also: HashSet<u64>,
    judged: VecDeque<Judged>,
    finder: TwinFinder<OfFile>,
    /// Ids and record numbers of those who came in, in their order.
    came: Vec<(Uuid, String)>,
}

impl<'a> Newcomers<'a> {
    pub(super) async fn new(
        state: &'a State,
        payers: Vec<Payer>,
        also: HashSet<u64>,
        rows: &[IncomingPerson],
    ) -> Result<Newcomers<'a>, Problem> {
        let mut judged = VecDeque::with_capacity(rows.len());
        for some in rows.chunks(JUDGED_AT_ONCE) {
            for row in some {
                judged.push_back(judge(row, &payers, state)?);
            }
            tokio::task::yield_now().await;
        }
        let mut conn = state.store.reader().await?;
        let all: Vec<&mut Record> = judged.iter_mut().flat_map(records).collect();
        let known = twins_of_each(&mut conn, &all.iter().map(|r| r.likeness.clone()).collect::<Vec<_>>()).await?;
        // Also when it is only tried: whoever registers somebody of such a name meanwhile would wait for its end.
        learn_words(&mut conn, &all.iter().map(|r| r.details.clone()).collect::<Vec<_>>()).await?;
        for (record, here) in all.into_iter().zip(known) {
            record.here = here;
        }
        Ok(Newcomers { state, payers, also, judged, finder: TwinFinder::default(), came: vec![] })
    }

    /// Who is most likely the same as a record: somebody here, or of this file.
    fn twin<'r>(&self, record: &'r Record) -> Option<(Result<&'r Known, OfFile>, TwinScore)> {
        let here = record.here.as_ref().map(|(known, score)| (Ok(known), score.clone()));
        let of_file = self.finder.likeliest(&record.likeness).map(|(who, score)| (Err(*who), score));
        match (here, of_file) {
            (Some(here), Some(of_file)) if of_file.1.score > here.1.score => Some(of_file),
            (here, of_file) => here.or(of_file),
        }
    }

    /// Puts a record among those to be added; gives its place.
    fn admit(&mut self, record: Record, line: u64, new: &mut Vec<(Details, Registration)>) -> usize {
        let place = self.came.len() + new.len();
        self.finder.add(record.likeness, OfFile { line, place });
        new.push((record.details, record.more));
        place
    }
}

/// The records of a line: the person, and who holds their policies.
fn records(judged: &mut Judged) -> Vec<&mut Record> {
    match judged {
        Judged::Refused(_) => vec![],
        Judged::Person(person, insured) => {
            let holders = insured.iter_mut().filter_map(|i| i.holder.as_mut()?.as_mut().ok());
            std::iter::once(person.as_mut()).chain(holders).collect()
        }
    }
}

fn judge(row: &IncomingPerson, payers: &[Payer], state: &State) -> Result<Judged, Problem> {
    if let Some(why) = row.fields.get(UNFIT) {
        return Ok(Judged::Refused(why.clone()));
    }
    let record = match Record::of(&row.fields, true, state)? {
        Ok(record) => record,
        Err(why) => return Ok(Judged::Refused(why)),
    };
    let mut insured = Vec::new();
    for p in &row.policies {
        // A payer that nobody knows or a date that is none speaks against the whole row.
        let policy = match policy_of(p, payers, p.holder.as_ref().map(|_| Uuid::nil()), state)? {
            Ok(policy) => policy,
            Err(why) => return Ok(Judged::Refused(why)),
        };
        let holder = match &p.holder {
            None => None,
            Some(fields) => {
                let record = Record::of(fields, false, state)?;
                Some(record.map_err(|why| format!("Its policyholder: {why}")))
            }
        };
        insured.push(Insured { policy, typed: p.clone(), holder });
    }
    Ok(Judged::Person(Box::new(record), insured))
}

fn likely(twin: Result<&Known, OfFile>, name: &str, score: &TwinScore) -> String {
    let who = match twin {
        Ok(known) => format!("{} {} {}", known.record_number, known.first_name, known.last_name),
        Err(of_file) => format!("{name} of line {}", of_file.line),
    };
    format!("Likely {who}: {}.", score.reasons.join(", "))
}

impl Newcomers<'_> {
    /// The policy as it will stand and who holds it, or why it cannot; a holder whom nobody knows is admitted.
    fn insure(
        &mut self,
        (place, line): (usize, u64),
        (name, born): (&str, Option<chrono::NaiveDate>),
        insured: Insured,
        new: &mut Vec<(Details, Registration)>,
    ) -> Result<Result<(Policy, Option<Holder>), String>, Problem> {
        let check = |payers: &[Payer], policy: &Policy, name: &str, born| cannot_hold(payers, policy, name, born);
        let record = match insured.holder {
            Some(Ok(record)) => record,
            Some(Err(why)) => return Ok(Err(why)),
            None => {
                let refusal = check(&self.payers, &insured.policy, name, born);
                return Ok(refusal.map_or(Ok((insured.policy, None)), Err));
            }
        };
        let (holder, holder_name, holder_born) = match self.twin(&record) {
            // They hold it themselves, whatever the file calls it.
            Some((Err(who), _)) if who.place == place => {
                return Ok(match policy_of(&insured.typed, &self.payers, None, self.state)? {
                    Ok(own) => match check(&self.payers, &own, name, born) {
                        Some(why) => Err(why),
                        None => Ok((own, None)),
                    },
                    Err(why) => Err(why),
                });
            }
            Some((Ok(known), _)) => {
                let name = format!("{} {}", known.first_name, known.last_name);
                (Some(Holder::Here(known.id)), name, known.birth_date)
            }
            Some((Err(who), _)) => (Some(Holder::OfFile(who.place)), record.name(), record.details.birth_date),
            None => (None, record.name(), record.details.birth_date),
        };
        if let Some(why) = check(&self.payers, &insured.policy, &holder_name, holder_born) {
            return Ok(Err(why));
        }
        let holder = holder.unwrap_or_else(|| Holder::OfFile(self.admit(record, line, new)));
        Ok(Ok((insured.policy, Some(holder))))
    }
}

/// Two of one rank cannot both be in force.
fn overlaps(one: &Policy, other: &Policy) -> bool {
    let ends = |p: &Policy| p.ends_on.unwrap_or(chrono::NaiveDate::MAX);
    one.rank == other.rank && one.starts_on <= ends(other) && other.starts_on <= ends(one)
}

impl Lines for Newcomers<'_> {
    async fn take_in(
        &mut self,
        change: &mut Change<'_>,
        rows: &[IncomingPerson],
    ) -> Result<(Vec<Outcome>, Brought), Problem> {
        let mut new: Vec<(Details, Registration)> = Vec::new();
        let (mut outcomes, mut added, mut wanted): (Vec<Outcome>, Vec<(usize, usize)>, Vec<Wanted>) =
            (vec![], vec![], vec![]);
        for row in rows {
            let (record, policies) = match self.judged.pop_front() {
                Some(Judged::Person(record, policies)) => (*record, policies),
                Some(Judged::Refused(why)) => {
                    outcomes.push(Outcome::Refused(why));
                    continue;
                }
                None => break,
            };
            let (name, born) = (record.name(), record.details.birth_date);
            if let Some((twin, score)) = self.twin(&record).filter(|_| !self.also.contains(&row.line)) {
                outcomes.push(Outcome::Twin(likely(twin, &name, &score)));
                continue;
            }
            let place = self.admit(record, row.line, &mut new);
            let (mut tail, mut own): (String, Vec<Policy>) = (String::new(), vec![]);
            for insured in policies {
                let policy = match self.insure((place, row.line), (&name, born), insured, &mut new)? {
                    Ok((policy, _)) if own.iter().any(|o| overlaps(o, &policy)) => {
                        Err("A policy of this rank is in force in that time; end it first.".to_owned())
                    }
                    judged => judged,
                };
                match policy {
                    Ok((policy, holder)) => {
                        own.push(policy.clone());
                        wanted.push(Wanted { place, policy, holder, outcome: outcomes.len() });
                        tail.push_str(" With a policy.");
                    }
                    // The person comes in; the policy is told and entered by hand.
                    Err(why) => tail.push_str(&format!(" Without its policy: {why}")),
                }
            }
            added.push((outcomes.len(), place));
            outcomes.push(Outcome::Added(tail));
        }
        let people = match new.is_empty() {
            true => vec![],
            false => change.add_people(new).await?,
        };
        self.came.extend(people.iter().map(|p| (p.id, p.record_number.clone())));
        for (n, place) in added {
            if let Outcome::Added(tail) = &mut outcomes[n] {
                let who = if change.is_trial() { "Is new.".into() } else { format!("{} is new.", self.came[place].1) };
                *tail = format!("{who}{tail}");
            }
        }
        let to_add: Vec<ToAdd> = wanted
            .into_iter()
            .map(|w| {
                let holder_id = w.holder.map(|h| match h {
                    Holder::Here(id) => id,
                    Holder::OfFile(place) => self.came[place].0,
                });
                let policy = Policy { holder_id: holder_id.or(w.policy.holder_id), ..w.policy };
                ToAdd { person: self.came[w.place].0, policy, outcome: w.outcome }
            })
            .collect();
        let (came, refused) = add_policies(change, &to_add).await?;
        for (n, why) in refused {
            if let Outcome::Added(what) = &mut outcomes[n] {
                *what = what.replacen(" With a policy.", &format!(" Without its policy: {why}"), 1);
            }
        }
        let policies = came.into_iter().map(|(_, id)| id).collect();
        Ok((outcomes, Brought { people: people.iter().map(|p| p.id).collect(), policies, ..Brought::default() }))
    }
}
