//! Keeping what a line says: each thing where it belongs, and why it is not kept otherwise.

use super::{Kept, allowed};
use crate::access::Me;
use crate::api::consult::histories::{put_down, said};
use crate::api::consult::questionnaires::begin;
use crate::api::consult::runs::diagnose;
use crate::api::consult::texts::{put, write_after};
use crate::api::orders::{For, draft as draft_order, open_visit, orderer, preparer};
use crate::api::prescribing::form::Wanted;
use crate::api::prescribing::writing::{Place, draft as draft_prescription};
use crate::problem::Problem;
use crate::state::State;
use harbor_core::consult::quick_line::{Item, Prescribed};
use harbor_core::consult::runs::lane_meant;
use harbor_core::consult::texts::fits;
use harbor_core::consult::{NotePart as Part, Source};
use harbor_core::house::permissions::Permission;
use harbor_core::people::fold;
use harbor_core::prescribing::lane;
use harbor_store::Change;
use harbor_store::consult::chart::NewMeasurement;
use harbor_store::consult::lists::{NewAllergy, NewMedicine, NewProblem};
use harbor_store::consult::notes::PartAt;
use harbor_store::consult::{runs, texts};
use harbor_store::orders;
use harbor_store::rows::Visit;

pub struct Keeping<'a, 'c, 'd> {
    pub state: &'a State,
    pub me: &'a Me,
    pub visit: Visit,
    pub change: &'c mut Change<'d>,
    pub done: Vec<Kept>,
    /// The part of the note that has the focus.
    pub focus: Option<PartAt>,
    /// The diagnoses that this line put down.
    pub diagnosed: Vec<String>,
}

impl Keeping<'_, '_, '_> {
    /// Puts one thing down, or says why not. Nothing is asked of the database that it would refuse: a refusal there would
    /// take the rest of the line with it.
    pub async fn keep(&mut self, item: &Item) -> Result<(), Problem> {
        let person = self.visit.person_id;
        allowed(self.me, item.permission())?;
        if item.is_too_long() {
            return Err(Problem::refused("too-long", "This is too long for one fact; write it in the note."));
        }
        match item {
            Item::Measured(m) => {
                if item.is_doubtful() {
                    return Err(Problem::refused("impossible", "This cannot be; please check."));
                }
                let new = NewMeasurement {
                    measure: m.measure,
                    tenths: m.value.0,
                    standing: m.standing,
                    typed: m.converted_from.clone().unwrap_or_default(),
                    manner: m.manner.clone(),
                };
                let rows = self.change.take_measurements(&self.visit, &[new]).await?;
                self.done.extend(rows.into_iter().map(|r| Kept::Measurement { id: r.id }));
            }
            Item::Diagnosis { code, .. } => self.diagnosis(code.as_deref()).await?,
            Item::Problem { code, words, state, since } => {
                let resolved = code.as_deref().map(|code| self.state.tables.diagnoses.resolve(code));
                let found = resolved.transpose().map_err(|_| no_code())?;
                // Without a code that is sure it stands on the list in words.
                let (code, title) = found.as_ref().map_or(("", words.as_str()), |f| (&f.code, &f.title));
                let since = said(since);
                let new = NewProblem { code, title, state: *state, since: &since, visit: None };
                match self.change.add_problem(person, &new).await? {
                    Some(row) => self.done.push(Kept::Problem { id: row.id }),
                    None => return Err(Problem::refused("known", "It stands on the list already.")),
                }
            }
            Item::Allergy { substance, reaction, severity, kind } => {
                let new = NewAllergy {
                    substance,
                    reaction,
                    severity: *severity,
                    kind: *kind,
                    since: "",
                    source: Source::Told,
                };
                let row = self.change.add_allergy(person, &new).await?;
                self.done.push(Kept::Allergy { id: row.id });
            }
            Item::NoneKnown(list) => {
                self.change.state_none_known(person, *list).await?;
                self.done.push(Kept::NoneKnown { list: (*list).into() });
            }
            Item::Medicine { what, product, how, state, since } => {
                let name = product
                    .as_deref()
                    .and_then(|code| self.state.rules().product(code))
                    .map_or_else(|| what.clone(), |p| format!("{} {} {}", p.brand, p.strength, p.form));
                let new = NewMedicine {
                    name: &name,
                    product: product.as_deref(),
                    state: *state,
                    how,
                    since: &said(since),
                    note: "",
                    source: Source::Told,
                    prescription: None,
                };
                let row = self.change.add_medicine(person, &new).await?;
                self.done.push(Kept::Medicine { id: row.id });
            }
            Item::Family { .. } | Item::Social { .. } | Item::Past { .. } | Item::Immunisation(_) => {
                let row =
                    put_down(self.change, person, Some(self.visit.id), item, &self.state.tables.diagnoses).await?;
                self.done.extend(row.map(|row| Kept::History { id: row.entry_id }));
            }
            Item::Order { code, under, .. } => self.order(code, under.as_deref()).await?,
            Item::Prescription(p) => self.prescription(p).await?,
            Item::Referral { .. } | Item::FollowUp { .. } => {
                let at = self.plan().await?;
                self.write(at, item.in_words()).await?;
            }
            Item::Template(name) => self.template(name).await?,
            Item::Questionnaire(name) => {
                let said = fold(name);
                let id = begin(self.change, &self.visit, |q| fold(&q.title) == said).await?;
                self.done.push(Kept::Questionnaire { id });
            }
            Item::Words(words) => match self.focus {
                Some(at) => {
                    allowed(self.me, Permission::WriteNote)?;
                    self.write(at, words.clone()).await?;
                }
                None => return Err(Problem::refused("words", "These are words; write them in the note.")),
            },
        }
        Ok(())
    }

    /// The one template that answers best to a name; between two nothing is guessed.
    async fn template(&mut self, name: &str) -> Result<(), Problem> {
        self.unsigned().await?;
        let all = texts::in_use(self.change.conn(), self.me.staff.id).await?;
        let mut found: Vec<_> = all.iter().map(|t| (fits(&t.title, &t.complaints, name), t)).collect();
        found.retain(|(fit, _)| *fit > 0);
        found.sort_by_key(|(fit, _)| std::cmp::Reverse(*fit));
        match found.as_slice() {
            [] => Err(Problem::refused("template", format!("No template answers to “{name}”."))),
            [(best, _), (next, _), ..] if best == next => {
                let titles: Vec<&str> = found.iter().take(4).map(|(_, t)| t.title.as_str()).collect();
                Err(Problem::refused("template", format!("Which one: {}?", titles.join(", "))))
            }
            [(_, template), ..] => {
                let run = self.focus.and_then(|at| at.run);
                self.done.extend(put(self.change, &self.visit, template, run).await?);
                Ok(())
            }
        }
    }

    async fn unsigned(&mut self) -> Result<(), Problem> {
        Ok(self.change.writable(&self.visit).await?)
    }

    async fn diagnosis(&mut self, code: Option<&str>) -> Result<(), Problem> {
        let found = self.state.tables.diagnoses.resolve(code.ok_or_else(no_code)?).map_err(|_| no_code())?;
        self.unsigned().await?;
        let mut wanted = self.listed().await?;
        if wanted.iter().any(|(c, _)| *c == found.code) {
            return Err(Problem::refused("known", format!("{} stands here already.", found.code)));
        }
        wanted.push((found.code.clone(), found.title));
        let into = self.focus.and_then(|at| at.run);
        diagnose(self.change, &self.visit, &wanted, into).await?;
        self.diagnosed.push(found.code.clone());
        self.done.push(Kept::Diagnosis { code: found.code });
        Ok(())
    }

    async fn lane_meant(&mut self) -> Result<Option<String>, Problem> {
        let focus = self.focus.and_then(|at| at.run);
        let runs = runs::runs_of(self.change.conn(), self.visit.id).await?;
        let in_focus = runs.into_iter().find(|r| Some(r.id) == focus).and_then(|r| r.code);
        Ok(lane_meant(&self.diagnosed, in_focus))
    }

    async fn listed(&mut self) -> Result<Vec<(String, String)>, Problem> {
        let rows = runs::diagnoses_of(self.change.conn(), self.visit.id).await?;
        Ok(rows.into_iter().map(|d| (d.code, d.title)).collect())
    }

    async fn order(&mut self, code: &str, under: Option<&str>) -> Result<(), Problem> {
        open_visit(self.change, self.visit.id).await?;
        let listed = self.listed().await?;
        // What it is for is not dropped: the diagnosis is put down first.
        if let Some(under) = under.filter(|u| listed.iter().all(|(code, _)| code != u)) {
            return Err(Problem::refused(
                "no-diagnosis",
                format!("The visit has no diagnosis {under} yet; put it down first."),
            ));
        }
        let orderer = orderer(self.change, self.me, &self.visit).await?;
        let wanted = For { person: self.visit.person_id, visit: Some(self.visit.id), orderer };
        let row =
            draft_order(self.change, self.state, &preparer(self.me, &wanted.orderer), &wanted, code, &listed).await?;
        let meant = match under {
            Some(under) => Some(under.to_owned()),
            None if orders::links(self.change.conn(), &[row.id]).await?.is_empty() => self.lane_meant().await?,
            None => None,
        };
        let lane: Vec<(String, String)> = listed.into_iter().filter(|(code, _)| Some(code) == meant.as_ref()).collect();
        if !lane.is_empty() {
            self.change.link_order(&row, &lane).await?;
        }
        self.done.push(Kept::Order { id: row.id });
        Ok(())
    }

    async fn prescription(&mut self, p: &Prescribed) -> Result<(), Problem> {
        let (dosage, refills) = p.dosage().map_err(|sentence| Problem::refused("doubtful", sentence))?;
        let product = self.state.rules().product(&p.product).ok_or_else(|| Problem::not_found("product"))?;
        open_visit(self.change, self.visit.id).await?;
        let lane = match self.lane_meant().await? {
            Some(code) => Some(code),
            None => lane(&self.listed().await?),
        };
        let wanted = Wanted::plain(product, dosage, refills, lane);
        let place = Place::visit(&self.visit);
        let row = draft_prescription(self.change, self.state, self.me, &place, product, wanted).await?;
        self.done.push(Kept::Prescription { id: row.id });
        Ok(())
    }

    /// The plan that a sentence belongs in: that of the diagnosis of this line or of the run in focus, or of the main one.
    async fn plan(&mut self) -> Result<PartAt, Problem> {
        let meant = self.lane_meant().await?;
        let runs = runs::runs_of(self.change.conn(), self.visit.id).await?;
        let of_lane = runs.iter().find(|r| meant.is_some() && r.code == meant).map(|r| r.id);
        let run = of_lane.or(self.focus.and_then(|at| at.run)).or(runs.first().map(|r| r.id));
        Ok(PartAt { run, part: Part::Plan })
    }

    /// Adds a sentence to a part of the note.
    async fn write(&mut self, at: PartAt, sentence: String) -> Result<(), Problem> {
        self.unsigned().await?;
        self.done.push(write_after(self.change, &self.visit, at, sentence).await?);
        Ok(())
    }
}

fn no_code() -> Problem {
    Problem::refused("no-code", "No code is sure for these words; choose one first.")
}
