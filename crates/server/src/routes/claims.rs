//! Routes of claims.

use crate::api::claims;
use crate::api::claims::{as_sent, stray};
use crate::routes::Access::{Needs, Of};
use harbor_core::house::permissions::Permission::{Claims, SeeCharges};
use harbor_store::people::whose::Whose::{Claim, Several};

table! {
    get "/api/claims" Needs(SeeCharges) => claims::list;
    get "/api/claims/sums" Needs(SeeCharges) => claims::sums;
    get "/api/claims/{id}" Of(SeeCharges, Claim) => claims::show;
    get "/api/claims/{id}/as-sent" Of(Claims, Claim) => as_sent::as_sent;
    get "/api/claims/{id}/form" Of(Claims, Claim) => as_sent::form;
    post "/api/claims/{id}/correct" Of(Claims, Claim) => claims::correct;
    get "/api/batches" Needs(Claims) => claims::batches;
    post "/api/batches" Needs(Claims) => claims::make_batch;
    get "/api/stray-answers" Needs(Claims) => stray::list;
    post "/api/stray-answers/{id}/seen" Needs(Claims) => stray::seen;
    get "/api/files/{id}" Of(Claims, Several) => claims::file;
}
