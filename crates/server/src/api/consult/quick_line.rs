//! The quick line of a visit: read back while it is typed, kept with Enter, and taken back.

use crate::access::Me;
use crate::api::orders::{draft as draft_order, open_visit};
use crate::api::prescribing::draft as draft_prescription;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::http::StatusCode;
use actix_web::web::{Data, Json, Path};
use harbor_core::consult::diagnoses::lasts;
use harbor_core::consult::measurements::{Measure, Tenths};
use harbor_core::consult::quick_line::{Item, Known, Prescribed, When, understand_with_source};
use harbor_core::consult::{NotePart as Part, ProblemState};
use harbor_core::house::permissions::Permission;
use harbor_core::orders::OrderState;
use harbor_core::people::Sex;
use harbor_core::prescribing::{Dosing, PrescriptionEvent, PrescriptionState};
use harbor_core::visit_line::Mark;
use harbor_store::consult::chart::{self, NewMeasurement};
use harbor_store::consult::lists::{NewMedicine, NewProblem};
use harbor_store::documents::HistoryDetail;
use harbor_store::rows::{Person, Visit};
use harbor_store::visit_line::visits;
use harbor_store::{Change, codes, orders, people, prescribing};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
pub struct QuickLine {
    text: String,
    /// False only reads the line back.
    keep: bool,
}

/// The longest word of a fact, in characters: beyond it somebody told a story.
const LONGEST_FACT: usize = 200;

/// One thing that was understood.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Understood {
    /// measure, diagnosis, problem, allergy, medicine, family, social, surgical, hospital, immunisation, order,
    /// prescription, referral, follow_up, template, questionnaire or words.
    kind: String,
    sentence: String,
    /// How a measurement lies to the usual.
    standing: Option<codes::Standing>,
    converted_from: Option<String>,
    /// Not sure enough to be kept as it stands.
    doubtful: bool,
    /// Why it was not kept, or could not be.
    not_kept: Option<String>,
}

/// Something that a line put down, for taking it back.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Kept {
    Measurement {
        id: Uuid,
    },
    Diagnosis {
        code: String,
    },
    Problem {
        id: Uuid,
    },
    Allergy {
        id: Uuid,
    },
    NoneKnown {
        list: codes::KnownList,
    },
    Medicine {
        id: Uuid,
    },
    History {
        id: Uuid,
    },
    Order {
        id: Uuid,
    },
    Prescription {
        id: Uuid,
    },
    /// A sentence at the end of a part of the note.
    Written {
        part: codes::NotePart,
        sentence: String,
    },
}

#[derive(Debug, Serialize, ToSchema)]
pub struct QuickAnswer {
    items: Vec<Understood>,
    /// How many things were put down.
    kept: usize,
    done: Vec<Kept>,
    /// What was not kept, as it was typed: it stays in the line.
    left: String,
}

/// Reads a line for a visit. An unknown age or sex stays unknown.
async fn read(state: &State, visit: &Visit, person: &Person, text: &str) -> Result<Vec<(Item, String)>, Problem> {
    let mut conn = state.store.reader().await?;
    let earlier = chart::measurements_of(&mut conn, person.id).await?;
    let known = Known {
        age: person.birth_date.and_then(|b| visit.day.years_since(b)),
        sex: person.sex.map_or(Sex::Unknown, |s| *s),
        height_on_file: earlier.iter().find(|m| m.measure == Measure::Height).map(|m| Tenths(m.tenths)),
        today: state.today(),
        diagnoses: Some(&state.tables.diagnoses),
        tests: &state.tables.tests,
        products: &state.tables.products,
    };
    // What no keyboard types, and no table holds.
    let clean: String = text.chars().map(|c| if c.is_control() && c != '\n' { ' ' } else { c }).collect();
    Ok(understand_with_source(&clean, &known))
}

/// With the release's title for a code, so that it is seen what the words were taken for.
fn sentence(state: &State, item: &Item) -> String {
    let titled = |code: &str| state.tables.diagnoses.resolve(code).ok();
    match item {
        Item::Diagnosis { code: Some(code), words } => match titled(code) {
            Some(found) if found.title != *words => format!("Diagnosis {}: {} ({words})", found.code, found.title),
            _ => item.in_words(),
        },
        _ => item.in_words(),
    }
}

fn told(state: &State, item: &Item) -> Understood {
    let (standing, converted_from) = match item {
        Item::Measured(m) => (Some(m.standing.into()), m.converted_from.clone()),
        _ => (None, None),
    };
    Understood {
        kind: item.kind().into(),
        sentence: sentence(state, item),
        standing,
        converted_from,
        doubtful: item.is_doubtful(),
        not_kept: None,
    }
}

/// Understands a line of typing, and keeps what is sure when asked to. What is doubtful, and what this hand may not put
/// down, is read back with the reason and never kept.
#[utoipa::path(post, path = "/api/visits/{id}/quick-line", params(("id" = Uuid, Path)), request_body = QuickLine, responses((status = 200, body = QuickAnswer), (status = 422, body = Problem)))]
pub async fn quick_line(state: Data<State>, me: Me, id: Path<Uuid>, line: Json<QuickLine>) -> Answer<QuickAnswer> {
    let mut conn = state.store.reader().await?;
    let visit = visits::get(&mut conn, *id).await?;
    let person = people::get(&mut conn, visit.person_id).await?;
    drop(conn);
    let (items, sources): (Vec<Item>, Vec<String>) =
        read(&state, &visit, &person, &line.text).await?.into_iter().unzip();
    let mut out: Vec<Understood> = items.iter().map(|i| told(&state, i)).collect();
    let mut done = Vec::new();
    if !line.keep {
        // Whoever may not put something down learns it before trying.
        for (item, told) in items.iter().zip(&mut out) {
            told.not_kept = permission_for(item).and_then(|p| may(&me, p).err()).map(|problem| problem.detail);
        }
    }
    if line.keep {
        let (state, me) = (&state, &me);
        let (kept, refused) = state
            .store
            .change(&me.actor(), state.now(), async |change| {
                let visit = change.lock_visit(*id).await?;
                let mut keeping = Keeping { state, me, visit, change, done: vec![] };
                let mut refused: Vec<(usize, String)> = Vec::new();
                // Diagnoses first: orders and prescriptions lie under them.
                let mut order: Vec<usize> = (0..items.len()).collect();
                order.sort_by_key(|i| !matches!(items[*i], Item::Diagnosis { .. }));
                for i in order {
                    match keeping.keep(&items[i]).await {
                        Ok(()) => {}
                        Err(problem) if problem.status == StatusCode::UNPROCESSABLE_ENTITY.as_u16() => {
                            refused.push((i, problem.detail));
                        }
                        Err(problem) => return Err(problem),
                    }
                }
                let done = keeping.done;
                if done.is_empty() {
                    change.audit("kept nothing of a line", "visit", *id, Some(person.id), "");
                }
                Ok::<_, Problem>((done, refused))
            })
            .await?;
        done = kept;
        for (i, reason) in refused {
            out[i].not_kept = Some(reason);
        }
    }
    let left: Vec<&str> = sources
        .iter()
        .zip(&out)
        .filter(|(source, told)| told.not_kept.is_some() && !source.is_empty())
        .map(|(source, _)| source.as_str())
        .collect();
    Ok(Json(QuickAnswer { left: left.join("; "), kept: done.len(), items: out, done }))
}

fn may(me: &Me, permission: Permission) -> Result<(), Problem> {
    if me.role.may(permission) {
        return Ok(());
    }
    Err(Problem::refused("not-allowed", format!("A {} does not {permission}.", me.role)))
}

/// What is needed for an item beyond what the line itself needs.
fn permission_for(item: &Item) -> Option<Permission> {
    matches!(
        item,
        Item::Diagnosis { .. }
            | Item::Order { .. }
            | Item::Prescription(_)
            | Item::Referral { .. }
            | Item::FollowUp { .. }
    )
    .then_some(Permission::WriteNote)
}

struct Keeping<'a, 'c, 'd> {
    state: &'a State,
    me: &'a Me,
    visit: Visit,
    change: &'c mut Change<'d>,
    done: Vec<Kept>,
}

fn said(when: &Option<When>) -> String {
    when.map(|w| w.to_string()).unwrap_or_default()
}

impl Keeping<'_, '_, '_> {
    /// Puts one thing down, or says why not. Nothing is asked of the database that it would refuse: a refusal there would
    /// take the rest of the line with it.
    async fn keep(&mut self, item: &Item) -> Result<(), Problem> {
        let person = self.visit.person_id;
        if let Some(permission) = permission_for(item) {
            may(self.me, permission)?;
        }
        if !matches!(item, Item::Words(_)) && item.row().iter().any(|column| column.chars().count() > LONGEST_FACT) {
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
            Item::Problem { code, state, since, .. } => {
                let code = code.as_deref().ok_or_else(no_code)?;
                let found = self.state.tables.diagnoses.resolve(code).map_err(|_| no_code())?;
                let since = said(since);
                let new =
                    NewProblem { code: &found.code, title: &found.title, state: *state, since: &since, visit: None };
                match self.change.add_problem(person, &new).await? {
                    Some(row) => self.done.push(Kept::Problem { id: row.id }),
                    None => return Err(Problem::refused("known", "It stands on the list already.")),
                }
            }
            Item::Allergy { substance, reaction, severity } => {
                let row = self.change.add_allergy(person, substance, reaction, *severity).await?;
                self.done.push(Kept::Allergy { id: row.id });
            }
            Item::NoneKnown(list) => {
                self.change.state_none_known(person, *list).await?;
                self.done.push(Kept::NoneKnown { list: (*list).into() });
            }
            Item::Medicine { what, product, how, state, since } => {
                let name = product
                    .as_deref()
                    .and_then(|code| self.state.tables.product(code))
                    .map_or_else(|| what.clone(), |p| format!("{} {} {}", p.brand, p.strength, p.form));
                let new = NewMedicine {
                    name: &name,
                    product: product.as_deref(),
                    state: *state,
                    how,
                    since: &said(since),
                    note: "told",
                };
                let row = self.change.add_medicine(person, &new).await?;
                self.done.push(Kept::Medicine { id: row.id });
            }
            Item::Family { .. } | Item::Social { .. } | Item::Past { .. } | Item::Immunisation { .. } => {
                if let Some(detail) = history(item) {
                    let row = self.change.add_history(person, Some(self.visit.id), detail).await?;
                    self.done.push(Kept::History { id: row.entry_id });
                }
            }
            Item::Order { code, .. } => self.order(code).await?,
            Item::Prescription(p) => self.prescription(p).await?,
            Item::Referral { .. } | Item::FollowUp { .. } => self.write(Part::Plan, item.in_words()).await?,
            Item::Template(_) | Item::Questionnaire(_) => {
                return Err(Problem::refused("not-here", "This is not opened from the line yet."));
            }
            Item::Words(_) => return Err(Problem::refused("words", "These are words; write them in the note.")),
        }
        Ok(())
    }

    /// Whether the note may still be written in.
    async fn unsigned(&mut self) -> Result<(), Problem> {
        if self.change.has_reached(self.visit.id, Mark::Signed).await? {
            return Err(Problem::refused("note-signed", "The note is signed; add an addendum."));
        }
        Ok(())
    }

    async fn diagnosis(&mut self, code: Option<&str>) -> Result<(), Problem> {
        let found = self.state.tables.diagnoses.resolve(code.ok_or_else(no_code)?).map_err(|_| no_code())?;
        self.unsigned().await?;
        let mut wanted: Vec<(String, String)> = chart::diagnoses_of(self.change.conn(), self.visit.id)
            .await?
            .into_iter()
            .map(|d| (d.code, d.title))
            .collect();
        if wanted.iter().any(|(c, _)| *c == found.code) {
            return Err(Problem::refused("known", format!("{} stands here already.", found.code)));
        }
        if wanted.len() >= 12 {
            return Err(Problem::refused("full", "A claim holds at most twelve diagnoses."));
        }
        wanted.push((found.code.clone(), found.title.clone()));
        self.change.set_diagnoses(&self.visit, &wanted).await?;
        if lasts(&found.code) {
            let new = NewProblem {
                code: &found.code,
                title: &found.title,
                state: ProblemState::Active,
                since: "",
                visit: Some(self.visit.id),
            };
            self.change.add_problem(self.visit.person_id, &new).await?;
        }
        self.done.push(Kept::Diagnosis { code: found.code });
        Ok(())
    }

    async fn listed(&mut self) -> Result<Vec<(String, String)>, Problem> {
        let rows = chart::diagnoses_of(self.change.conn(), self.visit.id).await?;
        Ok(rows.into_iter().map(|d| (d.code, d.title)).collect())
    }

    async fn order(&mut self, code: &str) -> Result<(), Problem> {
        open_visit(self.change, self.visit.id).await?;
        let listed = self.listed().await?;
        let row = draft_order(self.change, self.state, self.me, &self.visit, code, &listed).await?;
        self.done.push(Kept::Order { id: row.id });
        Ok(())
    }

    async fn prescription(&mut self, p: &Prescribed) -> Result<(), Problem> {
        if !p.doubts.is_empty() {
            return Err(Problem::refused("doubtful", format!("Not clear yet: {}.", p.doubts.join("; "))));
        }
        let product = self.state.tables.product(&p.product);
        let (Some(product), Some(dose), Some(days)) = (product, p.sig.dose, p.sig.days) else {
            return Err(Problem::refused("doubtful", "Say which product, how much and for how long."));
        };
        // As needed without a number of times: no more than once a day is a guess, so it is asked.
        let per_day = p
            .sig
            .per_day
            .ok_or_else(|| Problem::refused("doubtful", "Say how often a day it may be taken at most."))?;
        open_visit(self.change, self.visit.id).await?;
        let d = Dosing { dose, per_day, days, as_needed: p.sig.as_needed };
        let listed = self.listed().await?;
        // With one diagnosis there is no question; among several somebody chooses, and until then the line tells it.
        let lane = if let [(code, _)] = listed.as_slice() { Some(code.clone()) } else { None };
        let refills = p.sig.refills.unwrap_or(0);
        let row =
            draft_prescription(self.change, self.state, self.me, &self.visit, product, (&d, refills), lane).await?;
        self.done.push(Kept::Prescription { id: row.id });
        Ok(())
    }

    /// Adds a sentence to a part of the note.
    async fn write(&mut self, part: Part, sentence: String) -> Result<(), Problem> {
        self.unsigned().await?;
        let before = chart::parts(self.change.conn(), self.visit.id).await?.into_iter().find(|p| p.part == part);
        let (body, version) = before.map(|p| (p.body, p.version)).unwrap_or_default();
        let body = [body.trim_end(), &sentence].join("\n").trim_start().to_owned();
        self.change.save_part(&self.visit, part, &body, version).await?;
        self.done.push(Kept::Written { part: part.into(), sentence });
        Ok(())
    }
}

fn no_code() -> Problem {
    Problem::refused("no-code", "No code is sure for these words; choose one first.")
}

/// What is kept of an item of somebody's past and life.
fn history(item: &Item) -> Option<HistoryDetail> {
    Some(match item {
        Item::Family { relative, condition, age, died } => {
            HistoryDetail::Family { relative: relative.clone(), condition: condition.clone(), age: *age, died: *died }
        }
        Item::Social { topic, said, amount } => {
            HistoryDetail::Social { topic: (*topic).to_owned(), said: said.clone(), amount: amount.clone() }
        }
        Item::Past { surgical: true, what, when } => HistoryDetail::Surgical { what: what.clone(), when: said(when) },
        Item::Past { what, when, .. } => HistoryDetail::Hospital { what: what.clone(), when: said(when) },
        Item::Immunisation { what, when, given } => {
            HistoryDetail::Immunisation { what: what.clone(), when: said(when), given: *given }
        }
        _ => return None,
    })
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct LineTakenBack {
    /// As a line gave it when it was kept.
    done: Vec<Kept>,
}

/// Takes back what a line put down: measurements, medicines and problems are struck, allergies and histories end, drafts
/// are stopped. What was sent, or changed by somebody meanwhile, stays and says so.
#[utoipa::path(post, path = "/api/visits/{id}/quick-line/taken-back", params(("id" = Uuid, Path)), request_body = LineTakenBack, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn take_back(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<LineTakenBack>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(*id).await?;
            for kept in form.done.iter().take(100).rev() {
                take_one_back(change, &visit, kept).await?;
            }
            Ok(DONE)
        })
        .await
}

async fn take_one_back(change: &mut Change<'_>, visit: &Visit, kept: &Kept) -> Result<(), Problem> {
    let person = visit.person_id;
    match kept {
        Kept::Measurement { id } => change.strike_measurement(*id, visit).await?,
        Kept::Diagnosis { code } => {
            let rest: Vec<(String, String)> = chart::diagnoses_of(change.conn(), visit.id)
                .await?
                .into_iter()
                .filter(|d| d.code != *code)
                .map(|d| (d.code, d.title))
                .collect();
            change.set_diagnoses(visit, &rest).await?;
        }
        Kept::Problem { id } => change.strike_problem(person, *id).await?,
        Kept::Allergy { id } => change.end_allergy(person, *id).await?,
        Kept::NoneKnown { list } => change.take_none_known_back(person, **list).await?,
        Kept::Medicine { id } => change.strike_medicine(person, *id).await?,
        Kept::History { id } => {
            change.end_history(person, *id, Some("entered by mistake")).await?;
        }
        Kept::Order { id } => {
            let order = orders::order(change.conn(), *id).await?;
            if order.visit_id != visit.id {
                return Err(Problem::not_found("order"));
            }
            if order.state != OrderState::Draft {
                return Err(Problem::refused("sent", "The order has been sent; call the laboratory."));
            }
            change.cancel_order(&order).await?;
        }
        Kept::Prescription { id } => {
            let row = prescribing::prescription(change.conn(), *id).await?;
            if row.visit_id != visit.id {
                return Err(Problem::not_found("prescription"));
            }
            if row.state != PrescriptionState::Draft {
                return Err(Problem::refused("sent", "The prescription has been sent; stop it instead."));
            }
            // It lies under no diagnosis any more, so that this one can be taken back too.
            change.place_prescription(*id, None).await?;
            change.prescription_happened(*id, PrescriptionEvent::Stopped).await?;
        }
        Kept::Written { part, sentence } => {
            let row = chart::parts(change.conn(), visit.id).await?.into_iter().find(|p| p.part == *part);
            let row = row.ok_or_else(|| Problem::not_found("part of the note"))?;
            let Some(body) = row.body.strip_suffix(sentence.as_str()) else {
                return Err(Problem::refused("written-on", "Somebody wrote on after it; change it in the note."));
            };
            change.save_part(visit, **part, body.trim_end(), row.version).await?;
        }
    }
    Ok(())
}
