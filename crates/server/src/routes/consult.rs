//! Routes of consult.

use crate::api::consult::{chart, codes, glance, growth, histories, note, quick_line, runs};
use crate::routes::Access::{Chart};
use harbor_core::house::permissions::Permission::{RecordVitals, SeeChart, WriteNote};
use harbor_store::people::whose::Whose::{Nobody, Person, Visit};

table! {
    get "/api/visits/{id}/chart" Chart(SeeChart, Visit) => chart::show;
    post "/api/visits/{id}/quick-line" Chart(RecordVitals, Visit) => quick_line::quick_line;
    post "/api/visits/{id}/quick-line/taken-back" Chart(RecordVitals, Visit) => quick_line::taking_back::take_back;
    delete "/api/visits/{id}/measurements/{measurement}" Chart(RecordVitals, Visit) => chart::strike;
    get "/api/people/{id}/chart" Chart(SeeChart, Person) => glance::show;
    get "/api/people/{id}/growth" Chart(SeeChart, Person) => growth::show;
    get "/api/people/{id}/histories/{entry}" Chart(SeeChart, Person) => histories::versions;
    post "/api/people/{id}/histories/{entry}/end" Chart(RecordVitals, Person) => histories::end;
    post "/api/people/{id}/histories/{entry}/not-ended" Chart(RecordVitals, Person) => histories::take_end_back;
    post "/api/people/{id}/allergies" Chart(RecordVitals, Person) => chart::add_allergy;
    delete "/api/people/{id}/allergies/{allergy}" Chart(RecordVitals, Person) => chart::end_allergy;
    post "/api/people/{id}/allergies/{allergy}/not-ended" Chart(RecordVitals, Person) => chart::take_end_of_allergy_back;
    post "/api/people/{id}/medicines" Chart(RecordVitals, Person) => chart::add_medicine;
    put "/api/people/{id}/medicines/{medicine}" Chart(RecordVitals, Person) => chart::set_medicine;
    post "/api/people/{id}/none-known" Chart(RecordVitals, Person) => chart::none_known;
    delete "/api/people/{id}/none-known/{list}" Chart(RecordVitals, Person) => chart::take_none_known_back;
    put "/api/visits/{id}/note/{part}" Chart(WriteNote, Visit) => note::save;
    get "/api/visits/{id}/note/{part}/last-time" Chart(WriteNote, Visit) => note::last_time;
    post "/api/visits/{id}/note/{part}/carried" Chart(WriteNote, Visit) => note::carry;
    put "/api/visits/{id}/note/{part}/reviewed" Chart(WriteNote, Visit) => note::review;
    post "/api/visits/{id}/runs" Chart(WriteNote, Visit) => runs::begin;
    put "/api/visits/{id}/runs/{run}" Chart(WriteNote, Visit) => runs::become_;
    delete "/api/visits/{id}/runs/{run}" Chart(WriteNote, Visit) => runs::drop_run;
    put "/api/visits/{id}/lists/{list}/reviewed" Chart(RecordVitals, Visit) => chart::review_list;
    delete "/api/visits/{id}/lists/{list}/reviewed" Chart(RecordVitals, Visit) => chart::take_review_back;
    put "/api/visits/{id}/note-head" Chart(WriteNote, Visit) => note::set_head;
    post "/api/visits/{id}/co-sign" Chart(WriteNote, Visit) => note::cosign;
    post "/api/visits/{id}/strike-note" Chart(WriteNote, Visit) => note::strike;
    post "/api/visits/{id}/sign" Chart(WriteNote, Visit) => note::sign;
    post "/api/visits/{id}/addenda" Chart(WriteNote, Visit) => note::addendum;
    get "/api/codes" Chart(SeeChart, Nobody) => codes::search;
    get "/api/codes/{code}" Chart(SeeChart, Nobody) => codes::show;
    put "/api/visits/{id}/diagnoses" Chart(WriteNote, Visit) => runs::set_diagnoses;
}
