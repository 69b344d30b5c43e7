//! How well kidneys filter, from creatinine. Each rule of the tables names the measure that its threshold is in.

use crate::orders::units::converted;
use crate::people::Sex;

coded! {
    /// What a threshold for kidneys is measured by in adults; in children it is always the bedside Schwartz estimate.
    KidneyMeasure {
        /// CKD-EPI 2021, in mL/min/1.73 m².
        CkdEpi = "ckd_epi", "eGFR (CKD-EPI 2021)";
        /// Cockcroft-Gault with the actual weight, in mL/min.
        Cockcroft = "cockcroft", "clearance (Cockcroft-Gault)";
        /// Bedside Schwartz, in mL/min/1.73 m².
        Schwartz = "schwartz", "eGFR (bedside Schwartz)";
    }
}

impl KidneyMeasure {
    pub fn unit(self) -> &'static str {
        if self == KidneyMeasure::Cockcroft { "mL/min" } else { "mL/min/1.73 m²" }
    }
}

/// eGFR by the CKD-EPI equation of 2021 (creatinine, without race), in mL/min/1.73 m²: age in whole years from 18 on,
/// creatinine in mg/dL. Nothing where the sex is not known.
pub fn ckd_epi(creatinine: f64, age: u32, sex: Sex) -> Option<f64> {
    let (kappa, alpha, factor) = match sex {
        Sex::Female => (0.7, -0.241, 1.012),
        Sex::Male => (0.9, -0.302, 1.0),
        Sex::Unknown => return None,
    };
    let ratio = creatinine / kappa;
    let below = libm::pow(ratio.min(1.0), alpha);
    let above = libm::pow(ratio.max(1.0), -1.200);
    sane(142.0 * below * above * libm::pow(0.9938, f64::from(age)) * factor)
}

/// Clearance of creatinine by Cockcroft and Gault (1976), in mL/min, with the weight in kg.
pub fn cockcroft_gault(creatinine: f64, age: u32, sex: Sex, weight: f64) -> Option<f64> {
    let factor = match sex {
        Sex::Female => 0.85,
        Sex::Male => 1.0,
        Sex::Unknown => return None,
    };
    sane((140.0 - f64::from(age)).max(1.0) * weight / (72.0 * creatinine) * factor)
}

/// eGFR of a child by the bedside Schwartz equation of 2009, in mL/min/1.73 m², with the height in cm.
pub fn schwartz(creatinine: f64, height: f64) -> Option<f64> {
    sane(0.413 * height / creatinine)
}

/// LOINC codes of creatinine in serum or plasma: as mass, and as amount of substance.
pub const CREATININE_LOINC: [&str; 2] = ["2160-0", "14682-9"];

/// Micromoles of creatinine in a litre for one mg/dL (113.12 g/mol).
const MICROMOLES: f64 = 88.4;

/// A value of creatinine in mg/dL, from any unit of mass or amount in volume (UCUM).
pub fn creatinine_mg_dl(value: f64, unit: &str) -> Option<f64> {
    let mass = converted(value, unit, "mg/dL");
    let value = mass.or_else(|| converted(value, unit, "umol/L").map(|n| n / MICROMOLES))?;
    sane(value)
}

fn sane(value: f64) -> Option<f64> {
    (value.is_finite() && value > 0.0).then_some(value)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_estimates_agree_with_values_worked_out_by_hand() {
        // 142 × (0.8/0.7)^-1.2 × 0.9938^50 × 1.012
        assert!((ckd_epi(0.8, 50, Sex::Female).unwrap() - 89.7).abs() < 0.2);
        // 142 × (1.2/0.9)^-1.2 × 0.9938^60
        assert!((ckd_epi(1.2, 60, Sex::Male).unwrap() - 69.2).abs() < 0.2);
        // 142 × (0.6/0.9)^-0.302 × 0.9938^30
        assert!((ckd_epi(0.6, 30, Sex::Male).unwrap() - 133.2).abs() < 0.4);
        // (140 − 80) × 55 / (72 × 1.7) × 0.85
        assert!((cockcroft_gault(1.7, 80, Sex::Female, 55.0).unwrap() - 22.9).abs() < 0.1);
        // 0.413 × 128 / 2.6
        assert!((schwartz(2.6, 128.0).unwrap() - 20.3).abs() < 0.1);
    }

    #[test]
    fn creatinine_is_read_in_either_unit() {
        assert_eq!(creatinine_mg_dl(1.2, "mg/dL"), Some(1.2));
        assert!((creatinine_mg_dl(88.4, "umol/L").unwrap() - 1.0).abs() < 1e-9);
        assert!((creatinine_mg_dl(12.0, "mg/L").unwrap() - 1.2).abs() < 1e-9);
        assert_eq!([creatinine_mg_dl(1.2, "mm"), creatinine_mg_dl(0.0, "mg/dL")], [None, None]);
    }

    #[test]
    fn what_is_not_known_is_not_estimated() {
        assert_eq!(ckd_epi(1.0, 50, Sex::Unknown), None);
        assert_eq!(cockcroft_gault(1.0, 50, Sex::Unknown, 70.0), None);
        assert_eq!(schwartz(0.0, 120.0), None);
        assert!(cockcroft_gault(1.0, 150, Sex::Male, 70.0).unwrap() > 0.0, "older than the equation reaches");
    }
}
