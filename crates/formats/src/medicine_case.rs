//! A prescription with what is known of the person, as JSON, for checking it without a database.
//!
//! Fields that are missing or null are not known. Numbers that cannot be meant (a negative weight, an age of a thousand
//! years) are refused at their place.

use crate::Located;
use harbor_core::consult::Reaction;
use harbor_core::people::Sex;
use harbor_core::prescribing::{Allergy, Dated, Dispensed, Medicine, Patient, Prescribed, Rules};
use serde_json::Value;

/// A case as it was read.
pub struct Case<'r> {
    pub item: Prescribed<'r>,
    pub patient: Patient<'r>,
}

/// One object of the case, with the way to it for errors.
struct At<'v> {
    value: &'v Value,
    path: &'static str,
}

fn wrong(path: &str, field: &str, expected: &str) -> Located {
    Located { segment: 0, byte: 0, id: format!("{path}.{field}"), element: None, expected: expected.to_owned() }
}

impl<'v> At<'v> {
    fn get(&self, field: &str) -> Option<&'v Value> {
        self.value.get(field).filter(|v| !v.is_null())
    }

    fn number(&self, field: &str, most: f64) -> Result<Option<f64>, Located> {
        let Some(value) = self.get(field) else { return Ok(None) };
        let number = value.as_f64().filter(|n| n.is_finite() && *n >= 0.0 && *n <= most);
        number.map(Some).ok_or_else(|| wrong(self.path, field, &format!("a number from 0 to {most}")))
    }

    fn whole(&self, field: &str) -> Result<Option<u32>, Located> {
        let whole =
            |n: f64| if n.fract() == 0.0 { Ok(n as u32) } else { Err(wrong(self.path, field, "a whole number")) };
        self.number(field, 1e6)?.map(whole).transpose()
    }

    fn yes(&self, field: &str) -> Result<Option<bool>, Located> {
        let Some(value) = self.get(field) else { return Ok(None) };
        value.as_bool().map(Some).ok_or_else(|| wrong(self.path, field, "true or false"))
    }

    fn text(&self, field: &str) -> Result<&'v str, Located> {
        let Some(value) = self.get(field) else { return Ok("") };
        value.as_str().ok_or_else(|| wrong(self.path, field, "text"))
    }

    fn list(&self, field: &str) -> Result<&'v [Value], Located> {
        let Some(value) = self.get(field) else { return Ok(&[]) };
        value.as_array().map(Vec::as_slice).ok_or_else(|| wrong(self.path, field, "a list"))
    }

    fn texts(&self, field: &str) -> Result<Vec<String>, Located> {
        let one = |v: &Value| v.as_str().map(str::to_owned).ok_or_else(|| wrong(self.path, field, "texts"));
        self.list(field)?.iter().map(one).collect()
    }
}

/// Reads a case. Allergies that nobody says were asked count as asked where some are listed.
pub fn read<'r>(bytes: &[u8], rules: &'r Rules) -> Result<Case<'r>, Located> {
    let value: Value = serde_json::from_slice(bytes).map_err(|e| Located {
        segment: e.line(),
        byte: e.column(),
        id: "JSON".into(),
        element: None,
        expected: format!("a case ({e})"),
    })?;
    of(&value, rules)
}

/// Reads a case that is JSON already.
pub fn of<'r>(value: &Value, rules: &'r Rules) -> Result<Case<'r>, Located> {
    let whole = At { value, path: "case" };
    let object = |field: &'static str| {
        let value = whole.get(field).filter(|v| v.is_object());
        value.map(|value| At { value, path: field }).ok_or_else(|| wrong("case", field, "an object"))
    };
    let (who, what) = (object("patient")?, object("item")?);
    let item = Prescribed { medicine: medicine(&what, rules)?, days: what.whole("days")? };
    let days_ago = what.whole("last_dispensed_days_ago")?;
    let dispensed = days_ago
        .zip(what.whole("last_dispensed_for_days")?)
        .map(|(days_ago, for_days)| Dispensed { days_ago, for_days });
    let dated = |value: &str, age: &str, most| -> Result<Option<Dated>, Located> {
        let days_old = who.whole(age)?.unwrap_or(0);
        Ok(who.number(value, most)?.filter(|v| *v > 0.0).map(|value| Dated { value, days_old }))
    };
    let allergies: Vec<Allergy> = who.list("allergies")?.iter().map(allergy).collect::<Result<_, _>>()?;
    let sex = match who.text("sex")? {
        "" => Sex::Unknown,
        sex => Sex::as_written(sex).ok_or_else(|| wrong("patient", "sex", "F or M"))?,
    };
    let taking = who.list("taking")?.iter().map(|value| medicine(&At { value, path: "patient.taking" }, rules));
    Ok(Case {
        patient: Patient {
            age_days: who.whole("age_days")?,
            sex,
            weight: dated("weight_kg", "weight_days_old", 1e6)?,
            height: who.number("height_cm", 300.0)?.filter(|h| *h > 0.0),
            pregnant: who.yes("pregnant")?,
            breastfeeding: who.yes("breastfeeding")?,
            creatinine: dated("creatinine_mg_dl", "creatinine_days_old", 100.0)?,
            allergies_asked: who.yes("allergies_asked")?.unwrap_or(!allergies.is_empty()),
            allergies,
            problems: who.texts("problems")?,
            taking: taking.collect::<Result<_, _>>()?,
            dispensed,
        },
        item,
    })
}

fn allergy(value: &Value) -> Result<Allergy, Located> {
    let at = At { value, path: "patient.allergies" };
    let severity = match at.text("severity")? {
        "" => None,
        word => Some(
            Reaction::from_code(&word.to_lowercase())
                .ok_or_else(|| wrong(at.path, "severity", "mild, moderate or severe"))?,
        ),
    };
    let (substance, reaction) = (at.text("substance")?.to_owned(), at.text("reaction")?.to_owned());
    if substance.trim().is_empty() {
        return Err(wrong(at.path, "substance", "what it is to"));
    }
    Ok(Allergy { substance, reaction, severity })
}

/// A medicine by its ingredients, or by what was written of it.
fn medicine<'r>(at: &At, rules: &'r Rules) -> Result<Medicine<'r>, Located> {
    let ingredients = at.texts("ingredients")?;
    let words = at.text("name")?;
    let mut medicine = if ingredients.is_empty() && !words.is_empty() {
        rules.medicine_in_words(words)
    } else if ingredients.is_empty() {
        return Err(wrong(at.path, "ingredients", "at least one ingredient"));
    } else {
        rules.medicine(&ingredients, at.text("form")?, at.text("strength")?)
    };
    medicine.per_day = at.number("per_day", 1e9)?;
    // Of what is taken the number a day is often all that is known: one at a time is what `per_day` counts.
    medicine.dose = match at.number("dose", 1e9)? {
        None if at.path != "item" => medicine.per_day.map(|_| 1.0),
        dose => dose,
    };
    Ok(medicine)
}
