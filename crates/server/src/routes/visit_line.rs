//! Routes of visit line.

use crate::api::visit_line::{today, visits};
use crate::routes::Access::{Of, SignedIn};
use harbor_core::house::permissions::Permission::{Book, SeeSchedule};
use harbor_store::people::whose::Whose::{Visit};

table! {
    get "/api/today" SignedIn => today::show;
    get "/api/visits/{id}" Of(SeeSchedule, Visit) => visits::show;
    put "/api/visits/{id}" Of(Book, Visit) => visits::correct_visit;
}
