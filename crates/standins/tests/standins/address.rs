//! Addresses as the stand-in knows them.

use harbor_standins::address::{candidates, distance};

#[test]
fn a_known_street_comes_back_as_the_service_writes_it() {
    let found = candidates("59 chandler st.", "Marrow Ferry", "04999");
    assert_eq!((found[0].line.as_str(), found[0].city.as_str()), ("59 Chandler Street", "Marrow Ferry"));
    assert_eq!(found[0].postal_code.len(), 10, "nine digits and a dash");
    assert_eq!(candidates("59 Chandler Street", "Marrow Ferry", &found[0].postal_code)[0], found[0], "as written");
}

#[test]
fn slips_and_wrong_towns_have_candidates_and_nonsense_has_none() {
    assert_eq!(candidates("7 Ropewlk", "Port Calder", "04998")[0].line, "7 Ropewalk");
    let elsewhere = candidates("7 Ropewalk", "Nowhere", "04999");
    assert_eq!(elsewhere.len(), 4, "one in each town");
    assert!(elsewhere[0].postal_code.starts_with("04999"), "the postal code speaks for a town: {elsewhere:?}");
    for nothing in ["", "Ropewalk", "seven Ropewalk", "7 Nowhere Boulevard", "-3 Ropewalk"] {
        assert_eq!(candidates(nothing, "Port Calder", ""), [], "{nothing}");
    }
}

#[test]
fn distance_counts_letters() {
    for (a, b, off) in [("", "", 0), ("abc", "", 3), ("kitten", "sitting", 3), ("lane", "lnae", 2)] {
        assert_eq!(distance(a, b), off);
        assert_eq!(distance(b, a), off);
    }
}
