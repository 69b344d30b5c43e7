//! What is said of somebody's family and life.

use super::Item;
use super::when::number;
use super::words::{Ends, Word};

/// Each relative as it is kept, with how people say it.
const RELATIVES: [(&str, &[&str]); 22] = [
    ("mother", &["mother", "mom", "mum", "mo"]),
    ("father", &["father", "dad", "fa"]),
    ("sister", &["sister", "sis"]),
    ("brother", &["brother", "bro"]),
    ("son", &["son"]),
    ("daughter", &["daughter"]),
    ("child", &["child", "children"]),
    ("grandmother", &["grandmother", "grandma"]),
    ("grandfather", &["grandfather", "grandpa"]),
    ("maternal grandmother", &["mgm"]),
    ("maternal grandfather", &["mgf"]),
    ("paternal grandmother", &["pgm"]),
    ("paternal grandfather", &["pgf"]),
    ("aunt", &["aunt"]),
    ("uncle", &["uncle"]),
    ("cousin", &["cousin"]),
    ("niece", &["niece"]),
    ("nephew", &["nephew"]),
    ("half-sister", &["half-sister"]),
    ("half-brother", &["half-brother"]),
    ("parents", &["parents"]),
    ("twin", &["twin"]),
];

pub fn relative(words: &[Word]) -> Option<(String, usize)> {
    let first = words.first()?;
    if first.is(&["both"]) && first.ends == Ends::Runs && words.get(1).is_some_and(|w| w.is(&["parents"])) {
        return Some(("parents".to_owned(), 2));
    }
    let side = match first.low.as_str() {
        "maternal" | "mat" => Some("maternal"),
        "paternal" | "pat" => Some("paternal"),
        _ => None,
    };
    let at = usize::from(side.is_some());
    let word = words.get(at)?;
    let (name, _) = RELATIVES.iter().find(|(_, said)| word.is(said))?;
    Some((side.map_or_else(|| (*name).to_owned(), |s| format!("{s} {name}")), at + 1))
}

/// What is said of a family as a whole, with how people say it.
const OF_ALL: [(&str, &[&str]); 3] = [
    ("not known, adopted", &["adopted", "adoptee"]),
    ("not known", &["unknown", "unk"]),
    ("does not matter here", &["noncontributory", "non-contributory", "irrelevant", "negative", "neg", "unremarkable"]),
];

/// `adopted`, `fh unknown`, `family history noncontributory`: a statement of its own.
fn of_all(words: &[Word]) -> Option<(Item, usize)> {
    let heading = match words {
        [first, ..] if first.is(&["fh", "fhx"]) => 1,
        [first, second, ..] if first.is(&["family"]) && second.is(&["history", "hx"]) => 2,
        // Alone it can only be said of the family.
        [only] if only.is(&["adopted"]) => 0,
        // `adopted, family history unknown` says it twice.
        [first, rest @ ..] if first.is(&["adopted"]) && first.ends == Ends::Pauses => {
            let (item, used) = of_all(rest)?;
            let unknown = matches!(&item, Item::Family { condition, .. } if condition == "not known");
            return of_all(&words[..1]).filter(|_| unknown).map(|(adopted, _)| (adopted, 1 + used));
        }
        _ => return None,
    };
    let word = words.get(heading)?;
    let (condition, _) = OF_ALL.iter().find(|(_, said)| word.is(said))?;
    let ends = word.ends != Ends::Runs || words.len() == heading + 1;
    let item =
        Item::Family { relative: "family".into(), condition: (*condition).into(), age: None, died: false, born: None };
    ends.then_some((item, heading + 1))
}

/// How a family as a whole is typed again.
pub fn typed_of_all(condition: &str) -> Option<String> {
    let (_, said) = OF_ALL.iter().find(|(kept, _)| *kept == condition)?;
    Some(format!("fh {}", said[0]))
}

/// The age of somebody living of whom only the year of birth is known: one of two, until the birthday is.
pub fn age_now(born: i32, today: chrono::NaiveDate) -> Option<String> {
    use chrono::Datelike;
    let years = u32::try_from(today.year() - born).ok().filter(|y| *y < 130)?;
    Some(if years == 0 { "less than 1".into() } else { format!("{} or {years}", years - 1) })
}

/// What says that an illness was found.
const FOUND: [&str; 5] = ["dx", "dx'd", "dxd", "dxed", "diagnosed"];

/// `born 1950`.
fn born(words: &[Word]) -> Option<i32> {
    let year = words.get(1)?.low.parse::<i32>().ok().filter(|y| (1850..2200).contains(y))?;
    (words.first()?.is(&["born", "b"]) && words[0].ends == Ends::Runs).then_some(year)
}

/// `mother asthma`, `father died mi 54`, `sister breast cancer at 41`, `mother born 1950 asthma`.
pub fn family(words: &[Word], starts: &dyn Fn(&[Word]) -> bool) -> Option<(Item, usize)> {
    if let Some(of_all) = of_all(words) {
        return Some(of_all);
    }
    let (relative, mut at) = relative(words)?;
    if words[at - 1].ends == Ends::Stops {
        return None;
    }
    let mut condition: Vec<&str> = Vec::new();
    let mut died = false;
    let mut age = None;
    let mut year = None;
    let mut alive: Option<i32> = None;
    while let Some(word) = words.get(at) {
        if let Some(found) = born(&words[at..]).filter(|_| year.is_none()) {
            year = Some(found);
            at += 2;
            if words[at - 1].ends != Ends::Runs {
                break;
            }
            continue;
        }
        // `dx age 30`: found then.
        if word.is(&FOUND)
            && word.ends == Ends::Runs
            && (condition.is_empty() || words.get(at + 1).is_some_and(|w| w.is(&["at", "age", "aged", "@"])))
        {
            at += 1;
            continue;
        }
        if at > 1 && starts(&words[at..]) {
            break;
        }
        // `alive 80` is the age now, and no onset: it is kept with the day it was said by the row itself.
        if word.is(&["alive", "living"])
            && word.ends == Ends::Runs
            && let Some(years) = words.get(at + 1).and_then(|w| number(&w.low)).filter(|n| *n < 130)
            && let Ok(back) = i32::try_from(years)
        {
            alive = Some(back);
            at += 2;
            if words[at - 1].ends != Ends::Runs {
                break;
            }
            continue;
        }
        let next_number = words.get(at + 1).and_then(|w| number(&w.low)).filter(|n| *n < 130);
        if word.is(&["at"]) && words.get(at + 1).is_some_and(|w| w.is(&["age", "aged"])) {
            // The age is told by the next word.
        } else if word.is(&["died", "dead", "deceased", "d", "†", "death"]) {
            died = true;
        } else if word.is(&["at", "age", "aged", "@"]) && word.ends == Ends::Runs && next_number.is_some() {
            age = next_number;
            at += 1;
        } else if word.is(&["with", "had", "of", "from", "age", "in", "has", "a", "an", "alive", "living"])
            && condition.is_empty()
        {
            // Leads over to the condition.
        } else if let Ok(n) = word.low.trim_start_matches('†').trim_end_matches(['y', 's']).parse::<u32>()
            && (1..130).contains(&n)
            && (!condition.is_empty() || died || word.low.starts_with('†'))
            && age.is_none()
        {
            died |= word.low.starts_with('†');
            age = Some(n);
        } else {
            condition.push(word.typed);
        }
        at += 1;
        if words[at - 1].ends != Ends::Runs {
            break;
        }
    }
    // `mother asthma at 12, born 1950` is still the mother.
    if year.is_none()
        && words[at - 1].ends == Ends::Pauses
        && let Some(found) = born(words.get(at..).unwrap_or_default())
    {
        year = Some(found);
        at += 2;
    }
    if condition.is_empty() && !died && year.is_none() && alive.is_none() {
        return None;
    }
    let mut condition = condition.join(" ");
    // `father 55` says of no illness.
    if !condition.is_empty() && condition.bytes().all(|b| b.is_ascii_digit() || b == b' ') {
        return None;
    }
    // Of an age alone one of two years of birth follows: it stays as it was said.
    if let Some(years) = alive {
        let said = format!("alive at {years}");
        condition = if condition.is_empty() { said } else { format!("{condition} ({said})") };
    }
    Some((Item::Family { relative, condition, age, died, born: year }, at))
}

#[cfg(test)]
#[test]
fn a_living_relatives_age_follows_from_the_year() {
    let on = |y, m, d| chrono::NaiveDate::from_ymd_opt(y, m, d).unwrap_or_default();
    assert_eq!(age_now(1950, on(2026, 11, 30)).as_deref(), Some("75 or 76"));
    // A leap day is a birthday like others: the year alone says no more.
    assert_eq!(age_now(2000, on(2028, 2, 29)).as_deref(), Some("27 or 28"));
    assert_eq!(age_now(2026, on(2026, 1, 1)).as_deref(), Some("less than 1"));
    assert_eq!(age_now(2027, on(2026, 1, 1)), None);
    assert_eq!(age_now(1850, on(2026, 1, 1)), None);
}

/// An amount as people say it beside a habit: `10/day`, `2 per week`, `1 ppd for 20 years`, `20 pack years`.
fn amount(words: &[Word], starts: &dyn Fn(&[Word]) -> bool) -> (Vec<String>, usize) {
    const OF_AN_AMOUNT: [&str; 49] = [
        "of",
        "y",
        "yr",
        "wk",
        "mo",
        "d",
        "month",
        "social",
        "per",
        "a",
        "day",
        "daily",
        "week",
        "weekly",
        "x",
        "for",
        "years",
        "year",
        "yrs",
        "pack",
        "packs",
        "ppd",
        "cigarettes",
        "cigs",
        "drinks",
        "units",
        "beers",
        "glasses",
        "glass",
        "wine",
        "beer",
        "pack-years",
        "packyears",
        "/day",
        "/week",
        "/d",
        "/wk",
        "times",
        "min",
        "minutes",
        "hours",
        "since",
        "about",
        "occasionally",
        "rarely",
        "socially",
        "half",
        "never",
        "ago",
    ];
    let mut said = Vec::new();
    let mut at = 0;
    while let Some(word) = words.get(at) {
        let number = word.low.starts_with(|c: char| c.is_ascii_digit() || c == '½') || number(&word.low).is_some();
        let of_one = |w: &str| OF_AN_AMOUNT.contains(&w);
        // `beers/wk`, `drinks/week`.
        let rate = word.low.split_once('/').is_some_and(|(what, time)| of_one(what) && of_one(time));
        // `5 cigarettes`: behind a number it is a unit, and begins nothing.
        let unit = at > 0 && words[at - 1].low.starts_with(|c: char| c.is_ascii_digit());
        if !number && (!rate && !of_one(&word.low) || !unit && starts(&words[at..])) {
            break;
        }
        said.push(word.low.clone());
        at += 1;
        if words[at - 1].ends != Ends::Runs {
            break;
        }
    }
    // A word that leads to nothing is none of it.
    while said.last().is_some_and(|w| matches!(w.as_str(), "for" | "a" | "x" | "per" | "about" | "since" | "of")) {
        said.pop();
        at -= 1;
    }
    (said, at)
}

/// Packs a day times years: 20 cigarettes are a pack.
fn pack_years(said: &[String]) -> Option<f64> {
    let text = said.join(" ");
    let number = |w: &str| w.trim_end_matches(|c: char| !c.is_ascii_digit()).parse::<f64>().ok();
    if text.contains("pack-year") || text.contains("packyear") || text.contains("pack year") {
        return number(said.first()?);
    }
    let for_at = said.iter().position(|w| w == "for" || w == "x")?;
    let years = said[for_at + 1..].windows(2).find(|w| w[1].starts_with('y')).and_then(|w| number(&w[0]))?;
    let first = said.first()?;
    let rate: f64 = first.split('/').next().and_then(number)?;
    let packs = if text.contains("ppd") || text.contains("pack") { rate } else { rate / 20.0 };
    Some((packs * years * 10.0).round() / 10.0)
}

/// `smoker 10/day`, `alcohol 2/week`, `works as teacher`, `lives alone`, `exercise 3x/week`, `no drugs`.
pub fn social(words: &[Word], starts: &dyn Fn(&[Word]) -> bool) -> Option<(Item, usize)> {
    let first = words.first()?;
    let second = words.get(1).filter(|_| first.ends == Ends::Runs);
    let item = |topic: &str, said: &str, amount: String| Item::Social {
        topic: topic.to_owned(),
        said: said.to_owned(),
        amount,
    };
    let fixed = |topic, said, used| Some((item(topic, said, String::new()), used));
    let is_habit = |w: &Word| match w.low.as_str() {
        "smoker" | "smokes" | "smoking" | "smoked" | "tobacco" | "cigarettes" | "cigs" => Some("tobacco"),
        "alcohol" | "etoh" | "drinks" | "drinker" | "drinking" => Some("alcohol"),
        "drugs" | "cannabis" | "marijuana" | "weed" | "cocaine" | "heroin" | "opioids" => Some("drugs"),
        "exercise" | "exercises" | "exercising" => Some("exercise"),
        _ => None,
    };
    if first.is(&["no", "never", "denies"])
        && let Some(mut at) = second.map(|_| 1)
    {
        at += usize::from(words.get(at).is_some_and(|w| w.is(&["illicit", "recreational", "street"])));
        let habit = words.get(at).and_then(is_habit)?;
        let said = match (habit, first.is(&["never"])) {
            ("tobacco", true) => "has never smoked",
            ("tobacco", _) => "does not smoke",
            ("alcohol", _) => "drinks no alcohol",
            ("drugs", _) => "uses no drugs",
            _ => "does not exercise",
        };
        return fixed(habit, said, at + 1);
    }
    if first.is(&["exercise"]) && second.is_some_and(|w| w.is(&["walks", "runs", "swims", "cycles"])) {
        return social(&words[1..], starts).map(|(item, used)| (item, used + 1));
    }
    match first.low.as_str() {
        "non-smoker" | "nonsmoker" => return fixed("tobacco", "does not smoke", 1),
        "never-smoker" => return fixed("tobacco", "has never smoked", 1),
        "teetotal" | "teetotaler" => return fixed("alcohol", "drinks no alcohol", 1),
        "ex-smoker" | "former" | "quit" | "stopped"
            if first.low == "ex-smoker" || second.and_then(is_habit) == Some("tobacco") =>
        {
            let at = if first.low == "ex-smoker" { 1 } else { 2 };
            let (said, used) =
                if words[at - 1].ends == Ends::Runs { amount(&words[at..], starts) } else { (vec![], 0) };
            return Some((item("tobacco", "has stopped smoking", with_pack_years(&said)), at + used));
        }
        "retired" | "unemployed" => {
            let (said, used) = until_pause(words, starts)?;
            return Some((item("work", &said.to_lowercase(), String::new()), used));
        }
        "works" | "work" | "job" | "occupation" => {
            let lead = 1 + usize::from(second.is_some_and(|w| w.is(&["as", "at", "in"])));
            let lead = lead + usize::from(lead == 2 && words.get(lead).is_some_and(|w| w.is(&["a", "an", "the"])));
            let (said, used) = until_pause(words.get(lead..)?, starts)?;
            return Some((item("work", &said, String::new()), lead + used));
        }
        "lives" | "living" => {
            second?;
            let (said, used) = until_pause(&words[1..], starts)?;
            return Some((item("living", &format!("lives {said}"), String::new()), 1 + used));
        }
        "walks" | "runs" | "swims" | "cycles" => {
            let (said, used) = amount(words.get(1..)?, starts);
            return (used > 0).then(|| (item("exercise", &first.low, said.join(" ")), 1 + used));
        }
        _ => {}
    }
    if words.len() > 1
        && second.is_some_and(|w| w.is(&["ppd", "pack-years", "packyears"]))
        && number(&first.low).is_some()
    {
        let (said, used) = amount(words, starts);
        return Some((item("tobacco", "smokes", with_pack_years(&said)), used));
    }
    let topic = is_habit(first)?;
    let said = match (topic, first.low.as_str()) {
        ("tobacco", _) => "smokes",
        ("alcohol", _) => "drinks alcohol",
        ("exercise", _) => "exercises",
        ("drugs", "drugs") => "uses drugs",
        (_, name) => name,
    };
    if first.ends != Ends::Runs {
        return (topic != "exercise" && topic != "drugs").then(|| (item(topic, said, String::new()), 1));
    }
    if second.is_some_and(|w| w.is(&["none", "no", "never", "0", "negative", "neg"])) {
        let none = match topic {
            "tobacco" => "does not smoke",
            "alcohol" => "drinks no alcohol",
            "drugs" => "uses no drugs",
            _ => "does not exercise",
        };
        return fixed(topic, none, 2);
    }
    let (how_much, used) = amount(&words[1..], starts);
    if used == 0
        && matches!(
            first.low.as_str(),
            "exercise" | "drugs" | "drinking" | "smoking" | "drinks" | "drinker" | "opioids"
        )
    {
        // `drinks coffee` and `smoking cessation` say something else.
        return None;
    }
    let how_much = if topic == "tobacco" { with_pack_years(&how_much) } else { how_much.join(" ") };
    Some((item(topic, said, how_much), 1 + used))
}

fn with_pack_years(said: &[String]) -> String {
    let text = said.join(" ");
    match pack_years(said) {
        Some(years) if !text.contains("pack-year") && !text.contains("pack year") => {
            format!("{text} ({years} pack-years)")
        }
        _ => text,
    }
}

/// How a habit, work or living is typed again.
pub fn typed_of_life(topic: &str, said: &str, amount: &str) -> Option<String> {
    let amount = amount.split(" (").next().unwrap_or_default();
    let line = match said {
        "smokes" if amount.contains("ppd") || amount.contains("pack-years") => amount.to_owned(),
        "smokes" => format!("smoker {amount}"),
        "has stopped smoking" => format!("ex-smoker {amount}"),
        "does not smoke" => "non-smoker".into(),
        "has never smoked" => "never smoked".into(),
        "drinks alcohol" => format!("alcohol {amount}"),
        "drinks no alcohol" => "no alcohol".into(),
        "uses drugs" => format!("drugs {amount}"),
        "uses no drugs" => "no drugs".into(),
        "exercises" => format!("exercise {amount}"),
        "does not exercise" => "no exercise".into(),
        _ if topic == "work" && !said.starts_with("retired") && said != "unemployed" => format!("works as {said}"),
        _ => format!("{said} {amount}"),
    };
    Some(line.trim_end().to_owned()).filter(|_| !said.is_empty())
}

/// The words up to a pause or to what begins something else.
fn until_pause(words: &[Word], starts: &dyn Fn(&[Word]) -> bool) -> Option<(String, usize)> {
    let mut said = Vec::new();
    let mut at = 0;
    while let Some(word) = words.get(at) {
        // `lives with mother` says nothing of the mother.
        let leads = at > 0 && words[at - 1].is(&["with", "and", "his", "her", "their", "both", "for", "by"]);
        if at > 0 && !leads && starts(&words[at..]) {
            break;
        }
        said.push(word.typed);
        at += 1;
        if words[at - 1].ends != Ends::Runs {
            break;
        }
    }
    (!said.is_empty()).then(|| (said.join(" "), at))
}
