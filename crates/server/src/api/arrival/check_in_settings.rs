//! How a clinic has set up its check-in: the steps and their order, its alerts, its forms.

use crate::access::Me;
use crate::api::visit_line::views::Choice;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::arrival::alerts::{BadRule, Condition, Kind};
use harbor_core::arrival::walk::{Step, checked_order};
use harbor_core::fields::Faults;
use harbor_store::arrival::check_in as store;
use harbor_store::rows::Form;
use harbor_store::{codes, schedule};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// How a clinic has set up its check-in.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CheckInSettings {
    steps: Vec<Choice>,
    /// The order of all visit types without one of their own.
    usual: Vec<codes::Step>,
    walks: Vec<OwnWalk>,
    rules: Vec<RuleView>,
    kinds: Vec<Choice>,
    forms: Vec<Form>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct OwnWalk {
    visit_type_id: Uuid,
    steps: Vec<codes::Step>,
}

#[derive(Debug, Serialize, Deserialize, ToSchema)]
pub struct ConditionView {
    kind: String,
    /// As it is typed.
    #[serde(default)]
    value: String,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct RuleView {
    id: Uuid,
    sentence: String,
    conditions: Vec<ConditionView>,
}

#[utoipa::path(get, path = "/api/settings/check-in", responses((status = 200, body = CheckInSettings)))]
pub async fn settings(state: Data<State>) -> Answer<CheckInSettings> {
    let mut conn = state.store.reader().await?;
    let walks = store::walks(&mut conn).await?;
    let coded = |steps: Vec<Step>| steps.into_iter().map(Into::into).collect();
    let rule = |r: harbor_store::rows::AlertRule| RuleView {
        conditions: store::conditions_of(&r)
            .iter()
            .map(|c| ConditionView { kind: c.kind.code().into(), value: c.shown() })
            .collect(),
        id: r.id,
        sentence: r.sentence,
    };
    Ok(Json(CheckInSettings {
        steps: Step::ALL.iter().map(|s| Choice::of(s.code(), s.label())).collect(),
        usual: coded(store::steps_for(&walks, Uuid::nil())),
        walks: walks
            .iter()
            .filter_map(|w| Some(OwnWalk { visit_type_id: w.visit_type_id?, steps: w.steps.clone() }))
            .collect(),
        rules: store::rules(&mut conn).await?.into_iter().map(rule).collect(),
        kinds: Kind::ALL.iter().map(|k| Choice::of(k.code(), k.label())).collect(),
        forms: store::all_forms(&mut conn).await?,
    }))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct WalkForm {
    /// Left out: the order of all visit types without one of their own.
    visit_type_id: Option<Uuid>,
    /// Empty: this visit type has none of its own any more.
    steps: Vec<String>,
}

#[utoipa::path(put, path = "/api/settings/check-in/walk", request_body = WalkForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn set_walk(state: Data<State>, me: Me, form: Json<WalkForm>) -> Answer<Done> {
    let steps: Option<Vec<Step>> = form.steps.iter().map(|code| Step::from_code(code)).collect();
    let steps = steps.ok_or_else(|| Problem::field("steps", "Choose from the steps that there are."))?;
    if !(steps.is_empty() && form.visit_type_id.is_some()) {
        checked_order(&steps).map_err(|e| Problem::field("steps", e.to_string()))?;
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            if let Some(kind) = form.visit_type_id
                && !schedule::visit_types(change.conn()).await?.iter().any(|t| t.id == kind)
            {
                return Err(Problem::not_found("visit type"));
            }
            change.save_walk(form.visit_type_id, &steps).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct RuleForm {
    sentence: String,
    conditions: Vec<ConditionView>,
    active: bool,
}

#[utoipa::path(put, path = "/api/settings/alerts/{id}", params(("id" = Uuid, Path)), request_body = RuleForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn set_rule(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<RuleForm>) -> Answer<Done> {
    let mut faults = Faults::default();
    let sentence = faults.line("sentence", "What is to be read", &form.sentence, 200);
    let mut conditions = Vec::new();
    for c in form.conditions.iter().take(10) {
        let value = faults.optional_line("conditions", "Condition", &c.value, 60);
        match Kind::from_code(&c.kind).map(|kind| Condition::typed(kind, &value)) {
            Some(Ok(condition)) => conditions.push(condition),
            Some(Err(e)) => faults.add("conditions", e.to_string()),
            None => faults.add("conditions", "Choose from the conditions that there are."),
        }
    }
    if form.conditions.is_empty() {
        faults.add("conditions", BadRule::Nothing.to_string());
    }
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.save_rule(*id, &sentence, &conditions, form.active).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct FormForm {
    name: String,
    body: String,
    /// A signature holds so many months; nothing: for ever.
    valid_months: Option<i32>,
    active: bool,
}

#[utoipa::path(put, path = "/api/settings/forms/{id}", params(("id" = Uuid, Path)), request_body = FormForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn set_form(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<FormForm>) -> Answer<Done> {
    let mut faults = Faults::default();
    let name = faults.line("name", "Name", &form.name, 80);
    let body = faults.prose("body", "Text", &form.body, 8_000);
    if body.trim().is_empty() {
        faults.add("body", "A form says what is agreed to.");
    }
    if form.valid_months.is_some_and(|m| !(1..=120).contains(&m)) {
        faults.add("validMonths", "A signature holds 1 to 120 months, or for ever.");
    }
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let row = Form { id: *id, name, body, valid_months: form.valid_months, active: form.active, sort: 0 };
            change.save_form(&row).await?;
            Ok(DONE)
        })
        .await
}
