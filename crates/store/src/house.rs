//! The house: its rooms in the clinic's own drawing and the thresholds of the day; below it who works here, how they
//! come in, and the record of looks.

pub mod beginning;
pub mod guesses;
pub mod looks;
pub mod saved_views;
pub mod sessions;
pub mod sign_ins;
pub mod staff;

use crate::documents::Doc;
use crate::rows::{Clinic, Room, Site};
use crate::schema::{clinic, list_entries, rooms, sites, visits};
use crate::{Change, Result, StoreError, Topic};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::arrival::{Stage, Thresholds};
use std::collections::BTreeMap;
use uuid::Uuid;

impl Clinic {
    pub fn thresholds(&self) -> Thresholds {
        Thresholds {
            long: self.wait_long.into(),
            too_long: self.wait_too_long.into(),
            late: self.late_after.into(),
            did_not_come: self.did_not_come_after.into(),
            critical: self.critical_after.into(),
        }
    }
}

impl Change<'_> {
    pub async fn set_thresholds(&mut self, t: Thresholds) -> Result<()> {
        let minutes = |m: i64| i32::try_from(m).unwrap_or(i32::MAX);
        diesel::update(clinic::table)
            .set((
                (clinic::wait_long.eq(minutes(t.long)), clinic::wait_too_long.eq(minutes(t.too_long))),
                (clinic::late_after.eq(minutes(t.late)), clinic::did_not_come_after.eq(minutes(t.did_not_come))),
                clinic::critical_after.eq(minutes(t.critical)),
            ))
            .execute(self.conn())
            .await?;
        self.audit("set", "thresholds", Uuid::nil(), None, format!("{t:?}"));
        self.tell(Topic::Clinic, Uuid::nil());
        Ok(())
    }

    /// Says in how many days the result of one thing usually is here; without days as the list has it.
    pub async fn set_usual_days(&mut self, code: &str, of_it: Option<u32>) -> Result<()> {
        // Two who change different things at once lose neither.
        self.alone_at("usual days", "").await?;
        let mut days: BTreeMap<String, u32> = staff::clinic(self.conn()).await?.usual_days.0;
        match of_it {
            Some(of_it) => days.insert(code.to_owned(), of_it),
            None => days.remove(code),
        };
        let detail = format!("{code} {}", of_it.map_or("as listed".to_owned(), |d| d.to_string()));
        diesel::update(clinic::table).set(clinic::usual_days.eq(Doc(days))).execute(self.conn()).await?;
        self.audit("set", "usual days", Uuid::nil(), None, detail);
        self.tell(Topic::Clinic, Uuid::nil());
        Ok(())
    }

    /// Where a site is.
    pub async fn save_site(&mut self, row: &Site) -> Result<()> {
        use sites as s;
        diesel::update(s::table.find(row.id))
            .set((
                s::address_line.eq(&row.address_line),
                s::city.eq(&row.city),
                s::state.eq(&row.state),
                s::postal_code.eq(&row.postal_code),
                s::place_of_service.eq(&row.place_of_service),
            ))
            .execute(self.conn())
            .await?;
        self.audit("set site", "site", row.id, None, row.name.clone());
        self.tell(Topic::Clinic, row.id);
        Ok(())
    }

    /// Adds a room or changes one. A room with somebody in it stays in use; one that is put where another lies
    /// changes places with it.
    pub async fn save_room(&mut self, row: &Room) -> Result<()> {
        let all: Vec<Room> = rooms::table
            .filter(rooms::site_id.eq(row.site_id).and(rooms::active.eq(true)))
            .order(rooms::id)
            .for_update()
            .select(Room::as_select())
            .load(self.conn())
            .await?;
        if row.active && all.iter().any(|r| r.id != row.id && r.name == row.name) {
            return Err(StoreError::refused("room", format!("There is a room {} already.", row.name)));
        }
        let there = all.iter().find(|r| r.id != row.id && (r.place_x, r.place_y) == (row.place_x, row.place_y));
        if let (Some(other), Some(old)) = (there.filter(|_| row.active), all.iter().find(|r| r.id == row.id)) {
            diesel::update(rooms::table.find(other.id))
                .set((rooms::place_x.eq(old.place_x), rooms::place_y.eq(old.place_y)))
                .execute(self.conn())
                .await?;
        }
        if !row.active {
            let inside: i64 = visits::table
                .filter(visits::room_id.eq(row.id))
                .filter(visits::stage.eq_any([Stage::InRoom.code(), Stage::WithClinician.code()]))
                .count()
                .get_result(self.conn())
                .await?;
            if inside > 0 {
                return Err(StoreError::refused("room", "Somebody is in this room."));
            }
        }
        diesel::insert_into(rooms::table)
            .values(row)
            .on_conflict(rooms::id)
            .do_update()
            .set((
                (rooms::name.eq(&row.name), rooms::kind.eq(&row.kind), rooms::active.eq(row.active)),
                (rooms::place_x.eq(row.place_x), rooms::place_y.eq(row.place_y)),
            ))
            .execute(self.conn())
            .await?;
        self.audit("saved", "room", row.id, None, row.name.clone());
        self.tell(Topic::Clinic, row.id);
        Ok(())
    }

    /// Those who did not come by the clinic's rule are marked so.
    pub async fn mark_not_come(&mut self, since: DateTime<Utc>, booked_until: DateTime<Utc>) -> Result<Vec<Uuid>> {
        // Lists without times have no time to miss.
        let listed = list_entries::table.filter(list_entries::visit_id.eq(visits::id));
        let due: Vec<Uuid> = visits::table
            .filter(diesel::dsl::not(diesel::dsl::exists(listed)))
            .filter(visits::stage.eq(Stage::Booked.code()).and(visits::rebook.eq(false)))
            .filter(visits::starts_at.gt(since).and(visits::starts_at.le(booked_until)))
            .order(visits::id)
            .for_update()
            .skip_locked()
            .select(visits::id)
            .load(self.conn())
            .await?;
        for id in &due {
            self.move_visit(*id, Stage::DidNotCome, None).await?;
        }
        Ok(due)
    }
}
