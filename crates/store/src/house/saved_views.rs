//! What somebody looks for again and again, under a name of their own.

use crate::rows::SavedView;
use crate::schema::saved_views as s;
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use uuid::Uuid;

/// So many of one list somebody keeps.
pub const MOST: usize = 30;

/// The views that somebody keeps of a list, by name.
pub async fn of(conn: &mut Conn, staff: Uuid, place: &str) -> Result<Vec<SavedView>> {
    Ok(s::table
        .filter(s::staff_id.eq(staff).and(s::place.eq(place)))
        .order(s::name)
        .select(SavedView::as_select())
        .load(conn)
        .await?)
}

impl Change<'_> {
    /// Keeps a view under a name; one of that name is said anew.
    pub async fn keep_view(&mut self, staff: Uuid, place: &str, name: &str, asked: &str) -> Result<()> {
        let there = of(self.conn(), staff, place).await?;
        let same = there.iter().find(|v| v.name.to_lowercase() == name.to_lowercase());
        if same.is_none() && there.len() >= MOST {
            return Err(StoreError::refused("views", format!("At most {MOST} are kept; remove one first.")));
        }
        let row = SavedView {
            id: same.map_or_else(Uuid::now_v7, |v| v.id),
            staff_id: staff,
            place: place.into(),
            name: name.into(),
            asked: asked.into(),
        };
        diesel::delete(s::table.find(row.id)).execute(self.conn()).await?;
        diesel::insert_into(s::table).values(&row).execute(self.conn()).await?;
        self.audit("kept view", "view", row.id, None, format!("{place}: {name}"));
        self.tell(Topic::Views, row.id);
        Ok(())
    }

    /// Forgets a view of one's own.
    pub async fn forget_view(&mut self, staff: Uuid, id: Uuid) -> Result<()> {
        let own = s::table.filter(s::id.eq(id).and(s::staff_id.eq(staff)));
        if diesel::delete(own).execute(self.conn()).await? == 0 {
            return Err(StoreError::NotFound("view"));
        }
        self.audit("forgot view", "view", id, None, "");
        self.tell(Topic::Views, id);
        Ok(())
    }
}
