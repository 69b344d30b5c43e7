use super::*;
use proptest::prelude::*;

fn today() -> NaiveDate {
    NaiveDate::from_ymd_opt(2026, 11, 30).unwrap()
}

fn at(age: Option<u32>) -> Known<'static> {
    Known { age, ..Known::nothing(today()) }
}

fn said(line: &str) -> Vec<String> {
    understand(line, &at(Some(40))).iter().map(Item::in_words).collect()
}

/// The rows as the command line prints them, without empty columns.
fn rows(line: &str) -> Vec<String> {
    understand(line, &at(Some(40)))
        .iter()
        .map(|i| i.row().iter().filter(|c| !c.is_empty()).cloned().collect::<Vec<_>>().join(" | "))
        .collect()
}

#[test]
fn the_usual_line() {
    assert_eq!(
        said("bp 128/82 hr 72 t 37.1 w 68kg h 172cm"),
        [
            "Blood pressure, systolic 128 mmHg",
            "Blood pressure, diastolic 82 mmHg, high",
            "Heart rate 72 /min",
            "Temperature 37.1 °C",
            "Weight 68 kg",
            "Height 172 cm",
            "Body mass index 23 kg/m²",
        ]
    );
}

#[test]
fn units_are_converted() {
    for (line, kept) in [
        ("t 98.6f", "Temperature 37 °C"),
        ("t98.6", "Temperature 37 °C"),
        ("temp 37,4", "Temperature 37.4 °C"),
        ("38.5 °C", "Temperature 38.5 °C, high"),
        ("w 150 lb", "Weight 68 kg"),
        ("h 5'10\"", "Height 177.8 cm"),
        ("height 5 ft 10 in", "Height 177.8 cm"),
        ("h 5ft10", "Height 177.8 cm"),
        ("h 1.72m", "Height 172 cm"),
        ("glucose 7 mmol/l", "Glucose, finger stick 126.1 mg/dL"),
        ("fs 104", "Glucose, finger stick 104 mg/dL"),
        ("finger stick glucose 104", "Glucose, finger stick 104 mg/dL"),
        ("peak flow 420", "Peak flow 420 L/min"),
        ("pf 420 l/min", "Peak flow 420 L/min"),
        ("waist 40 in", "Waist 101.6 cm"),
        ("hc 44.5", "Head circumference 44.5 cm"),
        ("o2 98%", "Oxygen saturation 98 %"),
        ("sat=91", "Oxygen saturation 91 %, low"),
        ("72 bpm", "Heart rate 72 /min"),
        ("heart rate 72", "Heart rate 72 /min"),
        ("SpO2 97% RA", "Oxygen saturation 97 %, room air"),
        ("o2 sat 95 on room air", "Oxygen saturation 95 %, room air"),
        ("sat 91 on 2L", "Oxygen saturation 91 %, on 2 L, low"),
        ("t 38,4 ax", "Temperature 38.4 °C, axillary, high"),
        ("blood sugar 104", "Glucose, finger stick 104 mg/dL"),
        ("vitals: hr 64", "Heart rate 64 /min"),
        ("rr 16", "Respiratory rate 16 /min"),
        ("R 16", "Respiratory rate 16 /min"),
        ("wt 154#", "Weight 69.9 kg"),
        ("pain 7/10", "Pain (0 to 10) 7, high"),
        ("va 20/40 r", "Visual acuity 20/40, right"),
        ("va 6/12", "Visual acuity 20/40"),
    ] {
        assert_eq!(said(line), [kept], "{line}");
    }
    let infant = understand("wt: 12 lb 4 oz", &at(Some(0)));
    assert_eq!(infant[0].in_words(), "Weight 5.6 kg");
    assert!(understand("wt: 12 lb 4 oz", &at(Some(40)))[0].is_doubtful(), "nobody grown weighs that");
    let items = understand("w 150 lb", &Known { height_on_file: Some(Tenths(1778)), ..at(Some(40)) });
    assert!(matches!(&items[0], Item::Measured(m) if m.converted_from.as_deref() == Some("150 lb")));
    assert!(matches!(&items[1], Item::Measured(m) if m.measure == Measure::Bmi), "a height on file serves");
}

#[test]
fn a_childs_index_never_uses_an_old_height_and_an_unknown_age_is_not_guessed() {
    for age in [Some(9), None] {
        let items = understand("w 30kg", &Known { height_on_file: Some(Tenths(1200)), ..at(age) });
        assert_eq!(items.len(), 1, "{age:?}");
    }
    let items = understand("hr 120", &at(None));
    assert!(matches!(&items[0], Item::Measured(m) if m.standing == Standing::Unjudged));
}

#[test]
fn pressures_with_position_side_and_a_second_reading() {
    let told = |line: &str| rows(line).into_iter().filter(|r| r.contains("systolic")).collect::<Vec<_>>();
    assert_eq!(told("bp 128/82 sitting left arm"), ["measure | systolic | 128 | mmHg | usual, sitting, left"]);
    assert_eq!(told("standing bp 110/70"), ["measure | systolic | 110 | mmHg | usual, standing"]);
    assert_eq!(
        told("bp 150/90 146/88"),
        ["measure | systolic | 150 | mmHg | high", "measure | systolic | 146 | mmHg | high"]
    );
    assert_eq!(
        told("bp lying 130/80 standing 105/70"),
        ["measure | systolic | 130 | mmHg | high, lying", "measure | systolic | 105 | mmHg | usual, standing"]
    );
    assert_eq!(rows("bp 128/82 left knee pain")[2], "words | left knee pain", "the knee is left, not the arm");
    assert_eq!(told("BP=128/82, HR: 70"), ["measure | systolic | 128 | mmHg | usual"]);
}

#[test]
fn slips_are_questioned_and_never_lost() {
    assert_eq!(said("hr 720"), ["Heart rate 720 /min, impossible: please check"]);
    assert_eq!(said("bp 128"), ["bp 128"]);
    assert_eq!(said("w kg"), ["w kg"]);
    assert!(understand("bp 82/128", &at(Some(40))).iter().all(Item::is_doubtful), "the lower one cannot be the higher");
}

#[test]
fn histories() {
    assert_eq!(
        rows("mother asthma father heart attack 54 smoker 10/day"),
        ["family | mother | asthma", "family | father | heart attack | 54", "social | tobacco | smokes | 10/day"]
    );
    for (line, row) in [
        ("dad died mi at 60", "family | father | mi | died at 60"),
        ("mom breast cancer age 41", "family | mother | breast cancer | 41"),
        ("mat grandfather colon cancer", "family | maternal grandfather | colon cancer"),
        ("maternal grandmother diabetes", "family | maternal grandmother | diabetes"),
        ("father †70 stroke", "family | father | stroke | died at 70"),
        ("mother alive 80 htn", "family | mother | htn (alive at 80)"),
        ("both parents diabetes", "family | parents | diabetes"),
        ("fh neg", "family | family | does not matter here"),
        ("fh: sister migraine", "family | sister | migraine"),
        ("family history: brother gout", "family | brother | gout"),
        ("father had a heart attack at age 54", "family | father | heart attack | 54"),
        ("mother alive with diabetes", "family | mother | diabetes"),
        ("mother born 1950 diabetes", "family | mother | diabetes | born 1950"),
        ("father diabetes at 60 born 1943", "family | father | diabetes | 60, born 1943"),
        ("father diabetes at 60, born 1943", "family | father | diabetes | 60, born 1943"),
        ("brother born 1980", "family | brother | born 1980"),
        ("adopted", "family | family | not known, adopted"),
        ("fh unknown", "family | family | not known"),
        ("family history noncontributory", "family | family | does not matter here"),
        ("penicillin allergy hives", "allergy | penicillin | hives"),
        ("allergy: peanuts (anaphylaxis), moderate", "allergy | peanuts | anaphylaxis | moderate"),
        ("smokes half a pack a day", "social | tobacco | smokes | half a pack a day"),
        ("retired teacher", "social | work | retired teacher"),
        ("smokes 5 cigarettes a day", "social | tobacco | smokes | 5 cigarettes a day"),
        ("etoh: social", "social | alcohol | drinks alcohol | social"),
        ("exercise walks 30 min daily", "social | exercise | walks | 30 min daily"),
        ("tonsillectomy as a child", "surgical | tonsillectomy as a child"),
        ("denies alcohol", "social | alcohol | drinks no alcohol"),
        ("smoker 1 ppd for 20 years", "social | tobacco | smokes | 1 ppd for 20 years (20 pack-years)"),
        ("smoker 10/day x 30 years", "social | tobacco | smokes | 10/day x 30 years (15 pack-years)"),
        ("ex-smoker 20 pack-years", "social | tobacco | has stopped smoking | 20 pack-years"),
        ("never smoked", "social | tobacco | has never smoked"),
        ("no alcohol", "social | alcohol | drinks no alcohol"),
        ("etoh 2/week", "social | alcohol | drinks alcohol | 2/week"),
        ("no illicit drugs", "social | drugs | uses no drugs"),
        ("works as a teacher", "social | work | teacher"),
        ("lives alone", "social | living | lives alone"),
        ("lives with parents", "social | living | lives with parents"),
        ("lives with mother and sister", "social | living | lives with mother and sister"),
        ("works for father", "social | work | for father"),
        ("exercise 3x/week", "social | exercise | exercises | 3x/week"),
        ("allergy penicillin hives severe", "allergy | penicillin | hives | severe"),
        ("allergic to latex (rash)", "allergy | latex | rash"),
        ("lactose intolerance bloating", "allergy | lactose | bloating | intolerance"),
        ("intolerance to lactose", "allergy | lactose | intolerance"),
        ("side effect lisinopril cough mild", "allergy | lisinopril | cough | mild, side_effect"),
        ("pcn allergy", "allergy | pcn"),
        ("allergy penicillin->hives", "allergy | penicillin | hives"),
        ("denies any allergies", "allergy | none known"),
        ("nkda", "allergy | none known"),
        ("no known drug allergies", "allergy | none known"),
        ("appendectomy 1998", "surgical | appendectomy | 1998"),
        ("admitted 10/2026 for pneumonia", "hospital | pneumonia | 2026-10"),
        ("father 55", "words | father 55"),
        ("pulse ox 97%", "measure | oxygen_saturation | 97 | % | usual"),
        ("gluc 110 pp", "measure | glucose | 110 | mg/dL | usual, after food"),
        ("appy 1998", "surgical | appy | 1998"),
        ("sister t2dm dx age 30", "family | sister | t2dm | 30"),
        ("mother dx'd with diabetes at 40", "family | mother | diabetes | 40"),
        ("brother diagnosed with colon cancer age 45", "family | brother | colon cancer | 45"),
        ("adopted, family history unknown", "family | family | not known, adopted"),
        ("dx age 30", "words | dx age 30"),
        ("smokes 1 ppd x 20 y", "social | tobacco | smokes | 1 ppd x 20 y (20 pack-years)"),
        ("etoh 3 beers/wk", "social | alcohol | drinks alcohol | 3 beers/wk"),
        ("drinks 2 glasses of wine a day", "social | alcohol | drinks alcohol | 2 glasses of wine a day"),
        ("fasting glucose 98", "measure | glucose | 98 | mg/dL | usual, fasting"),
        ("oral temp 37.1", "measure | temperature | 37.1 | °C | usual, oral"),
        ("glucose fasting 98", "measure | glucose | 98 | mg/dL | usual, fasting"),
        (
            "flu shot today L deltoid lot FL23",
            "immunisation | influenza vaccine | 2026-11-30 | given, lot FL23, left deltoid",
        ),
        ("flu shot today", "immunisation | influenza vaccine | 2026-11-30 | reported"),
        ("surgery left knee mar 2010", "surgical | left knee | 2010-03"),
        ("hospitalized for pneumonia 2019", "hospital | pneumonia | 2019"),
        ("tdap given today", "immunisation | Tdap | 2026-11-30 | given"),
        ("flu shot 2024", "immunisation | influenza vaccine | 2024 | reported"),
        ("imm mmr", "immunisation | MMR | reported"),
        ("tdap given", "immunisation | Tdap | 2026-11-30 | given"),
        ("tdap given 2019", "immunisation | Tdap | 2019 | reported"),
        ("tdap given here 2026-11-20", "immunisation | Tdap | 2026-11-20 | given"),
        (
            "flu shot given lot AB12 left deltoid im dose 1 product Vaxora",
            "immunisation | influenza vaccine | 2026-11-30 | given, dose 1, product Vaxora, lot AB12, left deltoid im",
        ),
        (
            "hep b #2 administered today, lot no. 7X-1, r thigh",
            "immunisation | hepatitis B vaccine | 2026-11-30 | given, dose 2, lot 7X-1, right thigh",
        ),
        (
            "flu vaccine given L deltoid lot UX123 exp 6/2027",
            "immunisation | influenza vaccine | 2026-11-30 | given, lot UX123 exp 6/2027, left deltoid",
        ),
        ("hep b vaccine 2/3", "immunisation | hepatitis B vaccine | reported, dose 2"),
        ("mmr 2nd dose 2019", "immunisation | MMR | 2019 | reported, dose 2"),
    ] {
        assert_eq!(rows(line), [row], "{line}");
    }
}

#[test]
fn allergies_are_listed_with_commas() {
    assert_eq!(rows("allergies: penicillin, latex rash"), ["allergy | penicillin", "allergy | latex | rash"]);
}

#[test]
fn what_is_to_be_done() {
    for (line, row) in [
        ("fu 3mo bp", "follow_up | 90 | bp"),
        ("f/u 2 weeks for wound check", "follow_up | 14 | wound check"),
        ("follow up in 6 months", "follow_up | 180"),
        ("rtc 1y", "follow_up | 365"),
        ("fu tomorrow wound", "follow_up | 1 | wound"),
        ("rtc next week", "follow_up | 7"),
        ("referral to Dr Vell", "referral | Dr Vell"),
        ("fu bp 3mo", "follow_up | 90 | bp"),
        ("refer cardiology for palpitations", "referral | cardiology | palpitations"),
        ("ref derm mole on back", "referral | dermatology | mole on back"),
        ("ortho referral knee pain", "referral | orthopedics | knee pain"),
        ("phq9", "questionnaire | PHQ-9"),
        ("audit c", "questionnaire | AUDIT-C"),
        ("template sore throat", "template | sore throat"),
        ("problem asthma since 2010 resolved", "problem | asthma | resolved, since 2010"),
        ("dx tired all day", "diagnosis | tired all day"),
    ] {
        assert_eq!(rows(line), [row], "{line}");
    }
}

#[test]
fn several_behind_one_word() {
    assert_eq!(rows("imm: tdap 2021, flu 2025").len(), 2);
    assert_eq!(rows("bp 128 / 82")[0], "measure | systolic | 128 | mmHg | usual");
    assert_eq!(rows("BP: 128 over 82, hr 70").len(), 3);
    assert_eq!(rows("hospital stay pneumonia 2019"), ["hospital | pneumonia | 2019"]);
}

#[test]
fn prose_keeps_its_commas_and_full_stops() {
    let line = "Patient feels well. No complaints; denies chest pain, dizzy spells. Eats well!";
    assert_eq!(said(line), ["Patient feels well. No complaints; denies chest pain, dizzy spells. Eats well!"]);
    assert_eq!(said("feels well, hr 72")[1], "feels well");
    assert_eq!(said("pf 350 400, 380").len(), 3, "each blow is a reading");
}

#[test]
fn sentences_stay_words() {
    for line in [
        "he told me to order a pizza",
        "she says her mother has asthma and takes a lot",
        "the patient was told to return if worse",
        "stopped at the red light",
        "drinks coffee",
        "flu",
        "feels well, no fever",
        "see above",
        "on exam clear",
    ] {
        assert_eq!(rows(line), [format!("words | {line}")], "{line}");
    }
    let told = rows("patient was dizzy. bp 90/60 then; she said that mother died");
    assert_eq!(told[0], "measure | systolic | 90 | mmHg | usual", "a measurement names itself: {told:?}");
    assert_eq!(told.len(), 3);
}

#[test]
fn order_of_the_measurements_changes_nothing() {
    let parts = ["bp 128/82 sitting", "hr 72", "t 37,1", "w 150 lb", "h 172cm", "sat 98%", "pain 3/10"];
    let sorted = |line: &str| {
        let mut all = said(line);
        all.sort();
        all
    };
    let first = sorted(&parts.join(" "));
    for turn in 1..parts.len() {
        let mut turned = parts;
        turned.rotate_left(turn);
        assert_eq!(sorted(&turned.join(" ")), first);
        turned.reverse();
        assert_eq!(sorted(&turned.join(", ")), first);
    }
}

/// What it says of itself as a line reads back as the same.
fn reads_back(item: &Item, known: &Known) {
    if let Some(line) = item.typed() {
        let again = understand(&line, known);
        let same = again.first().is_some_and(|a| match (a, item) {
            (Item::Measured(a), Item::Measured(b)) => {
                (a.measure, a.value, &a.manner) == (b.measure, b.value, &b.manner)
            }
            (a, b) => a == b,
        });
        assert!(same, "{line:?} of {item:?} reads back as {again:?}");
    }
}

proptest! {
    #[test]
    fn nothing_panics_and_no_word_is_lost(line in ".{0,80}", age in proptest::option::of(0u32..130)) {
        let _ = understand(&line, &at(age));
    }

    #[test]
    fn words_of_the_trade_in_any_order_are_safe(
        words in proptest::collection::vec(
            proptest::sample::select(vec![
                "bp", "128/82", "sitting", "left", "arm", "hr", "72", "w", "kg", "lb", "oz", "5'10\"", "mother", "died",
                "at", "54", "smoker", "10/day", "for", "20", "years", "allergy", "penicillin", "hives", "severe", "fu",
                "3mo", "2", "weeks", "ago", "order", "refer", "to", "takes", "bid", "prn", "since", "2019", "mar", "no",
                "known", "lot", "A12", "dose", "#2", "deltoid", "product", "here", "surgery", "hospital", "vaccine", "flu", "shot", "given", "today", "va", "20/40", "r", ",", ";",
                "dx", "problem", "resolved", "template", "phq9", "🫀", "‏שלום", "1/2", "x", "q8h", "½",
            ]),
            0..14,
        ),
        age in proptest::option::of(0u32..130),
    ) {
        let known = at(age);
        for item in understand(&words.join(" "), &known) {
            let _ = (item.in_words(), item.row());
        }
    }

    #[test]
    fn numbers_of_any_size_are_safe(a in "(bp|w|h|t|hr|pain|va|glucose|fu|mother|smoker) [0-9./'\"]{0,12}(kg|lb|cm|f|ft|mo|d)?") {
        let _ = understand(&a, &at(Some(3)));
    }

    #[test]
    fn a_measurement_that_is_printed_reads_back(
        name in proptest::sample::select(vec!["hr", "t", "rr", "sat", "w", "h", "hc", "pf", "glucose", "waist", "pain"]),
        tenths in 1u32..3000,
    ) {
        let known = at(Some(40));
        for item in understand(&format!("{name} {}.{}", tenths / 10, tenths % 10), &known) {
            reads_back(&item, &known);
        }
    }
}

#[test]
fn what_is_printed_reads_back() {
    let known = at(Some(40));
    for line in [
        "allergy penicillin hives severe",
        "no known allergies",
        "no medicines",
        "fu 3mo bp",
        "dad died mi at 60",
        "mom breast cancer age 41",
        "appendectomy 1998",
        "hospital pneumonia 2019",
        "phq9",
        "template cough",
        "va 20/40 right",
    ] {
        for item in understand(line, &known) {
            reads_back(&item, &known);
        }
    }
}

/// An entry of the histories is changed as the line that says it.
#[test]
fn every_history_is_typed_again() {
    let known = at(Some(40));
    for line in [
        "mother asthma",
        "father †70 stroke",
        "mother born 1950 diabetes",
        "adopted",
        "smokes half a pack a day",
        "smoker 1 ppd for 20 years",
        "smoker 10/day x 30 years",
        "ex-smoker 20 pack-years",
        "ex-smoker",
        "1 ppd",
        "never smoked",
        "non-smoker",
        "etoh 2/week",
        "no alcohol",
        "cannabis daily",
        "drugs weekly",
        "no illicit drugs",
        "works as a teacher",
        "retired teacher",
        "lives alone",
        "exercise 3x/week",
        "walks 30 min daily",
        "does not exercise; no exercise",
        "surgery left knee mar 2010",
        "hospitalized for pneumonia 2019",
        "flu shot 2024",
        "tdap given",
        "hep a shot given here 2026-11-20 lot 12 product Vaxora Plus r deltoid dose 2",
        "covid vaccine",
        "yellow fever vaccine 2012",
    ] {
        let items: Vec<Item> = understand(line, &known).into_iter().filter(|i| !matches!(i, Item::Words(_))).collect();
        assert!(!items.is_empty(), "{line}");
        for item in items {
            assert!(item.typed().is_some(), "{line}: {item:?}");
            reads_back(&item, &known);
        }
    }
}

#[test]
fn a_very_long_line_is_kept_whole() {
    let line = "ä ".repeat(10_000);
    let items = understand(&line, &at(None));
    let Some(Item::Words(words)) = items.last() else { panic!("{items:?}") };
    assert_eq!(words.matches('ä').count(), 10_000);
}

#[test]
fn each_thing_knows_the_words_that_said_it() {
    let all = understand_with_source("bp 128/82 sitting; mother asthma; feels well, hr 720", &at(Some(40)));
    let sources: Vec<&str> = all.iter().map(|(_, source)| source.as_str()).collect();
    assert_eq!(sources, ["bp 128/82 sitting", "", "mother asthma", "hr 720", "feels well"]);
}
