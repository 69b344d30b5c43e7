//! What medicines are made of, and how a rule of the tables names them.

use std::fmt;

coded! {
    /// The way that an ingredient takes: one that works in the whole body is another than the same in a cream.
    Way {
        /// Swallowed, injected, under the tongue, through the skin into the blood.
        Body = "body", "whole body";
        Skin = "skin", "skin";
        Eye = "eye", "eye";
        Ear = "ear", "ear";
        Nose = "nose", "nose";
        Inhaled = "inhaled", "inhaled";
        Vaginal = "vaginal", "vagina";
        Mouth = "mouth", "mouth";
    }
}

impl Way {
    /// The ways that a form may take, the likeliest first. A form that is not known may take any.
    pub fn of_form(form: &str) -> &'static [Way] {
        use Way::{Body, Ear, Eye, Inhaled, Mouth, Nose, Skin, Vaginal};
        let form = form.to_lowercase();
        let has = |words: &[&str]| words.iter().any(|w| form.contains(w));
        if has(&["eye", "ophthalmic"]) {
            &[Eye]
        } else if has(&["ear", "otic"]) {
            &[Ear]
        } else if has(&["nasal", "nose"]) {
            &[Nose]
        } else if has(&["vagin", "pessary"]) {
            &[Vaginal]
        } else if has(&["inhal", "nebul", "puff"]) {
            &[Inhaled]
        } else if has(&["mouthwash", "lozenge"]) {
            &[Mouth, Body]
        } else if has(&["cream", "ointment", "lotion", "shampoo", "foam"]) {
            &[Skin, Vaginal]
        } else if has(&["gel"]) {
            &[Skin, Vaginal, Mouth]
        } else if has(&["drop"]) {
            &[Eye, Ear, Body, Mouth]
        } else if has(&["patch"]) {
            &[Body, Skin]
        } else if has(&["spray"]) {
            &[Nose, Skin, Body]
        } else if has(&["suspension"]) {
            &[Body, Mouth, Eye, Ear]
        } else if has(&["solution", "liquid"]) {
            &[Body, Mouth, Eye, Skin, Inhaled]
        } else if has(&["tablet", "capsule", "syrup", "powder", "sachet", "injection", "suppository"]) {
            &[Body, Mouth, Vaginal]
        } else {
            &[Body, Inhaled, Mouth, Nose, Eye, Ear, Vaginal, Skin]
        }
    }
}

coded! {
    /// The schedule of a controlled substance (21 CFR 1308).
    Schedule {
        Two = "II", "schedule II";
        Three = "III", "schedule III";
        Four = "IV", "schedule IV";
        Five = "V", "schedule V";
    }
}

/// One ingredient in one of its ways.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Ingredient {
    /// International name, in small letters.
    pub name: String,
    pub way: Way,
    /// WHO ATC code of this way: its beginnings are the families.
    pub atc: String,
    /// Other names, as the adopted lists of other countries have them.
    pub also: Vec<String>,
    /// What it has in common with others in the tables: `nsaid`, `qt`, `potassium_up`.
    pub groups: Vec<String>,
    /// Words for what it is used for, by which it is found.
    pub uses: Vec<String>,
    pub schedule: Option<Schedule>,
}

/// What a row of the tables speaks of: an ingredient, the beginning of an ATC code, or a group.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Term {
    /// By name; without a way it means the whole body where the ingredient has that way, and any way otherwise.
    Name(String, Option<Way>),
    Atc(String),
    Group(String),
}

impl Term {
    /// `warfarin`, `timolol/eye`, `C09A`, `@nsaid`.
    pub fn parse(text: &str) -> Option<Term> {
        let text = text.trim();
        if let Some(group) = text.strip_prefix('@') {
            return (!group.is_empty()).then(|| Term::Group(group.to_owned()));
        }
        let bytes = text.as_bytes();
        if bytes.len() >= 3 && bytes[0].is_ascii_uppercase() && bytes[1].is_ascii_digit() {
            return Some(Term::Atc(text.to_owned()));
        }
        let (name, way) = match text.split_once('/') {
            Some((name, way)) => (name, Some(Way::from_code(way)?)),
            None => (text, None),
        };
        (!name.is_empty()).then(|| Term::Name(name.to_owned(), way))
    }

    pub fn means(&self, ingredient: &Ingredient) -> bool {
        match self {
            Term::Name(name, Some(way)) => ingredient.name == *name && ingredient.way == *way,
            Term::Name(name, None) => ingredient.name == *name,
            Term::Atc(begins) => ingredient.atc.starts_with(begins),
            Term::Group(group) => ingredient.groups.iter().any(|g| g == group),
        }
    }

    /// The narrower a term, the more it says: an ingredient before its family, a small family before a large one.
    pub fn narrowness(&self) -> usize {
        match self {
            Term::Name(_, Some(_)) => 31,
            Term::Name(_, None) => 30,
            Term::Atc(begins) => 10 + begins.len(),
            Term::Group(_) => 10,
        }
    }
}

impl fmt::Display for Term {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Term::Name(name, Some(way)) => write!(f, "{name}/{}", way.code()),
            Term::Name(name, None) => f.write_str(name),
            Term::Atc(begins) => f.write_str(begins),
            Term::Group(group) => write!(f, "@{group}"),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_term_is_read_and_written_and_means_what_it_says() {
        for text in ["warfarin", "timolol/eye", "C09A", "@nsaid"] {
            assert_eq!(Term::parse(text).unwrap().to_string(), text);
        }
        for none in ["", "@", "timolol/moon"] {
            assert_eq!(Term::parse(none), None, "{none}");
        }
        let drops = Ingredient {
            name: "timolol".into(),
            way: Way::Eye,
            atc: "S01ED01".into(),
            also: vec![],
            groups: vec!["beta_blocker".into()],
            uses: vec![],
            schedule: None,
        };
        for (text, means) in [
            ("timolol", true),
            ("timolol/eye", true),
            ("timolol/body", false),
            ("S01E", true),
            ("C07", false),
            ("@beta_blocker", true),
            ("@nsaid", false),
        ] {
            assert_eq!(Term::parse(text).unwrap().means(&drops), means, "{text}");
        }
    }

    #[test]
    fn a_form_says_the_way() {
        for (form, way) in [
            ("tablet", Way::Body),
            ("eye drops", Way::Eye),
            ("ear drops", Way::Ear),
            ("vaginal cream", Way::Vaginal),
            ("cream", Way::Skin),
            ("nasal spray", Way::Nose),
            ("nebuliser solution", Way::Inhaled),
        ] {
            assert_eq!(Way::of_form(form)[0], way, "{form}");
        }
    }
}
