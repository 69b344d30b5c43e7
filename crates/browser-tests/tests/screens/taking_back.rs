//! What is taken back as a whole: a file that came in, and a shift that was cancelled.

use harbor_browser_tests::{Browser, journey};

#[actix_web::test]
async fn a_file_is_tried_brought_in_and_taken_back() {
    let walk = async |b: &Browser| {
        let file = std::env::temp_dir().join(format!("harbor-newcomers-{}.csv", std::process::id()));
        std::fs::write(&file, "Last name,First name,DOB\nRopewalk,Runa,3/3/1985\nSaltbox,Pim,1/5/1971\nVell,,\n")?;
        b.sign_in("soren").await?;
        b.goto("/settings?part=registration").await?;
        b.give_file("//input[@type='file']", &file.to_string_lossy()).await?;
        b.read("2 would come in").await?;
        b.press("Bring in 2").await?;
        b.see("//*[@data-import]//*[contains(., '2 people')]").await?;
        b.undo("2 came in from").await?;
        b.see("//*[@data-import][contains(., 'taken back')]").await?;
        b.gone("//*[@data-undo]").await?;
        b.gone("//*[@data-import]//button").await?;
        std::fs::remove_file(&file)?;
        Ok(())
    };
    journey("a file taken back", walk).await;
}

#[actix_web::test]
async fn a_shift_takes_place_after_all() {
    let walk = async |b: &Browser| {
        b.sign_in("junia").await?;
        b.goto("/schedule?day=2026-11-24&away=1").await?;
        b.read("falls out: course in Marrow Ferry").await?;
        b.read("wait for a new time").await?;
        b.press("Takes place after all").await?;
        b.gone("//*[@data-cancelled]").await?;
        // Nobody waits for a new time any more.
        b.gone("//*[contains(text(), 'wait for a new time')]").await?;
        Ok(())
    };
    journey("a shift after all", walk).await;
}
