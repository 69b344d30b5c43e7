//! A dosage in the structure of FHIR (R4, Dosage and Timing): one element for each step.

use super::text;
use harbor_core::prescribing::dosage::{AsNeeded, DayTime, Food, Step};
use harbor_core::prescribing::{Dosage, DoseUnit, Often, Portion};
use serde_json::{Value, json};

pub const UCUM: &str = "http://unitsofmeasure.org";

/// The codes of FHIR's event timing for our times of the day.
const WHEN: [(DayTime, &str); 4] =
    [(DayTime::Morning, "MORN"), (DayTime::Noon, "NOON"), (DayTime::Evening, "EVE"), (DayTime::Bedtime, "HS")];

/// Without a structure the words alone go, which is lawful too.
pub fn write(dosage: Option<&Dosage>, instructions: &str, route: &str, unit: DoseUnit) -> Value {
    let Some(dosage) = dosage else {
        return json!([{ "text": instructions, "route": { "text": route } }]);
    };
    let steps = dosage.steps.iter().enumerate().map(|(n, step)| {
        let quantity = |p: Portion| json!({ "value": p.number(), "unit": unit.code() });
        let dose = match step.up_to {
            Some(most) => json!({ "doseRange": { "low": quantity(step.amount), "high": quantity(most) } }),
            None => json!({ "doseQuantity": quantity(step.amount) }),
        };
        let mut out = json!({
            "sequence": n + 1, "text": instructions, "route": { "text": route },
            "timing": { "repeat": timing(step) }, "doseAndRate": [dose]
        });
        if let Some(needed) = &dosage.as_needed {
            if needed.reason.is_empty() {
                out["asNeededBoolean"] = json!(true);
            } else {
                out["asNeededCodeableConcept"] = json!({ "text": needed.reason });
            }
            if let Some(most) = needed.most_per_day {
                let day = json!({ "value": 1, "unit": "day", "system": UCUM, "code": "d" });
                out["maxDosePerPeriod"] = json!({ "numerator": quantity(most), "denominator": day });
            }
        }
        if let Some(food) = dosage.food {
            out["additionalInstruction"] = json!([{ "text": food.label() }]);
        }
        out
    });
    steps.collect()
}

fn timing(step: &Step) -> Value {
    let bounds = json!({ "value": step.days, "unit": "days", "system": UCUM, "code": "d" });
    let often = |frequency: u32, period: u32, unit: &str| json!({ "frequency": frequency, "period": period, "periodUnit": unit, "boundsDuration": bounds });
    match &step.often {
        Often::Once => json!({ "count": 1, "boundsDuration": bounds }),
        Often::Times(n) => often(*n, 1, "d"),
        Often::EveryHours(h) => often(1, *h, "h"),
        Often::EveryDays(n) => often(1, *n, "d"),
        Often::TimesAWeek(n) => often(*n, 1, "wk"),
        Often::At(times) => {
            let when: Vec<&str> = WHEN.iter().filter(|(time, _)| times.contains(time)).map(|(_, code)| *code).collect();
            json!({ "when": when, "boundsDuration": bounds })
        }
    }
}

/// Reads a dosage; nothing where it is only words, or in a structure that we do not write.
pub fn read(instructions: &Value) -> Option<Dosage> {
    let all = instructions.as_array()?;
    let steps: Vec<Step> = all.iter().map(read_step).collect::<Option<_>>()?;
    let first = all.first()?;
    let most = first.pointer("/maxDosePerPeriod/numerator/value").and_then(Value::as_f64).and_then(Portion::of);
    let reason = text(first, "/asNeededCodeableConcept/text").to_owned();
    let needed = !reason.is_empty() || first["asNeededBoolean"] == true;
    let food = text(first, "/additionalInstruction/0/text");
    Some(Dosage {
        steps,
        as_needed: needed.then_some(AsNeeded { reason, most_per_day: most }),
        food: Food::ALL.iter().find(|f| f.label() == food).copied(),
    })
}

fn read_step(value: &Value) -> Option<Step> {
    let amount = |pointer: &str| value.pointer(pointer).and_then(Value::as_f64).and_then(Portion::of);
    let repeat = value.pointer("/timing/repeat")?;
    let whole = |field: &str| repeat[field].as_f64().filter(|n| (1.0..=1000.0).contains(n)).map(|n| n as u32);
    let days = repeat.pointer("/boundsDuration/value").and_then(Value::as_f64)? as u32;
    let often = match (whole("count"), repeat["when"].as_array()) {
        (Some(1), _) => Often::Once,
        (_, Some(when)) => {
            let times = WHEN.iter().filter(|(_, code)| when.iter().any(|w| w == code)).map(|(time, _)| *time);
            Often::At(times.collect())
        }
        _ => match (whole("frequency")?, whole("period")?, repeat["periodUnit"].as_str()?) {
            (n, 1, "d") => Often::Times(n),
            (1, n, "d") => Often::EveryDays(n),
            (1, h, "h") => Often::EveryHours(h),
            (n, 1, "wk") => Often::TimesAWeek(n),
            _ => return None,
        },
    };
    let single = amount("/doseAndRate/0/doseQuantity/value");
    let range = amount("/doseAndRate/0/doseRange/low/value").zip(amount("/doseAndRate/0/doseRange/high/value"));
    let (amount, up_to) = match (single, range) {
        (Some(one), _) => (one, None),
        (None, Some((low, high))) => (low, Some(high)),
        (None, None) => return None,
    };
    Some(Step { amount, up_to, often, days })
}
