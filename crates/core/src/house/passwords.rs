//! What a password must be: hard to guess, of whatever signs. No rules of composition, no end date (NIST SP 800-63B,
//! 3.1.1.2).

/// Characters that a password has at least; the demo's own is older than the rule.
pub const AT_LEAST: usize = 10;
pub const AT_MOST: usize = 200;
/// How hard it must be to guess, from 0 to 4: safe against guessing that is slowed down, and more.
pub const STRENGTH: u8 = 3;

/// Why a password will not do. `strength` is how hard it is to guess, 0 to 4, and `why` what makes it easy.
pub fn refusal(password: &str, strength: u8, why: Option<&str>) -> Option<String> {
    let length = password.chars().count();
    if length < AT_LEAST {
        return Some(format!(
            "A password has at least {AT_LEAST} signs; this has {length}. Several words make a good one."
        ));
    }
    if length > AT_MOST {
        return Some(format!("A password has at most {AT_MOST} signs."));
    }
    if strength < STRENGTH {
        let why = why.map(|w| format!(" {w}")).unwrap_or_default();
        return Some(format!(
            "This password is easy to guess.{why} Several words that do not belong together make a good one."
        ));
    }
    None
}

#[cfg(test)]
mod tests {
    use super::refusal;

    #[test]
    fn length_and_strength_decide_and_nothing_else() {
        assert!(refusal("short", 4, None).is_some_and(|s| s.contains("at least 10")));
        assert!(refusal("aaaaaaaaaaaaaa", 0, Some("It repeats.")).is_some_and(|s| s.contains("It repeats.")));
        assert_eq!(refusal("heron tern plover", 4, None), None, "no digit or capital is asked for");
        assert_eq!(refusal("gänsefüßchen am kai", 3, None), None);
        assert!(refusal(&"x".repeat(201), 4, None).is_some());
    }
}
