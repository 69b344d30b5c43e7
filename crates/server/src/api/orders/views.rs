//! An order as the screens show it: where it lies, what it asks, what it lacks.

use super::again::Lately;
use super::hands::{ContainerView, needed};
use super::paying::{PayerView, Paying};
use crate::problem::Problem;
use crate::state::State;
use harbor_core::orders::kinds::lacking;
use harbor_core::orders::questions::AnswerKind;
use harbor_core::orders::specimens::may_be_taken;
use harbor_core::orders::{OrderKind, OrderQuestion, Orderable, Request, misfit};
use harbor_store::rows::{Order, OrderDiagnosis, Person, VisitDiagnosis};
use harbor_store::{Conn, orders};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// What an answer may be.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum AskedFor {
    YesNo,
    Number,
    Date,
    Moment,
    Choice,
    Words,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct OrderQuestionView {
    text: String,
    asked_for: AskedFor,
    unit: String,
    choices: Vec<String>,
    required: bool,
    answer: String,
}

/// A diagnosis that an order lies under.
#[derive(Debug, Serialize, ToSchema)]
pub struct OrderedFor {
    pub code: String,
    pub title: String,
}

/// An order beside the diagnoses that it may lie under.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct OrderView {
    order: Order,
    /// The state in the words of its kind.
    state: String,
    codes: Vec<String>,
    under: Vec<OrderedFor>,
    questions: Vec<OrderQuestionView>,
    /// What must be said before it can be signed, in words; of a draft.
    lacking: Vec<String>,
    /// It was sent and waits: it may be taken back.
    open: bool,
    /// Why it lies oddly where it is.
    misfit: Option<String>,
    /// The code of the diagnosis that carries it better.
    better: Option<String>,
    /// Of the laboratory: who pays it.
    payer: Option<PayerView>,
    /// Of a draft: that it repeats one of the last days, or that its result is here.
    already: Option<String>,
    /// Into what its specimen goes, with what is taken together; as long as that may be said.
    containers: Vec<ContainerView>,
    /// It may be said when its specimen was taken.
    may_be_taken: bool,
}

/// Questions that are asked of a person with this order: of a draft those of the list, of a signed one as they were asked.
pub fn asked(state: &State, order: &Order, person: &Person) -> Vec<OrderQuestion> {
    if order.signed_at.is_some() {
        return order.answers.iter().filter_map(|a| OrderQuestion::parse(&a.asked)).collect();
    }
    let sex = person.sex.map(|s| *s);
    let years = person.birth_date.and_then(|born| state.today().years_since(born)).and_then(|y| i32::try_from(y).ok());
    let questions = state.tables.orderable(&order.test_code).map(|item| item.questions.clone()).unwrap_or_default();
    questions.into_iter().filter(|q| q.is_asked(sex, years)).collect()
}

/// What a draft lacks before it can be signed.
pub fn lacks(state: &State, order: &Order, person: &Person, placed: usize, paying: &Paying) -> Vec<String> {
    let answered: Vec<String> =
        order.answers.iter().filter(|a| !a.answer.trim().is_empty()).map(|a| a.question.clone()).collect();
    let request = Request {
        priority: *order.priority,
        question: order.request.question.clone(),
        to_whom: order.request.to_whom.clone(),
        enclosed: vec![],
    };
    let mut out = lacking(*order.kind, &order.test_name, &request, (&asked(state, order, person), &answered), placed);
    out.extend(paying.lacks(order));
    out
}

fn question(q: OrderQuestion, order: &Order) -> OrderQuestionView {
    let kept = order.answers.iter().find(|a| a.question == q.text).map(|a| a.answer.clone());
    let choice = |words: &[&str]| words.iter().map(|w| (*w).to_owned()).collect();
    let (asked_for, unit, choices) = match q.kind {
        AnswerKind::YesNo | AnswerKind::Pregnancy => {
            (AskedFor::YesNo, String::new(), choice(&["yes", "no", harbor_core::orders::questions::NOT_KNOWN]))
        }
        AnswerKind::Number { unit } => (AskedFor::Number, unit, vec![]),
        AnswerKind::Date => (AskedFor::Date, String::new(), vec![]),
        AnswerKind::Moment => (AskedFor::Moment, String::new(), vec![]),
        AnswerKind::Choice(choices) => (AskedFor::Choice, String::new(), choices),
        AnswerKind::Words => (AskedFor::Words, String::new(), vec![]),
    };
    OrderQuestionView { text: q.text, asked_for, unit, choices, required: q.required, answer: kept.unwrap_or_default() }
}

/// The containers of an order, told at the first of those whose specimens are taken together.
fn containers(state: &State, order: &Order, all: &[Order]) -> Vec<ContainerView> {
    let together = |o: &&Order| {
        o.visit_id == order.visit_id
            && o.requisition == order.requisition
            && may_be_taken(*o.kind, *o.state, *o.taken_where)
    };
    let rows: Vec<Order> = all.iter().filter(together).cloned().collect();
    match rows.first() {
        Some(first) if first.id == order.id => needed(state, &rows).into_iter().map(|(c, _)| c).collect(),
        _ => vec![],
    }
}

/// Orders of one person beside the diagnoses that they may lie under.
pub async fn viewed(
    conn: &mut Conn,
    state: &State,
    person: &Person,
    rows: Vec<Order>,
    (links, listed): (&[OrderDiagnosis], &[(String, String)]),
) -> Result<Vec<OrderView>, Problem> {
    let paying = Paying::of(conn, state, person).await?;
    let policies = paying.told_of(conn, &rows).await?;
    let lately = match rows.iter().any(|o| o.signed_at.is_none()) {
        true => Lately::of(conn, state, person.id).await?,
        false => Lately::default(),
    };
    let all = rows.clone();
    let view = |order: Order| {
        let own: Vec<&OrderDiagnosis> = links.iter().filter(|l| l.order_id == order.id).collect();
        let codes: Vec<String> = own.iter().map(|l| l.code.clone()).collect();
        let under = own.iter().map(|l| OrderedFor { code: l.code.clone(), title: l.title.clone() }).collect();
        let item: Option<&Orderable> = state.tables.orderable(&order.test_code);
        let placed: Vec<usize> = codes.iter().filter_map(|c| listed.iter().position(|(d, _)| d == c)).collect();
        let odd = item.and_then(|t| misfit(t, &placed, listed));
        let draft = order.signed_at.is_none();
        OrderView {
            state: order.kind.told(*order.state).to_owned(),
            better: odd.as_ref().map(|m| listed[m.better].0.clone()),
            misfit: odd.map(|m| m.sentence),
            questions: asked(state, &order, person).into_iter().map(|q| question(q, &order)).collect(),
            lacking: if draft { lacks(state, &order, person, codes.len(), &paying) } else { vec![] },
            open: order.state.is_open(),
            codes,
            under,
            payer: (*order.kind == OrderKind::Laboratory)
                .then(|| paying.view(&order, order.coverage_id.and_then(|id| policies.get(&id).cloned()))),
            already: if draft { lately.said_of(state, &order) } else { None },
            containers: containers(state, &order, &all),
            may_be_taken: may_be_taken(*order.kind, *order.state, *order.taken_where),
            order,
        }
    };
    Ok(rows.into_iter().map(view).collect())
}

/// The orders of a visit with their diagnoses and what does not fit.
pub async fn of_visit(
    conn: &mut Conn,
    state: &State,
    person: &Person,
    visit: Uuid,
    diagnoses: &[VisitDiagnosis],
) -> Result<Vec<OrderView>, Problem> {
    let listed: Vec<(String, String)> = diagnoses.iter().map(|d| (d.code.clone(), d.title.clone())).collect();
    let mut rows = orders::of_visits(conn, &[visit]).await?;
    rows.extend(orders::taken_back_of(conn, visit).await?);
    let links = orders::links(conn, &rows.iter().map(|o| o.id).collect::<Vec<_>>()).await?;
    viewed(conn, state, person, rows, (&links, &listed)).await
}
