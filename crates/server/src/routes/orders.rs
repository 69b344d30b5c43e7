//! Routes of orders.

use crate::api::orders::{self, again, answering, hands, paper, paying, placing, saying, signing, waiting};
use crate::api::orders::results::{self, filing, grid, telling};
use crate::routes::Access::Chart;
use harbor_core::house::permissions::Permission::{PrepareOrders, ReviewResults, SeeChart, WriteNote};
use harbor_store::people::whose::Whose::{Nobody, Order, Person, Report, Several, Visit};

table! {
    get "/api/orderables" Chart(SeeChart, Nobody) => again::orderables;
    post "/api/visits/{id}/orders" Chart(PrepareOrders, Visit) => orders::add;
    post "/api/visits/{id}/orders/send" Chart(WriteNote, Visit) => signing::send;
    get "/api/people/{id}/orders" Chart(SeeChart, Person) => orders::of_person;
    post "/api/people/{id}/orders" Chart(PrepareOrders, Person) => orders::add_for_person;
    get "/api/orders/open" Chart(SeeChart, Several) => waiting::open;
    get "/api/orders/to-sign" Chart(WriteNote, Several) => signing::to_sign;
    get "/api/orders/hands" Chart(SeeChart, Several) => hands::waiting;
    get "/api/order-sets" Chart(SeeChart, Nobody) => again::sets;
    put "/api/order-sets/{id}" Chart(PrepareOrders, Nobody) => again::keep_set;
    delete "/api/order-sets/{id}" Chart(PrepareOrders, Nobody) => again::drop_set;
    post "/api/people/{id}/order-repeats/{repeat}/end" Chart(WriteNote, Person) => again::end_repeat;
    post "/api/orders/signed" Chart(WriteNote, Several) => signing::sign;
    put "/api/orders/{id}/diagnoses" Chart(PrepareOrders, Order) => placing::place_order;
    put "/api/orders/{id}/answers" Chart(PrepareOrders, Order) => saying::answer;
    put "/api/orders/{id}/request" Chart(PrepareOrders, Order) => saying::request;
    put "/api/orders/{id}/payer" Chart(PrepareOrders, Order) => paying::say;
    post "/api/orders/{id}/specimen" Chart(PrepareOrders, Order) => hands::taken;
    post "/api/orders/{id}/repeat" Chart(WriteNote, Order) => again::repeat;
    post "/api/orders/{id}/again" Chart(PrepareOrders, Order) => again::order_again;
    post "/api/orders/{id}/taken-over" Chart(WriteNote, Order) => signing::take_over;
    post "/api/orders/{id}/done" Chart(PrepareOrders, Order) => signing::done;
    post "/api/orders/{id}/answer-came" Chart(PrepareOrders, Order) => answering::came, 16 << 20;
    post "/api/orders/{id}/taken-back" Chart(WriteNote, Order) => waiting::take_back;
    get "/api/orders/{id}/sent" Chart(SeeChart, Order) => orders::sent;
    get "/api/orders/{id}/paper" Chart(SeeChart, Order) => paper::paper;
    get "/api/orders/{id}/labels" Chart(SeeChart, Order) => paper::labels;
    delete "/api/orders/{id}" Chart(PrepareOrders, Order) => signing::cancel;
    get "/api/results" Chart(SeeChart, Several) => results::list;
    post "/api/results/{id}/review" Chart(ReviewResults, Report) => results::review;
    post "/api/results/review-usual" Chart(ReviewResults, Several) => results::review_usual;
    get "/api/results/{id}" Chart(SeeChart, Report) => results::show;
    get "/api/results/{id}/files/{position}" Chart(SeeChart, Report) => results::file;
    post "/api/results/{id}/looked" Chart(SeeChart, Report) => results::looked;
    post "/api/results/{id}/tell" Chart(ReviewResults, Report) => telling::tell;
    post "/api/results/{id}/hand-on" Chart(ReviewResults, Report) => results::hand_on;
    get "/api/results/{id}/candidates" Chart(ReviewResults, Report) => filing::candidates;
    post "/api/results/{id}/match" Chart(ReviewResults, Report) => filing::match_to_person;
    post "/api/results/{id}/take-away" Chart(ReviewResults, Report) => filing::take_away;
    get "/api/people/{id}/results" Chart(SeeChart, Person) => grid::show;
}
