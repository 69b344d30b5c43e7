//! Appointments as iCalendar (RFC 5545): one for a patient, or the days of a clinician.

use chrono::{DateTime, Utc};
use icalendar::{Calendar, Component, Event, EventLike, EventStatus, Property};

/// An appointment as a calendar shows it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Entry {
    /// The same for every version of it (RFC 5545, 3.8.4.7).
    pub id: String,
    /// Grows with every change (3.8.7.4), so that a calendar takes the newer one.
    pub sequence: u32,
    pub start: DateTime<Utc>,
    pub end: DateTime<Utc>,
    pub title: String,
    pub place: String,
    pub text: String,
    pub cancelled: bool,
}

/// Writes a calendar; times are in UTC (form 2 of 3.3.5), so that no zone table is needed.
pub fn write(name: &str, stamp: DateTime<Utc>, entries: &[Entry]) -> String {
    let mut calendar = Calendar::new();
    calendar.name(name);
    calendar.append_property(Property::new("METHOD", "PUBLISH"));
    for e in entries {
        let mut event = Event::new();
        event
            .uid(&format!("{}@indigo-harbor", e.id))
            .timestamp(stamp)
            .sequence(e.sequence)
            .starts(e.start)
            .ends(e.end)
            .summary(&e.title)
            .location(&e.place);
        if !e.text.is_empty() {
            event.description(&e.text);
        }
        event.status(if e.cancelled { EventStatus::Cancelled } else { EventStatus::Confirmed });
        calendar.push(event);
    }
    calendar.to_string()
}

#[cfg(test)]
mod tests {
    use super::*;
    use chrono::TimeZone;
    use proptest::prelude::*;

    fn entry() -> Entry {
        Entry {
            id: "1".into(),
            sequence: 2,
            start: Utc.with_ymd_and_hms(2026, 11, 24, 14, 0, 0).unwrap(),
            end: Utc.with_ymd_and_hms(2026, 11, 24, 14, 20, 0).unwrap(),
            title: "Visit; at the clinic, upstairs".into(),
            place: "Quayside".into(),
            text: "Line one\nline two".into(),
            cancelled: false,
        }
    }

    #[test]
    fn an_appointment_is_written_as_the_standard_says() {
        let text = write("Clinic", entry().start, &[entry(), Entry { id: "2".into(), cancelled: true, ..entry() }]);
        assert!(text.starts_with("BEGIN:VCALENDAR\r\n") && text.ends_with("END:VCALENDAR\r\n"), "{text}");
        for line in [
            "UID:1@indigo-harbor",
            "DTSTART:20261124T140000Z",
            "DTEND:20261124T142000Z",
            "SEQUENCE:2",
            "STATUS:CONFIRMED",
            "STATUS:CANCELLED",
            "SUMMARY:Visit\\; at the clinic\\, upstairs",
            "DESCRIPTION:Line one\\nline two",
        ] {
            assert!(text.contains(&format!("{line}\r\n")), "{line} in {text}");
        }
        assert_eq!(text.matches("BEGIN:VEVENT").count(), 2);
        assert!(!write("Clinic", entry().start, &[]).contains("VEVENT"));
    }

    proptest! {
        #[test]
        fn no_words_break_out_of_their_line(title in "\\PC{0,200}", text in "[a-z\\n:;,\\\\]{0,80}") {
            let written = write("c", entry().start, &[Entry { title, text, ..entry() }]);
            prop_assert_eq!(written.matches("\nBEGIN:").count(), 1, "{}", written);
            for line in written.split("\r\n") {
                // RFC 5545, 3.1: a line should have at most 75 octets; the writer counts the space of a folded
                // line beside them.
                prop_assert!(line.trim_start_matches(' ').len() <= 75, "too long: {}", line);
            }
            let read: Calendar = written.parse().map_err(TestCaseError::fail)?;
            prop_assert_eq!(read.components.len(), 1);
        }
    }
}
