//! Text as payers' systems take it: capitals of the basic character set of X12 (005010, appendix B.1.1.2.2), no longer than
//! the element it stands in. One letter outside it, or one name too long, makes a clearing house refuse a whole file.

use crate::people::fold;

/// The most characters of an element (X12 005010 dictionary, as the 837P guide 005010X222A1 uses it).
pub mod most {
    /// NM103, of a person and of an organisation.
    pub const LAST_NAME: usize = 60;
    /// NM104.
    pub const FIRST_NAME: usize = 35;
    /// NM105.
    pub const MIDDLE_NAME: usize = 25;
    /// N301 and N302.
    pub const STREET: usize = 55;
    /// N401.
    pub const CITY: usize = 30;
    /// NM109.
    pub const MEMBER_NUMBER: usize = 80;
    /// SBR03 and REF02.
    pub const REFERENCE: usize = 50;
}

/// Signs of the basic set besides capitals, digits and blanks. `:` `*` `~` and `^` are lawful letters and separate in our
/// files, so they are left out.
const SIGNS: &str = "!\"&'()+,-./;?=";

/// What became of a text on its way into a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Written {
    pub text: String,
    /// Letters that have no counterpart in the basic set; blanks stand in their place.
    pub lost: String,
    /// It was too long, and its end was left off.
    pub cut: bool,
}

/// A text in capitals of the basic set, at most so long. Accents go (`Núñez` is `NUNEZ`); of what is too long whole words
/// stay while half of the room is used by them.
pub fn written(text: &str, most: usize) -> Written {
    let mut out = String::with_capacity(text.len());
    let mut lost = String::new();
    for c in text.trim().chars() {
        match c {
            c if c.is_ascii_alphanumeric() || SIGNS.contains(c) => out.push(c.to_ascii_uppercase()),
            '’' | '‘' => out.push('\''),
            '–' | '—' => out.push('-'),
            c if c.is_whitespace() || c.is_ascii() => push_blank(&mut out),
            c => match counterpart(c) {
                Some(letters) => out.push_str(&letters),
                None => {
                    lost.push(c);
                    push_blank(&mut out);
                }
            },
        }
    }
    out.truncate(out.trim_end().len());
    let cut = out.len() > most;
    if cut {
        let word = out[..=most].rfind(' ').filter(|end| *end * 2 >= most);
        out.truncate(word.unwrap_or(most));
        out.truncate(out.trim_end().len());
    }
    Written { text: out, lost, cut }
}

/// A letter outside ASCII as it is written within it, in capitals; nothing where nobody can say how.
pub fn counterpart(c: char) -> Option<String> {
    let folded = fold(c.encode_utf8(&mut [0; 4])).to_uppercase();
    folded.is_ascii().then_some(folded)
}

fn push_blank(out: &mut String) {
    if !out.is_empty() && !out.ends_with(' ') {
        out.push(' ');
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn accents_go_and_names_stay_names() {
        let plain = |text: &str| written(text, 60).text;
        assert_eq!(plain("Núñez-Ortega"), "NUNEZ-ORTEGA");
        assert_eq!(plain("O’Brien  d'Angelo"), "O'BRIEN D'ANGELO");
        assert_eq!(plain("Søren Łukasz Großmann"), "SOREN LUKASZ GROSSMANN");
        assert_eq!(plain("4 Kelp Lane, #2*A~B"), "4 KELP LANE, 2 A B");
        // Combining marks, as some keyboards send them.
        assert_eq!(plain("Zoe\u{308}"), "ZOE");
    }

    #[test]
    fn what_is_too_long_is_cut_at_a_word_and_told() {
        let long = "Wolfeschlegelsteinhausen Bergerdorff Montmorency-Laval Achterberg Valcourt";
        let is = written(long, most::LAST_NAME);
        assert_eq!((is.text.as_str(), is.cut), ("WOLFESCHLEGELSTEINHAUSEN BERGERDORFF MONTMORENCY-LAVAL", true));
        let one = written(&"x".repeat(80), most::FIRST_NAME);
        assert_eq!((one.text.len(), one.cut), (35, true));
        assert!(!written(&"x".repeat(60), most::LAST_NAME).cut);
    }

    #[test]
    fn letters_without_a_counterpart_are_told_and_never_made_up() {
        let is = written("Мария Valcourt", 60);
        assert_eq!((is.text.as_str(), is.lost.as_str()), ("VALCOURT", "Мария"));
    }

    proptest! {
        #[test]
        fn whatever_is_typed_is_lawful_and_written_once_more_the_same(text in ".{0,120}", most in 1usize..70) {
            let once = written(&text, most);
            prop_assert!(once.text.len() <= most);
            prop_assert!(once.text.bytes().all(|b| b == b' ' || b.is_ascii_uppercase() || b.is_ascii_digit() || SIGNS.as_bytes().contains(&b)));
            prop_assert_eq!(written(&once.text, most).text, once.text);
        }
    }
}
