//! Routes of charges.

use crate::api::charges;
use crate::routes::Access::{Chart, Needs, Of};
use harbor_core::house::permissions::Permission::{EditCharges, SeeCharges, SetPrices};
use harbor_store::people::whose::Whose::{Visit};

table! {
    get "/api/services" Needs(SeeCharges) => charges::services;
    put "/api/services/{code}/price" Needs(SetPrices) => charges::set_price;
    get "/api/visits/{id}/charges" Of(SeeCharges, Visit) => charges::show;
    put "/api/visits/{id}/charges" Chart(EditCharges, Visit) => charges::set_lines;
    post "/api/visits/{id}/charges/complete" Chart(EditCharges, Visit) => charges::complete;
}
