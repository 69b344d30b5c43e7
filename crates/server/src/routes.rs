//! Every route, with who may use it: the one table that the server, the permission check and the API
//! document are made of.

use crate::access;
use crate::api::*;
use crate::{live, web_files};
use actix_web::web;
use harbor_core::permissions::Permission;
use harbor_store::people::whose::Whose;

/// Who may use a route, and whose record it reaches.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Access {
    /// Everybody, signed in or not.
    Public,
    /// Strangers who were given an address, so many times a minute from one machine.
    Stranger,
    /// Whoever has a session, also a locked one: to see that it is locked, to open it, to end it.
    Session,
    /// Everybody who works here.
    SignedIn,
    /// Whoever has the permission; no record of a patient is reached by its id.
    Needs(Permission),
    /// Whoever has the permission, to somebody's record outside the chart. A look at it is recorded.
    Of(Permission, Whose),
    /// Whoever has the permission, to somebody's chart: under restriction it is opened with a reason first. A look at
    /// it is recorded.
    Chart(Permission, Whose),
    /// Opens a restricted chart, or says that it is one.
    Restriction(Permission, Whose),
}

impl Access {
    pub const fn permission(self) -> Option<Permission> {
        match self {
            Access::Needs(p) | Access::Of(p, _) | Access::Chart(p, _) | Access::Restriction(p, _) => Some(p),
            Access::Public | Access::Stranger | Access::Session | Access::SignedIn => None,
        }
    }

    pub const fn whose(self) -> Whose {
        match self {
            Access::Of(_, whose) | Access::Chart(_, whose) | Access::Restriction(_, whose) => whose,
            _ => Whose::Nobody,
        }
    }
}

/// One route of the table.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Route {
    /// As Actix calls it: get, post, put, patch, delete.
    pub method: &'static str,
    pub pattern: &'static str,
    pub access: Access,
    /// Bytes that a body may have.
    pub body: usize,
}

/// Bytes of a form; who takes files says so.
const FORM: usize = 256 << 10;

use Access::{Chart, Needs, Of, Public, Restriction, Session, SignedIn, Stranger};
use Permission::*;
use Whose::{
    Claim, Message, Nobody, Order, Payment, Person, Policy, Prescription, Report, Series, Several, SignedForm, Visit,
    Waiting,
};

macro_rules! table {
    ($($method:ident $pattern:literal $access:expr => $($part:ident)::+ $(, $limit:expr)?;)+) => {
        /// Every route.
        pub const ROUTES: &[Route] = &[$(Route {
            method: stringify!($method),
            pattern: $pattern,
            access: $access,
            body: {
                #[allow(unused_mut, unused_assignments)]
                let mut body = FORM;
                $(body = $limit;)?
                body
            },
        }),+];

        /// Each route with its own door: no handler runs that a door did not let through, whatever the spelling of
        /// the address that led to it.
        pub fn configure(config: &mut web::ServiceConfig) {
            let mut doors = ROUTES.iter();
            $(if let Some(route) = doors.next() {
                config.route($pattern, web::$method().to($($part)::+).wrap(access::door(route)));
            })+
        }

        #[derive(utoipa::OpenApi)]
        #[openapi(info(title = "Indigo Harbor", version = "1"), paths($($($part)::+),+), components(schemas(crate::problem::Problem)))]
        pub struct Document;
    };
}

// What reaches a chart says whose: a route that names a permission of the chart otherwise does not compile.
const _: () = {
    let mut n = 0;
    while n < ROUTES.len() {
        if let Needs(p) | Of(p, _) = ROUTES[n].access {
            assert!(!p.is_of_chart(), "a permission of the chart stands with Chart(permission, whose)");
        }
        n += 1;
    }
};

table! {
    get "/health" Public => web_files::health;
    post "/api/sign-in" Public => auth::sign_in, 4 << 10;
    get "/api/sign-ins" Public => auth::shown_sign_ins;
    get "/api/session" Session => auth::session;
    post "/api/session/here" SignedIn => auth::here;
    post "/api/session/lock" SignedIn => auth::lock;
    post "/api/session/unlock" Session => auth::unlock, 4 << 10;
    post "/api/sign-out" Session => auth::sign_out;
    get "/api/me/sessions" SignedIn => auth::own_sessions;
    delete "/api/me/sessions/{id}" SignedIn => auth::end_own_session;
    post "/api/me/password" SignedIn => staff::change_password, 4 << 10;
    post "/api/me/second-factor/new" SignedIn => second_factor::propose;
    post "/api/me/second-factor" SignedIn => second_factor::keep, 4 << 10;
    post "/api/me/second-factor/remove" SignedIn => second_factor::remove, 4 << 10;
    post "/api/set-password" Stranger => staff::set_password, 4 << 10;
    get "/api/staff" Needs(ManageStaff) => staff::list;
    post "/api/staff" Needs(ManageStaff) => staff::add;
    put "/api/staff/{id}" Needs(ManageStaff) => staff::change;
    post "/api/staff/{id}/password-link" Needs(ManageStaff) => staff::make_link;
    delete "/api/staff/sessions/{id}" Needs(ManageStaff) => staff::end_session;
    put "/api/settings/doors" Needs(SetClinic) => staff::set_doors;
    get "/api/me" SignedIn => auth::me;
    get "/api/live" SignedIn => live::stream;
    get "/api/clinic" SignedIn => clinic::show;
    get "/api/dates" SignedIn => clinic::understand_date;
    get "/api/today" SignedIn => today::show;

    get "/api/people" Needs(SeePeople) => people::search;
    post "/api/people" Needs(EditPeople) => people::add;
    post "/api/people/twins" Needs(EditPeople) => people::twins;
    get "/api/people/{id}" Of(SeePeople, Person) => people::show;
    patch "/api/people/{id}" Of(EditPeople, Person) => people::save;
    get "/api/people/{id}/visits" Of(SeePeople, Person) => people::visits;
    get "/api/people/{id}/looks" Of(SeeAudit, Person) => people::looks;
    post "/api/people/{id}/consents" Of(EditPeople, Person) => registration::consent;
    post "/api/people/{id}/household" Of(EditPeople, Person) => registration::link;
    delete "/api/people/{id}/household/{other}" Of(EditPeople, Person) => registration::unlink;
    post "/api/people/{id}/moved-along" Of(EditPeople, Person) => registration::move_along;
    get "/api/people/{id}/differences" Of(MergePeople, Person) => registration::differences;
    post "/api/people/{id}/merge" Of(MergePeople, Person) => registration::merge;
    delete "/api/merges/{id}" Needs(MergePeople) => registration::part;
    post "/api/people/{id}/restriction" Restriction(RestrictCharts, Person) => registration::restrict;
    post "/api/people/{id}/open-chart" Restriction(SeeChart, Person) => registration::open_chart;
    post "/api/addresses" Needs(EditPeople) => registration::address;
    get "/api/people/{id}/account" Of(SeeCharges, Person) => accounts::show;
    get "/api/people/{id}/collect" Of(TakeMoney, Person) => accounts::collect;
    get "/api/people/{id}/payments" Of(SeeCharges, Person) => payments::of_person;
    post "/api/people/{id}/refunds" Of(GiveBack, Person) => refunds::refund;
    get "/api/people/{id}/fhir" Of(SeePeople, Person) => import::person_as_fhir;
    post "/api/import/fhir" Needs(SetClinic) => import::fhir, 32 << 20;
    post "/api/import/policies" Needs(SetClinic) => import::policies, 32 << 20;
    post "/api/import/balances" Needs(SetClinic) => import::balances, 32 << 20;
    post "/api/import/people" Needs(SetClinic) => import::people, 32 << 20;
    get "/api/settings/required-fields" SignedIn => registration::required;
    put "/api/settings/required-fields" Needs(SetClinic) => registration::set_required;
    put "/api/settings/booking" Needs(SetClinic) => clinic::set_booking;
    post "/api/people/{id}/self-pay" Of(EditCoverage, Person) => people::self_pay;
    get "/api/people/{id}/coverages" Of(SeePeople, Person) => coverage::list;
    post "/api/people/{id}/coverages" Of(EditCoverage, Person) => coverage::add;
    put "/api/coverages/{id}" Of(EditCoverage, Policy) => coverage::correct;
    post "/api/coverages/{id}/benefits" Of(EditCoverage, Policy) => coverage::ask_benefits;
    put "/api/coverages/{id}/card/{side}" Of(EditCoverage, Policy) => cards::add, 6 << 20;
    get "/api/coverages/{id}/card/{side}" Of(SeePeople, Policy) => cards::show;
    post "/api/coverages/{id}/copy" Of(EditCoverage, Policy) => coverage::copy;
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
    post "/api/visits/{id}/move" Of(Book, Visit) => booking::move_to;
    get "/api/visits/{id}/moves" Of(SeeSchedule, Visit) => booking::moves;
    post "/api/visits/{id}/cancel" Of(Book, Visit) => booking::cancel;
    post "/api/rebooking/tell" Needs(Book) => messages::tell_no_time;
    get "/api/messages" Needs(Book) => messages::list;
    post "/api/messages/{id}/fate" Of(Book, Message) => messages::set_fate;
    post "/api/series/plan" Needs(Book) => series::plan;
    post "/api/series" Needs(Book) => series::book;
    get "/api/visits/{id}/series" Of(SeeSchedule, Visit) => series::of_visit;
    post "/api/series/{id}/cancel-rest" Of(Book, Series) => series::cancel_rest;
    get "/api/waiting" Needs(Book) => waiting::list;
    post "/api/waiting" Needs(Book) => waiting::add;
    delete "/api/waiting/{id}" Of(Book, Waiting) => waiting::withdraw;
    get "/api/slots/{id}/waiting" Needs(Book) => waiting::for_slot;
    get "/api/people/{id}/limits" Of(SeeSchedule, Person) => waiting::limits;
    put "/api/people/{id}/limits" Of(Book, Person) => waiting::set_limits;
    get "/api/people/{id}/contact" Of(SeePeople, Person) => waiting::contact;
    post "/api/people/{id}/contact" Of(Book, Person) => waiting::confirm_contact;
    get "/api/groups" Needs(SeeSchedule) => groups::list;
    post "/api/groups" Needs(SeeSchedule) => groups::save;
    delete "/api/groups/{id}" Needs(SeeSchedule) => groups::remove;
    put "/api/lists/{id}" Needs(SetClinic) => lists::save;
    post "/api/lists/{id}/entries" Needs(Book) => lists::enter;
    post "/api/visits/{id}/list-place" Of(Book, Visit) => lists::reorder;
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
    get "/api/people/{id}/slip" Of(SeeSchedule, Person) => paper::slip;
    get "/api/visits/{id}/calendar" Of(SeeSchedule, Visit) => paper::appointment;
    post "/api/me/feed" Needs(SeeSchedule) => paper::make_feed;
    delete "/api/me/feed" Needs(SeeSchedule) => paper::end_feed;
    get "/feeds/{token}" Stranger => paper::feed;
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
    put "/api/settings/thresholds" Needs(SetClinic) => house::set_thresholds;
    put "/api/settings/rooms/{id}" Needs(SetClinic) => house::set_room;
    put "/api/settings/own-stages/{id}" Needs(SetClinic) => own_stages::save;
    post "/api/settings/own-stages/{id}/place" Needs(SetClinic) => own_stages::reorder;
    post "/api/people/{id}/visits" Of(Book, Person) => unbooked::begin;
    get "/api/in-clinic/count" SignedIn => flow::count;
    post "/api/visits/{id}/payer" Of(EditCoverage, Visit) => flow::set_payer;
    get "/api/visits/{id}" Of(SeeSchedule, Visit) => visits::show;
    put "/api/visits/{id}" Of(Book, Visit) => visits::put_right;

    get "/api/visits/{id}/chart" Chart(SeeChart, Visit) => chart::show;
    post "/api/visits/{id}/quick-line" Chart(RecordVitals, Visit) => chart::quick_line;
    delete "/api/visits/{id}/measurements/{measurement}" Chart(RecordVitals, Visit) => chart::strike;
    post "/api/people/{id}/allergies" Chart(RecordVitals, Person) => chart::add_allergy;
    delete "/api/people/{id}/allergies/{allergy}" Chart(RecordVitals, Person) => chart::end_allergy;
    post "/api/people/{id}/medicines" Chart(RecordVitals, Person) => chart::add_medicine;
    put "/api/people/{id}/medicines/{medicine}" Chart(RecordVitals, Person) => chart::set_medicine;
    post "/api/people/{id}/none-known" Chart(RecordVitals, Person) => chart::none_known;
    put "/api/visits/{id}/note/{part}" Chart(WriteNote, Visit) => note::save;
    post "/api/visits/{id}/sign" Chart(WriteNote, Visit) => note::sign;
    post "/api/visits/{id}/addenda" Chart(WriteNote, Visit) => note::addendum;
    get "/api/codes" Chart(SeeChart, Nobody) => codes::search;
    get "/api/codes/{code}" Chart(SeeChart, Nobody) => codes::show;
    put "/api/visits/{id}/diagnoses" Chart(WriteNote, Visit) => note::set_diagnoses;

    get "/api/lab-tests" Chart(SeeChart, Nobody) => orders::tests;
    post "/api/visits/{id}/orders" Chart(WriteNote, Visit) => orders::add;
    post "/api/visits/{id}/orders/send" Chart(WriteNote, Visit) => orders::send;
    put "/api/orders/{id}/diagnoses" Chart(WriteNote, Order) => orders::place_order;
    put "/api/orders/{id}/answers" Chart(WriteNote, Order) => orders::answer;
    delete "/api/orders/{id}" Chart(WriteNote, Order) => orders::cancel;
    get "/api/results" Chart(SeeChart, Several) => results::list;
    post "/api/results/{id}/review" Chart(ReviewResults, Report) => results::review;
    post "/api/results/{id}/match" Chart(ReviewResults, Report) => results::file_under;

    get "/api/products" Chart(SeeChart, Nobody) => prescribing::products;
    post "/api/visits/{id}/prescriptions/check" Chart(WriteNote, Visit) => prescribing::check;
    post "/api/visits/{id}/prescriptions" Chart(WriteNote, Visit) => prescribing::add;
    put "/api/prescriptions/{id}/diagnosis" Chart(WriteNote, Prescription) => prescribing::place;
    post "/api/prescriptions/{id}/send" Chart(WriteNote, Prescription) => prescribing::send;
    delete "/api/prescriptions/{id}" Chart(WriteNote, Prescription) => prescribing::stop;

    get "/api/services" Needs(SeeCharges) => charges::services;
    put "/api/services/{code}/price" Needs(SetPrices) => charges::set_price;
    get "/api/visits/{id}/charges" Of(SeeCharges, Visit) => charges::show;
    put "/api/visits/{id}/charges" Chart(EditCharges, Visit) => charges::set_lines;
    post "/api/visits/{id}/charges/complete" Chart(EditCharges, Visit) => charges::complete;
    get "/api/visits/{id}/money" Of(SeeCharges, Visit) => money::show;
    post "/api/visits/{id}/credit" Of(TakeMoney, Visit) => refunds::credit;
    post "/api/payments" Needs(TakeMoney) => payments::take;
    get "/api/payments/{id}" Of(SeeCharges, Payment) => payments::show;
    get "/api/payments/{id}/paper" Of(SeeCharges, Payment) => paper::receipt;
    post "/api/payments/{id}/send" Of(TakeMoney, Payment) => paper::send_receipt;
    post "/api/payments/{id}/void" Of(TakeMoney, Payment) => refunds::void;
    get "/api/sites/{id}/till" Needs(TakeMoney) => tills::show;
    post "/api/sites/{id}/till/opening" Needs(TakeMoney) => tills::open;
    post "/api/sites/{id}/till/closing" Needs(TakeMoney) => tills::close;

    get "/api/claims" Needs(SeeCharges) => claims::list;
    get "/api/claims/{id}" Of(SeeCharges, Claim) => claims::show;
    post "/api/claims/{id}/correct" Of(Claims, Claim) => claims::correct;
    get "/api/batches" Needs(Claims) => claims::batches;
    post "/api/batches" Needs(Claims) => claims::make_batch;
    get "/api/files/{id}" Of(Claims, Several) => claims::file;
    get "/api/remittances" Needs(Claims) => remittances::list;
    post "/api/remittances" Needs(Claims) => remittances::upload, 64 << 20;
}

/// The API document. Operations are named by method and address, since handlers of different nouns
/// bear the same short names.
pub fn document() -> utoipa::openapi::OpenApi {
    use utoipa::OpenApi;
    use utoipa::openapi::{RefOr, Schema};
    let mut document = Document::openapi();
    let schemas = document.components.iter_mut().flat_map(|c| &mut c.schemas);
    for (name, schema) in schemas {
        // It is sent in part and answered whole; for the document what may be left out is not required.
        if let ("PersonForm", RefOr::T(Schema::Object(form))) = (name.as_str(), schema) {
            form.required.clear();
            for property in form.properties.values_mut() {
                if let RefOr::T(Schema::Object(field)) = property {
                    field.default = None;
                }
            }
        }
    }
    for (address, item) in &mut document.paths.paths {
        let name = address.replace("/api", "").replace(['/', '{', '}', '-'], "_");
        let operations = [
            ("get", &mut item.get),
            ("put", &mut item.put),
            ("post", &mut item.post),
            ("patch", &mut item.patch),
            ("delete", &mut item.delete),
        ];
        for (method, operation) in operations {
            if let Some(operation) = operation {
                operation.operation_id = Some(format!("{method}{name}"));
                if let Some(route) = ROUTES.iter().find(|r| r.method == method && r.pattern == address) {
                    declare_refusals(route, &mut operation.responses.responses);
                }
            }
        }
    }
    document
}

/// What the door of a route may answer, besides what its handler says.
fn refusals(route: &Route) -> Vec<(u16, &'static str)> {
    let mut all = vec![
        (400, "The address or what was sent cannot be read."),
        (421, "This server does not answer to that name."),
        (422, "A field or a question is at fault, or the rules of the job say no."),
        (503, "The database cannot be reached."),
    ];
    if !matches!(route.access, Access::Public | Access::Stranger) {
        all.push((401, "Nobody is signed in, or the screen is locked."));
        all.push((403, "The role may not, a second factor is wanted, or the chart is under restriction."));
    }
    if route.pattern.contains('{') {
        all.push((404, "There is no such thing."));
    }
    if matches!(route.access, Access::Stranger) {
        all.push((429, "Asked too often."));
    }
    if route.method != "get" {
        all.extend([
            (404, "Something that this refers to is not there."),
            (408, "What was sent did not arrive in time."),
            (409, "Somebody else was faster, or something is to be confirmed."),
            (413, "Larger than this route takes."),
            (415, "Sent packed, or of a kind that this route does not take."),
        ]);
    }
    all
}

fn declare_refusals(
    route: &Route,
    responses: &mut std::collections::BTreeMap<String, utoipa::openapi::RefOr<utoipa::openapi::Response>>,
) {
    use utoipa::openapi::{ContentBuilder, Ref, ResponseBuilder};
    for (status, description) in refusals(route) {
        let content = ContentBuilder::new().schema(Some(Ref::from_schema_name("Problem"))).build();
        let declared = ResponseBuilder::new().description(description).content("application/json", content).build();
        responses.entry(status.to_string()).or_insert_with(|| declared.into());
    }
}
