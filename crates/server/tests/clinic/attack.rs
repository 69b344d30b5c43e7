//! The standing attack in its short form; `./harbor attack` runs it in full.

use harbor_demo::attack::{SHORT, run, table};
use std::path::Path;

#[actix_web::test]
async fn the_standing_attack_finds_nothing() {
    let all = run(Path::new(env!("CARGO_BIN_EXE_harbor")), SHORT, |_| {}).await.unwrap();
    assert!(all.iter().all(|t| t.wrong == 0), "{}", table(&all));
    assert!(all.iter().all(|t| t.asked > 0), "{}", table(&all));
}
