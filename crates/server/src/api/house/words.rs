//! The words for codes, from the core once: what screens choose from and how they name what they show.

use crate::api::visit_line::views::Choice;
use harbor_core::arrival::Stage;
use harbor_core::claims::{BatchState, ClaimState};
use harbor_core::consult::NotePart;
use harbor_core::house::permissions::Role;
use harbor_core::money::ledger::Method;
use harbor_core::orders::OrderState;
use harbor_core::people::messages::Channel;
use harbor_core::people::{Consent, Ethnicity, MaritalStatus, Race, Relation, Sex};
use harbor_core::prescribing::{MedicineState, PrescriptionState};
use harbor_core::visit_line::work_list::NextStep;
use serde::Serialize;
use utoipa::ToSchema;

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
    note_parts: Vec<Choice>,
    medicine_states: Vec<Choice>,
    order_states: Vec<Choice>,
    prescription_states: Vec<Choice>,
    claim_states: Vec<Choice>,
    batch_states: Vec<Choice>,
    methods: Vec<Choice>,
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
        note_parts: of::<NotePart>(),
        medicine_states: of::<MedicineState>(),
        order_states: of::<OrderState>(),
        prescription_states: of::<PrescriptionState>(),
        claim_states: of::<ClaimState>(),
        batch_states: of::<BatchState>(),
        methods: of::<Method>(),
        channels: of::<Channel>(),
        next_steps: of::<NextStep>(),
    }
}
