//! Finding diagnosis codes.

use crate::access::Me;
use crate::api::Typed;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path, Query};
use harbor_core::consult::diagnoses::CodeProblem;
use serde::Serialize;
use utoipa::ToSchema;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CodeHit {
    code: String,
    title: String,
    found_by: Option<String>,
    /// Why it cannot be billed as it stands.
    missing: Option<String>,
    /// The seventh characters to choose from, when one is needed.
    seventh: Vec<Seventh>,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct Seventh {
    code: String,
    meaning: String,
}

fn seventh(state: &State, code: &str) -> Vec<Seventh> {
    let index = &state.tables.diagnoses;
    let base = code.replace('.', "");
    let full = |c: char| index.resolve(&format!("{base:X<6}{c}")).map(|b| b.code).unwrap_or_default();
    index
        .seventh_of(code)
        .iter()
        .map(|(c, meaning)| Seventh { code: full(*c), meaning: meaning.clone() })
        .filter(|s| !s.code.is_empty())
        .collect()
}

#[utoipa::path(get, path = "/api/codes", params(Typed), responses((status = 200, body = Vec<CodeHit>)))]
pub async fn search(state: Data<State>, me: Me, typed: Query<Typed>) -> Answer<Vec<CodeHit>> {
    let own = state.favourites.of(&state.store, me.staff.id, state.today()).await?;
    let hits = state.tables.diagnoses.search(&typed.q, &own, 12);
    let view = |h: harbor_core::consult::diagnoses::Hit| CodeHit {
        seventh: match &h.missing {
            Some(CodeProblem::NeedsSeventh { code, .. }) => seventh(&state, code),
            _ => vec![],
        },
        code: h.code,
        title: h.title,
        found_by: h.found_by,
        missing: h.missing.map(|m| m.to_string()),
    };
    Ok(Json(hits.into_iter().map(view).collect()))
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CodeView {
    code: String,
    title: String,
    missing: Option<String>,
    inclusions: Vec<String>,
    excludes1: Vec<String>,
    excludes2: Vec<String>,
    code_first: Vec<String>,
    use_additional: Vec<String>,
    below: Vec<String>,
}

#[utoipa::path(get, path = "/api/codes/{code}", params(("code" = String, Path)), responses((status = 200, body = CodeView), (status = 404, body = Problem)))]
pub async fn show(state: Data<State>, code: Path<String>) -> Answer<CodeView> {
    let index = &state.tables.diagnoses;
    let e = index.entry(&code).ok_or_else(|| Problem::not_found("code"))?;
    Ok(Json(CodeView {
        code: e.code.clone(),
        title: e.title.clone(),
        missing: index.resolve(&e.code).err().map(|p| p.to_string()),
        inclusions: e.inclusions.clone(),
        excludes1: e.excludes1.clone(),
        excludes2: e.excludes2.clone(),
        code_first: e.code_first.clone(),
        use_additional: e.use_additional.clone(),
        below: index.below(&e.code).iter().map(|b| format!("{} {}", b.code, b.title)).collect(),
    }))
}
