//! Groups of clinicians to look at together.

use crate::rows::ClinicianGroup;
use crate::schema::clinician_groups;
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use uuid::Uuid;

/// The clinic's groups and one's own, by name.
pub async fn seen_by(conn: &mut Conn, staff: Uuid) -> Result<Vec<ClinicianGroup>> {
    use clinician_groups as g;
    Ok(g::table
        .filter(g::owner_id.is_null().or(g::owner_id.eq(staff)))
        .order((g::owner_id.desc(), g::name))
        .select(ClinicianGroup::as_select())
        .load(conn)
        .await?)
}

impl Change<'_> {
    /// Saves a group; one of the same name and owner is replaced.
    pub async fn save_group(&mut self, owner: Option<Uuid>, name: &str, members: &[Uuid]) -> Result<ClinicianGroup> {
        use clinician_groups as g;
        let there: Option<Uuid> = g::table
            .filter(g::owner_id.is_not_distinct_from(owner).and(g::name.ilike(name.replace(['%', '_', '\\'], ""))))
            .select(g::id)
            .first(self.conn())
            .await
            .optional()?;
        let row = ClinicianGroup {
            id: there.unwrap_or_else(Uuid::now_v7),
            name: name.to_owned(),
            owner_id: owner,
            members: members.to_vec(),
        };
        diesel::delete(g::table.find(row.id)).execute(self.conn()).await?;
        diesel::insert_into(g::table).values(&row).execute(self.conn()).await?;
        self.audit("saved", "group", row.id, None, name);
        self.tell(Topic::Groups, row.id);
        Ok(row)
    }

    pub async fn remove_group(&mut self, id: Uuid, me: Uuid, whole_clinic: bool) -> Result<()> {
        use clinician_groups as g;
        let owner: Option<Uuid> = g::table
            .find(id)
            .select(g::owner_id)
            .first(self.conn())
            .await
            .optional()?
            .ok_or(StoreError::NotFound("group"))?;
        if owner.map_or(!whole_clinic, |owner| owner != me) {
            return Err(StoreError::refused("group", "This group is the clinic's; a manager removes it."));
        }
        diesel::delete(g::table.find(id)).execute(self.conn()).await?;
        self.audit("removed", "group", id, None, "");
        self.tell(Topic::Groups, id);
        Ok(())
    }
}
