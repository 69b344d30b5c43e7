//! How many presses one visit takes, from the call to a settled balance.
//!
//! A press is a click, or a key or chord that is no text. Coming into a text field is counted beside: by keyboard it
//! is a Tab between two texts.

use anyhow::{Result, ensure};
use fantoccini::key::Key;
use harbor_browser_tests::{Browser, two_desks};
use std::cell::Cell;

/// What the whole journey may take.
const BOUND: u32 = 45;

/// A hand that counts what it presses.
struct Hand<'a> {
    b: &'a Browser,
    presses: Cell<u32>,
    fields: Cell<u32>,
}

impl<'a> Hand<'a> {
    fn new(b: &'a Browser) -> Hand<'a> {
        Hand { b, presses: Cell::new(0), fields: Cell::new(0) }
    }

    fn count(&self, presses: u32) {
        self.presses.set(self.presses.get() + presses);
    }

    async fn click(&self, xpath: &str) -> Result<()> {
        self.count(1);
        self.b.click(xpath).await
    }

    async fn press(&self, word: &str) -> Result<()> {
        self.count(1);
        self.b.press(word).await
    }

    async fn enter(&self) -> Result<()> {
        self.count(1);
        self.b.key(Key::Enter).await
    }

    /// Keys that are commands, one by one.
    async fn hit(&self, keys: &str) -> Result<()> {
        for key in keys.chars() {
            self.count(1);
            self.b.keys(&key.to_string()).await?;
        }
        Ok(())
    }

    /// Text where the hand is already.
    async fn on(&self, text: &str) -> Result<()> {
        let at = self.b.client.execute("return document.activeElement.matches('input, textarea')", vec![]).await?;
        ensure!(at.as_bool() == Some(true), "no field has the focus for: {text}");
        self.b.keys(text).await
    }

    async fn fill(&self, field: &str, text: &str) -> Result<()> {
        self.fields.set(self.fields.get() + 1);
        self.b.fill(field, text).await
    }

    /// Into a search, and Enter takes what is found first.
    async fn find(&self, label: &str, text: &str, found: &str) -> Result<()> {
        self.fields.set(self.fields.get() + 1);
        self.b.click(&format!("//input[@aria-label='{label}' or @id=//label[.='{label}']/@for]")).await?;
        self.on(text).await?;
        self.b.see(&format!("(//*[@role='option'])[1][contains(., \"{found}\")]")).await?;
        self.enter().await
    }
}

fn mark(name: &str) -> String {
    format!("//aside//li[@data-mark='{name}' and @data-state='reached']")
}

const ROW: &str = "//li[@data-item][contains(., 'Quarrie, Ines')]";

async fn desk(h: &Hand<'_>) -> Result<()> {
    let b = h.b;
    b.sign_in("junia").await?;
    h.hit("gs").await?;
    h.click("(//button[@data-open][contains(@aria-label, 'Consultation with Dr. Oriane Valcourt')])[1]").await?;
    b.see("//input[@type='search']").await?;
    h.on("Ines Quarrie").await?;
    b.read("Enter adds somebody new").await?;
    h.enter().await?;
    b.see("//input[@name='birthDate']").await?;
    h.on("2/13/1999").await?;
    h.fill("phone", "207 555 0199").await?;
    h.enter().await?;
    b.see("//input[@name='reason']").await?;
    h.on("High blood pressure and lipids").await?;
    h.enter().await?;
    b.gone("//*[@role='dialog']").await?;
    b.see("//aside//h2[contains(., 'Quarrie, Ines')]").await?;
    h.press("Open this visit").await?;
    h.click("//label[normalize-space()='Female']").await?;
    h.click("//label[normalize-space()='E-mail declined']").await?;
    h.fill("addressLine", "7 Ropewalk").await?;
    h.fill("city", "Port Calder").await?;
    h.fill("state", "ME").await?;
    h.fill("postalCode", "04998").await?;
    h.press("Save details").await?;
    b.read("not asked: privacy notice given").await?;
    h.click("//*[@data-consent='privacy_notice']//label[normalize-space()='Given']").await?;
    // Nothing is on file: the form for the card stands there.
    h.find("Payer", "saltm", "Saltmarsh").await?;
    h.fill("subscriberNumber", "SM55510").await?;
    h.enter().await?;
    b.see("//input[@name='amount' and @value='25.00']").await?;
    h.press("Take payment").await?;
    b.see("//*[@data-receipt][contains(., '$25.00')]").await?;
    h.click("//button[normalize-space()='Finish check-in']").await?;
    b.see(&mark("checked_in")).await?;
    Ok(())
}

async fn assistant(h: &Hand<'_>) -> Result<()> {
    let b = h.b;
    b.sign_in("petra").await?;
    h.click(&format!("{ROW}//button")).await?;
    h.press("Curlew").await?;
    b.see(&mark("roomed")).await?;
    h.press("Measure and record").await?;
    h.fill("quick", "bp 152/94 hr 72 t 98.6f w 176lb h 180cm").await?;
    b.read("Body mass index 24.6 kg/m²").await?;
    h.enter().await?;
    b.see("//tr[@data-measure='systolic'][contains(., 'high')]").await?;
    h.fill("quick", "allergy penicillin hives; no meds").await?;
    h.enter().await?;
    b.see("//aside//*[contains(., 'penicillin: hives')]").await?;
    b.see("//button[@data-fact='medicines'][contains(., 'None known')]").await?;
    Ok(())
}

async fn clinician(h: &Hand<'_>) -> Result<()> {
    let b = h.b;
    b.sign_in("oriane").await?;
    h.click(&format!("{ROW}//button")).await?;
    h.press("Begin the visit").await?;
    b.see(&mark("seen")).await?;
    h.find("Another problem", "high blood pressure", "I10").await?;
    b.see("//*[@data-diagnosis='I10']").await?;
    h.find("Another problem", "hyperlip unspec", "E78.5").await?;
    b.see("//*[@data-diagnosis='E78.5']").await?;
    for (part, text) in [
        ("history", "Found at a health fair. No chest pain."),
        ("examination", "Heart and lungs clear."),
        ("assessment", "High blood pressure; lipids to check."),
        ("plan", "Start tablets, tests, back in four weeks."),
    ] {
        h.fill(part, text).await?;
    }
    b.see("//*[@data-part='plan'][@data-state='saved'][@data-kept='true']").await?;
    h.fill("quick", "order potassium, lipids").await?;
    h.enter().await?;
    b.see("//*[@data-lane='I10']//*[@data-order='K']").await?;
    b.see("//*[@data-lane='E78.5']//*[@data-order='LIPID']").await?;
    h.click("//*[@aria-label='Lipid panel: Fasting?']//label[.='yes']").await?;
    h.click("//*[@data-lane='I10']//button[normalize-space()='Prescribe']").await?;
    h.find("Find a medicine", "lisinop 10", "Lisovane").await?;
    b.read("Take 1 tablet by mouth once a day for 90 days.").await?;
    h.press("Add to the prescription").await?;
    b.see("//*[@data-prescription='lisovane-10']").await?;
    b.gone("//button[normalize-space()='Add to the prescription']").await?;
    h.press("Sign and send").await?;
    b.see("//*[@data-prescription='lisovane-10'][contains(., 'pharmacy has it')]").await?;
    h.press("Sign the note and send 2 orders").await?;
    b.see(&mark("signed")).await?;
    // The level stands among the charges by itself.
    b.see("//*[@data-charge='NEW4'][@data-by-itself]").await?;
    h.press("Complete charges").await?;
    b.see(&mark("charged")).await?;
    // The laboratory has answered meanwhile; whoever is in hand comes first.
    both_results_are_here(b).await?;
    h.hit("gr").await?;
    for _ in 0..2 {
        let shown = "//*[@data-result][contains(., 'Quarrie')][@aria-current='true']";
        let test = b.see(shown).await?.attr("data-result").await?.unwrap_or_default();
        h.press("Sign as reviewed").await?;
        b.gone(&format!("//*[@data-result='{test}'][contains(., 'Quarrie')]")).await?;
    }
    Ok(())
}

/// The laboratory answers in its own time; nobody presses anything for that.
async fn both_results_are_here(b: &Browser) -> Result<()> {
    let ask = "return fetch('/api/results').then(r => r.json())
        .then(all => all.waiting.filter(w => w.person?.name.startsWith('Quarrie')).length)";
    for _ in 0..100 {
        if b.client.execute(ask, vec![]).await?.as_u64() == Some(2) {
            return Ok(());
        }
        tokio::time::sleep(std::time::Duration::from_millis(200)).await;
    }
    anyhow::bail!("the laboratory did not answer")
}

async fn biller(h: &Hand<'_>) -> Result<()> {
    let b = h.b;
    b.sign_in("agathe").await?;
    h.click(&format!("{ROW}//button")).await?;
    h.click("//*[@role='dialog']//button[starts-with(normalize-space(), 'Send this claim')]").await?;
    b.read("is on its way").await?;
    b.see("//*[@role='dialog'][contains(., 'decided the claim')]").await?;
    Ok(())
}

async fn settle(h: &Hand<'_>) -> Result<()> {
    let b = h.b;
    h.press("Open balance").await?;
    b.read("is left for the patient").await?;
    h.click("//label[normalize-space()='Cash']").await?;
    h.press("Take payment").await?;
    b.see(&mark("settled")).await?;
    Ok(())
}

async fn counted(one: &Browser, two: &Browser) -> Result<()> {
    let (at_desk, at_work) = (Hand::new(one), Hand::new(two));
    desk(&at_desk).await?;
    assistant(&at_work).await?;
    two.client.delete_all_cookies().await?;
    clinician(&at_work).await?;
    two.client.delete_all_cookies().await?;
    biller(&at_work).await?;
    settle(&at_desk).await?;
    let presses = at_desk.presses.get() + at_work.presses.get();
    let fields = at_desk.fields.get() + at_work.fields.get();
    println!("one visit: {presses} presses, and {fields} text fields come into");
    ensure!(presses <= BOUND, "{presses} presses; at most {BOUND}");
    Ok(())
}

#[actix_web::test]
async fn one_visit_takes_45_presses_besides_its_text() {
    two_desks("presses", counted).await;
}
