//! Measurements: units, usual ranges by age, body mass index.

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
            Measure::Pain => "",
        }
    }

    /// The usual range in tenths, both ends included, for an age in years; `None` where there is none.
    /// Adults: general reference values; children: age bands of heart and breathing rate.
    pub fn usual(self, age: u32) -> Option<(i32, i32)> {
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
            Measure::Weight | Measure::Height | Measure::Bmi => return None,
        })
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
        }
    }

    pub fn standing(self, value: Tenths, age: u32) -> Standing {
        let (lowest, highest) = self.possible();
        if value.0 < lowest || value.0 > highest {
            return Standing::Impossible;
        }
        match self.usual(age) {
            Some((low, _)) if value.0 < low => Standing::Low,
            Some((_, high)) if value.0 > high => Standing::High,
            _ => Standing::Usual,
        }
    }
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
    fn standing_depends_on_age() {
        assert_eq!(Measure::HeartRate.standing(Tenths(1300), 40), Standing::High);
        assert_eq!(Measure::HeartRate.standing(Tenths(1300), 1), Standing::Usual);
        assert_eq!(Measure::Temperature.standing(Tenths(986), 40), Standing::Impossible);
        assert_eq!(Measure::Weight.standing(Tenths(680), 40), Standing::Usual);
        assert_eq!(Measure::OxygenSaturation.standing(Tenths(910), 40), Standing::Low);
    }
}
