//! Whom an acknowledgement of a file is for.

/// What a 999 says of the group that it answers, and its own envelope.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct FileAnswer<'a> {
    /// AK101: HC for claims.
    pub group: &'a str,
    /// AK102, the control number of the group.
    pub control: &'a str,
    /// AK103.
    pub version: &'a str,
    pub sender: &'a str,
    pub receiver: &'a str,
}

/// Who sent what to whom.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Partners<'a> {
    pub us: &'a str,
    pub clearing_house: &'a str,
    /// The version of the files of claims that go out (GS08).
    pub version: &'a str,
}

/// The control number of the batch that an acknowledgement is about.
///
/// # Errors
/// A sentence that says why it is about none of ours: a number alone decides nothing, since every sender counts.
pub fn batch_of(a: FileAnswer, p: Partners) -> Result<i64, String> {
    let who = |is: &str, wanted: &str, what: &str| {
        if is == wanted { Ok(()) } else { Err(format!("It names {what} {}, not {wanted}.", told(is))) }
    };
    who(a.receiver, p.us, "as its receiver")?;
    who(a.sender, p.clearing_house, "as its sender")?;
    if a.group != "HC" {
        return Err(format!("It answers a file of kind {}, not one of claims.", told(a.group)));
    }
    who(a.version, p.version, "the version")?;
    let control = a.control.parse().ok().filter(|n| *n > 0);
    control.ok_or_else(|| format!("{} is no number of a file of ours.", told(a.control)))
}

fn told(text: &str) -> &str {
    if text.is_empty() { "nothing" } else { text }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_number_alone_decides_nothing() {
        let p = Partners { us: "INDIGOHBR", clearing_house: "CAUSEWAY", version: "005010X222A1" };
        let good =
            FileAnswer { group: "HC", control: "1001", version: p.version, sender: p.clearing_house, receiver: p.us };
        assert_eq!(batch_of(good, p), Ok(1001));
        for wrong in [
            FileAnswer { group: "HS", ..good },
            FileAnswer { control: "", ..good },
            FileAnswer { control: "-4", ..good },
            FileAnswer { version: "005010X279A1", ..good },
            FileAnswer { version: "", ..good },
            FileAnswer { sender: "ELSEWHERE", ..good },
            FileAnswer { receiver: "SOMEBODY", ..good },
        ] {
            assert!(batch_of(wrong, p).is_err(), "{wrong:?}");
        }
        assert_eq!(
            batch_of(FileAnswer { sender: "", ..good }, p).unwrap_err(),
            "It names as its sender nothing, not CAUSEWAY."
        );
    }
}
