//! Routes of money.

use crate::api::money::{accounts, by_hand, denials, owed, payments, refunds, remittances, tills};
use crate::routes::Access::{Needs, Of};
use harbor_core::house::permissions::Permission::{Claims, GiveBack, SeeCharges, TakeMoney};
use harbor_store::people::whose::Whose::{Decision, Denial, Payment, Person, Visit};

table! {
    get "/api/people/{id}/account" Of(SeeCharges, Person) => accounts::show;
    get "/api/people/{id}/collect" Of(TakeMoney, Person) => accounts::collect;
    get "/api/people/{id}/payments" Of(SeeCharges, Person) => payments::of_person;
    post "/api/people/{id}/refunds" Of(GiveBack, Person) => refunds::refund;
    get "/api/visits/{id}/money" Of(SeeCharges, Visit) => owed::show;
    post "/api/visits/{id}/credit" Of(TakeMoney, Visit) => refunds::credit;
    post "/api/payments" Needs(TakeMoney) => payments::take;
    get "/api/payments/{id}" Of(SeeCharges, Payment) => payments::show;
    post "/api/payments/{id}/void" Of(TakeMoney, Payment) => refunds::void;
    get "/api/sites/{id}/till" Needs(TakeMoney) => tills::show;
    post "/api/sites/{id}/till/opening" Needs(TakeMoney) => tills::open;
    post "/api/sites/{id}/till/closing" Needs(TakeMoney) => tills::close;
    get "/api/remittances" Needs(Claims) => remittances::list;
    post "/api/remittances" Needs(Claims) => remittances::upload, 64 << 20;
    get "/api/decisions/{id}/candidates" Of(Claims, Decision) => by_hand::candidates;
    post "/api/decisions/{id}/match" Of(Claims, Decision) => by_hand::match_one;
    get "/api/denials" Needs(Claims) => denials::list;
    get "/api/denials/rates" Needs(Claims) => denials::rates;
    get "/api/denials/{id}" Of(Claims, Denial) => denials::show;
    post "/api/denials/{id}" Of(Claims, Denial) => denials::work;
}
