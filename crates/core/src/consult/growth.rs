//! How a child grows beside a reference: z-scores and percentiles by the LMS method.
//!
//! The reference that ships is the 2000 one of the U.S. Centers for Disease Control and Prevention (public domain), by
//! sex, in months, weights in kg and lengths in cm. Below two years another reference, the standard of the World Health
//! Organization, is usual; whoever shows a figure of that age says so.

use super::measurements::Measure;
use crate::people::Sex;
use chrono::NaiveDate;

/// The name and the year of the reference, as it stands on every picture.
pub const REFERENCE: &str = "CDC 2000 growth reference (United States)";
/// What a figure below two years is told with.
const BELOW_TWO: &str = "Below two years the WHO growth standard is usual; this reference says less there.";

coded! {
    /// A table of the reference.
    GrowthTable {
        WeightInfant = "weight_for_age_0_36m_kg", "Weight for age, 0 to 36 months";
        LengthInfant = "length_for_age_0_36m_cm", "Length for age, 0 to 36 months";
        HeadInfant = "head_circumference_for_age_0_36m_cm", "Head circumference for age, 0 to 36 months";
        WeightForLength = "weight_for_length_kg", "Weight for length";
        Weight = "weight_for_age_2_20y_kg", "Weight for age, 2 to 20 years";
        Stature = "stature_for_age_2_20y_cm", "Stature for age, 2 to 20 years";
        Bmi = "bmi_for_age_2_20y_kg_m2", "Body mass index for age, 2 to 20 years";
    }
}

/// A row of the reference: at an age in months (or a length in cm), the power, the median and the variation.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct GrowthRow {
    pub table: GrowthTable,
    pub sex: Sex,
    pub x: f64,
    pub l: f64,
    pub m: f64,
    pub s: f64,
}

/// The whole reference; its rows stand in the order of their tables, sexes and ages.
#[derive(Debug, Clone, Default)]
pub struct GrowthReference {
    rows: Vec<GrowthRow>,
}

/// Where a value lies.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct GrowthStanding {
    pub z: f64,
    /// 0 to 100.
    pub percentile: f64,
}

/// The lines that are drawn, in percent.
pub const LINES: [f64; 9] = [3.0, 5.0, 10.0, 25.0, 50.0, 75.0, 90.0, 95.0, 97.0];
/// The lines whose crossing is told; in percent.
const MAJOR: [f64; 7] = [5.0, 10.0, 25.0, 50.0, 75.0, 90.0, 95.0];

/// A mean month in days, as the reference counts them: 365.25 / 12.
const DAYS_IN_MONTH: f64 = 30.4375;

/// The age in months on a day; nothing before birth.
pub fn months_between(birth: NaiveDate, on: NaiveDate) -> Option<f64> {
    let days = (on - birth).num_days();
    (days >= 0).then(|| days as f64 / DAYS_IN_MONTH)
}

impl GrowthReference {
    /// From its rows, in any order.
    pub fn new(mut rows: Vec<GrowthRow>) -> Self {
        rows.sort_by(|a, b| (a.table, a.sex).cmp(&(b.table, b.sex)).then(a.x.total_cmp(&b.x)));
        GrowthReference { rows }
    }

    fn of(&self, table: GrowthTable, sex: Sex) -> &[GrowthRow] {
        let from = self.rows.partition_point(|r| (r.table, r.sex) < (table, sex));
        let to = self.rows.partition_point(|r| (r.table, r.sex) <= (table, sex));
        &self.rows[from..to]
    }

    /// Power, median and variation at a place, between the points of the table; nothing outside of it, or when the sex
    /// is not known: no figure is guessed.
    pub fn lms(&self, table: GrowthTable, sex: Sex, x: f64) -> Option<(f64, f64, f64)> {
        let rows = self.of(table, sex);
        let (first, last) = (rows.first()?, rows.last()?);
        if !(first.x..=last.x).contains(&x) {
            return None;
        }
        let after = rows.partition_point(|r| r.x < x);
        let b = &rows[after];
        if b.x == x || after == 0 {
            return Some((b.l, b.m, b.s));
        }
        let a = &rows[after - 1];
        let part = (x - a.x) / (b.x - a.x);
        let between = |a: f64, b: f64| a + (b - a) * part;
        Some((between(a.l, b.l), between(a.m, b.m), between(a.s, b.s)))
    }

    /// Where a value lies in a table.
    pub fn standing(&self, table: GrowthTable, sex: Sex, x: f64, value: f64) -> Option<GrowthStanding> {
        let (l, m, s) = self.lms(table, sex, x)?;
        if value <= 0.0 {
            return None;
        }
        let z = if l.abs() < 1e-9 { (value / m).ln() / s } else { ((value / m).powf(l) - 1.0) / (l * s) };
        Some(GrowthStanding { z, percentile: 100.0 * below(z) })
    }

    /// The value at a z-score; nothing where the distribution does not reach it.
    pub fn value_at(&self, table: GrowthTable, sex: Sex, x: f64, z: f64) -> Option<f64> {
        let (l, m, s) = self.lms(table, sex, x)?;
        if l.abs() < 1e-9 {
            return Some(m * (s * z).exp());
        }
        let base = 1.0 + l * s * z;
        (base > 0.0).then(|| m * base.powf(1.0 / l))
    }

    /// A line of the picture: the values of a percentile at every point of the table.
    pub fn line(&self, table: GrowthTable, sex: Sex, percent: f64) -> Vec<(f64, f64)> {
        let z = z_of(percent / 100.0);
        self.of(table, sex).iter().filter_map(|r| Some((r.x, self.value_at(table, sex, r.x, z)?))).collect()
    }
}

/// The table that holds for a measure at an age in months: lying below two years, standing from then on.
fn table_for(measure: Measure, months: f64) -> Option<GrowthTable> {
    let infant = months < 24.0;
    Some(match measure {
        Measure::Weight if infant => GrowthTable::WeightInfant,
        Measure::Weight => GrowthTable::Weight,
        Measure::Height if infant => GrowthTable::LengthInfant,
        Measure::Height => GrowthTable::Stature,
        Measure::HeadCircumference => GrowthTable::HeadInfant,
        Measure::Bmi if !infant => GrowthTable::Bmi,
        _ => return None,
    })
}

/// The part of a normal distribution below a z-score.
fn below(z: f64) -> f64 {
    0.5 * libm::erfc(-z / std::f64::consts::SQRT_2)
}

/// The z-score below which a part lies; the part strictly between 0 and 1.
fn z_of(part: f64) -> f64 {
    // `below` rises all the way, so that halving finds it as exactly as a number can be written.
    let (mut low, mut high) = (-40.0, 40.0);
    for _ in 0..200 {
        let middle = (low + high) / 2.0;
        if below(middle) < part { low = middle } else { high = middle }
    }
    (low + high) / 2.0
}

/// How many major lines lie between two percentiles.
fn lines_crossed(from: f64, to: f64) -> usize {
    let (low, high) = if from < to { (from, to) } else { (to, from) };
    MAJOR.iter().filter(|line| **line > low && **line < high).count()
}

/// Told when a curve has crossed two major lines since some earlier point. Percentiles with their days, oldest first.
fn crossing(points: &[(NaiveDate, f64)]) -> Option<String> {
    let (_, last) = points.last()?;
    let (since, from) = points.iter().find(|(_, p)| lines_crossed(*p, *last) >= 2)?;
    let way = if last < from { "down" } else { "up" };
    Some(format!(
        "Crossed {} major percentile lines {way} since {}: from P{:.0} to P{:.0}.",
        lines_crossed(*from, *last),
        crate::fields::typed_date::in_words(*since),
        from,
        last
    ))
}

/// Why a grown person is not compared.
pub const ENDS_AT_TWENTY: &str = "The reference ends at 20 years.";
/// Until when the reference goes, in months.
const LAST: f64 = 240.0;

/// Who can be compared, or why not: without a birth date or a sex no figure is guessed.
pub fn comparable(
    birth: Option<NaiveDate>,
    sex: Option<Sex>,
    today: NaiveDate,
) -> Result<(NaiveDate, Sex), &'static str> {
    let birth = birth.ok_or("The birth date is not known, so growth cannot be compared.")?;
    let months = months_between(birth, today).ok_or("The birth date lies ahead, so growth cannot be compared.")?;
    if months > LAST {
        return Err(ENDS_AT_TWENTY);
    }
    let sex = sex.filter(|s| *s != Sex::Unknown).ok_or("The sex is not known, and the reference differs by it.")?;
    Ok((birth, sex))
}

/// A point of a course.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Passed {
    pub day: NaiveDate,
    pub months: f64,
    pub value: f64,
    pub at: GrowthStanding,
}

/// What was measured of one table, and what is to be told of it.
#[derive(Debug, Clone, PartialEq)]
pub struct Course {
    pub table: GrowthTable,
    pub points: Vec<Passed>,
    pub told: Vec<String>,
}

impl GrowthTable {
    /// The measure whose values the table is of.
    pub fn measure(self) -> Measure {
        match self {
            GrowthTable::WeightInfant | GrowthTable::Weight | GrowthTable::WeightForLength => Measure::Weight,
            GrowthTable::Bmi => Measure::Bmi,
            GrowthTable::HeadInfant => Measure::HeadCircumference,
            GrowthTable::LengthInfant | GrowthTable::Stature => Measure::Height,
        }
    }
}

impl GrowthReference {
    /// The courses of a child through the tables that know its values; these oldest first.
    pub fn courses(&self, birth: NaiveDate, sex: Sex, taken: &[(Measure, NaiveDate, f64)]) -> Vec<Course> {
        let mut courses = Vec::new();
        for table in GrowthTable::ALL {
            let passed = |(measure, day, value): &(Measure, NaiveDate, f64)| {
                let months = months_between(birth, *day)?;
                let here = table_for(*measure, months) == Some(*table);
                let at = self.standing(*table, sex, months, *value).filter(|_| here)?;
                Some(Passed { day: *day, months, value: *value, at })
            };
            let points: Vec<Passed> = taken.iter().filter_map(passed).collect();
            if points.is_empty() {
                continue;
            }
            let percentiles: Vec<(NaiveDate, f64)> = points.iter().map(|p| (p.day, p.at.percentile)).collect();
            let mut told: Vec<String> = crossing(&percentiles).into_iter().collect();
            if points.iter().any(|p| p.months < 24.0) {
                told.push(BELOW_TWO.to_owned());
            }
            courses.push(Course { table: *table, points, told });
        }
        courses
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn made() -> GrowthReference {
        let row = |x, l, m, s| GrowthRow { table: GrowthTable::Weight, sex: Sex::Male, x, l, m, s };
        GrowthReference::new(vec![row(25.5, 0.0, 20.0, 0.1), row(24.0, -0.2, 12.0, 0.1), row(24.5, -0.2, 13.0, 0.1)])
    }

    #[test]
    fn between_the_points_and_not_beyond() {
        let made = made();
        assert_eq!(made.lms(GrowthTable::Weight, Sex::Male, 24.0), Some((-0.2, 12.0, 0.1)));
        let (l, m, _) = made.lms(GrowthTable::Weight, Sex::Male, 25.0).unwrap();
        assert!((l + 0.1).abs() < 1e-12 && (m - 16.5).abs() < 1e-12);
        for (sex, x) in [(Sex::Male, 23.9), (Sex::Male, 25.6), (Sex::Female, 24.5), (Sex::Unknown, 24.5)] {
            assert_eq!(made.lms(GrowthTable::Weight, sex, x), None);
        }
    }

    #[test]
    fn a_power_of_nothing_is_the_logarithm() {
        let z = made().standing(GrowthTable::Weight, Sex::Male, 25.5, 22.0).unwrap().z;
        assert!((z - (22.0_f64 / 20.0).ln() / 0.1).abs() < 1e-12);
        assert_eq!(made().standing(GrowthTable::Weight, Sex::Male, 25.5, 0.0), None);
    }

    #[test]
    fn the_normal_distribution() {
        assert!((below(0.0) - 0.5).abs() < 1e-15);
        assert!((z_of(0.97) - 1.880_793_608).abs() < 1e-8);
        assert!((below(z_of(0.003)) - 0.003).abs() < 1e-14);
    }

    #[test]
    fn two_lines_crossed_are_told() {
        let day = |d| NaiveDate::from_ymd_opt(2026, 1, d).unwrap();
        assert_eq!(crossing(&[(day(1), 60.0), (day(2), 30.0)]), None, "one line");
        let told = crossing(&[(day(1), 60.0), (day(2), 55.0), (day(3), 20.0)]).unwrap();
        assert!(told.contains("2 major percentile lines down") && told.contains("P60 to P20"), "{told}");
        assert_eq!(crossing(&[]), None);
    }

    #[test]
    fn months() {
        let born = NaiveDate::from_ymd_opt(2024, 2, 29).unwrap();
        assert_eq!(months_between(born, born), Some(0.0));
        assert_eq!(months_between(born, born.pred_opt().unwrap()), None);
        let year = months_between(born, NaiveDate::from_ymd_opt(2025, 2, 28).unwrap()).unwrap();
        assert!((year - 365.0 / 30.4375).abs() < 1e-12);
    }

    #[test]
    fn who_can_be_compared() {
        let day = |y, m, d| NaiveDate::from_ymd_opt(y, m, d).unwrap();
        let today = day(2026, 11, 30);
        let born = Some(day(2020, 1, 1));
        assert_eq!(comparable(born, Some(Sex::Male), today), Ok((day(2020, 1, 1), Sex::Male)));
        for (birth, sex) in [
            (None, Some(Sex::Male)),
            (born, None),
            (born, Some(Sex::Unknown)),
            (Some(day(2000, 1, 1)), Some(Sex::Male)),
            (Some(day(2027, 1, 1)), Some(Sex::Male)),
        ] {
            assert!(comparable(birth, sex, today).is_err(), "{birth:?} {sex:?}");
        }
    }

    #[test]
    fn a_course_takes_what_its_table_knows() {
        let born = NaiveDate::from_ymd_opt(2024, 11, 1).unwrap();
        let later = born + chrono::Days::new(740);
        let courses = made().courses(
            born,
            Sex::Male,
            &[(Measure::Weight, born, 3.5), (Measure::Height, later, 88.0), (Measure::Weight, later, 12.4)],
        );
        assert_eq!(courses.len(), 1, "neither an age nor a measure without a table: {courses:?}");
        assert_eq!(
            (courses[0].table, courses[0].points.len(), courses[0].points[0].value),
            (GrowthTable::Weight, 1, 12.4)
        );
        assert_eq!(courses[0].table.measure(), Measure::Weight);
    }
}
