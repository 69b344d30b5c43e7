//! Visits without an appointment: somebody stands at the desk, telephones, is seen at home, or paper work is done
//! for them. What is past is written up and says so; what is to come is booked.

use super::Stage;
use crate::schedule::VisitKind;
use chrono::{DateTime, Duration, Utc};
use chrono_tz::Tz;

/// Further back nothing is written up: payers take no claim so late, and memory does not reach.
pub const LATEST_DAYS: i64 = 365;

#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum UnbookedRefusal {
    #[error("That is still to come; book it instead.")]
    ToCome,
    #[error("That is more than {LATEST_DAYS} days ago.")]
    TooLongAgo,
    #[error("{0} has died; only administrative work can be recorded.")]
    Deceased(String),
}

/// How a visit of this kind at this time begins: [`Stage::Here`], or over already ([`Stage::Left`]) and only to be
/// written up. `deceased`: the name of one whose death is recorded.
pub fn begin(
    kind: VisitKind,
    (at, now): (DateTime<Utc>, DateTime<Utc>),
    zone: Tz,
    deceased: Option<&str>,
) -> Result<Stage, UnbookedRefusal> {
    if let Some(name) = deceased.filter(|_| kind != VisitKind::Administrative) {
        return Err(UnbookedRefusal::Deceased(name.to_owned()));
    }
    // Typed times are whole minutes.
    if at >= now + Duration::minutes(1) {
        return Err(UnbookedRefusal::ToCome);
    }
    if at < now - Duration::days(LATEST_DAYS) {
        return Err(UnbookedRefusal::TooLongAgo);
    }
    let day = |t: DateTime<Utc>| t.with_timezone(&zone).date_naive();
    let stands_here = kind == VisitKind::InPerson && day(at) == day(now);
    Ok(if stands_here { Stage::Here } else { Stage::Left })
}

#[cfg(test)]
mod tests {
    use super::*;
    use chrono::TimeZone;

    const ZONE: Tz = chrono_tz::America::New_York;

    #[test]
    fn who_stands_at_the_desk_is_here_and_what_is_past_is_written_up() {
        let now = Utc.with_ymd_and_hms(2026, 11, 23, 15, 0, 0).unwrap();
        let to = |kind, at| begin(kind, (at, now), ZONE, None);
        assert_eq!(to(VisitKind::InPerson, now), Ok(Stage::Here));
        assert_eq!(to(VisitKind::InPerson, now - Duration::days(1)), Ok(Stage::Left), "yesterday's emergency");
        for kind in [VisitKind::Phone, VisitKind::Video, VisitKind::Home, VisitKind::Administrative] {
            assert_eq!(to(kind, now), Ok(Stage::Left));
        }
        assert_eq!(to(VisitKind::Phone, now + Duration::seconds(59)), Ok(Stage::Left), "this minute");
        assert_eq!(to(VisitKind::Phone, now + Duration::minutes(1)), Err(UnbookedRefusal::ToCome));
        assert_eq!(to(VisitKind::Phone, now - Duration::days(366)), Err(UnbookedRefusal::TooLongAgo));
    }

    #[test]
    fn the_day_is_the_clinics_also_when_the_clock_changes() {
        // 1 November 2026: half past one comes twice, and the day has 25 hours.
        let early = Utc.with_ymd_and_hms(2026, 11, 1, 4, 30, 0).unwrap();
        let late = Utc.with_ymd_and_hms(2026, 11, 2, 4, 30, 0).unwrap();
        let here = |at, now| begin(VisitKind::InPerson, (at, now), ZONE, None);
        assert_eq!(here(early, late), Ok(Stage::Here), "24 hours later it is still the same day");
        assert_eq!(here(early - Duration::hours(1), late), Ok(Stage::Left), "half past eleven of the day before");
    }

    #[test]
    fn after_a_death_only_paper_work() {
        let now = Utc.with_ymd_and_hms(2026, 11, 23, 15, 0, 0).unwrap();
        let to = |kind| begin(kind, (now, now), ZONE, Some("Ada Quill"));
        assert_eq!(to(VisitKind::Phone), Err(UnbookedRefusal::Deceased("Ada Quill".into())));
        assert!(to(VisitKind::Administrative).is_ok());
    }
}
