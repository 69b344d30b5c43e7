//! The journeys people make, in a real browser, with a sign-in for every role.

use anyhow::Result;
use fantoccini::key::Key;
use harbor_browser_tests::{Browser, journey, no_serious_fault, two_desks};

/// The front desk finds nobody, adds somebody, books today, and checks in.
async fn front_desk(b: &Browser) -> Result<()> {
    b.sign_in("junia").await?;
    no_serious_fault(b, "Today").await?;
    b.goto("/schedule").await?;
    b.click("(//button[@data-open][contains(@aria-label,'Consultation with Dr. Oriane Valcourt')])[1]").await?;
    let search = b.see("//input[@type='search']").await?;
    search.click().await?;
    b.keys("Ines Quarrie").await?;
    b.read("Nobody is found under").await?;
    no_serious_fault(b, "booking").await?;
    b.press("Add somebody new").await?;
    b.fill("lastName", "").await?;
    b.press("Add").await?;
    b.read("Last name is needed.").await?;
    b.fill("lastName", "Quarrie").await?;
    b.fill("birthDate", "13/45/1999").await?;
    b.press("Add").await?;
    b.read("There is no such day in the calendar.").await?;
    b.fill("birthDate", "2/13/1999").await?;
    b.fill("phone", "207 555 0199").await?;
    b.press("Add").await?;
    b.fill("reason", "High blood pressure and lipids").await?;
    b.press("Book").await?;
    b.see("//aside//h2[contains(., 'Quarrie, Ines')]").await?;
    no_serious_fault(b, "Schedule").await?;
    b.press("Mark as here").await?;
    b.see("//aside//li[@data-mark='here' and @data-state='reached']").await?;
    b.see("//aside//li[@data-blocker='registration_gaps']").await?;
    b.click("//aside//li[@data-blocker='registration_gaps']//a").await?;
    // Details: what the quick add left open.
    b.click("//label[normalize-space()='Female']").await?;
    b.click("//label[normalize-space()='E-mail declined']").await?;
    b.fill("addressLine", "7 Ropewalk").await?;
    b.fill("city", "Port Calder").await?;
    b.fill("state", "ME").await?;
    b.fill("postalCode", "04998").await?;
    b.press("Save details").await?;
    b.read("not asked: privacy notice given").await?;
    b.click("//*[@data-consent='privacy_notice']//label[normalize-space()='Given']").await?;
    b.gone("//aside//li[@data-blocker='registration_gaps']").await?;
    no_serious_fault(b, "check-in").await?;
    // Coverage, answered by the payer.
    b.find("Payer", "saltm", "Saltmarsh").await?;
    b.fill("subscriberNumber", "SM55510").await?;
    b.press("Save and ask the payer").await?;
    b.gone("//aside//li[@data-blocker='benefits_waiting' or @data-blocker='benefits_not_asked' or @data-blocker='no_coverage']").await?;
    // The copay that the payer told, and its receipt.
    b.see("//input[@name='amount' and @value='25.00']").await?;
    b.press("Take payment").await?;
    b.see("//*[@data-receipt][contains(., '$25.00')]").await?;
    b.press("Finish check-in").await?;
    b.see("//aside//li[@data-mark='checked_in' and @data-state='reached']").await?;
    Ok(())
}

/// The clinical assistant rooms, measures, records.
async fn assistant(b: &Browser) -> Result<()> {
    b.sign_in("petra").await?;
    b.goto("/in-clinic").await?;
    no_serious_fault(b, "In clinic").await?;
    b.press("Choose a room for Quarrie, Ines").await?;
    b.press("Curlew").await?;
    b.click("//*[@data-room='Curlew']//button[contains(., 'Quarrie')]").await?;
    b.press("Measure and record").await?;
    b.fill("quick", "bp 152/94 hr 72 t 98.6f w 176lb h 180cm hr 900").await?;
    b.read("Temperature 37 °C (from 98.6f)").await?;
    b.read("impossible: please check").await?;
    b.fill("quick", "bp 152/94 hr 72 t 98.6f w 176lb h 180cm").await?;
    b.read("Body mass index 24.6 kg/m²").await?;
    b.press("Keep").await?;
    b.see("//tr[@data-measure='systolic'][contains(., 'high')]").await?;
    b.click("//button[@data-fact='allergies']").await?;
    b.fill("substance", "penicillin").await?;
    b.fill("reaction", "hives").await?;
    b.press("Add allergy").await?;
    b.see("//aside//*[contains(., 'penicillin: hives')]").await?;
    b.click("//button[@data-fact='medicines']").await?;
    b.press("Takes no medicines").await?;
    b.read("None taken").await?;
    b.press("Mark as reviewed").await?;
    b.read("Reviewed by Petra Lindqvist").await?;
    no_serious_fault(b, "rooming").await
}

async fn write(b: &Browser, part: &str, text: &str) -> Result<()> {
    b.fill(part, text).await?;
    b.key(Key::Tab).await?;
    b.see(&format!("//*[@data-part='{part}'][@data-state='saved'][@data-kept='true']")).await?;
    Ok(())
}

/// The clinician writes, diagnoses, orders, prescribes, signs, charges.
async fn clinician(b: &Browser) -> Result<()> {
    b.sign_in("oriane").await?;
    no_serious_fault(b, "Today of the clinician").await?;
    b.click("//li[contains(., 'Quarrie, Ines')]//button").await?;
    b.press("Begin the visit").await?;
    b.see("//aside//li[@data-mark='seen' and @data-state='reached']").await?;
    b.find("Another problem", "high blood pressure", "I10").await?;
    b.see("//*[@data-diagnosis='I10']").await?;
    b.find("Another problem", "hyperlip unspec", "E78.5").await?;
    b.see("//*[@data-diagnosis='E78.5']").await?;
    write(b, "reason", "High blood pressure and lipids.").await?;
    write(b, "history", "Found at a health fair. No chest pain.").await?;
    write(b, "examination", "Heart and lungs clear.").await?;
    write(b, "assessment", "High blood pressure; lipids to check.").await?;
    write(b, "plan", "Start tablets, tests, back in four weeks.").await?;
    no_serious_fault(b, "note").await?;
    b.click("//*[@data-lane='I10']//button[normalize-space()='Order']").await?;
    b.find("Find what to order", "potas", "Potassium").await?;
    b.see("//*[@data-lane='I10']//*[@data-order='K']").await?;
    b.press("Close what is open here").await?;
    b.click("//*[@data-lane='E78.5']//button[normalize-space()='Order']").await?;
    b.find("Find what to order", "lipid", "Lipid panel").await?;
    b.see("//*[@data-lane='E78.5']//*[@data-order='LIPID']").await?;
    b.press("Sign and send 2").await?;
    b.read("answer \"Fasting?\" before sending").await?;
    b.click("//*[@aria-label='Lipid panel: Fasting?']//label[.='yes']").await?;
    b.key(Key::Tab).await?;
    no_serious_fault(b, "orders").await?;
    // One key takes the order out of its lane, and back in.
    let chip = b.see("//*[@data-lane='I10']//*[@data-order='K']").await?;
    chip.send_keys("1").await?;
    b.see("//aside//li[@data-blocker='order_without_diagnosis']").await?;
    b.see("//section[@data-nowhere]//*[@data-order='K']").await?.send_keys("1").await?;
    b.see("//*[@data-lane='I10']//*[@data-order='K']").await?;
    b.press("Sign and send 2").await?;
    b.see("//*[@data-order='K'][@data-sent='true']").await?;
    b.press("Close what is open here").await?;
    b.click("//*[@data-lane='I10']//button[normalize-space()='Prescribe']").await?;
    b.find("Find a medicine", "amoxelle 500", "Amoxelle").await?;
    b.see("//*[@data-finding='allergy']").await?;
    b.press("Leave").await?;
    b.click("//*[@data-lane='I10']//button[normalize-space()='Prescribe']").await?;
    b.find("Find a medicine", "lisinop 10", "Lisovane").await?;
    b.read("Take 1 tablet by mouth once a day for 90 days.").await?;
    b.press("Add to the prescription").await?;
    b.see("//*[@data-prescription='lisovane-10']").await?;
    no_serious_fault(b, "prescriptions").await?;
    b.press("Sign and send").await?;
    b.see("//*[@data-prescription='lisovane-10'][contains(., 'pharmacy has it')]").await?;
    b.press("Sign the note").await?;
    b.see("//aside//li[@data-mark='signed' and @data-state='reached']").await?;
    b.tab("Charges").await?;
    b.find("Add a service", "finger splint", "Finger splint").await?;
    b.see("//*[@data-fault='no_fee']").await?;
    b.press("Remove Finger splint").await?;
    // The level stands there by itself, with its reasons; taken off, it is offered.
    b.see("//*[@data-charge='NEW4'][@data-by-itself][contains(., 'level 4 by complexity')]").await?;
    b.press("Remove New patient visit, moderate").await?;
    b.see("//*[@data-fault='no_lines']").await?;
    b.click("//button[starts-with(normalize-space(), 'Add New patient visit')]").await?;
    b.read("checks passed").await?;
    no_serious_fault(b, "charges").await?;
    b.press("Complete charges").await?;
    b.see("//aside//li[@data-mark='charged' and @data-state='reached']").await?;
    // The laboratory has answered meanwhile.
    b.goto("/results").await?;
    b.click("//*[@data-result='K'][contains(., 'Quarrie')]").await?;
    b.read("high").await?;
    no_serious_fault(b, "results").await?;
    b.press("Sign as reviewed").await?;
    b.gone("//*[@data-result='K'][contains(., 'Quarrie')]").await
}

/// The biller sends; everything comes back by itself.
async fn biller(b: &Browser) -> Result<()> {
    b.sign_in("agathe").await?;
    b.goto("/billing").await?;
    b.click("//label[normalize-space()='Ready']").await?;
    let row = "//tr[contains(., 'Quarrie, Ines')]";
    b.click(&format!("{row}//label")).await?;
    no_serious_fault(b, "claims").await?;
    b.click("//button[starts-with(normalize-space(), 'Send 1')]").await?;
    b.read("is on its way").await?;
    b.click("//label[normalize-space()='All']").await?;
    b.see(&format!("{row}[contains(., 'paid')]")).await?;
    b.tab("Batches").await?;
    b.read("taken by the clearing house").await?;
    b.tab("Remittances").await?;
    b.read("QUARRIE, INES").await?;
    no_serious_fault(b, "remittances").await?;
    // Older ones say what is in them, and open.
    let older = "(//*[@data-remittance][.//button[@aria-expanded='false']])[1]";
    b.click(&format!("{older}//button")).await?;
    b.see("(//*[@data-remittance])[4]//td[contains(., 'paid')]").await?;
    b.tab("Claims").await?;
    b.click(&format!("{row}//button")).await?;
    b.read("decided the claim").await?;
    b.key(Key::Escape).await?;
    Ok(())
}

/// The patient's share, explained, and paid.
async fn settle(b: &Browser) -> Result<()> {
    b.goto("/people").await?;
    b.find("Find a person", "qua ine 1999", "Quarrie, Ines").await?;
    b.click("//tr[contains(., 'High blood pressure')]//button[normalize-space()='Open']").await?;
    b.tab("Balance").await?;
    b.read("is left for the patient").await?;
    b.read("coinsurance").await?;
    no_serious_fault(b, "balance").await?;
    b.click("//label[normalize-space()='Cash']").await?;
    b.press("Take payment").await?;
    b.see("//*[@data-receipt]").await?;
    b.see("//aside//li[@data-mark='settled' and @data-state='reached']").await?;
    Ok(())
}

async fn whole_visit(desk: &Browser, other: &Browser) -> Result<()> {
    front_desk(desk).await?;
    assistant(other).await?;
    // The front desk's screen has followed by itself.
    desk.see("//aside//li[@data-mark='roomed' and @data-state='reached']").await?;
    other.client.delete_all_cookies().await?;
    clinician(other).await?;
    other.client.delete_all_cookies().await?;
    biller(other).await?;
    settle(desk).await?;
    other.client.delete_all_cookies().await?;
    other.sign_in("soren").await?;
    other.goto("/people").await?;
    other.find("Find a person", "Quarrie", "Quarrie, Ines").await?;
    other.read("Who looked at this record").await?;
    no_serious_fault(other, "person").await?;
    Ok(())
}

#[actix_web::test]
async fn one_visit_from_the_call_to_a_settled_balance() {
    two_desks("journey", whole_visit).await;
}

async fn by_keyboard_alone(b: &Browser) -> Result<()> {
    b.goto("/").await?;
    b.see("//input[@name='login']").await?;
    no_serious_fault(b, "sign-in").await?;
    b.keys("junia").await?;
    b.key(Key::Tab).await?;
    b.keys("harbor").await?;
    b.key(Key::Enter).await?;
    b.see("//nav[@aria-label='Areas']").await?;
    b.see("//h2").await?;
    b.keys("o").await?;
    b.see("//*[@role='dialog']//button[starts-with(@aria-label, 'Book ')]").await?;
    until_focus(b, "Book ").await?;
    b.key(Key::Enter).await?;
    b.see("//input[@type='search']").await?;
    b.keys("Noor Vell").await?;
    b.read("Nobody is found under").await?;
    until_focus(b, "Add somebody new").await?;
    b.key(Key::Enter).await?;
    b.see("//input[@name='firstName']").await?;
    // The form is filled from the search already; Enter adds.
    b.key(Key::Enter).await?;
    b.see("//input[@name='reason']").await?;
    b.keys("Sore throat").await?;
    b.key(Key::Enter).await?;
    b.see("//aside//h2[contains(., 'Vell, Noor')]").await?;
    b.gone("//*[@role='dialog']").await?;
    // The full stop moves the visit in hand on, the comma takes it back.
    b.keys(".").await?;
    b.see("//aside//li[@data-mark='here' and @data-state='reached']").await?;
    b.keys(",").await?;
    b.see("//aside//li[@data-mark='here' and @data-state='current']").await?;
    b.keys(".").await?;
    b.see("//aside//button[normalize-space()='Check in']").await?;
    b.keys(&format!("{}{}", char::from(Key::Control), char::from(Key::Enter))).await?;
    b.keys(&char::from(Key::Null).to_string()).await?;
    b.read("Finish check-in").await?;
    b.keys("?").await?;
    b.read("Ctrl+K or /").await?;
    b.key(Key::Escape).await?;
    b.gone("//*[@role='dialog']").await?;
    b.keys("d").await?;
    b.gone("//h1[contains(., 'Vell')]").await?;
    b.gone("//aside//*[contains(text(), 'IH-')]").await?;
    let shown = b.text().await?;
    anyhow::ensure!(!shown.contains("Vell, Noor"), "a name is left on the screen: {shown}");
    b.keys("g").await?;
    b.keys("p").await?;
    b.read("Three letters of each name").await?;
    no_serious_fault(b, "people").await?;
    b.goto("/settings").await?;
    b.read("Services and prices").await?;
    no_serious_fault(b, "settings").await?;
    b.click("//label[normalize-space()='Night']").await?;
    b.see("//html[@data-theme='night']").await?;
    b.goto("/today").await?;
    b.see("//h2").await?;
    no_serious_fault(b, "Today by night").await?;
    Ok(())
}

#[actix_web::test]
async fn the_front_desk_books_and_checks_in_by_keyboard_alone() {
    journey("journey-keys", by_keyboard_alone).await;
}

/// Tabs on until a button whose word or label begins like this has the focus.
async fn until_focus(b: &Browser, word: &str) -> Result<()> {
    for _ in 0..60 {
        if b.focused().await?.starts_with(word) {
            return Ok(());
        }
        b.key(Key::Tab).await?;
    }
    anyhow::bail!("Tab never came to {word}")
}
