//! Orders made again by hand: a set taken in part, what is known told first, a repeat; specimens taken by the assistant; a
//! result acted on; who reads while somebody is away.

use anyhow::Result;
use harbor_browser_tests::{Browser, journey, no_serious_fault, two_desks, two_desks_and_a_slow_laboratory};

async fn record(b: &Browser, name: &str) -> Result<()> {
    b.goto("/people").await?;
    b.find("Find a person", name, name).await?;
    b.see("//*[@data-person-orders]").await.map(drop)
}

async fn ordered_in_sets(b: &Browser) -> Result<()> {
    b.sign_in("oriane").await?;
    record(b, "Ferreira").await?;
    b.press("Diabetes, yearly").await?;
    b.see("//*[@data-order-set='Diabetes, yearly']").await?;
    // In part: the referral stays out.
    b.click("//*[@data-order-set]//label[contains(., 'ophthalmology')]").await?;
    no_serious_fault(b, "a set of orders").await?;
    b.press("Order 4 of Diabetes, yearly").await?;
    b.see("//*[@data-person-orders]//*[@data-order='A1C']").await?;
    b.gone("//*[@data-person-orders]//*[@data-order='R-EYE']").await?;
    // Lucan's lipids are in his visit's orders already: that is told before they are ordered once more.
    b.see("//*[@data-person-orders]//*[@data-order='LIPID']//*[@data-already][contains(., 'In an order of')]").await?;
    b.see("//*[@data-person-orders]//*[@data-order='A1C'][contains(., 'Paid by')]").await?;
    b.press("Keep as a set").await?;
    b.fill("name", "Kidney and sugar").await?;
    b.press("Keep").await?;
    b.see("//*[@data-order-sets]//button[.='Kidney and sugar']").await?;
    b.press("Remove Lipid panel").await?;
    b.gone("//*[@data-person-orders]//*[@data-order='LIPID']").await
}

#[actix_web::test]
async fn a_set_is_taken_in_part_and_what_is_known_is_said() {
    journey("order-sets", ordered_in_sets).await;
}

async fn taken_and_done(assistant: &Browser, doctor: &Browser) -> Result<()> {
    doctor.sign_in("oriane").await?;
    doctor.goto("/in-clinic").await?;
    doctor.click("//button[@data-present][contains(., 'Ferreira')]").await?;
    doctor.press("Open this visit").await?;
    doctor.see("//*[@data-sheet]//*[@data-order='LIPID']").await?;
    doctor.click("//*[@aria-label='Lipid panel: Fasting?']//label[.='not known']").await?;
    doctor.press("Remove Thyrotropin").await?;
    doctor.gone("//*[@data-order='TSH']").await?;
    doctor.press("Sign and send 6").await?;
    doctor.see("//*[@data-order='LIPID'][@data-sent='true']").await?;

    assistant.sign_in("petra").await?;
    assistant.see("//*[contains(., 'Specimens to take')]").await?;
    assistant.goto("/results?tab=ordered").await?;
    let line = "//*[@data-for-hands]//tr[contains(., 'Ferreira')]";
    assistant.see(&format!("{line}[contains(., 'serum gel tube') and contains(., 'urine cup')]")).await?;
    no_serious_fault(assistant, "specimens to take").await?;
    assistant.click(&format!("{line}//button[starts-with(@aria-label, 'Taken')]")).await?;
    assistant.fill("at", "in a while").await?;
    assistant.click(&format!("{line}//button[@type='submit']")).await?;
    assistant.read("A time, with its day when it was not today").await?;
    assistant.fill("at", "").await?;
    assistant.click(&format!("{line}//button[@type='submit']")).await?;
    assistant.gone(line).await?;
    doctor.see("//*[@data-order='LIPID'][contains(., 'by Petra Lindqvist')]").await.map(drop)
}

#[actix_web::test]
async fn the_assistant_takes_the_specimens_and_the_clinician_sees_it() {
    two_desks_and_a_slow_laboratory("specimens", taken_and_done).await;
}

async fn acted_on(b: &Browser, assistant: &Browser) -> Result<()> {
    b.sign_in("oriane").await?;
    b.goto("/results").await?;
    b.click("//button[@data-result][contains(., 'Ferreira')]").await?;
    b.see("//*[@data-act]").await?;
    b.press("Orders").await?;
    b.find("Find what to order", "potass", "Potassium").await?;
    let chip = "//*[@data-act]//*[@data-order='K']";
    b.see(chip).await?;
    b.click("//*[@aria-label='Tell the patient']//label[contains(., 'By a call')]").await?;
    b.fill("comment", "A little high; again in a week.").await?;
    no_serious_fault(b, "acting on a result").await?;
    b.press("Sign as reviewed").await?;
    b.gone("//button[@data-result][contains(., 'GP-8117')]").await?;
    assistant.sign_in("petra").await?;
    assistant.read("A result is here").await
}

#[actix_web::test]
async fn a_result_is_ordered_again_and_its_patient_called() {
    two_desks("acted-on", acted_on).await;
}
