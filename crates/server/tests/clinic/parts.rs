//! Parts of the floors that need neither a database nor a browser.

use harbor_server::access::frame::is_canonical;
use harbor_server::signing::{OF_A_MACHINE, Signing};
use harbor_store::wire;
use std::net::IpAddr;

#[test]
fn an_address_says_whether_it_is_encrypted_and_whom_it_trusts() {
    let plain = wire::read("postgres://harbor@127.0.0.1:5433/clinic").unwrap();
    assert_eq!((plain.0.get_dbname(), plain.1), (Some("clinic"), None));
    let file =
        wire::read("postgres://p:s@db/clinic?sslmode=require&sslrootcert=%2Fetc%2Fca.pem&application_name=x").unwrap();
    assert_eq!(file.1.as_deref(), Some("/etc/ca.pem"));
    assert_eq!(file.0.get_application_name(), Some("x"));
    assert_eq!(wire::read("postgres://db/clinic?sslmode=verify-full").unwrap().1.as_deref(), Some(""), "trusts nobody");
    assert!(wire::read("postgres://db/clinic?nonsense=1").is_err());
}

#[test]
fn a_machine_takes_a_few_places_and_leaves_some_for_others() {
    let signing = Signing::default();
    let (one, other) = (IpAddr::from([10, 0, 0, 1]), IpAddr::from([10, 0, 0, 2]));
    let turns: Vec<_> = (0..OF_A_MACHINE).map(|_| signing.enter(one).expect("a place")).collect();
    let refused = signing.enter(one).expect_err("no place is left for this machine");
    assert_eq!((refused.status, refused.retry_after), (429, Some(1)));
    assert!(signing.enter(other).is_ok(), "another machine is not held up");
    drop(turns);
    assert!(signing.enter(one).is_ok());
}

#[test]
fn one_spelling_is_served() {
    for path in
        ["/", "/api/people", "/api/codes/E11.9", "/api/services/A%20B/price", "/assets/index-C3_x.js", "/feeds/aZ9"]
    {
        assert!(is_canonical(path), "{path}");
    }
    for path in [
        "",
        "api",
        "//api/people",
        "/api//people",
        "/api/people/",
        "/./api/people",
        "/api/../api/people",
        "/%61pi/people",
        "/api/people;x",
        "/api/people%2F1",
        "/api/people%5c1",
        "/api%2fpeople",
        "/api/%2e/people",
        "/api/people%00",
        "/api/people%3",
        "/api/people%zz",
        "/api/\\people",
        "/api/people%7E",
        "/api/p\u{e9}ople",
    ] {
        assert!(!is_canonical(path), "{path}");
    }
}
