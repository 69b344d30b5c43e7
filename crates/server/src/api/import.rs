//! Bringing people in from a file: a dry run says row by row what would happen, then it happens.

use super::coverage::{CoverageForm, policy};
use super::people::{PersonForm, details, likeness};
use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Bytes, Data, Json, Query};
use harbor_core::fields::Faults;
use harbor_formats::csv_people::{self, PersonRow};
use harbor_store::people::finding;
use harbor_store::rows::Payer;
use harbor_store::{Change, StoreError, coverage};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use utoipa::{IntoParams, ToSchema};

/// So many people come in with one file.
const MOST: usize = 5_000;

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct ImportAsked {
    /// True writes nothing and says what would happen.
    dry_run: bool,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RowVerdict {
    line: u64,
    name: String,
    /// added, twin or refused.
    verdict: String,
    sentence: String,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ImportAnswer {
    rows: Vec<RowVerdict>,
    added: usize,
    twins: usize,
    refused: usize,
    /// Headings that nobody knows; their columns are left out.
    unknown_headings: Vec<String>,
    dry_run: bool,
}

/// What happens to one row.
enum Outcome {
    Added(String),
    Twin(String),
    Refused(String),
}

/// Imports people with their first policy. Rows that are refused or likely registered already are left
/// out and told; all others are added in one change, or none.
#[utoipa::path(post, path = "/api/import/people", params(ImportAsked), request_body(content = String, content_type = "text/csv"), responses((status = 200, body = ImportAnswer), (status = 422, body = Problem)))]
pub async fn people(state: Data<State>, me: Me, asked: Query<ImportAsked>, body: Bytes) -> Answer<ImportAnswer> {
    let file = csv_people::read(&body).map_err(|e| Problem::refused("unreadable", e.to_string()))?;
    if file.rows.len() > MOST {
        return Err(Problem::refused("too-many", format!("A file holds at most {MOST} people; split it.")));
    }
    let mut change = state.store.begin(&me.actor(), state.now()).await?;
    let payers = coverage::payers(change.conn()).await?;
    let mut answer = ImportAnswer {
        rows: vec![],
        added: 0,
        twins: 0,
        refused: 0,
        unknown_headings: file.unknown,
        dry_run: asked.dry_run,
    };
    for row in &file.rows {
        let name = ["firstName", "lastName"].map(|f| row.fields.get(f).map_or("", String::as_str)).join(" ");
        let (verdict, sentence) = match import(&mut change, &state, &payers, row).await? {
            Outcome::Added(what) => {
                answer.added += 1;
                ("added", what)
            }
            Outcome::Twin(who) => {
                answer.twins += 1;
                ("twin", who)
            }
            Outcome::Refused(why) => {
                answer.refused += 1;
                ("refused", why)
            }
        };
        answer.rows.push(RowVerdict { line: row.line, name, verdict: verdict.into(), sentence });
    }
    if asked.dry_run || answer.added == 0 {
        change.abandon().await?;
    } else {
        change.commit().await?;
    }
    Ok(Json(answer))
}

fn said(faults: Faults) -> Outcome {
    Outcome::Refused(faults.0.into_iter().map(|f| f.sentence).collect::<Vec<_>>().join(" "))
}

/// A form from the fields of a row that it knows.
fn form<T: serde::de::DeserializeOwned>(row: &PersonRow, more: Value) -> Result<T, Problem> {
    let mut value = json!(row.fields);
    for (key, extra) in more.as_object().into_iter().flatten() {
        value[key] = extra.clone();
    }
    serde_json::from_value(value).map_err(|e| Problem::refused("unreadable", e.to_string()))
}

async fn import(change: &mut Change<'_>, state: &State, payers: &[Payer], row: &PersonRow) -> Result<Outcome, Problem> {
    let today = state.today();
    let typed: PersonForm = form(row, json!({}))?;
    let (d, more) = match details(&typed, today) {
        Ok(checked) => checked,
        Err(faults) => return Ok(said(faults)),
    };
    // Rows before this one count too: the same person may stand in the file twice.
    if let Some((twin, score)) = finding::likely_twins(change.conn(), &likeness(&d), 1).await?.into_iter().next() {
        let who = format!("{} {} {}", twin.record_number, twin.first_name, twin.last_name);
        return Ok(Outcome::Twin(format!("Likely {who}: {}.", score.reasons.join(", "))));
    }
    let covered = row.fields.contains_key("payer") || row.fields.contains_key("subscriberNumber");
    let policy = if covered {
        let named = row.fields.get("payer").map(|p| p.to_lowercase()).unwrap_or_default();
        let payer = payers.iter().find(|p| p.name.to_lowercase() == named || p.payer_code.to_lowercase() == named);
        let Some(payer) = payer else {
            return Ok(Outcome::Refused(format!("No payer is called “{named}”.")));
        };
        let typed: CoverageForm = form(row, json!({ "payerId": payer.id }))?;
        match policy(&typed, today) {
            Ok(policy) => Some(policy),
            Err(faults) => return Ok(said(faults)),
        }
    } else {
        None
    };
    let person = change.add_person(&d, more).await?;
    let mut what = format!("{} is new.", person.record_number);
    if let Some(policy) = policy {
        match change.add_coverage(person.id, policy).await {
            Ok(_) => what.push_str(" With a policy."),
            // The person comes in; the policy is told and entered by hand.
            Err(StoreError::Refused { sentence, .. }) => what.push_str(&format!(" Without its policy: {sentence}")),
            Err(other) => return Err(other.into()),
        }
    }
    Ok(Outcome::Added(what))
}
