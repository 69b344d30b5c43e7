//! Routes of orders.

use crate::api::orders;
use crate::api::orders::{results};
use crate::routes::Access::{Chart};
use harbor_core::house::permissions::Permission::{ReviewResults, SeeChart, WriteNote};
use harbor_store::people::whose::Whose::{Nobody, Order, Report, Several, Visit};

table! {
    get "/api/lab-tests" Chart(SeeChart, Nobody) => orders::tests;
    post "/api/visits/{id}/orders" Chart(WriteNote, Visit) => orders::add;
    post "/api/visits/{id}/orders/send" Chart(WriteNote, Visit) => orders::send;
    put "/api/orders/{id}/diagnoses" Chart(WriteNote, Order) => orders::place_order;
    put "/api/orders/{id}/answers" Chart(WriteNote, Order) => orders::answer;
    delete "/api/orders/{id}" Chart(WriteNote, Order) => orders::cancel;
    get "/api/results" Chart(SeeChart, Several) => results::list;
    post "/api/results/{id}/review" Chart(ReviewResults, Report) => results::review;
    post "/api/results/{id}/match" Chart(ReviewResults, Report) => results::match_to_person;
}
