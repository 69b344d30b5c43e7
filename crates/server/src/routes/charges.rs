//! Routes of charges.

use crate::api::charges;
use crate::api::charges::{day, for_claim};
use crate::routes::Access::{Chart, Needs, Of};
use harbor_core::house::permissions::Permission::{EditCharges, EditCoverage, SeeCharges, SetPrices};
use harbor_store::people::whose::Whose::{Visit};

table! {
    get "/api/services" Needs(SeeCharges) => charges::services;
    put "/api/services/{code}/price" Needs(SetPrices) => charges::set_price;
    get "/api/charges/of-day" Needs(SeeCharges) => day::sheet;
    get "/api/visits/{id}/charges" Of(SeeCharges, Visit) => charges::show;
    put "/api/visits/{id}/charges" Chart(EditCharges, Visit) => charges::set_lines;
    post "/api/visits/{id}/charges/by-themselves" Chart(EditCharges, Visit) => charges::by_themselves;
    get "/api/visits/{id}/for-claim" Of(SeeCharges, Visit) => for_claim::show;
    put "/api/visits/{id}/for-claim" Chart(EditCharges, Visit) => for_claim::set;
    put "/api/visits/{id}/unrelated" Chart(EditCharges, Visit) => for_claim::set_unrelated;
    put "/api/visits/{id}/accident" Of(EditCoverage, Visit) => for_claim::set_accident;
    post "/api/visits/{id}/charges/complete" Chart(EditCharges, Visit) => charges::complete;
}
