//! The words for codes, from the core once: what screens choose from and how they name what they show.

use crate::api::visit_line::views::Choice;
use harbor_core::arrival::Stage;
use harbor_core::charges::of_day::ChargeStand;
use harbor_core::claims::assembling::AccidentCause;
use harbor_core::claims::{BatchState, ByDay, ClaimState};
use harbor_core::consult::measurements::Measure;
use harbor_core::consult::{AllergyKind, HistoryKind, NotePart, ProblemState, Source, Weight};
use harbor_core::house::permissions::Role;
use harbor_core::money::denials::{DenialState, RatesBy};
use harbor_core::money::ledger::Method;
use harbor_core::money::months::FiguresBy;
use harbor_core::money::plans::Every;
use harbor_core::money::receivables::{AgedFrom, OwedBy};
use harbor_core::money::reductions::{ReductionKind, ReductionState};
use harbor_core::money::remittance::AdjustmentGroup;
use harbor_core::money::remittance::letter::LetterMethod;
use harbor_core::orders::kinds::Enclosed;
use harbor_core::orders::review::Urgency;
use harbor_core::orders::specimens::TakenWhere;
use harbor_core::orders::{BillTo, Interpretation, OrderKind, OrderState, Priority, ReportStatus};
use harbor_core::people::messages::Channel;
use harbor_core::people::{Consent, Ethnicity, MaritalStatus, Race, Relation, Sex};
use harbor_core::prescribing::dosage::Food;
use harbor_core::prescribing::person_states::PersonState;
use harbor_core::prescribing::{MedicineState, PrescriptionState};
use harbor_core::schedule::VisitKind;
use harbor_core::visit_line::work_list::NextStep;
use serde::Serialize;
use utoipa::ToSchema;

/// A measure, with the unit that its values are kept in.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct MeasureWord {
    id: String,
    label: String,
    unit: String,
}

impl MeasureWord {
    fn of(measure: Measure) -> MeasureWord {
        MeasureWord { id: measure.code().into(), label: measure.label().into(), unit: measure.unit().into() }
    }
}

/// Every list in the order of the job.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Words {
    stages: Vec<Choice>,
    roles: Vec<Choice>,
    sexes: Vec<Choice>,
    marital_states: Vec<Choice>,
    races: Vec<Choice>,
    ethnicities: Vec<Choice>,
    relations: Vec<Choice>,
    consents: Vec<Choice>,
    visit_kinds: Vec<Choice>,
    note_parts: Vec<Choice>,
    allergy_kinds: Vec<Choice>,
    sources: Vec<Choice>,
    weights: Vec<Choice>,
    measures: Vec<MeasureWord>,
    history_kinds: Vec<Choice>,
    problem_states: Vec<Choice>,
    foods: Vec<Choice>,
    medicine_states: Vec<Choice>,
    person_states: Vec<Choice>,
    order_states: Vec<Choice>,
    order_kinds: Vec<Choice>,
    priorities: Vec<Choice>,
    bill_to: Vec<Choice>,
    taken_where: Vec<Choice>,
    enclosed: Vec<Choice>,
    report_states: Vec<Choice>,
    interpretations: Vec<Choice>,
    urgencies: Vec<Choice>,
    prescription_states: Vec<Choice>,
    claim_states: Vec<Choice>,
    denial_states: Vec<Choice>,
    denial_rates: Vec<Choice>,
    reduction_kinds: Vec<Choice>,
    reduction_states: Vec<Choice>,
    owed_by: Vec<Choice>,
    figures_by: Vec<Choice>,
    aged_from: Vec<Choice>,
    plan_times: Vec<Choice>,
    charge_stands: Vec<Choice>,
    claim_days: Vec<Choice>,
    accident_causes: Vec<Choice>,
    batch_states: Vec<Choice>,
    methods: Vec<Choice>,
    letter_methods: Vec<Choice>,
    adjustment_groups: Vec<Choice>,
    channels: Vec<Choice>,
    next_steps: Vec<Choice>,
}

fn of<T: harbor_core::Coded>() -> Vec<Choice> {
    T::ALL.iter().map(|value| Choice::of(value.code(), value.label())).collect()
}

pub fn words() -> Words {
    Words {
        stages: of::<Stage>(),
        roles: of::<Role>(),
        sexes: of::<Sex>(),
        marital_states: of::<MaritalStatus>(),
        races: of::<Race>(),
        ethnicities: of::<Ethnicity>(),
        relations: of::<Relation>(),
        consents: of::<Consent>(),
        visit_kinds: of::<VisitKind>(),
        note_parts: of::<NotePart>(),
        allergy_kinds: of::<AllergyKind>(),
        sources: of::<Source>(),
        weights: of::<Weight>(),
        measures: Measure::ALL.iter().map(|m| MeasureWord::of(*m)).collect(),
        history_kinds: of::<HistoryKind>(),
        problem_states: of::<ProblemState>(),
        foods: of::<Food>(),
        medicine_states: of::<MedicineState>(),
        person_states: of::<PersonState>(),
        order_states: of::<OrderState>(),
        order_kinds: of::<OrderKind>(),
        priorities: of::<Priority>(),
        bill_to: of::<BillTo>(),
        taken_where: of::<TakenWhere>(),
        enclosed: of::<Enclosed>(),
        report_states: of::<ReportStatus>(),
        interpretations: of::<Interpretation>(),
        urgencies: of::<Urgency>(),
        prescription_states: of::<PrescriptionState>(),
        claim_states: of::<ClaimState>(),
        denial_states: of::<DenialState>(),
        denial_rates: of::<RatesBy>(),
        reduction_kinds: of::<ReductionKind>(),
        reduction_states: of::<ReductionState>(),
        owed_by: of::<OwedBy>(),
        figures_by: of::<FiguresBy>(),
        aged_from: of::<AgedFrom>(),
        plan_times: of::<Every>(),
        charge_stands: of::<ChargeStand>(),
        claim_days: of::<ByDay>(),
        accident_causes: of::<AccidentCause>(),
        batch_states: of::<BatchState>(),
        methods: of::<Method>(),
        letter_methods: of::<LetterMethod>(),
        adjustment_groups: of::<AdjustmentGroup>(),
        channels: of::<Channel>(),
        next_steps: of::<NextStep>(),
    }
}
