//! Registering people in a real browser: a child whose responsible party is made on the spot, coverage
//! refused and corrected, a twin recognised and merged, and once all of it by keyboard.

use anyhow::Result;
use fantoccini::key::Key;
use harbor_browser_tests::{Browser, journey, no_serious_fault};

async fn child(b: &Browser) -> Result<()> {
    b.sign_in("junia").await?;
    b.goto("/people?new=1").await?;
    b.fill("firstName", "Pim").await?;
    b.fill("lastName", "Saltbox").await?;
    b.fill("birthDate", "5/5/2019").await?;
    b.click("//label[normalize-space()='Male']").await?;
    b.press("Add").await?;
    b.see("//section[@data-section='contact']//input[@name='addressLine']").await?;
    // The address service writes it properly; one press takes what it says.
    b.fill("addressLine", "59 chandler st").await?;
    b.fill("city", "Port Calder").await?;
    b.fill("state", "ME").await?;
    b.fill("postalCode", "04998").await?;
    b.fill("phone", "207 555 0177").await?;
    b.click("//button[starts-with(normalize-space(), '59 Chandler Street, Port Calder')]").await?;
    b.read("The address service knows this address.").await?;
    b.click("//label[normalize-space()='E-mail declined']").await?;
    // Who answers for the child is not here yet, and no patient.
    b.read("lacks").await?;
    b.press("Choose who answers").await?;
    b.keys("Marit Saltbox").await?;
    b.read("Nobody is found under").await?;
    b.press("Add somebody new").await?;
    b.press("Add and choose").await?;
    b.see("//section[@data-section='responsible']//strong[normalize-space()='Saltbox, Marit']").await?;
    b.read("no patient here").await?;
    b.click("//*[@data-consent='privacy_notice']//label[normalize-space()='Given']").await?;
    b.gone("//*[starts-with(normalize-space(text()), 'Registration lacks')]").await?;
    no_serious_fault(b, "registration").await?;
    // Coverage through the mother; the payer knows no such number, then it does.
    b.press("Add a policy").await?;
    // By its telephone, as it stands on the card.
    b.find("Payer", "207 555-0190", "Saltmarsh").await?;
    b.fill("subscriberNumber", "SM70092").await?;
    b.click("//form[.//input[@name='subscriberNumber']]//button[contains(., 'The patient')]").await?;
    b.click("//*[@role='option'][contains(., 'Parent')]").await?;
    b.find("Find the policyholder", "Marit Saltbox", "Marit").await?;
    b.press("Save and ask the payer").await?;
    b.read("The payer knows no such subscriber.").await?;
    b.press("Correct or end").await?;
    b.fill("Subscriber number", "SM70010").await?;
    b.press("Save policy").await?;
    b.press("Ask again").await?;
    b.read("In force on Nov 23, 2026.").await?;
    Ok(())
}

#[actix_web::test]
async fn a_child_with_a_party_made_on_the_spot_and_coverage_put_right() {
    journey("registration-child", child).await;
}

async fn twin(b: &Browser) -> Result<()> {
    b.sign_in("junia").await?;
    b.goto("/people?new=1").await?;
    b.fill("firstName", "Lukan").await?;
    b.fill("lastName", "Ferreira-Holm").await?;
    b.fill("birthDate", "2/11/1968").await?;
    b.press("Add").await?;
    b.read("Is it one of these?").await?;
    b.read("same birth date").await?;
    no_serious_fault(b, "likely twins").await?;
    b.press("No, somebody else: add").await?;
    b.see("//h1[contains(., 'Ferreira-Holm, Lukan')]").await?;
    // It was the same person after all.
    b.goto("/people").await?;
    b.find("Find a person", "IH-10005", "Ferreira-Holm, Lucan").await?;
    b.see("//h1[contains(., 'Ferreira-Holm, Lucan')]").await?;
    b.press("Same person as another record").await?;
    b.click("//*[@role='dialog']//input[@type='search']").await?;
    b.keys("lukan ferreira").await?;
    b.click("(//*[@role='option'][contains(., 'Lukan')])[1]").await?;
    b.read("Goes into it").await?;
    no_serious_fault(b, "merging").await?;
    // In what they differ somebody chooses; before that nothing is merged.
    b.see("//button[starts-with(normalize-space(), 'Merge IH-')][@disabled]").await?;
    b.click("//*[@data-differences]//label[normalize-space()='Lucan']").await?;
    b.click("//button[starts-with(normalize-space(), 'Merge IH-')]").await?;
    b.gone("//*[@role='dialog']").await?;
    b.read("merged Nov 23, 2026, Junia Vance").await?;
    b.click("//button[starts-with(@aria-label, 'Part again')]").await?;
    b.gone("//button[starts-with(@aria-label, 'Part again')]").await?;
    Ok(())
}

#[actix_web::test]
async fn a_twin_is_recognised_merged_and_parted_again() {
    journey("registration-twin", twin).await;
}

/// Counts what the hands do.
struct Typist<'b> {
    b: &'b Browser,
    keys: usize,
}

impl Typist<'_> {
    async fn text(&mut self, text: &str) -> Result<()> {
        self.keys += text.chars().count();
        self.b.keys(text).await
    }

    async fn key(&mut self, key: Key) -> Result<()> {
        self.keys += 1;
        self.b.key(key).await
    }

    /// Goes on to a field by Tab, counting each.
    async fn on_to(&mut self, name: &str) -> Result<()> {
        for _ in 0..12 {
            self.key(Key::Tab).await?;
            if self.b.focused_is(name).await? {
                return Ok(());
            }
        }
        anyhow::bail!("Tab never came to {name}")
    }
}

/// Measured: 109. A practised person types three keys a second, so ninety seconds are 270 keys.
const KEYS: usize = 110;

async fn by_keyboard(b: &Browser) -> Result<()> {
    b.sign_in("junia").await?;
    b.goto("/people").await?;
    b.see("//input[@type='search']").await?;
    let mut t = Typist { b, keys: 0 };
    t.text("Tove Breakwater").await?;
    b.read("Enter adds somebody new").await?;
    t.key(Key::Enter).await?;
    b.see("//input[@name='birthDate'][@data-focused]").await?;
    t.text("3/4/62").await?;
    t.key(Key::Tab).await?;
    t.text("2075550123").await?;
    t.key(Key::Tab).await?;
    t.text(" ").await?;
    b.see("//label[@data-selected][normalize-space()='Female']").await?;
    t.key(Key::Enter).await?;
    b.see("//section[@data-section='contact']//input[@name='addressLine'][@data-focused]").await?;
    t.text("59 Chandler Street").await?;
    t.key(Key::Tab).await?;
    t.key(Key::Tab).await?;
    t.text("Port Calder").await?;
    t.key(Key::Tab).await?;
    t.text("ME").await?;
    t.key(Key::Tab).await?;
    t.text("049984685").await?;
    t.on_to("email").await?;
    t.text("tove@example.org").await?;
    b.read("The address service knows this address.").await?;
    // Leaving the part saves it; the notice is given with one more key.
    for _ in 0..20 {
        if b.focused_kind().await? == "radio" {
            break;
        }
        t.key(Key::Tab).await?;
    }
    t.text(" ").await?;
    b.gone("//*[starts-with(normalize-space(text()), 'Registration lacks')]").await?;
    b.read("all saved").await?;
    anyhow::ensure!(t.keys <= KEYS, "{} keystrokes, more than {KEYS}", t.keys);
    println!("registered in {} keystrokes", t.keys);
    Ok(())
}

#[actix_web::test]
async fn a_person_is_registered_by_keyboard_in_few_keystrokes() {
    journey("registration-keys", by_keyboard).await;
}

/// A picture of a card as a telephone takes it, in small.
const CARD: &[u8] = include_bytes!("../../../demo/assets/card-front.png");

async fn card_and_file(b: &Browser) -> Result<()> {
    let folder = std::env::temp_dir().join(format!("harbor-files-{}", std::process::id()));
    std::fs::create_dir_all(&folder)?;
    let put = |name: &str, content: &[u8]| -> Result<String> {
        let path = folder.join(name);
        std::fs::write(&path, content)?;
        Ok(path.display().to_string())
    };
    b.sign_in("soren").await?;
    b.goto("/people").await?;
    b.find("Find a person", "Takahashi", "Takahashi-Doyle, Wren").await?;
    let front = "(//*[@data-coverage]//input[@type='file'])[1]";
    b.give_file(front, &put("page.png", b"<html>")?).await?;
    b.read("A card is a PNG or JPEG picture or a PDF").await?;
    b.give_file(front, &put("card.png", CARD)?).await?;
    b.see("//img[starts-with(@alt, 'front of the card')]").await?;
    no_serious_fault(b, "card pictures").await?;
    // People from a file: what would happen, then it happens.
    b.goto("/settings").await?;
    let people = "Last name,First name,DOB,Sex\nRopewalk,Runa,3/3/1985,F\nFerreira-Holm,Lucan,2/11/1968,M\nSaltbox,Pim,13/45/2019,M\n";
    b.give_file("//input[@type='file']", &put("people.csv", people.as_bytes())?).await?;
    b.read("Nothing is written yet. Of people.csv: 1 would come in, 1 likely here already, 1 refused.").await?;
    b.see("//tr[@data-verdict='refused'][contains(., 'no such day')]").await?;
    no_serious_fault(b, "import").await?;
    b.press("Bring in 1").await?;
    b.read("Done: 1 came in").await?;
    b.goto("/people").await?;
    b.find("Find a person", "Ropewalk", "Ropewalk, Runa").await?;
    b.see("//h1[contains(., 'Ropewalk, Runa')]").await?;
    std::fs::remove_dir_all(&folder)?;
    Ok(())
}

#[actix_web::test]
async fn a_card_is_kept_and_people_come_from_a_file() {
    journey("registration-files", card_and_file).await;
}
