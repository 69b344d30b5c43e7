//! Who pays the laboratory: what is known of a person's policies today, and what is said with an order.

use crate::access::Me;
use crate::api::visit_line::views::Choice;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::NaiveDate;
use harbor_core::orders::payment::{PayerFacts, payer_lacks, usual_payer};
use harbor_core::orders::specimens::TakenWhere;
use harbor_core::orders::{BillTo, OrderKind, TestAccount, TestPolicy};
use harbor_store::rows::{Coverage, Order, Payer, Person, Visit};
use harbor_store::visit_line::visits;
use harbor_store::{Conn, codes, coverage, orders as store, people};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::ToSchema;
use uuid::Uuid;

/// What is known of who may pay for somebody.
pub struct Paying {
    /// Policies that pay on the day, in the order in which they pay.
    policies: Vec<Coverage>,
    payers: Vec<Payer>,
    day: NaiveDate,
    /// Who answers for them, when that is somebody else.
    pub responsible: Option<String>,
}

impl Paying {
    pub async fn of(conn: &mut Conn, state: &State, person: &Person) -> Result<Paying, Problem> {
        let mut all = Paying::of_people(conn, state, &[person]).await?;
        all.remove(&person.id).ok_or_else(|| Problem::not_found("person"))
    }

    /// The same for many people at once.
    pub async fn of_people(
        conn: &mut Conn,
        state: &State,
        persons: &[&Person],
    ) -> Result<HashMap<Uuid, Paying>, Problem> {
        let day = state.today();
        let ids: Vec<Uuid> = persons.iter().map(|p| p.id).collect();
        let policies = coverage::of_people(conn, &ids).await?;
        let payers = coverage::payers(conn).await?;
        let answering = people::by_id(conn, persons.iter().filter_map(|p| p.responsible_id)).await?;
        let one = |p: &&Person| {
            let paying = Paying {
                policies: coverage::paying(&policies, p.id, day).into_iter().cloned().collect(),
                payers: payers.clone(),
                day,
                responsible: p
                    .responsible_id
                    .and_then(|id| answering.get(&id))
                    .map(|r| format!("{} {}", r.first_name, r.last_name)),
            };
            (p.id, paying)
        };
        Ok(persons.iter().map(one).collect())
    }

    fn payer(&self, policy: &Coverage) -> String {
        self.payers.iter().find(|p| p.id == policy.payer_id).map(|p| p.name.clone()).unwrap_or_default()
    }

    /// A policy that pays on the day, with its payer.
    pub fn policy(&self, id: Uuid) -> Option<(&Coverage, &Payer)> {
        let policy = self.policies.iter().find(|p| p.id == id)?;
        Some((policy, self.payers.iter().find(|p| p.id == policy.payer_id)?))
    }

    fn told(&self, policy: &Coverage) -> String {
        format!("{} {}", self.payer(policy), policy.subscriber_number).trim().to_owned()
    }

    /// What a draft has as long as nobody says otherwise; the visit's own policy before the person's first.
    pub fn usual(&self, visit: Option<&Visit>) -> (Option<BillTo>, Option<Uuid>) {
        let chosen = visit.and_then(|v| v.coverage_id).filter(|id| self.policies.iter().any(|p| p.id == *id));
        let policy = chosen.or_else(|| self.policies.first().map(|p| p.id));
        let facts = PayerFacts { self_pay: visit.is_some_and(|v| v.self_pay), has_policy: policy.is_some() };
        let bill_to = usual_payer(facts);
        (bill_to, policy.filter(|_| bill_to == Some(BillTo::Insurance)))
    }

    fn policy_of(&self, order: &Order) -> Option<&Coverage> {
        self.policies.iter().find(|p| Some(p.id) == order.coverage_id)
    }

    /// What is missing of who pays; only a laboratory is paid by its order.
    pub fn lacks(&self, order: &Order) -> Option<String> {
        if *order.kind != OrderKind::Laboratory {
            return None;
        }
        payer_lacks(&order.test_name, order.bill_to.map(|b| *b), self.policy_of(order).is_some(), self.day)
    }

    /// Payer and number of the policies of these orders, also of those that have ended since.
    pub async fn told_of(&self, conn: &mut Conn, orders: &[Order]) -> Result<HashMap<Uuid, String>, Problem> {
        let mut ids: Vec<Uuid> = orders.iter().filter_map(|o| o.coverage_id).collect();
        ids.sort();
        ids.dedup();
        let mut out = HashMap::new();
        for id in ids {
            let policy = match self.policies.iter().find(|p| p.id == id) {
                Some(policy) => policy.clone(),
                None => coverage::get(conn, id).await?,
            };
            out.insert(id, self.told(&policy));
        }
        Ok(out)
    }

    /// Who pays an order, as it is shown.
    pub fn view(&self, order: &Order, policy: Option<String>) -> PayerView {
        let draft = order.signed_at.is_none();
        let choice = |p: &Coverage| Choice::of(&p.id.to_string(), &self.told(p));
        PayerView {
            bill_to: order.bill_to,
            policy,
            policies: if draft { self.policies.iter().map(choice).collect() } else { vec![] },
            responsible: self.responsible.clone(),
        }
    }

    /// Who pays, as the laboratory is told. A policy that has ended since stays the one that was told.
    pub fn account(
        &self,
        order: &Order,
        policy: Option<&Coverage>,
        holder: Option<String>,
        clinic: &str,
    ) -> Option<TestAccount> {
        let bill_to = *order.bill_to?;
        let told = |p: &Coverage| TestPolicy {
            payer: self.payer(p),
            subscriber_number: p.subscriber_number.clone(),
            group_number: p.group_number.clone(),
            relationship: *p.relationship,
            holder,
        };
        Some(TestAccount {
            bill_to,
            policy: policy.map(told),
            responsible: self.responsible.clone().filter(|_| bill_to != BillTo::Clinic),
            clinic: if bill_to == BillTo::Clinic { clinic.to_owned() } else { String::new() },
        })
    }
}

/// Who pays the laboratory for an order.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PayerView {
    bill_to: Option<codes::BillTo>,
    /// Payer and number of the policy.
    policy: Option<String>,
    /// Policies that pay today; of a draft.
    policies: Vec<Choice>,
    /// Who answers for what the patient owes, when that is somebody else.
    responsible: Option<String>,
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct OrderPayerForm {
    bill_to: codes::BillTo,
    /// Of insurance: the policy; without it the one that pays first.
    policy: Option<Uuid>,
    /// Where the specimen is taken; as it was when it is not said.
    taken_where: Option<codes::TakenWhere>,
    /// The same for all drafts of the person that lie beside it, in the same visit or without one.
    #[serde(default)]
    all: bool,
}

/// Says who pays the laboratory for a draft, and where its specimen is taken.
#[utoipa::path(put, path = "/api/orders/{id}/payer", params(("id" = Uuid, Path)), request_body = OrderPayerForm, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn say(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<OrderPayerForm>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let order = store::order(change.conn(), *id).await?;
            if *order.kind != OrderKind::Laboratory {
                return Err(Problem::refused("kind", "Only an order to the laboratory says who pays."));
            }
            let person = people::get(change.conn(), order.person_id).await?;
            let paying = Paying::of(change.conn(), &state, &person).await?;
            let policy = match *form.bill_to {
                BillTo::Insurance => {
                    let wanted = |p: &&Coverage| form.policy.is_none_or(|id| p.id == id);
                    let found = paying.policies.iter().find(wanted).map(|p| p.id);
                    Some(found.ok_or_else(|| Problem::field("policy", "Choose a policy that pays today."))?)
                }
                _ => None,
            };
            let rows = if form.all { store::hands::taken_together(change.conn(), &order).await? } else { vec![order] };
            for row in &rows {
                let taken_where: TakenWhere = *form.taken_where.unwrap_or(row.taken_where);
                change.say_who_pays(row, Some(*form.bill_to), policy, taken_where).await?;
            }
            Ok(DONE)
        })
        .await
}

/// The visit of an order, where it has one: what the desk recorded of who pays.
pub async fn visit_of(conn: &mut Conn, visit: Option<Uuid>) -> Result<Option<Visit>, Problem> {
    Ok(match visit {
        Some(id) => Some(visits::get(conn, id).await?),
        None => None,
    })
}
