//! What the card terminal was asked, written down before it is asked, and what became of it.

use crate::rows::CardRequest;
use crate::schema::card_requests;
use crate::{Change, Conn, Result};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::money::Cents;
use uuid::Uuid;

/// What the terminal was asked and has not yet been settled: of one person, or all that were asked before a moment.
pub async fn unsettled_cards(
    conn: &mut Conn,
    person: Option<Uuid>,
    before: chrono::DateTime<chrono::Utc>,
) -> Result<Vec<CardRequest>> {
    use card_requests as c;
    let mut query = c::table.filter(c::state.eq("asked").and(c::asked_at.le(before))).into_boxed();
    if let Some(person) = person {
        query = query.filter(c::person_id.eq(person));
    }
    Ok(query.order(c::asked_at).limit(50).select(CardRequest::as_select()).load(conn).await?)
}

impl Change<'_> {
    /// Writes down what the terminal is about to be asked. The same key may be asked again for the same amount,
    /// until it is posted; false: it may not.
    pub async fn ask_card(&mut self, row: &CardRequest) -> Result<bool> {
        use card_requests as c;
        let asking = diesel::insert_into(c::table).values(row).on_conflict(c::key).do_update();
        let again = asking.set((c::state.eq("asked"), c::asked_at.eq(row.asked_at), c::payment.eq(&row.payment)));
        let asked =
            diesel::query_dsl::methods::FilterDsl::filter(again, c::state.ne("posted").and(c::cents.eq(row.cents)))
                .execute(self.conn())
                .await?;
        self.audit("asked", "card terminal", row.key, Some(row.person_id), Cents::new(row.cents).to_string());
        Ok(asked == 1)
    }

    /// Locks a request to the terminal; nothing when somebody else has settled it meanwhile.
    pub async fn unsettled_card(&mut self, key: Uuid) -> Result<Option<CardRequest>> {
        use card_requests as c;
        let row = c::table.find(key).filter(c::state.eq("asked")).for_update().select(CardRequest::as_select());
        Ok(row.first(self.conn()).await.optional()?)
    }

    /// What became of a request to the terminal.
    pub async fn card_became(&mut self, key: Uuid, state: &str, word: &str) -> Result<()> {
        use card_requests as c;
        let person = diesel::update(c::table.find(key).filter(c::state.ne("posted")))
            .set((c::state.eq(state), c::word.eq(word)))
            .returning(c::person_id)
            .get_result::<Uuid>(self.conn())
            .await
            .optional()?;
        self.audit(state, "card terminal", key, person, word);
        Ok(())
    }
}
