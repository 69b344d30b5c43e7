//! Routes of money.

use crate::api::money::{
    accounts, by_hand, calls, denials, deposits, letters, months, owed, payments, receivables, reductions, refunds, remittances, rules,
    statements, tills,
};
use crate::routes::Access::{Needs, Of};
use harbor_core::house::permissions::Permission::{Claims, CloseMonths, GiveBack, SeeCharges, SetClinic, TakeMoney};
use harbor_store::people::whose::Whose::{Decision, Denial, Payment, Person, Reduction, Several, Statement, Visit};

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
    post "/api/remittances/{id}/explain" Needs(Claims) => deposits::explain_payment;
    get "/api/deposits" Needs(Claims) => deposits::list;
    post "/api/deposits" Needs(Claims) => deposits::add;
    post "/api/deposits/{id}/match" Needs(Claims) => deposits::match_one;
    post "/api/deposits/{id}/apart" Needs(Claims) => deposits::apart;
    post "/api/deposits/{id}/explain" Needs(Claims) => deposits::explain;
    get "/api/letters" Needs(Claims) => letters::waiting;
    post "/api/letters" Needs(Claims) => letters::keep, 20 << 20;
    get "/api/letters/claims" Needs(Claims) => letters::claims_to_decide;
    get "/api/letters/{id}/scan" Of(Claims, Several) => letters::scan;
    post "/api/letters/{id}/check" Needs(Claims) => letters::check;
    post "/api/letters/{id}/post" Needs(Claims) => letters::post;
    get "/api/decisions/{id}/candidates" Of(Claims, Decision) => by_hand::candidates;
    post "/api/decisions/{id}/match" Of(Claims, Decision) => by_hand::match_one;
    get "/api/denials" Needs(Claims) => denials::list;
    get "/api/denials/rates" Needs(Claims) => denials::rates;
    get "/api/denials/{id}" Of(Claims, Denial) => denials::show;
    post "/api/denials/{id}" Of(Claims, Denial) => denials::work;
    get "/api/receivables" Needs(Claims) => receivables::show;
    get "/api/receivables/file" Needs(Claims) => receivables::export;
    get "/api/receivables/visits" Needs(Claims) => receivables::visits;
    get "/api/visits/{id}/reductions" Of(SeeCharges, Visit) => reductions::of_visit;
    post "/api/visits/{id}/reductions" Of(Claims, Visit) => reductions::take_off;
    post "/api/reductions/{id}" Of(Claims, Reduction) => reductions::work;
    post "/api/people/{id}/hardships" Of(Claims, Person) => reductions::add_hardship;
    delete "/api/people/{id}/hardships/{hardship}" Of(Claims, Person) => reductions::end_hardship;
    get "/api/statements/due" Needs(Claims) => statements::due;
    get "/api/statements/runs" Needs(Claims) => statements::runs;
    post "/api/statements/runs" Needs(Claims) => statements::begin;
    get "/api/statements/runs/{id}/letters" Of(Claims, Several) => statements::letters;
    get "/api/statements/{id}/paper" Of(SeeCharges, Statement) => statements::one;
    get "/api/people/{id}/statements" Of(SeeCharges, Person) => statements::of_person;
    post "/api/people/{id}/statements" Of(Claims, Person) => statements::make;
    put "/api/people/{id}/statements" Of(TakeMoney, Person) => statements::wish;
    put "/api/visits/{id}/confidential" Of(TakeMoney, Visit) => statements::confidential;
    get "/api/calls" Needs(Claims) => calls::list;
    post "/api/people/{id}/calls" Of(Claims, Person) => calls::note;
    post "/api/people/{id}/plan" Of(Claims, Person) => calls::begin_plan;
    post "/api/people/{id}/plan/end" Of(Claims, Person) => calls::end_plan;
    get "/api/months" Needs(Claims) => months::list;
    post "/api/months" Needs(CloseMonths) => months::close;
    get "/api/figures" Needs(Claims) => months::figures_of;
    get "/api/figures/file" Needs(Claims) => months::figures_file;
    get "/api/money-rules" Needs(Claims) => rules::show;
    put "/api/settings/money" Needs(SetClinic) => rules::set;
}
