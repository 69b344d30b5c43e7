//! Check-in as the clinic has set it up: its walks, its alerts and their acknowledgements, its forms and what
//! was signed.

use crate::documents::{AlertCondition, Doc};
use crate::money::accounts;
use crate::rows::{AlertAcknowledgement, AlertRule, CheckInWalk, Form, SignedForm, SignedFormHead};
use crate::schema::{alert_acknowledgements, alert_rules, check_in_walks, forms, signed_forms, visit_marks, visits};
use crate::visit_line::visits::somebody_comes;
use crate::{Change, Conn, Result, StoreError, Topic};
use chrono::NaiveDate;
use diesel::dsl::exists;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::arrival::alerts::{Condition, Rule};
use harbor_core::arrival::walk::{Step, USUAL};
use uuid::Uuid;

pub async fn walks(conn: &mut Conn) -> Result<Vec<CheckInWalk>> {
    Ok(check_in_walks::table.order(check_in_walks::id).select(CheckInWalk::as_select()).load(conn).await?)
}

/// The steps for a visit type: its own, else those of all others, else the usual ones.
pub fn steps_for(walks: &[CheckInWalk], visit_type: Uuid) -> Vec<Step> {
    let own = walks.iter().find(|w| w.visit_type_id == Some(visit_type));
    let found = own.or_else(|| walks.iter().find(|w| w.visit_type_id.is_none()));
    let steps: Vec<Step> = found.into_iter().flat_map(|w| &w.steps).map(|step| **step).collect();
    if steps.is_empty() { USUAL.to_vec() } else { steps }
}

pub async fn rules(conn: &mut Conn) -> Result<Vec<AlertRule>> {
    let active = alert_rules::table.filter(alert_rules::active.eq(true)).order(alert_rules::sentence);
    Ok(active.select(AlertRule::as_select()).load(conn).await?)
}

/// The conditions of a rule.
pub fn conditions_of(rule: &AlertRule) -> Vec<Condition> {
    rule.conditions.iter().map(|c| Condition { kind: *c.kind, value: c.value.clone() }).collect()
}

/// As the core sees a rule.
pub fn in_core(rule: &AlertRule) -> Rule {
    Rule { key: rule.id.to_string(), sentence: rule.sentence.clone(), conditions: conditions_of(rule) }
}

pub async fn acknowledged(conn: &mut Conn, visit: Uuid) -> Result<Vec<AlertAcknowledgement>> {
    use alert_acknowledgements as a;
    let found = a::table.filter(a::visit_id.eq(visit)).order(a::id).select(AlertAcknowledgement::as_select());
    Ok(found.load(conn).await?)
}

pub async fn all_forms(conn: &mut Conn) -> Result<Vec<Form>> {
    let active = forms::table.filter(forms::active.eq(true)).order((forms::sort, forms::name));
    Ok(active.select(Form::as_select()).load(conn).await?)
}

/// What a person signed, the newest first, without the papers.
pub async fn signed_by(conn: &mut Conn, person: Uuid) -> Result<Vec<SignedFormHead>> {
    use signed_forms as s;
    // Signatures never change, so they stay with the record under which they were given.
    let records = accounts::records_of(conn, &[person]).await?;
    let ids: Vec<Uuid> = records.into_iter().map(|(record, _)| record).collect();
    let found = s::table.filter(s::person_id.eq_any(ids)).order((s::at.desc(), s::id.desc()));
    Ok(found.select(SignedFormHead::as_select()).load(conn).await?)
}

pub async fn paper(conn: &mut Conn, id: Uuid) -> Result<Vec<u8>> {
    let found: Option<Option<Vec<u8>>> =
        signed_forms::table.find(id).select(signed_forms::paper).first(conn).await.optional()?;
    found.flatten().ok_or(StoreError::NotFound("form"))
}

/// The last day before `today` on which a person was seen.
pub async fn last_seen(conn: &mut Conn, person: Uuid, today: NaiveDate) -> Result<Option<NaiveDate>> {
    let signed = visit_marks::table.filter(visit_marks::visit_id.eq(visits::id).and(visit_marks::mark.eq("signed")));
    Ok(visits::table
        .filter(visits::person_id.eq(person).and(visits::day.lt(today)).and(somebody_comes()))
        .filter(visits::stage.eq("left").or(exists(signed)))
        .select(diesel::dsl::max(visits::day))
        .first(conn)
        .await?)
}

impl Change<'_> {
    pub async fn save_walk(&mut self, visit_type: Option<Uuid>, steps: &[Step]) -> Result<()> {
        use check_in_walks as w;
        let codes: Vec<&str> = steps.iter().map(|s| s.code()).collect();
        diesel::delete(w::table.filter(w::visit_type_id.is_not_distinct_from(visit_type))).execute(self.conn()).await?;
        let id = Uuid::now_v7();
        if !steps.is_empty() {
            diesel::insert_into(w::table)
                .values((w::id.eq(id), w::visit_type_id.eq(visit_type), w::steps.eq(&codes)))
                .execute(self.conn())
                .await?;
        }
        self.audit("set", "check-in walk", visit_type.unwrap_or_default(), None, codes.join(", "));
        self.tell(Topic::Clinic, id);
        Ok(())
    }

    pub async fn save_rule(&mut self, id: Uuid, sentence: &str, conditions: &[Condition], active: bool) -> Result<()> {
        use alert_rules as r;
        let stored: Vec<AlertCondition> =
            conditions.iter().map(|c| AlertCondition { kind: c.kind.into(), value: c.value.clone() }).collect();
        let stored = Doc(stored);
        let row = AlertRule { id, sentence: sentence.to_owned(), conditions: stored.clone(), active };
        diesel::insert_into(r::table)
            .values(&row)
            .on_conflict(r::id)
            .do_update()
            .set((r::sentence.eq(sentence), r::conditions.eq(stored), r::active.eq(active)))
            .execute(self.conn())
            .await?;
        self.audit("saved", "alert rule", id, None, sentence);
        self.tell(Topic::Clinic, id);
        Ok(())
    }

    pub async fn save_form(&mut self, row: &Form) -> Result<()> {
        use forms as f;
        diesel::insert_into(f::table)
            .values(row)
            .on_conflict(f::id)
            .do_update()
            .set((
                (f::name.eq(&row.name), f::body.eq(&row.body)),
                (f::valid_months.eq(row.valid_months), f::active.eq(row.active)),
            ))
            .execute(self.conn())
            .await?;
        self.audit("saved", "form", row.id, None, row.name.clone());
        self.tell(Topic::Clinic, row.id);
        Ok(())
    }

    /// Somebody has read an alert. The first of two keeps their name on it.
    pub async fn acknowledge(&mut self, visit: Uuid, rule: &str, sentence: &str) -> Result<()> {
        use alert_acknowledgements as a;
        let person = self.lock_visit(visit).await?.person_id;
        let (now, by) = (self.now, self.actor.name.clone());
        diesel::insert_into(a::table)
            .values((a::visit_id.eq(visit), a::rule.eq(rule), a::sentence.eq(sentence), a::at.eq(now), a::by.eq(by)))
            .on_conflict_do_nothing()
            .execute(self.conn())
            .await?;
        self.audit("acknowledged", "visit", visit, Some(person), sentence);
        self.tell(Topic::Visit, visit);
        Ok(())
    }

    pub async fn keep_signed(&mut self, row: &SignedForm) -> Result<()> {
        diesel::insert_into(signed_forms::table).values(row).execute(self.conn()).await?;
        self.audit("signed", "form", row.id, Some(row.person_id), format!("{}, {}", row.name, row.signer));
        if let Some(visit) = row.visit_id {
            self.tell(Topic::Visit, visit);
        }
        Ok(())
    }
}
