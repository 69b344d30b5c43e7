//! Routes of house.

use crate::api::house::{auth, building, clinic, payers, saved_views, second_factor, staff, stand_ins, usual_days};
use crate::routes::Access::{Needs, Public, Session, SignedIn, Stranger};
use crate::{live, web_files};
use harbor_core::house::permissions::Permission::{ManageStaff, SetClinic};

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
    get "/api/staff/{id}/stand-in" SignedIn => stand_ins::show;
    put "/api/staff/{id}/stand-in" SignedIn => stand_ins::set;
    delete "/api/staff/{id}/stand-in" SignedIn => stand_ins::end;
    get "/api/settings/usual-days" SignedIn => usual_days::show;
    put "/api/settings/usual-days" Needs(SetClinic) => usual_days::set;
    put "/api/settings/doors" Needs(SetClinic) => staff::set_doors;
    get "/api/saved-views" SignedIn => saved_views::list;
    put "/api/saved-views" SignedIn => saved_views::keep;
    delete "/api/saved-views/{id}" SignedIn => saved_views::forget;
    get "/api/me" SignedIn => auth::me;
    get "/api/live" SignedIn => live::stream;
    get "/api/clinic" SignedIn => clinic::show;
    get "/api/dates" SignedIn => clinic::understand_date;
    put "/api/settings/booking" Needs(SetClinic) => clinic::set_booking;
    put "/api/settings/thresholds" Needs(SetClinic) => building::set_thresholds;
    put "/api/settings/sites/{id}" Needs(SetClinic) => building::set_site;
    post "/api/settings/payers" Needs(SetClinic) => payers::add;
    put "/api/settings/payers/{id}" Needs(SetClinic) => payers::set;
    put "/api/settings/rooms/{id}" Needs(SetClinic) => building::set_room;
}
