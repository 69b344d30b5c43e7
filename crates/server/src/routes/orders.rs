//! Routes of orders.

use crate::api::orders::{self, waiting};
use crate::api::orders::results::{self, filing, grid};
use crate::routes::Access::Chart;
use harbor_core::house::permissions::Permission::{ReviewResults, SeeChart, WriteNote};
use harbor_store::people::whose::Whose::{Nobody, Order, Person, Report, Several, Visit};

table! {
    get "/api/lab-tests" Chart(SeeChart, Nobody) => orders::tests;
    post "/api/visits/{id}/orders" Chart(WriteNote, Visit) => orders::add;
    post "/api/visits/{id}/orders/send" Chart(WriteNote, Visit) => orders::send;
    put "/api/orders/{id}/diagnoses" Chart(WriteNote, Order) => orders::place_order;
    put "/api/orders/{id}/answers" Chart(WriteNote, Order) => orders::answer;
    get "/api/orders/open" Chart(SeeChart, Several) => waiting::open;
    post "/api/orders/{id}/taken-back" Chart(WriteNote, Order) => waiting::take_back;
    get "/api/orders/{id}/sent" Chart(SeeChart, Order) => orders::sent;
    delete "/api/orders/{id}" Chart(WriteNote, Order) => orders::cancel;
    get "/api/results" Chart(SeeChart, Several) => results::list;
    post "/api/results/{id}/review" Chart(ReviewResults, Report) => results::review;
    post "/api/results/review-usual" Chart(ReviewResults, Several) => results::review_usual;
    get "/api/results/{id}" Chart(SeeChart, Report) => results::show;
    get "/api/results/{id}/files/{position}" Chart(SeeChart, Report) => results::file;
    post "/api/results/{id}/looked" Chart(SeeChart, Report) => results::looked;
    post "/api/results/{id}/hand-on" Chart(ReviewResults, Report) => results::hand_on;
    get "/api/results/{id}/candidates" Chart(ReviewResults, Report) => filing::candidates;
    post "/api/results/{id}/match" Chart(ReviewResults, Report) => filing::match_to_person;
    post "/api/results/{id}/take-away" Chart(ReviewResults, Report) => filing::take_away;
    get "/api/people/{id}/results" Chart(SeeChart, Person) => grid::show;
}
