//! The growth reference that ships, against figures worked out from it by another program.

use harbor_core::consult::growth::{GrowthReference, GrowthTable};
use harbor_core::people::Sex;
use harbor_formats::csv_tables;

fn rows() -> Vec<harbor_core::consult::growth::GrowthRow> {
    let file = format!("{}/../../data/growth-reference-cdc-2000.csv", env!("CARGO_MANIFEST_DIR"));
    csv_tables::growth(&std::fs::read(file).unwrap()).unwrap()
}

#[test]
fn the_median_lies_at_nought_everywhere() {
    let rows = rows();
    assert_eq!(rows.len(), 1656);
    let reference = GrowthReference::new(rows.clone());
    for r in rows {
        let at = reference.standing(r.table, r.sex, r.x, r.m).unwrap();
        assert!(at.z.abs() < 1e-12 && (at.percentile - 50.0).abs() < 1e-9, "{r:?}");
    }
}

/// Table, sex, age in months (or length in cm), third and 97th percentile.
const FIGURES: [(&str, &str, f64, f64, f64); 84] = [
    ("bmi_for_age_2_20y_kg_m2", "F", 24.0, 14.1473, 19.5641),
    ("bmi_for_age_2_20y_kg_m2", "F", 67.5, 13.2679, 19.4002),
    ("bmi_for_age_2_20y_kg_m2", "F", 110.5, 13.5141, 23.4976),
    ("bmi_for_age_2_20y_kg_m2", "F", 154.5, 14.8742, 28.1338),
    ("bmi_for_age_2_20y_kg_m2", "F", 197.5, 16.5973, 31.6743),
    ("bmi_for_age_2_20y_kg_m2", "F", 240.5, 17.4283, 35.1056),
    ("bmi_for_age_2_20y_kg_m2", "M", 24.0, 14.521, 19.8599),
    ("bmi_for_age_2_20y_kg_m2", "M", 67.5, 13.5876, 18.7857),
    ("bmi_for_age_2_20y_kg_m2", "M", 110.5, 13.7648, 22.6863),
    ("bmi_for_age_2_20y_kg_m2", "M", 154.5, 15.0657, 26.8645),
    ("bmi_for_age_2_20y_kg_m2", "M", 197.5, 17.0038, 29.5705),
    ("bmi_for_age_2_20y_kg_m2", "M", 240.5, 18.7171, 32.4134),
    ("head_circumference_for_age_0_36m_cm", "F", 0.0, 31.9302, 38.1211),
    ("head_circumference_for_age_0_36m_cm", "F", 6.5, 40.4338, 45.2656),
    ("head_circumference_for_age_0_36m_cm", "F", 14.5, 43.3429, 48.2091),
    ("head_circumference_for_age_0_36m_cm", "F", 21.5, 44.5186, 49.6548),
    ("head_circumference_for_age_0_36m_cm", "F", 29.5, 45.2485, 50.7728),
    ("head_circumference_for_age_0_36m_cm", "F", 36.0, 45.5828, 51.4452),
    ("head_circumference_for_age_0_36m_cm", "M", 0.0, 31.4876, 38.8542),
    ("head_circumference_for_age_0_36m_cm", "M", 6.5, 41.5311, 46.5052),
    ("head_circumference_for_age_0_36m_cm", "M", 14.5, 44.6433, 49.5171),
    ("head_circumference_for_age_0_36m_cm", "M", 21.5, 45.7422, 50.9275),
    ("head_circumference_for_age_0_36m_cm", "M", 29.5, 46.2861, 51.9708),
    ("head_circumference_for_age_0_36m_cm", "M", 36.0, 46.4334, 52.5721),
    ("length_for_age_0_36m_cm", "F", 0.0, 45.0949, 54.4953),
    ("length_for_age_0_36m_cm", "F", 6.5, 61.1389, 70.9555),
    ("length_for_age_0_36m_cm", "F", 13.5, 69.8428, 81.068),
    ("length_for_age_0_36m_cm", "F", 21.5, 77.1905, 89.9131),
    ("length_for_age_0_36m_cm", "F", 28.5, 82.615, 96.6393),
    ("length_for_age_0_36m_cm", "F", 35.5, 87.1035, 102.0116),
    ("length_for_age_0_36m_cm", "M", 0.0, 44.9251, 54.919),
    ("length_for_age_0_36m_cm", "M", 6.5, 63.3122, 73.3049),
    ("length_for_age_0_36m_cm", "M", 13.5, 71.9377, 83.2529),
    ("length_for_age_0_36m_cm", "M", 21.5, 78.8331, 91.6243),
    ("length_for_age_0_36m_cm", "M", 28.5, 83.8893, 97.8496),
    ("length_for_age_0_36m_cm", "M", 35.5, 88.4977, 103.1237),
    ("stature_for_age_2_20y_cm", "F", 24.0, 78.4375, 91.4773),
    ("stature_for_age_2_20y_cm", "F", 66.5, 102.564, 121.3238),
    ("stature_for_age_2_20y_cm", "F", 110.5, 122.5518, 146.3167),
    ("stature_for_age_2_20y_cm", "F", 153.5, 142.7504, 169.1827),
    ("stature_for_age_2_20y_cm", "F", 197.5, 150.5837, 174.9314),
    ("stature_for_age_2_20y_cm", "F", 240.0, 151.1112, 175.4671),
    ("stature_for_age_2_20y_cm", "M", 24.0, 79.9108, 93.0227),
    ("stature_for_age_2_20y_cm", "M", 66.5, 103.2, 121.4694),
    ("stature_for_age_2_20y_cm", "M", 110.5, 123.1506, 146.6671),
    ("stature_for_age_2_20y_cm", "M", 153.5, 140.108, 169.3634),
    ("stature_for_age_2_20y_cm", "M", 197.5, 160.0455, 187.8588),
    ("stature_for_age_2_20y_cm", "M", 240.0, 163.3333, 190.1943),
    ("weight_for_age_0_36m_kg", "F", 0.0, 2.4141, 4.2549),
    ("weight_for_age_0_36m_kg", "F", 6.5, 5.9543, 9.1809),
    ("weight_for_age_0_36m_kg", "F", 14.5, 8.4097, 12.5208),
    ("weight_for_age_0_36m_kg", "F", 21.5, 9.6492, 14.4086),
    ("weight_for_age_0_36m_kg", "F", 29.5, 10.6311, 16.2849),
    ("weight_for_age_0_36m_kg", "F", 36.0, 11.334, 17.8709),
    ("weight_for_age_0_36m_kg", "M", 0.0, 2.3555, 4.4465),
    ("weight_for_age_0_36m_kg", "M", 6.5, 6.5644, 10.1614),
    ("weight_for_age_0_36m_kg", "M", 14.5, 8.9714, 13.5346),
    ("weight_for_age_0_36m_kg", "M", 21.5, 10.0731, 15.1278),
    ("weight_for_age_0_36m_kg", "M", 29.5, 11.0147, 16.6151),
    ("weight_for_age_0_36m_kg", "M", 36.0, 11.7598, 17.9362),
    ("weight_for_age_2_20y_kg", "F", 24.0, 9.9857, 15.0016),
    ("weight_for_age_2_20y_kg", "F", 66.5, 15.1703, 26.888),
    ("weight_for_age_2_20y_kg", "F", 110.5, 21.961, 45.6742),
    ("weight_for_age_2_20y_kg", "F", 153.5, 32.5555, 70.8526),
    ("weight_for_age_2_20y_kg", "F", 197.5, 42.5416, 85.2055),
    ("weight_for_age_2_20y_kg", "F", 240.0, 45.0465, 89.0449),
    ("weight_for_age_2_20y_kg", "M", 24.0, 10.3821, 15.5965),
    ("weight_for_age_2_20y_kg", "M", 66.5, 15.6687, 26.3211),
    ("weight_for_age_2_20y_kg", "M", 110.5, 22.4162, 44.0792),
    ("weight_for_age_2_20y_kg", "M", 153.5, 32.0332, 68.5554),
    ("weight_for_age_2_20y_kg", "M", 197.5, 47.3722, 91.0979),
    ("weight_for_age_2_20y_kg", "M", 240.0, 54.0039, 100.7784),
    ("weight_for_length_kg", "F", 45.0, 1.613, 3.0756),
    ("weight_for_length_kg", "F", 56.5, 4.2202, 5.9772),
    ("weight_for_length_kg", "F", 68.5, 6.8363, 9.562),
    ("weight_for_length_kg", "F", 79.5, 9.0783, 12.3193),
    ("weight_for_length_kg", "F", 91.5, 11.4839, 15.5075),
    ("weight_for_length_kg", "F", 103.5, 14.1319, 20.138),
    ("weight_for_length_kg", "M", 45.0, 1.597, 2.8978),
    ("weight_for_length_kg", "M", 56.5, 4.2501, 6.0507),
    ("weight_for_length_kg", "M", 68.5, 7.0269, 9.5521),
    ("weight_for_length_kg", "M", 79.5, 9.3129, 12.4509),
    ("weight_for_length_kg", "M", 91.5, 11.7028, 15.5993),
    ("weight_for_length_kg", "M", 103.5, 14.4128, 19.584),
];

#[test]
fn the_third_and_the_ninety_seventh_percentile() {
    let reference = GrowthReference::new(rows());
    for (table, sex, x, third, last) in FIGURES {
        let table = GrowthTable::from_code(table).unwrap();
        let sex = Sex::from_code(sex).unwrap();
        for (value, z, percent) in [(third, -1.8808, 3.0), (last, 1.8808, 97.0)] {
            let at = reference.standing(table, sex, x, value).unwrap();
            assert!(
                (at.z - z).abs() < 0.001 && (at.percentile - percent).abs() < 0.01,
                "{table:?} {sex:?} {x}: {at:?}"
            );
            let back = reference.value_at(table, sex, x, z).unwrap();
            assert!((back - value).abs() < 0.001, "{table:?} {sex:?} {x}: {back} and not {value}");
        }
    }
}

#[test]
fn every_line_rises_above_the_one_below_it() {
    let reference = GrowthReference::new(rows());
    for table in GrowthTable::ALL {
        for sex in [Sex::Female, Sex::Male] {
            let lines: Vec<Vec<(f64, f64)>> =
                harbor_core::consult::growth::LINES.iter().map(|p| reference.line(*table, sex, *p)).collect();
            for pair in lines.windows(2) {
                assert!(
                    !pair[0].is_empty() && pair[0].iter().zip(&pair[1]).all(|(a, b)| a.1 < b.1),
                    "{table:?} {sex:?}"
                );
            }
        }
    }
}
