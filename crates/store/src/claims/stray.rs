//! Answers of the clearing house that belong to nothing we know: kept until somebody looked at them.

use crate::rows::StrayAnswer;
use crate::schema::stray_answers as s;
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use uuid::Uuid;

/// Those that nobody looked at yet, the oldest first.
pub async fn open(conn: &mut Conn) -> Result<Vec<StrayAnswer>> {
    Ok(s::table
        .filter(s::seen_at.is_null())
        .order((s::at, s::id))
        .limit(200)
        .select(StrayAnswer::as_select())
        .load(conn)
        .await?)
}

impl Change<'_> {
    pub async fn keep_stray_answer(&mut self, document: Uuid, kind: &str, sentence: String) -> Result<()> {
        let row = StrayAnswer {
            id: Uuid::now_v7(),
            document_id: document,
            kind: kind.to_owned(),
            sentence,
            at: self.now,
            seen_at: None,
            seen_by: String::new(),
        };
        diesel::insert_into(s::table).values(&row).execute(self.conn()).await?;
        self.audit("kept an answer that matches nothing", "document", document, None, row.kind.clone());
        self.tell(Topic::Batch, row.id);
        Ok(())
    }

    /// Somebody looked at it and has seen to what it is about.
    pub async fn see_stray_answer(&mut self, id: Uuid) -> Result<()> {
        let (now, by) = (self.now, self.actor.name.clone());
        let n = diesel::update(s::table.find(id).filter(s::seen_at.is_null()))
            .set((s::seen_at.eq(now), s::seen_by.eq(by)))
            .execute(self.conn())
            .await?;
        if n == 0 {
            let known: i64 = s::table.find(id).count().get_result(self.conn()).await?;
            if known == 0 {
                return Err(StoreError::NotFound("answer"));
            }
            return Err(StoreError::refused("seen", "Somebody has seen to this answer already."));
        }
        self.audit("saw to an answer that matches nothing", "stray answer", id, None, "");
        self.tell(Topic::Batch, id);
        Ok(())
    }
}
