//! Routes of charges.

use crate::api::charges;
use crate::api::charges::{again, alone, catalogue, day, estimates, for_claim, price_files};
use crate::routes::Access::{Chart, Needs, Of};
use harbor_core::house::permissions::Permission::{EditCharges, EditCoverage, SeeCharges, SetPrices, TakeMoney};
use harbor_store::people::whose::Whose::{Person, Visit};

table! {
    get "/api/services" Needs(SeeCharges) => charges::services;
    put "/api/services/{code}/price" Needs(SetPrices) => charges::set_price;
    get "/api/catalogue" Needs(SeeCharges) => catalogue::show;
    put "/api/catalogue/services/{code}" Needs(SetPrices) => catalogue::keep_service;
    get "/api/catalogue/services" Needs(SeeCharges) => price_files::export_services;
    post "/api/catalogue/services" Needs(SetPrices) => price_files::import_services, 8 << 20;
    get "/api/catalogue/prices" Needs(SeeCharges) => price_files::export_prices;
    post "/api/catalogue/prices" Needs(SetPrices) => price_files::import_prices, 8 << 20;
    post "/api/fee-schedules" Needs(SetPrices) => catalogue::add_schedule;
    put "/api/fee-schedules/{code}" Needs(SetPrices) => catalogue::set_schedule;
    post "/api/fee-schedules/{code}/raise" Needs(SetPrices) => catalogue::raise;
    post "/api/price-changes/{id}/take-back" Needs(SetPrices) => catalogue::take_back;
    get "/api/charges/of-day" Needs(SeeCharges) => day::sheet;
    get "/api/visits/{id}/charges" Of(SeeCharges, Visit) => charges::show;
    put "/api/visits/{id}/charges" Chart(EditCharges, Visit) => charges::set_lines;
    post "/api/visits/{id}/charges/by-themselves" Chart(EditCharges, Visit) => charges::by_themselves;
    post "/api/people/{id}/charges" Of(TakeMoney, Person) => alone::charge;
    get "/api/people/{id}/estimates" Of(EditCoverage, Person) => estimates::list;
    post "/api/people/{id}/estimates" Of(EditCoverage, Person) => estimates::give;
    get "/api/people/{id}/estimates/{estimate}/paper" Of(EditCoverage, Person) => estimates::show;
    get "/api/visits/{id}/estimate" Of(EditCoverage, Visit) => estimates::begin;
    get "/api/visits/{id}/for-claim" Of(SeeCharges, Visit) => for_claim::show;
    put "/api/visits/{id}/for-claim" Chart(EditCharges, Visit) => for_claim::set;
    put "/api/visits/{id}/unrelated" Chart(EditCharges, Visit) => for_claim::set_unrelated;
    put "/api/visits/{id}/accident" Of(EditCoverage, Visit) => for_claim::set_accident;
    post "/api/visits/{id}/charges/again" Chart(EditCharges, Visit) => again::open;
    post "/api/visits/{id}/charges/leave" Chart(EditCharges, Visit) => again::leave;
    post "/api/visits/{id}/charges/take-back" Chart(EditCharges, Visit) => again::take_back;
    post "/api/visits/{id}/charges/complete" Chart(EditCharges, Visit) => charges::complete;
}
