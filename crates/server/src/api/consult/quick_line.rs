//! The quick line of a visit: read back while it is typed, kept with Enter, and taken back.

mod keeping;
pub mod taking_back;

use crate::access::Me;
use crate::api::orders::again::Lately;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::http::StatusCode;
use actix_web::web::{Data, Json, Path};
use harbor_core::consult::measurements::{Measure, Tenths};
use harbor_core::consult::quick_line::{Item, Known, understand_with_source};
use harbor_core::consult::runs::belongs_in_run;
use harbor_core::house::permissions::Permission;
use harbor_core::people::Sex;
use harbor_store::consult::chart;
use harbor_store::consult::notes::PartAt;
use harbor_store::rows::{Person, Visit};
use harbor_store::visit_line::visits;
use harbor_store::{codes, people};
use keeping::Keeping;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
pub struct QuickLine {
    text: String,
    /// False only reads the line back.
    keep: bool,
    /// The part of the note that has the focus: plain words are written in it, and a diagnosis joins its run.
    part: Option<codes::NotePart>,
    run: Option<Uuid>,
}

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
    /// A questionnaire that was begun; it is answered on the sheet.
    Questionnaire {
        id: Uuid,
    },
    /// A sentence at the end of a part of the note.
    Written {
        part: codes::NotePart,
        run: Option<Uuid>,
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
        tests: &state.tables.orderables,
        products: state.rules().products(),
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
            told.not_kept = allowed(&me, item.permission()).err().map(|problem| problem.detail);
        }
        if items.iter().any(|i| matches!(i, Item::Order { .. })) {
            let lately = Lately::of(&mut *state.store.reader().await?, &state, person.id).await?;
            for (item, told) in items.iter().zip(&mut out) {
                if let Item::Order { code, .. } = item
                    && let Some(already) = lately.said_of_code(&state, code)
                {
                    told.sentence = format!("{}. {already}", told.sentence);
                }
            }
        }
    }
    if line.keep {
        let (state, me) = (&state, &me);
        let focus = line.part.map(|part| PartAt { run: line.run.filter(|_| belongs_in_run(*part)), part: *part });
        let (kept, refused) = state
            .store
            .change(&me.actor(), state.now(), async |change| {
                let visit = change.lock_visit(*id).await?;
                let mut keeping = Keeping { state, me, visit, change, done: vec![], focus, diagnosed: vec![] };
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
                let Keeping { done, visit, .. } = keeping;
                if items.iter().any(|i| matches!(i, Item::Immunisation(i) if i.given)) {
                    change.stand_by_themselves(&visit, &state.tables.diagnoses).await?;
                }
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

/// Whether this hand may, with a sentence for one that may not.
fn allowed(me: &Me, permission: Permission) -> Result<(), Problem> {
    if me.role.may(permission) {
        return Ok(());
    }
    Err(Problem::refused("not-allowed", format!("A {} does not {permission}.", me.role)))
}
