//! Pictures of insurance cards. A newer picture of a side takes the place of the older one, which stays.

use crate::schema::coverage_cards as cards;
use crate::{Change, Conn, Result, StoreError, Topic, coverage};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use serde::Serialize;
use sha2::{Digest, Sha256};
use utoipa::ToSchema;
use uuid::Uuid;

/// What is known of a picture without opening it.
#[derive(Debug, Clone, PartialEq, Eq, Queryable, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CardPicture {
    pub coverage_id: Uuid,
    /// front or back.
    pub side: String,
    pub media_type: String,
    pub digest: String,
    pub added_at: DateTime<Utc>,
    pub added_by: String,
}

/// The newest picture of each side of each policy.
pub async fn of_coverages(conn: &mut Conn, coverages: &[Uuid]) -> Result<Vec<CardPicture>> {
    Ok(cards::table
        .filter(cards::coverage_id.eq_any(coverages))
        .order((cards::coverage_id, cards::side.desc(), cards::added_at.desc(), cards::id.desc()))
        .distinct_on((cards::coverage_id, cards::side))
        .select((cards::coverage_id, cards::side, cards::media_type, cards::digest, cards::added_at, cards::added_by))
        .load(conn)
        .await?)
}

/// The newest picture of one side: media type and content.
pub async fn picture(conn: &mut Conn, coverage: Uuid, side: &str) -> Result<(String, Vec<u8>)> {
    cards::table
        .filter(cards::coverage_id.eq(coverage).and(cards::side.eq(side)))
        .order((cards::added_at.desc(), cards::id.desc()))
        .select((cards::media_type, cards::content))
        .first(conn)
        .await
        .optional()?
        .ok_or(StoreError::NotFound("picture"))
}

impl Change<'_> {
    pub async fn add_card(&mut self, id: Uuid, side: &str, media_type: &str, content: &[u8]) -> Result<()> {
        let policy = coverage::get(self.conn(), id).await?;
        let digest: String = Sha256::digest(content).iter().map(|b| format!("{b:02x}")).collect();
        let (now, by) = (self.now, self.actor.name.clone());
        diesel::insert_into(cards::table)
            .values((
                cards::id.eq(Uuid::now_v7()),
                cards::coverage_id.eq(id),
                cards::side.eq(side),
                cards::media_type.eq(media_type),
                cards::content.eq(content),
                cards::digest.eq(&digest),
                cards::added_at.eq(now),
                cards::added_by.eq(by),
            ))
            .execute(self.conn())
            .await?;
        self.audit("added", "card picture", id, Some(policy.person_id), format!("{side} {media_type} {digest}"));
        self.tell(Topic::Person, policy.person_id);
        Ok(())
    }
}
