//! Orders made again: sets, what somebody orders most, what comes due by itself, and what is on record already.

use crate::rows::*;
use crate::schema::{lab_reports, order_repeats, order_sets, orders, people, result_values};
use crate::{Change, Conn, Result, StoreError, Topic};
use chrono::{DateTime, NaiveDate, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::orders::again::Rhythm;
use std::collections::HashMap;
use uuid::Uuid;

/// How often somebody ordered each thing since a day, by its code.
pub async fn used_by(conn: &mut Conn, orderer: Uuid, since: DateTime<Utc>) -> Result<HashMap<String, i64>> {
    let theirs = orders::orderer_id.eq(orderer).and(orders::ordered_at.ge(since)).and(orders::state.ne("cancelled"));
    let counted: Vec<(String, i64)> = orders::table
        .filter(theirs)
        .group_by(orders::test_code)
        .select((orders::test_code, diesel::dsl::count_star()))
        .load(conn)
        .await?;
    Ok(counted.into_iter().collect())
}

/// Sets of the clinic and of one clinician, the clinic's first.
pub async fn sets(conn: &mut Conn, owner: Uuid) -> Result<Vec<OrderSet>> {
    use order_sets as s;
    Ok(s::table
        .filter(s::owner_id.is_null().or(s::owner_id.eq(owner)))
        .order((s::owner_id.is_not_null(), s::name))
        .select(OrderSet::as_select())
        .load(conn)
        .await?)
}

/// Orders of a person since a time that are not taken back: what may be a repetition.
pub async fn ordered_since(conn: &mut Conn, person: Uuid, since: DateTime<Utc>) -> Result<Vec<Order>> {
    let lately = orders::person_id.eq(person).and(orders::ordered_at.ge(since)).and(orders::state.ne("cancelled"));
    Ok(orders::table.filter(lately).order(orders::ordered_at).select(Order::as_select()).load(conn).await?)
}

/// Values of a person that were issued since a time and hold, with when.
pub async fn known_since(
    conn: &mut Conn,
    person: Uuid,
    since: DateTime<Utc>,
) -> Result<Vec<(DateTime<Utc>, ResultValue)>> {
    use {lab_reports as r, result_values as v};
    let lately = r::person_id.eq(person).and(r::replaced.eq(false)).and(r::issued_at.ge(since));
    Ok(r::table
        .inner_join(v::table.on(v::report_id.eq(r::id)))
        .filter(lately.and(v::loinc.ne("")).and(v::missing.eq(false)))
        .order(r::issued_at)
        .select((r::issued_at, ResultValue::as_select()))
        .load(conn)
        .await?)
}

/// What comes due again for a person, the soonest first; what has ended is left out.
pub async fn repeats_of(conn: &mut Conn, person: Uuid) -> Result<Vec<OrderRepeat>> {
    use order_repeats as o;
    Ok(o::table
        .filter(o::person_id.eq(person).and(o::due.is_not_null()))
        .order((o::due, o::id))
        .select(OrderRepeat::as_select())
        .load(conn)
        .await?)
}

/// What is due on a day or was before, locked against other servers, with its person.
pub async fn due(conn: &mut Conn, day: NaiveDate) -> Result<Vec<(OrderRepeat, Person)>> {
    use order_repeats as o;
    Ok(o::table
        .inner_join(people::table.on(people::id.eq(o::person_id)))
        .filter(o::due.le(day))
        .order((o::due, o::id))
        .limit(super::LISTED)
        .select((OrderRepeat::as_select(), Person::as_select()))
        .for_update()
        .skip_locked()
        .load(conn)
        .await?)
}

/// Whether anything is due: asked often, and cheap.
pub async fn is_due(conn: &mut Conn, day: NaiveDate) -> Result<bool> {
    use order_repeats as o;
    Ok(diesel::select(diesel::dsl::exists(o::table.filter(o::due.le(day)))).get_result(conn).await?)
}

impl Change<'_> {
    /// Keeps a set under its name, new or in the place of the one with this id.
    pub async fn keep_set(&mut self, set: OrderSet) -> Result<OrderSet> {
        use order_sets as s;
        self.alone_at("sets of orders", "").await?;
        let others = s::table.filter(s::owner_id.is_not_distinct_from(set.owner_id).and(s::id.ne(set.id)));
        let names: Vec<String> = others.select(s::name).load(self.conn()).await?;
        if names.iter().any(|n| n.to_lowercase() == set.name.to_lowercase()) {
            return Err(StoreError::refused("set-name", "There is a set of that name."));
        }
        diesel::insert_into(s::table)
            .values(&set)
            .on_conflict(s::id)
            .do_update()
            .set((s::name.eq(&set.name), s::items.eq(&set.items)))
            .execute(self.conn())
            .await?;
        self.tell(Topic::Clinic, set.id);
        self.audit("kept", "set of orders", set.id, None, format!("{}: {}", set.name, set.items.join(" ")));
        Ok(set)
    }

    pub async fn drop_set(&mut self, set: &OrderSet) -> Result<()> {
        diesel::delete(order_sets::table.find(set.id)).execute(self.conn()).await?;
        self.tell(Topic::Clinic, set.id);
        self.audit("took away", "set of orders", set.id, None, set.name.clone());
        Ok(())
    }

    /// Lets an order come due again by itself.
    pub async fn begin_repeat(&mut self, order: &Order, rhythm: Rhythm, today: NaiveDate) -> Result<OrderRepeat> {
        use order_repeats as o;
        self.alone_at("repeated orders", &order.person_id.to_string()).await?;
        let same = o::person_id.eq(order.person_id).and(o::test_code.eq(&order.test_code)).and(o::due.is_not_null());
        let runs: bool = diesel::select(diesel::dsl::exists(o::table.filter(same))).get_result(self.conn()).await?;
        if runs {
            return Err(StoreError::refused("repeats", "It comes due again by itself already; end that first."));
        }
        let under = super::links(self.conn(), &[order.id]).await?;
        let row = OrderRepeat {
            id: Uuid::now_v7(),
            person_id: order.person_id,
            orderer_id: order.orderer_id,
            test_code: order.test_code.clone(),
            test_name: order.test_name.clone(),
            under: under.into_iter().map(|l| l.code).collect(),
            months: i32::try_from(rhythm.months).unwrap_or(i32::MAX),
            until: rhythm.until,
            due: rhythm.after(today),
            begun_at: self.now,
            begun_by: self.actor.name.clone(),
            ended_why: String::new(),
        };
        diesel::insert_into(o::table).values(&row).execute(self.conn()).await?;
        let detail = format!("{} every {} months until {}", row.test_name, row.months, row.until);
        self.audit("lets come due again", "order", order.id, Some(row.person_id), detail);
        self.tell(Topic::Person, row.person_id);
        Ok(row)
    }

    /// Ends what comes due again, or moves it to its next day.
    pub async fn repeat_goes_on(&mut self, repeat: &OrderRepeat, next: Option<NaiveDate>, why: &str) -> Result<()> {
        use order_repeats as o;
        let n = diesel::update(o::table.filter(o::id.eq(repeat.id).and(o::due.is_not_null())))
            .set((o::due.eq(next), o::ended_why.eq(why)))
            .execute(self.conn())
            .await?;
        if n == 0 {
            return Err(StoreError::refused("ended", "It has ended already."));
        }
        let what = if next.is_some() { "came due" } else { "comes due no more" };
        let detail = [repeat.test_name.as_str(), why].join(" ").trim().to_owned();
        self.audit(what, "repeated order", repeat.id, Some(repeat.person_id), detail);
        self.tell(Topic::Person, repeat.person_id);
        Ok(())
    }
}

/// One thing that comes due again.
pub async fn repeat(conn: &mut Conn, id: Uuid) -> Result<OrderRepeat> {
    let row = order_repeats::table.find(id).select(OrderRepeat::as_select()).first(conn).await.optional()?;
    row.ok_or(StoreError::NotFound("repeated order"))
}

pub async fn set(conn: &mut Conn, id: Uuid) -> Result<OrderSet> {
    let row = order_sets::table.find(id).select(OrderSet::as_select()).first(conn).await.optional()?;
    row.ok_or(StoreError::NotFound("set of orders"))
}
