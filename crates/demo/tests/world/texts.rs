//! The clinic's text templates.

use harbor_core::consult::texts::{faults, fields, fits, is_for};
use harbor_demo::texts::TEXTS;
use std::collections::BTreeSet;

#[test]
fn each_template_is_sound_found_and_asks_something() {
    assert!(TEXTS.len() >= 12);
    for t in TEXTS {
        for (part, text) in t.parts {
            assert_eq!(faults(text), Vec::<String>::new(), "{} {part:?}", t.title);
        }
        assert!(t.parts.iter().any(|(_, text)| fields(text).len() > 2), "{} asks nothing", t.title);
        assert_eq!(fits(t.title, t.complaints, t.title), 4);
        assert!(is_for(t.complaints, t.complaints.split(',').next().unwrap()));
    }
    let titles: BTreeSet<&str> = TEXTS.iter().map(|t| t.title).collect();
    assert_eq!(titles.len(), TEXTS.len());
}
