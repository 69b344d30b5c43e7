//! Who works here, where, and the clinic itself.

use uuid::Uuid;

row! {
    clinic Clinic {
        id: i16,
        name: String,
        zone: String,
        npi: String,
        tax_id: String,
        taxonomy: String,
        address_line: String,
        city: String,
        state: String,
        postal_code: String,
        telephone: String,
        submitter_id: String,
        clearing_house: String,
        clearing_house_id: String,
        production: bool,
        required_fields: Vec<String>,
        cancel_reasons: Vec<String>,
        reason_required: bool,
        supply_days: i32,
    }
}

row! {
    sites Site {
        id: Uuid,
        name: String,
        place_of_service: String,
        sort: i32,
    }
}

row! {
    rooms Room {
        id: Uuid,
        site_id: Uuid,
        name: String,
        kind: String,
        sort: i32,
    }
}

row! {
    staff Staff {
        id: Uuid,
        login: String,
        name: String,
        last_name: String,
        first_name: String,
        role: String,
        specialty: String,
        npi: Option<String>,
        taxonomy: Option<String>,
        #[serde(skip_serializing)]
        password_hash: String,
        active: bool,
        sort: i32,
    }
}
