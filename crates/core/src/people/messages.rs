//! What patients are told, by the way to which they agreed.
//!
//! [`way_to`] chooses the way; [`about_new_time`] and its like write the words. A text or an e-mail goes only
//! to somebody who agreed to it; whoever cannot be messaged gets a letter when there is time for the post, or
//! is called. Nobody writes to the dead. Texts and e-mails travel in the open, so they never say why
//! somebody comes.

use crate::money::Cents;
use chrono::{DateTime, Utc};
use chrono_tz::Tz;

coded! {
    /// How somebody is reached.
    Channel {
        Text = "text", "text message";
        Email = "email", "e-mail";
        Letter = "letter", "letter";
        Call = "call", "call";
    }
}

coded! {
    /// What a message is about.
    Purpose {
        Rebooked = "rebooked", "new time";
        NoTime = "no_time", "no time yet";
        HandedOver = "handed_over", "another clinician";
        Receipt = "receipt", "receipt";
        ResultHere = "result_here", "result here";
        Statement = "statement", "statement";
    }
}

coded! {
    /// What became of a message.
    Fate {
        Waiting = "waiting", "waiting";
        Sent = "sent", "sent";
        Delivered = "delivered", "delivered";
        Failed = "failed", "failed";
        Bounced = "bounced", "bounced";
        Printed = "printed", "printed";
        Called = "called", "called";
        NotReached = "not_reached", "not reached";
    }
}

impl Fate {
    /// Whether a person still has something to do about it.
    pub fn is_open(self) -> bool {
        matches!(self, Fate::Waiting | Fate::Failed | Fate::Bounced | Fate::NotReached)
    }

    /// What may follow. A message that was delivered stays so, whatever comes late.
    pub fn may_become(self, next: Fate) -> bool {
        use Fate::*;
        match self {
            Waiting => matches!(next, Sent | Delivered | Failed | Bounced | Printed | Called | NotReached),
            Sent => matches!(next, Delivered | Failed | Bounced | Called),
            NotReached | Failed | Bounced => matches!(next, Called | NotReached | Printed),
            Delivered | Printed | Called => false,
        }
    }
}

/// What a person has to do about a message.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ToDo {
    Nothing,
    /// It is a call, or it did not arrive.
    Call,
    PrintLetter,
}

/// What is to be done about a message that was to go this way and came so far.
pub fn to_do(channel: Channel, fate: Fate) -> ToDo {
    match (channel, fate) {
        (_, Fate::Failed | Fate::Bounced | Fate::NotReached) | (Channel::Call, Fate::Waiting) => ToDo::Call,
        (Channel::Letter, Fate::Waiting) => ToDo::PrintLetter,
        _ => ToDo::Nothing,
    }
}

/// A letter needs so many days to arrive.
pub const POST_DAYS: i64 = 4;

/// How a person can be reached, and what they agreed to.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Reachable {
    pub deceased: bool,
    pub phone: Option<String>,
    pub email: Option<String>,
    /// Whether a postal address is on file.
    pub address: bool,
    /// The last answer; nothing when nobody asked.
    pub text_agreed: Option<bool>,
    pub email_agreed: Option<bool>,
}

/// The way to a person: where to, and why so.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Way {
    pub channel: Channel,
    /// A telephone number or an e-mail address; empty for a letter.
    pub reach: String,
    pub why: String,
}

/// The way to tell a person of something that they must know in `days`. Nothing: nobody is to be told.
pub fn way_to(p: &Reachable, days: i64) -> Option<Way> {
    if p.deceased {
        return None;
    }
    let agreed =
        |channel, reach: &str, what: &str| Way { channel, reach: reach.to_owned(), why: format!("agreed to {what}") };
    let phone = p.phone.as_deref().filter(|t| !t.is_empty());
    let email = p.email.as_deref().filter(|t| !t.is_empty());
    if let (Some(phone), Some(true)) = (phone, p.text_agreed) {
        return Some(agreed(Channel::Text, phone, "text messages"));
    }
    if let (Some(email), Some(true)) = (email, p.email_agreed) {
        return Some(agreed(Channel::Email, email, "e-mail"));
    }
    let refused = match (p.text_agreed, p.email_agreed) {
        (None, None) => "was never asked about messages",
        (Some(true), _) | (_, Some(true)) => "agreed, but the number or address is missing",
        _ => "declined messages",
    };
    if p.address && (days >= POST_DAYS || phone.is_none()) {
        return Some(Way { channel: Channel::Letter, reach: String::new(), why: refused.into() });
    }
    let why = match phone {
        None => format!("{refused}; no telephone number and no address"),
        Some(_) if p.address => format!("{refused}; too soon for a letter"),
        Some(_) => format!("{refused}; no postal address"),
    };
    Some(Way { channel: Channel::Call, reach: phone.unwrap_or("").into(), why })
}

/// The way to tell somebody that a result is here. Who is answered for by somebody else is called: their messages may be
/// read by another; and a call is made where the result does not wait for the post.
pub fn way_to_tell_result(p: &Reachable, calls: bool, answered_for: bool) -> Option<Way> {
    if !calls && !answered_for {
        return way_to(p, POST_DAYS);
    }
    if p.deceased {
        return None;
    }
    let why = if calls { "to be called" } else { "somebody answers for them" };
    Some(Way { channel: Channel::Call, reach: p.phone.clone().unwrap_or_default(), why: why.into() })
}

/// Subject and text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Words {
    pub subject: String,
    pub body: String,
}

/// What every message says of the clinic and the visit.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Facts<'a> {
    /// As the person wants to be called.
    pub name: &'a str,
    pub clinic: &'a str,
    pub telephone: &'a str,
    pub clinician: &'a str,
    pub site: &'a str,
    pub zone: Tz,
}

fn when(at: DateTime<Utc>, zone: Tz) -> String {
    at.with_timezone(&zone).format("%A, %B %-d at %-I:%M %p").to_string()
}

/// A visit has a new time, since the clinician is away at the old one.
pub fn about_new_time(f: &Facts, before: DateTime<Utc>, after: DateTime<Utc>) -> Words {
    let body = format!(
        "Dear {}, your clinician is away at the time of your visit on {}. Your new time is {} with {} at {}. \
         If it does not suit you, please call {}. {}",
        f.name,
        when(before, f.zone),
        when(after, f.zone),
        f.clinician,
        f.site,
        f.telephone,
        f.clinic
    );
    Words { subject: "Your visit has a new time".into(), body }
}

/// A result is here. What it says, and of what it is, does not travel in the open.
pub fn about_result(name: &str, clinic: &str, telephone: &str) -> Words {
    let body = format!(
        "Dear {name}, your clinician has looked at a result that came for you. Please call {telephone}, or ask at your \
         next visit. {clinic}"
    );
    Words { subject: "A result is here".into(), body }
}

/// Somebody is called about a result. What is to be said stands with the result, for who may see it.
pub fn about_result_call(words: Words) -> Words {
    Words { body: "Call about a result; what to say stands in its comment.".into(), ..words }
}

/// A visit keeps its time, with another clinician than before.
pub fn about_other_clinician(f: &Facts, at: DateTime<Utc>) -> Words {
    let body = format!(
        "Dear {}, your visit on {} stays as it is, but your clinician is away: you will see {} at {}. If you would rather \
         come at another time, please call {}. {}",
        f.name,
        when(at, f.zone),
        f.clinician,
        f.site,
        f.telephone,
        f.clinic
    );
    Words { subject: "You will see another clinician".into(), body }
}

/// No new time was found for a visit.
pub fn about_no_time(f: &Facts, before: DateTime<Utc>) -> Words {
    let body = format!(
        "Dear {}, your clinician is away at the time of your visit on {}, which cannot take place. Please call {} \
         for a new time. {}",
        f.name,
        when(before, f.zone),
        f.telephone,
        f.clinic
    );
    Words { subject: "Your visit cannot take place".into(), body }
}

/// What somebody paid. It does not say for whom or for what: that stands on the paper.
pub fn about_receipt(f: &Facts, number: &str, paid: Cents, at: DateTime<Utc>, left: Cents) -> Words {
    let rest = if left.is_positive() { format!("{left} is left to pay.") } else { "Nothing is left to pay.".into() };
    let body = format!(
        "Dear {}, {} received {} from you on {}. {} Questions? Call {}. {}",
        f.name,
        f.clinic,
        paid,
        when(at, f.zone),
        rest,
        f.telephone,
        f.clinic
    );
    Words { subject: format!("Your receipt {number}"), body }
}

/// A statement was made. For whom and for what stands on the paper alone.
pub fn about_statement(name: &str, clinic: &str, telephone: &str, (number, owed, day): (&str, Cents, &str)) -> Words {
    let body = format!(
        "Dear {name}, your statement {number} of {day} asks for {owed}. Pay at the desk or by card on {telephone}; call the \
         same number for the paper, which explains each amount. {clinic}"
    );
    Words { subject: format!("Your statement {number}"), body }
}

#[cfg(test)]
mod tests {
    use super::*;
    use chrono::TimeZone;

    fn all() -> Reachable {
        Reachable {
            deceased: false,
            phone: Some("2075550101".into()),
            email: Some("a@example.org".into()),
            address: true,
            text_agreed: Some(true),
            email_agreed: Some(true),
        }
    }

    #[test]
    fn the_way_is_the_one_that_was_agreed_to() {
        let way = |p: Reachable, days| way_to(&p, days).map(|w| (w.channel, w.why));
        assert_eq!(way(all(), 1).unwrap().0, Channel::Text);
        assert_eq!(way(Reachable { text_agreed: Some(false), ..all() }, 1).unwrap().0, Channel::Email);
        assert_eq!(way(Reachable { phone: None, ..all() }, 1).unwrap().0, Channel::Email);
        let none = Reachable { text_agreed: Some(false), email_agreed: Some(false), ..all() };
        assert_eq!(way(none.clone(), POST_DAYS).unwrap(), (Channel::Letter, "declined messages".into()));
        let soon = way(none.clone(), POST_DAYS - 1).unwrap();
        assert_eq!(soon, (Channel::Call, "declined messages; too soon for a letter".into()));
        assert_eq!(
            way(Reachable { phone: None, ..none.clone() }, 0).unwrap().0,
            Channel::Letter,
            "better late than never"
        );
        let unasked = Reachable { text_agreed: None, email_agreed: None, address: false, ..all() };
        assert_eq!(way(unasked, 9).unwrap().1, "was never asked about messages; no postal address");
        let lost = Reachable { phone: None, address: false, ..none };
        assert_eq!(way_to(&lost, 9).unwrap().reach, "", "still on the call list, so that somebody looks");
        assert_eq!(way(Reachable { deceased: true, ..all() }, 9), None);
    }

    #[test]
    fn a_result_is_told_by_consent_and_without_what_it_says() {
        let way = |p: Reachable, calls, answered_for| way_to_tell_result(&p, calls, answered_for).map(|w| w.channel);
        assert_eq!(way(all(), false, false), Some(Channel::Text));
        assert_eq!(way(all(), true, false), Some(Channel::Call));
        assert_eq!(way(all(), false, true), Some(Channel::Call), "a child's text may be read by anybody");
        let declined = Reachable { text_agreed: Some(false), email_agreed: Some(false), ..all() };
        assert_eq!(way(declined, false, false), Some(Channel::Letter));
        assert_eq!(way(Reachable { deceased: true, ..all() }, true, false), None);
        let words = about_result("Ada", "The Clinic", "207 555 0100");
        assert!(words.body.contains("Dear Ada") && words.body.contains("207 555 0100"));
    }

    #[test]
    fn a_message_says_when_but_not_why() {
        let zone = chrono_tz::America::New_York;
        let at = |d, h| zone.with_ymd_and_hms(2026, 11, d, h, 30, 0).unwrap().with_timezone(&Utc);
        let f = Facts {
            name: "Ada",
            clinic: "The Clinic",
            telephone: "207 555 0100",
            clinician: "Dr. Valcourt",
            site: "Quayside",
            zone,
        };
        let words = about_new_time(&f, at(24, 9), at(26, 14));
        assert!(words.body.contains("Tuesday, November 24 at 9:30 AM"), "{}", words.body);
        assert!(words.body.contains("Thursday, November 26 at 2:30 PM with Dr. Valcourt at Quayside"));
        let receipt = about_receipt(&f, "R-10001", Cents::new(7_500), at(23, 10), Cents::ZERO).body;
        assert!(receipt.contains("received 75.00 from you on Monday, November 23"), "{receipt}");
        assert!(receipt.contains("Nothing is left to pay."), "{receipt}");
        assert!(about_no_time(&f, at(24, 9)).body.contains("call 207 555 0100"));
    }

    #[test]
    fn a_delivered_message_stays_delivered() {
        for next in Fate::ALL {
            assert!(!Fate::Delivered.may_become(*next));
        }
        assert!(Fate::Sent.may_become(Fate::Bounced) && Fate::Bounced.may_become(Fate::Called));
        assert!(Fate::Bounced.is_open() && !Fate::Sent.is_open());
        assert_eq!(to_do(Channel::Text, Fate::Bounced), ToDo::Call, "what did not arrive is a call");
        assert_eq!(to_do(Channel::Text, Fate::Waiting), ToDo::Nothing, "it goes out by itself");
        assert_eq!(to_do(Channel::Letter, Fate::Waiting), ToDo::PrintLetter);
        assert_eq!(to_do(Channel::Call, Fate::Called), ToDo::Nothing);
    }
}
