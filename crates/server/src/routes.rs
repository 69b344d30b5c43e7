//! Every route, with who may use it: the one table that the server, the permission check and the API
//! document are made of.

use crate::api::*;
use crate::{live, web_files};
use actix_web::http::Method;
use actix_web::web;
use harbor_core::permissions::Permission;

/// Who may use a route.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Access {
    /// Everybody, signed in or not.
    Public,
    /// Strangers who were given an address, so many times a minute from one machine.
    Stranger,
    /// Everybody who works here.
    SignedIn,
    Needs(Permission),
}

use Access::{Needs, Public, SignedIn, Stranger};
use Permission::*;

macro_rules! table {
    ($($method:ident $pattern:literal $access:expr => $($part:ident)::+;)+) => {
        /// Method, pattern and access of every route.
        pub const ROUTES: &[(&str, &str, Access)] = &[$((stringify!($method), $pattern, $access)),+];

        pub fn configure(config: &mut web::ServiceConfig) {
            $(config.route($pattern, web::$method().to($($part)::+));)+
        }

        #[derive(utoipa::OpenApi)]
        #[openapi(info(title = "Indigo Harbor", version = "1"), paths($($($part)::+),+), components(schemas(crate::problem::Problem)))]
        pub struct Document;
    };
}

table! {
    get "/health" Public => web_files::health;
    post "/api/sign-in" Public => auth::sign_in;
    get "/api/sign-ins" Public => auth::shown_sign_ins;
    post "/api/sign-out" SignedIn => auth::sign_out;
    get "/api/me" SignedIn => auth::me;
    get "/api/live" SignedIn => live::stream;
    get "/api/clinic" SignedIn => clinic::show;
    get "/api/dates" SignedIn => clinic::understand_date;
    get "/api/today" SignedIn => today::show;

    get "/api/people" Needs(SeePeople) => people::search;
    post "/api/people" Needs(EditPeople) => people::add;
    post "/api/people/twins" Needs(EditPeople) => people::twins;
    get "/api/people/{id}" Needs(SeePeople) => people::show;
    put "/api/people/{id}" Needs(EditPeople) => people::save;
    get "/api/people/{id}/visits" Needs(SeePeople) => people::visits;
    get "/api/people/{id}/looks" Needs(SeeAudit) => people::looks;
    post "/api/people/{id}/consents" Needs(EditPeople) => registration::consent;
    post "/api/people/{id}/household" Needs(EditPeople) => registration::link;
    delete "/api/people/{id}/household/{other}" Needs(EditPeople) => registration::unlink;
    post "/api/people/{id}/moved-along" Needs(EditPeople) => registration::move_along;
    post "/api/people/{id}/merge" Needs(MergePeople) => registration::merge;
    delete "/api/merges/{id}" Needs(MergePeople) => registration::part;
    post "/api/people/{id}/open-chart" Needs(SeeChart) => registration::open_chart;
    post "/api/addresses" Needs(EditPeople) => registration::address;
    get "/api/people/{id}/account" Needs(SeeCharges) => accounts::show;
    get "/api/people/{id}/collect" Needs(TakeMoney) => accounts::collect;
    get "/api/people/{id}/payments" Needs(SeeCharges) => payments::of_person;
    post "/api/people/{id}/refunds" Needs(GiveBack) => refunds::refund;
    get "/api/people/{id}/fhir" Needs(SeePeople) => import::person_as_fhir;
    post "/api/import/fhir" Needs(SetClinic) => import::fhir;
    post "/api/import/policies" Needs(SetClinic) => import::policies;
    post "/api/import/balances" Needs(SetClinic) => import::balances;
    post "/api/import/people" Needs(SetClinic) => import::people;
    get "/api/settings/required-fields" SignedIn => registration::required;
    put "/api/settings/required-fields" Needs(SetClinic) => registration::set_required;
    put "/api/settings/booking" Needs(SetClinic) => clinic::set_booking;
    post "/api/people/{id}/self-pay" Needs(EditCoverage) => people::self_pay;
    get "/api/people/{id}/coverages" Needs(SeePeople) => coverage::list;
    post "/api/people/{id}/coverages" Needs(EditCoverage) => coverage::add;
    put "/api/coverages/{id}" Needs(EditCoverage) => coverage::correct;
    post "/api/coverages/{id}/benefits" Needs(EditCoverage) => coverage::ask_benefits;
    put "/api/coverages/{id}/card/{side}" Needs(EditCoverage) => cards::add;
    get "/api/coverages/{id}/card/{side}" Needs(SeePeople) => cards::show;
    post "/api/coverages/{id}/copy" Needs(EditCoverage) => coverage::copy;
    post "/api/benefits/tomorrow" Needs(EditCoverage) => coverage::ask_tomorrow;

    get "/api/schedule" Needs(SeeSchedule) => schedule::day;
    get "/api/schedule/week" Needs(SeeSchedule) => schedule::week;
    get "/api/schedule/month" Needs(SeeSchedule) => schedule::month;
    post "/api/schedule/notes" Needs(Book) => schedule::pin_note;
    delete "/api/schedule/notes/{id}" Needs(Book) => schedule::remove_note;
    get "/api/open-times" Needs(SeeSchedule) => open_times::look;
    get "/api/slots/{id}/history" Needs(SeeSchedule) => slots::history;
    get "/api/schedule/changes" Needs(SeeSchedule) => slots::changes;
    post "/api/slots/{id}" Needs(ChangeSlots) => slots::change;
    post "/api/shifts/{id}/slots" Needs(ChangeSlots) => slots::add;
    get "/api/shifts" Needs(SeeSchedule) => away::shifts;
    post "/api/shifts/cancel" Needs(ChangeSlots) => away::cancel_shifts;
    post "/api/shifts/hand-over" Needs(ChangeSlots) => away::hand_over;
    post "/api/rebooking" Needs(Book) => away::plan;
    post "/api/rebooking/accept" Needs(Book) => away::accept;
    post "/api/visits" Needs(Book) => booking::book;
    post "/api/visits/{id}/move" Needs(Book) => booking::move_to;
    get "/api/visits/{id}/moves" Needs(SeeSchedule) => booking::moves;
    post "/api/visits/{id}/cancel" Needs(Book) => booking::cancel;
    post "/api/rebooking/tell" Needs(Book) => messages::tell_no_time;
    get "/api/messages" Needs(Book) => messages::list;
    post "/api/messages/{id}/fate" Needs(Book) => messages::set_fate;
    post "/api/series/plan" Needs(Book) => series::plan;
    post "/api/series" Needs(Book) => series::book;
    get "/api/visits/{id}/series" Needs(SeeSchedule) => series::of_visit;
    post "/api/series/{id}/cancel-rest" Needs(Book) => series::cancel_rest;
    get "/api/waiting" Needs(Book) => waiting::list;
    post "/api/waiting" Needs(Book) => waiting::add;
    delete "/api/waiting/{id}" Needs(Book) => waiting::withdraw;
    get "/api/slots/{id}/waiting" Needs(Book) => waiting::for_slot;
    get "/api/people/{id}/limits" Needs(SeeSchedule) => waiting::limits;
    put "/api/people/{id}/limits" Needs(Book) => waiting::set_limits;
    get "/api/people/{id}/contact" Needs(SeePeople) => waiting::contact;
    post "/api/people/{id}/contact" Needs(Book) => waiting::confirm_contact;
    get "/api/groups" Needs(SeeSchedule) => groups::list;
    post "/api/groups" Needs(SeeSchedule) => groups::save;
    delete "/api/groups/{id}" Needs(SeeSchedule) => groups::remove;
    put "/api/lists/{id}" Needs(SetClinic) => lists::save;
    post "/api/lists/{id}/entries" Needs(Book) => lists::enter;
    post "/api/visits/{id}/list-place" Needs(Book) => lists::reorder;
    post "/api/visit-types" Needs(SetClinic) => visit_types::add;
    put "/api/visit-types/{id}" Needs(SetClinic) => visit_types::change;
    get "/api/supply" Needs(SeeSchedule) => supply::show;
    post "/api/supply/make" Needs(SetClinic) => supply::make;
    post "/api/supply/templates" Needs(SetClinic) => supply::add_template;
    put "/api/supply/templates/{id}" Needs(SetClinic) => supply::change_template;
    post "/api/supply/templates/{id}/end" Needs(SetClinic) => supply::end_template;
    post "/api/supply/exceptions" Needs(SetClinic) => supply::add_exception;
    delete "/api/supply/exceptions/{id}" Needs(SetClinic) => supply::remove_exception;
    post "/api/supply/shifts" Needs(ChangeSlots) => supply::add_shift;
    get "/api/print/day-lists" Needs(SeeSchedule) => paper::day_lists;
    get "/api/print/letters" Needs(Book) => paper::letters;
    get "/api/print/calls" Needs(Book) => paper::calls;
    get "/api/people/{id}/slip" Needs(SeeSchedule) => paper::slip;
    get "/api/visits/{id}/calendar" Needs(SeeSchedule) => paper::appointment;
    post "/api/me/feed" Needs(SeeSchedule) => paper::make_feed;
    delete "/api/me/feed" Needs(SeeSchedule) => paper::end_feed;
    get "/feeds/{token}" Stranger => paper::feed;
    get "/api/in-clinic" Needs(SeeSchedule) => flow::in_clinic;
    post "/api/visits/{id}/stage" Needs(MovePatients) => flow::move_on;
    get "/api/visits/{id}/check-in" Needs(CheckIn) => check_in::show;
    post "/api/visits/{id}/check-in" Needs(CheckIn) => check_in::finish;
    get "/api/visits/{id}/household-today" Needs(CheckIn) => check_in::household_today;
    post "/api/visits/{id}/alerts" Needs(CheckIn) => check_in::acknowledge;
    post "/api/visits/{id}/forms" Needs(CheckIn) => check_in::sign;
    get "/api/signed-forms/{id}" Needs(SeePeople) => check_in::paper;
    get "/api/settings/check-in" SignedIn => check_in_settings::settings;
    put "/api/settings/check-in/walk" Needs(SetClinic) => check_in_settings::set_walk;
    put "/api/settings/alerts/{id}" Needs(SetClinic) => check_in_settings::set_rule;
    put "/api/settings/forms/{id}" Needs(SetClinic) => check_in_settings::set_form;
    put "/api/settings/thresholds" Needs(SetClinic) => house::set_thresholds;
    put "/api/settings/rooms/{id}" Needs(SetClinic) => house::set_room;
    put "/api/settings/own-stages/{id}" Needs(SetClinic) => own_stages::save;
    post "/api/settings/own-stages/{id}/place" Needs(SetClinic) => own_stages::reorder;
    post "/api/people/{id}/visits" Needs(Book) => unbooked::begin;
    get "/api/in-clinic/count" SignedIn => flow::count;
    post "/api/visits/{id}/payer" Needs(EditCoverage) => flow::set_payer;
    get "/api/visits/{id}" Needs(SeeSchedule) => visits::show;
    put "/api/visits/{id}" Needs(Book) => visits::put_right;

    get "/api/visits/{id}/chart" Needs(SeeChart) => chart::show;
    post "/api/visits/{id}/quick-line" Needs(RecordVitals) => chart::quick_line;
    delete "/api/visits/{id}/measurements/{measurement}" Needs(RecordVitals) => chart::strike;
    post "/api/people/{id}/allergies" Needs(RecordVitals) => chart::add_allergy;
    delete "/api/people/{id}/allergies/{allergy}" Needs(RecordVitals) => chart::end_allergy;
    post "/api/people/{id}/medicines" Needs(RecordVitals) => chart::add_medicine;
    put "/api/people/{id}/medicines/{medicine}" Needs(RecordVitals) => chart::set_medicine;
    post "/api/people/{id}/none-known" Needs(RecordVitals) => chart::none_known;
    put "/api/visits/{id}/note/{part}" Needs(WriteNote) => note::save;
    post "/api/visits/{id}/sign" Needs(WriteNote) => note::sign;
    post "/api/visits/{id}/addenda" Needs(WriteNote) => note::addendum;
    get "/api/codes" Needs(SeeChart) => codes::search;
    get "/api/codes/{code}" Needs(SeeChart) => codes::show;
    put "/api/visits/{id}/diagnoses" Needs(WriteNote) => note::set_diagnoses;

    get "/api/lab-tests" Needs(SeeChart) => orders::tests;
    post "/api/visits/{id}/orders" Needs(WriteNote) => orders::add;
    post "/api/visits/{id}/orders/send" Needs(WriteNote) => orders::send;
    put "/api/orders/{id}/diagnoses" Needs(WriteNote) => orders::place_order;
    put "/api/orders/{id}/answers" Needs(WriteNote) => orders::answer;
    delete "/api/orders/{id}" Needs(WriteNote) => orders::cancel;
    get "/api/results" Needs(SeeChart) => results::list;
    post "/api/results/{id}/review" Needs(ReviewResults) => results::review;
    post "/api/results/{id}/match" Needs(ReviewResults) => results::file_under;

    get "/api/products" Needs(SeeChart) => prescribing::products;
    post "/api/visits/{id}/prescriptions/check" Needs(WriteNote) => prescribing::check;
    post "/api/visits/{id}/prescriptions" Needs(WriteNote) => prescribing::add;
    put "/api/prescriptions/{id}/diagnosis" Needs(WriteNote) => prescribing::place;
    post "/api/prescriptions/{id}/send" Needs(WriteNote) => prescribing::send;
    delete "/api/prescriptions/{id}" Needs(WriteNote) => prescribing::stop;

    get "/api/services" Needs(SeeCharges) => charges::services;
    put "/api/services/{code}/price" Needs(SetPrices) => charges::set_price;
    get "/api/visits/{id}/charges" Needs(SeeCharges) => charges::show;
    put "/api/visits/{id}/charges" Needs(EditCharges) => charges::set_lines;
    post "/api/visits/{id}/charges/complete" Needs(EditCharges) => charges::complete;
    get "/api/visits/{id}/money" Needs(SeeCharges) => money::show;
    post "/api/visits/{id}/credit" Needs(TakeMoney) => refunds::credit;
    post "/api/payments" Needs(TakeMoney) => payments::take;
    get "/api/payments/{id}" Needs(SeeCharges) => payments::show;
    get "/api/payments/{id}/paper" Needs(SeeCharges) => paper::receipt;
    post "/api/payments/{id}/send" Needs(TakeMoney) => paper::send_receipt;
    post "/api/payments/{id}/void" Needs(TakeMoney) => refunds::void;
    get "/api/sites/{id}/till" Needs(TakeMoney) => tills::show;
    post "/api/sites/{id}/till/opening" Needs(TakeMoney) => tills::open;
    post "/api/sites/{id}/till/closing" Needs(TakeMoney) => tills::close;

    get "/api/claims" Needs(SeeCharges) => claims::list;
    get "/api/claims/{id}" Needs(SeeCharges) => claims::show;
    post "/api/claims/{id}/correct" Needs(Claims) => claims::correct;
    get "/api/batches" Needs(Claims) => claims::batches;
    post "/api/batches" Needs(Claims) => claims::make_batch;
    get "/api/files/{id}" Needs(Claims) => claims::file;
    get "/api/remittances" Needs(Claims) => remittances::list;
    post "/api/remittances" Needs(Claims) => remittances::upload;
}

/// The access of a route, by its method and pattern.
pub fn access_of(method: &Method, pattern: &str) -> Option<Access> {
    let method = if *method == Method::HEAD { "get".to_owned() } else { method.as_str().to_lowercase() };
    ROUTES.iter().find(|(m, p, _)| *m == method && *p == pattern).map(|(_, _, access)| *access)
}

/// The API document. Operations are named by method and address, since handlers of different nouns
/// bear the same short names.
pub fn document() -> utoipa::openapi::OpenApi {
    use utoipa::OpenApi;
    let mut document = Document::openapi();
    for (address, item) in &mut document.paths.paths {
        let name = address.replace("/api", "").replace(['/', '{', '}', '-'], "_");
        let operations =
            [("get", &mut item.get), ("put", &mut item.put), ("post", &mut item.post), ("delete", &mut item.delete)];
        for (method, operation) in operations {
            if let Some(operation) = operation {
                operation.operation_id = Some(format!("{method}{name}"));
            }
        }
    }
    document
}
