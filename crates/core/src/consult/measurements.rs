//! Measurements: units, usual ranges by age, body mass index.

use crate::people::Sex;
use std::fmt;

coded! {
    /// What is measured, in the unit it is kept in.
    Measure {
        Systolic = "systolic", "Blood pressure, systolic";
        Diastolic = "diastolic", "Blood pressure, diastolic";
        HeartRate = "heart_rate", "Heart rate";
        Temperature = "temperature", "Temperature";
        RespiratoryRate = "respiratory_rate", "Respiratory rate";
        OxygenSaturation = "oxygen_saturation", "Oxygen saturation";
        Weight = "weight", "Weight";
        Height = "height", "Height";
        Bmi = "bmi", "Body mass index";
        Pain = "pain", "Pain (0 to 10)";
        Waist = "waist", "Waist";
        HeadCircumference = "head_circumference", "Head circumference";
        PeakFlow = "peak_flow", "Peak flow";
        /// From a finger stick.
        Glucose = "glucose", "Glucose, finger stick";
        /// At 20 feet: 40 is 20/40.
        VisualAcuity = "visual_acuity", "Visual acuity";
    }
}

/// A value in tenths of the kept unit: 37.1 °C is `Tenths(371)`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct Tenths(pub i32);

impl fmt::Display for Tenths {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let sign = if self.0 < 0 { "-" } else { "" };
        let (whole, rest) = (self.0.unsigned_abs() / 10, self.0.unsigned_abs() % 10);
        if rest == 0 { write!(f, "{sign}{whole}") } else { write!(f, "{sign}{whole}.{rest}") }
    }
}

coded! {
    /// How a value lies to the usual range.
    Standing {
        Low = "low", "low";
        Usual = "usual", "usual";
        High = "high", "high";
        /// Outside what a living person shows: surely a slip of typing.
        Impossible = "impossible", "impossible: please check";
        /// What is usual depends on the age, and the age is not known.
        Unjudged = "unjudged", "not judged: the age is not known";
    }
}

impl Measure {
    pub fn unit(self) -> &'static str {
        match self {
            Measure::Systolic | Measure::Diastolic => "mmHg",
            Measure::HeartRate | Measure::RespiratoryRate => "/min",
            Measure::Temperature => "°C",
            Measure::OxygenSaturation => "%",
            Measure::Weight => "kg",
            Measure::Height => "cm",
            Measure::Bmi => "kg/m²",
            Measure::Pain | Measure::VisualAcuity => "",
            Measure::Waist | Measure::HeadCircumference => "cm",
            Measure::PeakFlow => "L/min",
            Measure::Glucose => "mg/dL",
        }
    }

    /// The usual range in tenths, both ends included, for an age in years; `None` where there is none.
    /// Adults: general reference values; children: age bands of heart and breathing rate. Waist: the limits at which
    /// the risk of the heart is raised, 88 cm for women and 102 cm for men.
    pub fn usual(self, age: u32, sex: Sex) -> Option<(i32, i32)> {
        Some(match self {
            Measure::Systolic if age >= 13 => (900, 1299),
            Measure::Systolic => (700 + 10 * age as i32, 1100 + 10 * age as i32),
            Measure::Diastolic if age >= 13 => (600, 799),
            Measure::Diastolic => (350 + 10 * age as i32, 700 + 10 * age as i32),
            Measure::HeartRate => match age {
                0 => (1000, 1600),
                1..=2 => (900, 1500),
                3..=5 => (800, 1400),
                6..=12 => (700, 1200),
                _ => (600, 1000),
            },
            Measure::RespiratoryRate => match age {
                0 => (300, 600),
                1..=2 => (240, 400),
                3..=5 => (220, 340),
                6..=12 => (180, 300),
                _ => (120, 200),
            },
            Measure::Temperature => (361, 378),
            Measure::OxygenSaturation => (950, 1000),
            Measure::Bmi if age >= 18 => (185, 249),
            Measure::Pain => (0, 30),
            Measure::Glucose => (700, 1800),
            Measure::Waist if age >= 18 && sex == Sex::Female => (500, 880),
            Measure::Waist if age >= 18 && sex == Sex::Male => (500, 1020),
            Measure::Weight
            | Measure::Height
            | Measure::Bmi
            | Measure::Waist
            | Measure::HeadCircumference
            | Measure::PeakFlow
            | Measure::VisualAcuity => return None,
        })
    }

    /// Whether what is usual is the same for everybody.
    fn is_of_any_age(self) -> bool {
        matches!(self, Measure::Temperature | Measure::OxygenSaturation | Measure::Pain | Measure::Glucose)
    }

    /// What a living person can show, in tenths.
    fn possible(self) -> (i32, i32) {
        match self {
            Measure::Systolic => (400, 3000),
            Measure::Diastolic => (200, 2000),
            Measure::HeartRate => (200, 3000),
            Measure::Temperature => (250, 440),
            Measure::RespiratoryRate => (40, 1000),
            Measure::OxygenSaturation => (300, 1000),
            Measure::Weight => (3, 4000),
            Measure::Height => (200, 2500),
            Measure::Bmi => (50, 1500),
            Measure::Pain => (0, 100),
            Measure::Waist => (200, 2500),
            Measure::HeadCircumference => (200, 750),
            Measure::PeakFlow => (300, 9000),
            Measure::Glucose => (100, 15_000),
            Measure::VisualAcuity => (80, 8000),
        }
    }

    /// The usual range as far as it is known: without the age only where it is the same for everybody.
    pub fn usual_if_known(self, age: Option<u32>, sex: Sex) -> Option<(i32, i32)> {
        match age {
            Some(age) => self.usual(age, sex),
            None => self.is_of_any_age().then(|| self.usual(40, sex)).flatten(),
        }
    }

    /// How a value lies to what is usual at this age in years, if the age is known.
    pub fn standing(self, value: Tenths, age: Option<u32>, sex: Sex) -> Standing {
        let (mut lowest, highest) = self.possible();
        // What a newborn shows is a slip of typing in somebody grown.
        if age.is_some_and(|age| age >= 18) {
            lowest = match self {
                Measure::Height => 500,
                Measure::Weight => 150,
                _ => lowest,
            };
        }
        if value.0 < lowest || value.0 > highest {
            return Standing::Impossible;
        }
        let unjudged = age.is_none() && !self.is_of_any_age() && self.usual(40, sex).or(self.usual(5, sex)).is_some();
        match self.usual_if_known(age, sex) {
            // Without a usual range at any age there is nothing to judge.
            None if unjudged => Standing::Unjudged,
            Some((low, _)) if value.0 < low => Standing::Low,
            Some((_, high)) if value.0 > high => Standing::High,
            _ => Standing::Usual,
        }
    }
}

/// What was measured more than once: its mean, and of how many readings. A body mass index is computed, and no reading.
pub fn means(measured: &[(Measure, Tenths)]) -> Vec<(Measure, Tenths, usize)> {
    let of = |measure: &Measure| {
        let readings: Vec<Tenths> = measured.iter().filter(|(m, _)| m == measure).map(|(_, value)| *value).collect();
        Some((*measure, mean(&readings)?, readings.len()))
    };
    Measure::ALL.iter().filter(|m| **m != Measure::Bmi).filter_map(of).collect()
}

/// The mean of readings that were repeated, to the nearest tenth; one reading has none.
fn mean(readings: &[Tenths]) -> Option<Tenths> {
    let many = i64::try_from(readings.len()).ok().filter(|n| *n > 1)?;
    let sum: i64 = readings.iter().map(|r| i64::from(r.0)).sum();
    i32::try_from((2 * sum + many).div_euclid(2 * many)).ok().map(Tenths)
}

/// Body mass index in tenths of kg/m², from weight and height in tenths of kg and cm.
pub fn bmi(weight: Tenths, height: Tenths) -> Option<Tenths> {
    if weight.0 <= 0 || height.0 <= 0 {
        return None;
    }
    // (kg/10) / (cm/1000)² × 10 = w · 10⁶ / h²
    let (w, h) = (i64::from(weight.0), i64::from(height.0));
    i32::try_from((w * 1_000_000 + h * h / 2) / (h * h)).ok().map(Tenths)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn body_mass_index() {
        assert_eq!(bmi(Tenths(680), Tenths(1720)), Some(Tenths(230)));
        assert_eq!(bmi(Tenths(680), Tenths(0)), None);
        assert_eq!(bmi(Tenths(i32::MAX), Tenths(1)), None);
    }

    #[test]
    fn repeated_readings_have_a_mean() {
        assert_eq!(mean(&[Tenths(1500), Tenths(1460), Tenths(1441)]), Some(Tenths(1467)));
        assert_eq!(mean(&[Tenths(10), Tenths(11)]), Some(Tenths(11)), "half is rounded up");
        assert_eq!(mean(&[Tenths(10)]), None);
        let (pulse, bmi) = (Measure::HeartRate, Measure::Bmi);
        let measured = [(pulse, Tenths(700)), (bmi, Tenths(230)), (pulse, Tenths(720)), (bmi, Tenths(231))];
        assert_eq!(means(&measured), [(pulse, Tenths(710), 2)]);
        assert_eq!(mean(&[Tenths(i32::MAX), Tenths(i32::MAX)]), Some(Tenths(i32::MAX)));
    }

    #[test]
    fn without_the_age_only_what_is_usual_for_everybody_is_known() {
        assert_eq!(Measure::HeartRate.usual_if_known(None, Sex::Female), None);
        assert_eq!(Measure::Temperature.usual_if_known(None, Sex::Unknown), Some((361, 378)));
        assert_eq!(Measure::HeartRate.usual_if_known(Some(1), Sex::Unknown), Some((900, 1500)));
    }

    #[test]
    fn standing_depends_on_age() {
        assert_eq!(Measure::HeartRate.standing(Tenths(1300), Some(40), Sex::Unknown), Standing::High);
        assert_eq!(Measure::HeartRate.standing(Tenths(1300), Some(1), Sex::Unknown), Standing::Usual);
        assert_eq!(Measure::Temperature.standing(Tenths(986), Some(40), Sex::Unknown), Standing::Impossible);
        assert_eq!(Measure::Weight.standing(Tenths(680), Some(40), Sex::Unknown), Standing::Usual);
        assert_eq!(Measure::HeartRate.standing(Tenths(720), None, Sex::Unknown), Standing::Unjudged);
        assert_eq!(Measure::HeartRate.standing(Tenths(9000), None, Sex::Unknown), Standing::Impossible);
        assert_eq!(Measure::Temperature.standing(Tenths(385), None, Sex::Unknown), Standing::High);
        assert_eq!(Measure::Weight.standing(Tenths(680), None, Sex::Unknown), Standing::Usual, "no range at any age");
        assert_eq!(Measure::Waist.standing(Tenths(950), Some(40), Sex::Female), Standing::High);
        assert_eq!(Measure::Waist.standing(Tenths(950), Some(40), Sex::Male), Standing::Usual);
        assert_eq!(Measure::Height.standing(Tenths(200), Some(40), Sex::Unknown), Standing::Impossible);
        assert_eq!(Measure::Height.standing(Tenths(480), Some(0), Sex::Unknown), Standing::Usual);
        assert_eq!(
            Measure::Height.standing(Tenths(480), None, Sex::Unknown),
            Standing::Usual,
            "an unknown age is not guessed"
        );
        assert_eq!(Measure::OxygenSaturation.standing(Tenths(910), Some(40), Sex::Unknown), Standing::Low);
    }
}
