//! The clearing house by a folder: claims go out, answers come in, and what cannot be used becomes work.

use crate::claims::acknowledged;
use crate::line::{send_claim, to_charges};
use crate::{Hand, id};
use harbor_demo::testing::{Product, now};
use harbor_formats::x12;
use std::path::Path;

fn names(folder: &Path) -> Vec<String> {
    let mut names: Vec<String> = std::fs::read_dir(folder)
        .unwrap()
        .map(|e| e.unwrap())
        .filter(|e| e.path().is_file())
        .map(|e| e.file_name().to_string_lossy().into_owned())
        .collect();
    names.sort();
    names
}

async fn until(what: &str, wanted: impl Fn() -> bool) {
    for _ in 0..400 {
        if wanted() {
            return;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    panic!("waited in vain: {what}");
}

#[actix_web::test]
async fn claims_go_out_and_answers_come_in_by_a_folder() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().to_owned();
    let product = Product::start_so(now(), |s| s.exchange_folder = Some(path.clone())).await.unwrap();
    let walk = to_charges(&product, "SM55510").await;
    let (biller, claim) = send_claim(&product, &walk).await;
    biller.until("/api/batches", |b| b[0]["state"] == "sent").await;
    let batch = biller.get("/api/batches").await[0].clone();
    assert_eq!(batch["answer"], "Put into the exchange folder for the clearing house.");
    let control = batch["control"].as_i64().unwrap();
    assert_eq!(names(&path.join("out")), [format!("{control:09}.837")]);
    let file = biller.file(&format!("/api/files/{}", batch["documentId"].as_str().unwrap())).await.1;
    assert_eq!(std::fs::read(path.join(format!("out/{control:09}.837"))).unwrap(), file, "byte for byte");

    // The other side fetches it and answers: file, claim, money.
    let watched = tokio::spawn(harbor_standins::folder::watch(product.outside.clone(), path.clone()));
    biller.until(&format!("/api/claims/{}", id(&claim)), |c| c["claim"]["claim"]["state"] == "paid").await;
    until("999, 277CA and 835 are put away", || names(&path.join("in/taken")).len() == 3).await;
    watched.abort();
    assert_eq!((names(&path.join("out")), names(&path.join("in/refused"))), (vec![], vec![]));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_cannot_be_used_is_kept_with_what_was_found_and_holds_nothing_up() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().to_owned();
    let product = Product::start_so(now(), |s| s.exchange_folder = Some(path.clone())).await.unwrap();
    let biller = Hand::sign_in(&product, "agathe").await;
    let inside = path.join("in");
    std::fs::write(inside.join("a-letter.txt"), "Dear clinic, we regret.").unwrap();
    // Neither what is still written, nor what is hidden, nor what leads elsewhere.
    std::fs::write(inside.join("growing.part"), "ISA").unwrap();
    std::fs::write(inside.join(".hidden"), "ISA").unwrap();
    std::fs::write(path.join("elsewhere"), "ISA").unwrap();
    std::os::unix::fs::symlink(path.join("elsewhere"), inside.join("link")).unwrap();
    std::fs::write(inside.join("z.999"), acknowledged("CAUSEWAY", 987_654, x12::claim::VERSION, "R")).unwrap();
    let stray = biller.until("/api/stray-answers", |s| s.as_array().unwrap().len() == 2).await;
    let kinds: Vec<&str> = stray.as_array().unwrap().iter().map(|s| s["kind"].as_str().unwrap()).collect();
    assert_eq!(kinds, ["refused file", "999"], "the one that cannot be read holds nothing up");
    let kept = biller.file(&format!("/api/files/{}", stray[0]["documentId"].as_str().unwrap())).await.1;
    assert_eq!(kept, b"Dear clinic, we regret.");
    until("put away", || names(&inside) == [".hidden", "growing.part", "link"]).await;
    assert_eq!(
        (names(&inside.join("refused")), names(&inside.join("taken"))),
        (vec!["a-letter.txt".into()], vec!["z.999".into()])
    );

    // The same file once more is the same work, however it comes.
    std::fs::write(inside.join("a-letter.txt"), "Dear clinic, we regret.").unwrap();
    until("refused again", || names(&inside.join("refused")) == ["1-a-letter.txt", "a-letter.txt"]).await;
    let refused = biller.upload("/api/remittances", b"Dear clinic, we regret.".to_vec()).await;
    assert_eq!(refused.status, 422, "{}", refused.body);
    assert_eq!(biller.get("/api/stray-answers").await.as_array().unwrap().len(), 2);
    // Another one that is brought by hand is kept too.
    biller.upload("/api/remittances", b"ISA*torn".to_vec()).await;
    let stray = biller.get("/api/stray-answers").await;
    assert_eq!(stray[2]["kind"], "refused file", "{stray}");
    product.stop().await.unwrap();
}
