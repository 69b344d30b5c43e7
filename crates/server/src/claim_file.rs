//! Who bills, and how a file to the clearing house is stamped.

use crate::state::State;
use harbor_core::claims::assembling::{plain, plain_address};
use harbor_core::claims::{AddressOnClaim, Biller};
use harbor_formats::x12::Stamp;

pub fn biller(state: &State) -> Biller {
    let c = &state.clinic;
    Biller {
        organisation: plain(&c.name),
        npi: c.npi.clone(),
        taxonomy: c.taxonomy.clone(),
        tax_id: c.tax_id.clone(),
        address: plain_address(&AddressOnClaim {
            line: c.address_line.clone(),
            line2: String::new(),
            city: c.city.clone(),
            state: c.state.clone(),
            postal_code: c.postal_code.clone(),
        }),
        pay_to: None,
        contact: "BILLING OFFICE".into(),
        telephone: c.telephone.clone(),
        submitter_id: c.submitter_id.clone(),
        receiver_name: plain(&c.clearing_house),
        receiver_id: c.clearing_house_id.clone(),
    }
}

pub fn stamp(state: &State, control: u32) -> Stamp {
    Stamp {
        at: state.now().with_timezone(&state.zone).naive_local(),
        control,
        production: state.clinic.production,
        sender: state.clinic.submitter_id.clone(),
        receiver: state.clinic.clearing_house_id.clone(),
    }
}
