//! The sheet of a day: every visit of it with what is charged, what is missing, and what differs from what is documented.

use crate::access::{Me, shown};
use crate::api::visit_line::views::PersonCard;
use crate::problem::Answer;
use crate::state::State;
use actix_web::HttpRequest;
use actix_web::web::{Data, Json, Query};
use chrono::NaiveDate;
use harbor_core::arrival::Stage;
use harbor_core::charges::of_day::{SoFar, differs, stand};
use harbor_core::house::permissions::Permission;
use harbor_core::schedule::VisitKind;
use harbor_core::visit_line::Mark;
use harbor_store::charges as store;
use harbor_store::charges::documented::documented;
use harbor_store::codes;
use harbor_store::people::registration::closed_charts;
use harbor_store::visit_line::{facts, visits};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct SheetAsked {
    /// Today where nothing is said.
    #[serde(default, deserialize_with = "crate::asked::some_day")]
    day: Option<NaiveDate>,
}

/// A visit on the sheet.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SheetRow {
    visit_id: Uuid,
    person: PersonCard,
    clinician_id: Uuid,
    stand: codes::ChargeStand,
    /// The names of the services among the lines, in their order.
    services: Vec<String>,
    /// What the lines come to, as far as they have a price.
    cents: i64,
    /// What stops the claim; of a chart that the one who looks may not see only that something does.
    missing: Vec<String>,
    /// In which way the charged level differs from the documented one.
    differs: Option<String>,
}

/// The sheet of a day with its sums.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SheetOfDay {
    day: NaiveDate,
    rows: Vec<SheetRow>,
    /// Charged and completed, and what else stands among the lines.
    completed_cents: i64,
    open_cents: i64,
}

#[utoipa::path(get, path = "/api/charges/of-day", params(SheetAsked), responses((status = 200, body = SheetOfDay), (status = 422, body = crate::problem::Problem)))]
pub async fn sheet(state: Data<State>, me: Me, request: HttpRequest, asked: Query<SheetAsked>) -> Answer<SheetOfDay> {
    let day = asked.day.unwrap_or_else(|| state.today());
    let mut conn = state.store.reader().await?;
    let mut of_day = visits::charged_on(&mut conn, day).await?;
    // What nobody came for, and what is no visit, is charged to nobody.
    of_day
        .retain(|v| !matches!(v.stage(), Stage::Cancelled | Stage::DidNotCome) && *v.kind != VisitKind::Administrative);
    let gathered = facts::gather(&mut conn, of_day, state.asked_today()).await?;
    let catalogue: HashMap<String, (String, Option<i16>)> =
        store::services(&mut conn).await?.into_iter().map(|s| (s.code, (s.name, s.level))).collect();
    let ids: Vec<Uuid> = gathered.iter().map(|g| g.visit.id).collect();
    let lines = store::lines_of(&mut conn, &ids).await?;
    let persons: Vec<Uuid> = gathered.iter().map(|g| g.person.id).collect();
    let closed = closed_charts(&mut conn, &persons, me.staff.id, state.now()).await?;
    let mut sheet = SheetOfDay { day, rows: Vec::with_capacity(gathered.len()), completed_cents: 0, open_cents: 0 };
    for g in &gathered {
        let own: Vec<_> = lines.iter().filter(|l| l.visit_id == g.visit.id).collect();
        let known = own.iter().filter_map(|l| catalogue.get(&l.service_code));
        let level = known.clone().find_map(|(_, level)| *level);
        // A charge alone waits for no signature.
        let signed = g.facts.marks.has(Mark::Signed) || g.facts.alone;
        let charged = g.facts.marks.has(Mark::Charged);
        // Only what can still be put right is compared.
        let documented = match signed && !charged && level.is_some() {
            true => documented(&mut conn, &g.visit, &state.tables.diagnoses).await?.done.level.and_then(|l| l.level),
            false => None,
        };
        let sees = me.role.may(Permission::SeeChart) && !closed.contains(&g.person.id);
        let stops = || g.claim_check.iter().flat_map(|c| c.stops());
        let so_far = SoFar {
            signed,
            charged,
            lines: own.len(),
            level: level.and_then(|l| u8::try_from(l).ok()),
            documented,
            stops: stops().count(),
        };
        let cents: i64 = g.charges.iter().filter_map(|l| l.fee()).map(|fee| fee.get()).sum();
        *(if charged { &mut sheet.completed_cents } else { &mut sheet.open_cents }) += cents;
        sheet.rows.push(SheetRow {
            visit_id: g.visit.id,
            person: PersonCard::of(&g.person, state.today()),
            clinician_id: g.visit.clinician_id,
            stand: stand(&so_far).into(),
            services: known.map(|(name, _)| name.clone()).collect(),
            cents,
            missing: if signed && !charged { stops().map(|f| f.told(sees).to_owned()).collect() } else { vec![] },
            differs: differs(&so_far),
        });
    }
    shown::listed(&request, "charges of a day", sheet.rows.iter().map(|r| r.person.id));
    Ok(Json(sheet))
}
