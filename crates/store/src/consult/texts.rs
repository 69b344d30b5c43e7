//! Text templates: the clinic's, which everybody uses, and one's own.

use crate::documents::{Doc, TextOfPart};
use crate::rows::TextTemplate;
use crate::schema::text_templates as t;
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use uuid::Uuid;

/// What somebody may use: the clinic's and their own, in their last versions.
pub async fn in_use(conn: &mut Conn, whose: Uuid) -> Result<Vec<TextTemplate>> {
    let mut rows = last_of_each(conn, whose).await?;
    rows.retain(|row| !row.ended);
    Ok(rows)
}

/// What somebody may use again.
pub async fn used_no_more(conn: &mut Conn, whose: Uuid) -> Result<Vec<TextTemplate>> {
    let mut rows = last_of_each(conn, whose).await?;
    rows.retain(|row| row.ended);
    Ok(rows)
}

async fn last_of_each(conn: &mut Conn, whose: Uuid) -> Result<Vec<TextTemplate>> {
    let mut rows: Vec<TextTemplate> = t::table
        .filter(t::owner_id.is_null().or(t::owner_id.eq(whose)))
        .distinct_on(t::entry_id)
        .order((t::entry_id, t::version.desc()))
        .select(TextTemplate::as_select())
        .load(conn)
        .await?;
    rows.sort_by(|a, b| (a.owner_id.is_none(), &a.title).cmp(&(b.owner_id.is_none(), &b.title)));
    Ok(rows)
}

/// The last version of a template that somebody may change: in use or no more.
pub async fn to_change(conn: &mut Conn, entry: Uuid, whose: Uuid) -> Result<TextTemplate> {
    let last: Option<TextTemplate> = t::table
        .filter(t::entry_id.eq(entry))
        .order(t::version.desc())
        .select(TextTemplate::as_select())
        .first(conn)
        .await
        .optional()?;
    last.filter(|row| row.owner_id.is_none_or(|owner| owner == whose)).ok_or(StoreError::NotFound("text template"))
}

/// The last version of a template that somebody may use.
pub async fn one(conn: &mut Conn, entry: Uuid, whose: Uuid) -> Result<TextTemplate> {
    let found = in_use(conn, whose).await?.into_iter().find(|row| row.entry_id == entry);
    found.ok_or(StoreError::NotFound("text template"))
}

/// A text template as it is to be.
#[derive(Debug, Clone)]
pub struct NewText<'a> {
    /// Nothing for the clinic's.
    pub owner: Option<Uuid>,
    pub title: &'a str,
    pub complaints: &'a str,
    pub texts: Vec<TextOfPart>,
    pub ended: bool,
}

impl Change<'_> {
    /// Adds a template, or changes one over the version that its writer saw.
    pub async fn write_text(&mut self, of: Option<(Uuid, i32)>, new: NewText<'_>) -> Result<TextTemplate> {
        let id = Uuid::now_v7();
        let (entry_id, seen) = of.unwrap_or((id, 0));
        let row = TextTemplate {
            id,
            entry_id,
            version: seen + 1,
            owner_id: new.owner,
            title: new.title.to_owned(),
            complaints: new.complaints.to_owned(),
            texts: Doc(new.texts),
            ended: new.ended,
            recorded_at: self.now,
            recorded_by: self.actor.name.clone(),
        };
        let n = diesel::insert_into(t::table).values(&row).on_conflict_do_nothing().execute(self.conn()).await?;
        if n == 0 {
            let current: Option<TextTemplate> = t::table
                .filter(t::entry_id.eq(entry_id))
                .order(t::version.desc())
                .select(TextTemplate::as_select())
                .first(self.conn())
                .await
                .optional()?;
            return Err(StoreError::Stale { current: serde_json::to_value(current).unwrap_or_default() });
        }
        self.audit(if row.ended { "ended" } else { "wrote" }, "text template", entry_id, None, row.title.clone());
        self.tell(Topic::Texts, entry_id);
        Ok(row)
    }
}
