//! The first rows of a clinic: itself, its sites with their rooms, who pays, and the manager who sets up the rest.

use super::sign_ins::StaffForm;
use crate::rows::{Clinic, Payer, Room, Site};
use crate::schema::{clinic, payers, rooms, sites};
use crate::{Change, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use uuid::Uuid;

/// What a clinic begins with.
#[derive(Debug, Clone)]
pub struct Beginning {
    pub clinic: Clinic,
    pub sites: Vec<(Site, Vec<Room>)>,
    pub payers: Vec<Payer>,
    pub manager: StaffForm,
}

impl Change<'_> {
    /// Begins a clinic in a database that holds none. The manager sets a password by the link of this token.
    ///
    /// # Errors
    /// When the database holds a clinic already.
    pub async fn begin_clinic(&mut self, b: &Beginning, token: &str) -> Result<()> {
        let there: i64 = clinic::table.count().get_result(self.conn()).await?;
        if there > 0 {
            return Err(StoreError::refused("begun", "This database holds a clinic already; nothing was changed."));
        }
        diesel::insert_into(clinic::table).values(&b.clinic).execute(self.conn()).await?;
        for (site, own) in &b.sites {
            diesel::insert_into(sites::table).values(site).execute(self.conn()).await?;
            diesel::insert_into(rooms::table).values(own).execute(self.conn()).await?;
        }
        diesel::insert_into(payers::table).values(&b.payers).execute(self.conn()).await?;
        self.audit("began", "clinic", Uuid::nil(), None, b.clinic.name.clone());
        self.tell(Topic::Everything, Uuid::nil());
        let manager = self.add_staff(&b.manager).await?;
        self.make_password_link(manager.id, token).await?;
        Ok(())
    }
}
