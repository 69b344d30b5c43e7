//! Values of a report, one row each: as they were said, kept together and told in words.

use crate::codes::Code;
use crate::rows::ResultValue;
use crate::{Change, Result};
use diesel::sql_types::Jsonb;
use diesel_async::RunQueryDsl;
use harbor_core::orders::units;
use harbor_core::orders::{Limits, ReportedValue, Said};
use uuid::Uuid;

/// All values of a report in one statement that is the same for every number of them: one with a place for each value
/// would be planned anew every time, which cost more than the writing.
const INSERT: &str = "insert into result_values
    (report_id, position, test_key, loinc, own_code, name,
     comparator, number, words, missing, unit, low,
     high, critical_low, critical_high, range, flag, flagged_by,
     method, note)
    select v.\"reportId\", v.\"position\", v.\"testKey\", v.\"loinc\", v.\"ownCode\", v.\"name\",
     v.\"comparator\", v.\"number\", v.\"words\", v.\"missing\", v.\"unit\", v.\"low\",
     v.\"high\", v.\"criticalLow\", v.\"criticalHigh\", v.\"range\", v.\"flag\", v.\"flaggedBy\",
     v.\"method\", v.\"note\"
    from jsonb_to_recordset($1) as v(\"reportId\" uuid, \"position\" integer, \"testKey\" text, \"loinc\" text, \"ownCode\" text,
     \"name\" text, \"comparator\" text, \"number\" double precision, \"words\" text, \"missing\" boolean,
     \"unit\" text, \"low\" double precision, \"high\" double precision, \"criticalLow\" double precision, \"criticalHigh\" double precision,
     \"range\" text, \"flag\" text, \"flaggedBy\" text, \"method\" text, \"note\" text)";

impl Change<'_> {
    pub(super) async fn keep_values(&mut self, report: Uuid, values: &[ReportedValue]) -> Result<()> {
        let rows: Vec<ResultValue> = values.iter().enumerate().map(|(at, v)| value_row(report, at, v)).collect();
        let rows = serde_json::to_value(&rows).map_err(|e| crate::StoreError::Unreachable(e.to_string()))?;
        diesel::sql_query(INSERT).bind::<Jsonb, _>(rows).execute(self.conn()).await?;
        Ok(())
    }
}

fn value_row(report: Uuid, position: usize, v: &ReportedValue) -> ResultValue {
    let (comparator, number, words, missing) = match &v.said {
        Said::Number { comparator, value } => (*comparator, Some(*value), String::new(), false),
        Said::Words(words) => (None, None, words.clone(), false),
        Said::NotMeasured(why) => (None, None, why.clone(), true),
    };
    ResultValue {
        report_id: report,
        position: i32::try_from(position).unwrap_or(i32::MAX),
        test_key: v.test_key(),
        loinc: v.loinc.clone(),
        own_code: v.own_code.clone(),
        name: v.name.clone(),
        comparator: comparator.map(Code),
        number,
        words,
        missing,
        unit: v.unit.clone(),
        low: v.usual.low,
        high: v.usual.high,
        critical_low: v.critical.low,
        critical_high: v.critical.high,
        range: v.range.clone(),
        flag: v.interpretation.map(Code),
        flagged_by: v.flagged_by.map(Code),
        method: v.method.clone(),
        note: v.note.clone(),
    }
}

impl ResultValue {
    /// As the rules know what was said.
    pub fn said(&self) -> Said {
        match self.number {
            _ if self.missing => Said::NotMeasured(self.words.clone()),
            Some(value) => Said::Number { comparator: self.comparator.map(|c| *c), value },
            None => Said::Words(self.words.clone()),
        }
    }

    /// `5.4 mmol/L`, the unit as people write it.
    pub fn told(&self) -> String {
        format!("{} {}", self.said().in_words(), units::shown(&self.unit)).trim().to_owned()
    }

    /// `Potassium 5.4 mmol/L (high)`.
    pub fn in_words(&self) -> String {
        let flag = self.flag.filter(|f| !f.is_usual()).map(|f| format!(" ({})", f.label())).unwrap_or_default();
        format!("{} {}{flag}", self.name, self.told())
    }

    /// It is marked.
    pub fn is_outside(&self) -> bool {
        self.flag.is_some_and(|f| f.is_outside())
    }

    /// The usual range in words.
    pub fn usual_range(&self) -> String {
        match self.range.as_str() {
            "" => Limits { low: self.low, high: self.high }.in_words(),
            said => said.to_owned(),
        }
    }
}
