//! Routes of prescribing.

use crate::api::prescribing::{self, states};
use crate::routes::Access::{Chart};
use harbor_core::house::permissions::Permission::{RecordVitals, SeeChart, WriteNote};
use harbor_store::people::whose::Whose::{Nobody, Person, Prescription, Visit};

table! {
    post "/api/people/{id}/states" Chart(RecordVitals, Person) => states::say;
    get "/api/products" Chart(SeeChart, Nobody) => prescribing::products;
    post "/api/visits/{id}/prescriptions/check" Chart(WriteNote, Visit) => prescribing::check;
    post "/api/visits/{id}/prescriptions" Chart(WriteNote, Visit) => prescribing::add;
    put "/api/prescriptions/{id}/diagnosis" Chart(WriteNote, Prescription) => prescribing::place;
    post "/api/prescriptions/{id}/send" Chart(WriteNote, Prescription) => prescribing::send;
    get "/api/prescriptions/{id}/sent" Chart(SeeChart, Prescription) => prescribing::sent;
    delete "/api/prescriptions/{id}" Chart(WriteNote, Prescription) => prescribing::stop;
}
