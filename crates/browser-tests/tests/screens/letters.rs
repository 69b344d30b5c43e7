//! Money on paper and at the bank, by the screen: a letter is typed off beside its scan, a deposit finds its payment.

use anyhow::{Context, Result};
use fantoccini::key::Key;
use harbor_browser_tests::{Browser, journey, no_serious_fault};

const SCAN: &[u8] = b"%PDF-1.7\n% a payer's letter\n%%EOF\n";

async fn typed_off(b: &Browser) -> Result<()> {
    let folder = std::env::temp_dir().join(format!("harbor-letter-{}", std::process::id()));
    std::fs::create_dir_all(&folder)?;
    let scan = folder.join("letter.pdf");
    std::fs::write(&scan, SCAN)?;
    b.sign_in("agathe").await?;
    b.goto("/billing?tab=remittances").await?;
    b.see("//button[normalize-space()='Enter a letter']").await?;
    b.give_file("//input[@aria-label='Scan of a letter']", scan.to_str().context("a path")?).await?;
    b.see("//iframe[@title='The letter']").await?;
    no_serious_fault(b, "a letter that waits").await?;
    // Nothing is posted of what is not explained, and each field says what it lacks.
    b.click("//button[contains(., 'Choose')]").await?;
    b.click("//*[@role='option'][contains(., 'Saltmarsh')]").await?;
    b.press("Post the letter").await?;
    b.read("Number is needed.").await?;
    b.fill("trace", "cheque 4411").await?;
    b.fill("paidOn", "yesterday").await?;
    b.click("//input[@name='claims']").await?;
    b.keys("C1").await?;
    b.see("//*[@role='option'][contains(., 'visit of')]").await?;
    b.key(Key::Down).await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-letter-claim]//*[contains(., 'not named')]").await?;
    b.fill("amount", "60").await?;
    b.fill("claims.0.lines.0.paid", "60").await?;
    b.see("//*[@data-letter-claim]//*[contains(., ' left')]").await?;
    b.read("The payment is explained; a line is not.").await?;
    b.press("Post the letter").await?;
    b.read("is unexplained").await?;
    no_serious_fault(b, "a letter that does not balance").await?;
    // Left and come back to, what was typed is there; the rest is the contract's.
    b.press("Later").await?;
    b.see("//*[@data-letter]//a[normalize-space()='Enter it']").await?;
    b.click("//*[@data-letter]//a[normalize-space()='Enter it']").await?;
    b.holds("//input[@name='claims.0.lines.0.paid']", |held| held == "60").await?;
    let left = b.see("//*[@data-letter-claim]//*[contains(., ' left') and not(*)]").await?.text().await?;
    let left = left.trim_start_matches('$').trim_end_matches(" left").to_owned();
    b.fill("claims.0.lines.0.reasons.0.amount", &left).await?;
    b.read("✓ Every cent is explained.").await?;
    b.press("Post the letter").await?;
    b.see("//*[@data-remittance='cheque 4411']//a[normalize-space()='Letter']").await?;
    b.gone("//*[@data-letter]").await?;
    std::fs::remove_dir_all(&folder)?;
    Ok(())
}

#[actix_web::test]
async fn a_payers_letter_is_typed_off_beside_its_scan() {
    journey("a-letter", typed_off).await;
}

async fn matched(b: &Browser) -> Result<()> {
    b.sign_in("agathe").await?;
    b.goto("/today").await?;
    b.read("Match the bank").await?;
    b.goto("/billing?tab=bank").await?;
    b.see("//*[@data-deposit='COUNTER DEPOSIT QUAYSIDE']").await?;
    no_serious_fault(b, "the bank").await?;
    // The bank kept a fee: a person says which payment it is, and why the rest does not come.
    let short = "//*[@data-deposit[starts-with(., 'ACH SALTMARSH')]]";
    b.see(&format!("{short}//*[contains(., 'number and payer agree')]")).await?;
    b.click(&format!("{short}//button[starts-with(normalize-space(), 'It is ')]")).await?;
    b.see("//*[@data-matched[starts-with(., 'ACH SALTMARSH')]]").await?;
    b.click("//tr[@data-expected][contains(., '15.00')]//button[normalize-space()='Does not come']").await?;
    b.fill("reason", "Fee of the bank").await?;
    b.press("Leave the rest").await?;
    b.read("All that payers paid has come.").await?;
    // What is typed wrong is told at its field; what came is put down by the keyboard.
    b.fill("day", "12/24/2030").await?;
    b.fill("amount", "a lot").await?;
    b.press("Put it down").await?;
    b.read("What the bank says is needed.").await?;
    b.fill("day", "today").await?;
    b.fill("amount", "18.20").await?;
    b.fill("reference", "INTEREST").await?;
    b.key(Key::Enter).await?;
    b.read("No payment is it without doubt").await?;
    b.click("//*[@data-deposit='INTEREST']//button[normalize-space()='No payment of a payer']").await?;
    b.fill("reason", "Interest of the bank").await?;
    b.press("Leave the rest").await?;
    b.see("//tr[@data-matched='INTEREST'][contains(., 'Interest of the bank')]").await?;
    b.click("//tr[@data-matched='INTEREST']//button[normalize-space()='Take apart']").await?;
    b.see("//*[@data-deposit='INTEREST']").await?;
    Ok(())
}

#[actix_web::test]
async fn what_came_to_the_bank_is_matched_to_what_was_paid() {
    journey("the-bank", matched).await;
}
