//! Routes of arrival.

use crate::api::arrival::{check_in, check_in_settings, flow, own_stages, unbooked};
use crate::routes::Access::{Needs, Of, SignedIn};
use harbor_core::house::permissions::Permission::{Book, CheckIn, EditCoverage, MovePatients, SeePeople, SeeSchedule, SetClinic};
use harbor_store::people::whose::Whose::{Person, SignedForm, Visit};

table! {
    get "/api/in-clinic" Needs(SeeSchedule) => flow::in_clinic;
    post "/api/visits/{id}/stage" Of(MovePatients, Visit) => flow::move_on;
    get "/api/visits/{id}/check-in" Of(CheckIn, Visit) => check_in::show;
    post "/api/visits/{id}/check-in" Of(CheckIn, Visit) => check_in::finish;
    get "/api/visits/{id}/household-today" Of(CheckIn, Visit) => check_in::household_today;
    post "/api/visits/{id}/alerts" Of(CheckIn, Visit) => check_in::acknowledge;
    post "/api/visits/{id}/forms" Of(CheckIn, Visit) => check_in::sign, 2 << 20;
    get "/api/signed-forms/{id}" Of(SeePeople, SignedForm) => check_in::paper;
    get "/api/settings/check-in" SignedIn => check_in_settings::settings;
    put "/api/settings/check-in/walk" Needs(SetClinic) => check_in_settings::set_walk;
    put "/api/settings/alerts/{id}" Needs(SetClinic) => check_in_settings::set_rule;
    put "/api/settings/forms/{id}" Needs(SetClinic) => check_in_settings::set_form;
    put "/api/settings/own-stages/{id}" Needs(SetClinic) => own_stages::save;
    post "/api/settings/own-stages/{id}/place" Needs(SetClinic) => own_stages::reorder;
    post "/api/people/{id}/visits" Of(Book, Person) => unbooked::begin;
    get "/api/in-clinic/count" SignedIn => flow::count;
    post "/api/visits/{id}/self-pay" Of(EditCoverage, Visit) => flow::tell_self_pay;
    delete "/api/visits/{id}/self-pay" Of(EditCoverage, Visit) => flow::take_self_pay_back;
    post "/api/visits/{id}/payer" Of(EditCoverage, Visit) => flow::set_payer;
}
