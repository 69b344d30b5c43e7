//! Routes of prescribing.

use crate::api::prescribing::{self, approvals, ending, form, of_person, overridden, papers, renewals, signing, states, writing};
use crate::routes::Access::{Chart, Needs};
use harbor_core::house::permissions::Permission::{RecordVitals, SeeAudit, SeeChart, WriteNote};
use harbor_store::people::whose::Whose::{Nobody, Person, Prescription, Several, Visit};

table! {
    post "/api/people/{id}/states" Chart(RecordVitals, Person) => states::say;
    get "/api/renewals" Chart(WriteNote, Several) => renewals::list;
    post "/api/renewals/answer" Chart(WriteNote, Several) => renewals::answer;
    get "/api/overridden-warnings" Needs(SeeAudit) => overridden::list;
    get "/api/products" Chart(SeeChart, Nobody) => prescribing::products;
    post "/api/visits/{id}/prescriptions/check" Chart(WriteNote, Visit) => writing::check;
    post "/api/visits/{id}/prescriptions" Chart(WriteNote, Visit) => writing::add;
    get "/api/people/{id}/prescriptions" Chart(SeeChart, Person) => of_person::list;
    post "/api/people/{id}/prescriptions" Chart(WriteNote, Person) => writing::add_for_person;
    post "/api/people/{id}/prescriptions/check" Chart(WriteNote, Person) => writing::check_for_person;
    post "/api/people/{id}/prescriptions/renew" Chart(WriteNote, Person) => of_person::renew;
    post "/api/people/{id}/prescriptions/sign" Chart(WriteNote, Person) => signing::sign_for_person;
    get "/api/prescriptions/{id}/paper" Chart(SeeChart, Prescription) => papers::prescription;
    get "/api/prescriptions/{id}/leaflet" Chart(SeeChart, Prescription) => papers::leaflet;
    get "/api/people/{id}/medicines-paper" Chart(SeeChart, Person) => papers::medicines;
    get "/api/prescriptions/{id}/approval" Chart(SeeChart, Prescription) => approvals::show;
    post "/api/prescriptions/{id}/approval" Chart(WriteNote, Prescription) => approvals::choose;
    get "/api/prescriptions/{id}/fields" Chart(SeeChart, Prescription) => form::taken_up;
    put "/api/prescriptions/{id}" Chart(WriteNote, Prescription) => writing::rewrite;
    put "/api/prescriptions/{id}/diagnosis" Chart(WriteNote, Prescription) => ending::place;
    post "/api/visits/{id}/prescriptions/sign" Chart(WriteNote, Visit) => signing::sign;
    get "/api/prescriptions/{id}/sent" Chart(SeeChart, Prescription) => ending::sent;
    delete "/api/prescriptions/{id}" Chart(WriteNote, Prescription) => ending::remove;
    post "/api/prescriptions/{id}/stop" Chart(WriteNote, Prescription) => ending::stop;
}
