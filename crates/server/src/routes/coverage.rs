//! Routes of coverage.

use crate::api::coverage::{cards, policies};
use crate::routes::Access::{Needs, Of};
use harbor_core::house::permissions::Permission::{EditCoverage, SeePeople};
use harbor_store::people::whose::Whose::{Person, Policy};

table! {
    get "/api/people/{id}/coverages" Of(SeePeople, Person) => policies::list;
    post "/api/people/{id}/coverages" Of(EditCoverage, Person) => policies::add;
    put "/api/coverages/{id}" Of(EditCoverage, Policy) => policies::correct;
    post "/api/coverages/{id}/benefits" Of(EditCoverage, Policy) => policies::ask_benefits;
    put "/api/coverages/{id}/card/{side}" Of(EditCoverage, Policy) => cards::add, 6 << 20;
    get "/api/coverages/{id}/card/{side}" Of(SeePeople, Policy) => cards::show;
    post "/api/coverages/{id}/copy" Of(EditCoverage, Policy) => policies::copy;
    post "/api/benefits/tomorrow" Needs(EditCoverage) => policies::ask_tomorrow;
}
