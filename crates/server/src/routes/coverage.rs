//! Routes of coverage.

use crate::api::coverage::{cards, policies, referrals};
use crate::routes::Access::{Needs, Of};
use harbor_core::house::permissions::Permission::{EditCoverage, SeePeople};
use harbor_store::people::whose::Whose::{Person, Policy, Referral, Visit};

table! {
    get "/api/people/{id}/coverages" Of(SeePeople, Person) => policies::list;
    post "/api/people/{id}/coverages" Of(EditCoverage, Person) => policies::add;
    put "/api/coverages/{id}" Of(EditCoverage, Policy) => policies::correct;
    post "/api/coverages/{id}/benefits" Of(EditCoverage, Policy) => policies::ask_benefits;
    put "/api/coverages/{id}/card/{side}" Of(EditCoverage, Policy) => cards::add, 6 << 20;
    get "/api/coverages/{id}/card/{side}" Of(SeePeople, Policy) => cards::show;
    post "/api/coverages/{id}/copy" Of(EditCoverage, Policy) => policies::copy;
    get "/api/people/{id}/referrals" Of(SeePeople, Person) => referrals::list;
    post "/api/people/{id}/referrals" Of(EditCoverage, Person) => referrals::add;
    put "/api/referrals/{id}" Of(EditCoverage, Referral) => referrals::correct;
    put "/api/referrals/{id}/ended" Of(EditCoverage, Referral) => referrals::end;
    post "/api/visits/{id}/kept-from-plan" Of(EditCoverage, Visit) => policies::keep_from_plan;
    delete "/api/visits/{id}/kept-from-plan" Of(EditCoverage, Visit) => policies::no_longer_keep;
    get "/api/visits/{id}/referrals" Of(SeePeople, Visit) => referrals::of_visit;
    put "/api/visits/{id}/referral" Of(EditCoverage, Visit) => referrals::name;
    post "/api/benefits/tomorrow" Needs(EditCoverage) => policies::ask_tomorrow;
}
