//! Routes of people.

use crate::api::people::{addresses, export, import, messages, records, registration};
use crate::routes::Access::{Needs, Of, Restriction, SignedIn};
use harbor_core::house::permissions::Permission::{Book, EditPeople, MergePeople, RestrictCharts, SeeAudit, SeeChart, SeePeople, SetClinic};
use harbor_store::people::whose::Whose::{Message, Person};

table! {
    get "/api/people" Needs(SeePeople) => records::search;
    post "/api/people" Needs(EditPeople) => records::add;
    post "/api/people/twins" Needs(EditPeople) => records::twins;
    get "/api/people/{id}" Of(SeePeople, Person) => records::show;
    patch "/api/people/{id}" Of(EditPeople, Person) => records::save;
    get "/api/people/{id}/visits" Of(SeePeople, Person) => records::visits;
    get "/api/people/{id}/looks" Of(SeeAudit, Person) => records::looks;
    post "/api/people/{id}/consents" Of(EditPeople, Person) => registration::consent;
    post "/api/people/{id}/household" Of(EditPeople, Person) => registration::link;
    delete "/api/people/{id}/household/{other}" Of(EditPeople, Person) => registration::unlink;
    post "/api/people/{id}/moved-along" Of(EditPeople, Person) => registration::move_along;
    get "/api/people/{id}/differences" Of(MergePeople, Person) => registration::differences;
    post "/api/people/{id}/merge" Of(MergePeople, Person) => registration::merge;
    delete "/api/merges/{id}" Needs(MergePeople) => registration::unmerge;
    post "/api/people/{id}/restriction" Restriction(RestrictCharts, Person) => registration::restrict;
    post "/api/people/{id}/open-chart" Restriction(SeeChart, Person) => registration::open_chart;
    post "/api/addresses" Needs(EditPeople) => addresses::address;
    post "/api/people/{id}/address-check" Of(EditPeople, Person) => addresses::check;
    get "/api/people/{id}/fhir" Of(SeePeople, Person) => export::person_as_fhir;
    post "/api/import/fhir" Needs(SetClinic) => import::fhir, 32 << 20;
    post "/api/import/policies" Needs(SetClinic) => import::policies, 32 << 20;
    post "/api/import/balances" Needs(SetClinic) => import::balances, 32 << 20;
    post "/api/import/people" Needs(SetClinic) => import::people, 32 << 20;
    get "/api/imports" Needs(SetClinic) => import::list;
    post "/api/imports/{id}/take-back" Needs(SetClinic) => import::take_back;
    get "/api/settings/required-fields" SignedIn => registration::required;
    put "/api/settings/required-fields" Needs(SetClinic) => registration::set_required;
    post "/api/rebooking/tell" Needs(Book) => messages::tell_no_time;
    get "/api/messages" Needs(Book) => messages::list;
    post "/api/messages/{id}/fate" Of(Book, Message) => messages::set_fate;
}
