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
    let side = ["maternal", "paternal"].into_iter().find(|s| first.is(&[s]));
    let at = usize::from(side.is_some());
    let word = words.get(at)?;
    let (name, _) = RELATIVES.iter().find(|(_, said)| word.is(said))?;
    Some((side.map_or_else(|| (*name).to_owned(), |s| format!("{s} {name}")), at + 1))
}

/// `mother asthma`, `father died mi 54`, `sister breast cancer at 41`.
pub fn family(words: &[Word], starts: &dyn Fn(&[Word]) -> bool) -> Option<(Item, usize)> {
    let (relative, mut at) = relative(words)?;
    if words[at - 1].ends == Ends::Stops {
        return None;
    }
    let mut condition: Vec<&str> = Vec::new();
    let mut died = false;
    let mut age = None;
    while let Some(word) = words.get(at) {
        if at > 1 && starts(&words[at..]) {
            break;
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
    if condition.is_empty() && !died {
        return None;
    }
    Some((Item::Family { relative, condition: condition.join(" "), age, died }, at))
}

/// An amount as people say it beside a habit: `10/day`, `2 per week`, `1 ppd for 20 years`, `20 pack years`.
fn amount(words: &[Word], starts: &dyn Fn(&[Word]) -> bool) -> (Vec<String>, usize) {
    const OF_AN_AMOUNT: [&str; 42] = [
        "per",
        "a",
        "day",
        "daily",
        "week",
        "weekly",
        "month",
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
        if !number && (!OF_AN_AMOUNT.contains(&word.low.as_str()) || starts(&words[at..])) {
            break;
        }
        said.push(word.low.clone());
        at += 1;
        if words[at - 1].ends != Ends::Runs {
            break;
        }
    }
    // A word that leads to nothing is none of it.
    while said.last().is_some_and(|w| matches!(w.as_str(), "for" | "a" | "x" | "per" | "about" | "since")) {
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

/// The words up to a pause or to what begins something else.
fn until_pause(words: &[Word], starts: &dyn Fn(&[Word]) -> bool) -> Option<(String, usize)> {
    let mut said = Vec::new();
    let mut at = 0;
    while let Some(word) = words.get(at) {
        if at > 0 && starts(&words[at..]) {
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
