//! Who works here, and the clinic itself.

use crate::rows::{Clinic, Room, Site, Staff};
use crate::schema::{clinic, rooms, sites, staff};
use crate::{Conn, Result, StoreError};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use uuid::Uuid;

pub async fn clinic(conn: &mut Conn) -> Result<Clinic> {
    clinic::table.select(Clinic::as_select()).first(conn).await.optional()?.ok_or(StoreError::NotFound("clinic"))
}

pub async fn all(conn: &mut Conn) -> Result<Vec<Staff>> {
    Ok(staff::table.order((staff::sort, staff::name)).select(Staff::as_select()).load(conn).await?)
}

pub async fn get(conn: &mut Conn, id: Uuid) -> Result<Staff> {
    staff::table
        .find(id)
        .select(Staff::as_select())
        .first(conn)
        .await
        .optional()?
        .ok_or(StoreError::NotFound("member of staff"))
}

pub async fn by_login(conn: &mut Conn, login: &str) -> Result<Option<Staff>> {
    Ok(staff::table
        .filter(staff::login.eq(login).and(staff::active))
        .select(Staff::as_select())
        .first(conn)
        .await
        .optional()?)
}

pub async fn sites(conn: &mut Conn) -> Result<Vec<Site>> {
    Ok(sites::table.order(sites::sort).select(Site::as_select()).load(conn).await?)
}

pub async fn rooms(conn: &mut Conn) -> Result<Vec<Room>> {
    Ok(rooms::table.order(rooms::sort).select(Room::as_select()).load(conn).await?)
}
