//! What patients are told: written down, handed over by background work, and what became of it.

use crate::jobs::JobKind;
use crate::people::registration;
use crate::rows::{Message, Person};
use crate::schema::messages;
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::people::Consent;
use harbor_core::people::messages::{Channel, Fate, Purpose, Reachable, Way, Words};
use uuid::Uuid;

/// How these people can be reached, in their order.
pub async fn reachable(conn: &mut Conn, people: &[Person]) -> Result<Vec<Reachable>> {
    let ids: Vec<Uuid> = people.iter().map(|p| p.id).collect();
    let consents = registration::consents_of(conn, &ids).await?;
    let agreed = |p: &Person, kind| registration::standing(&consents, p.id, kind).map(|c| c.given);
    let one = |p: &Person| Reachable {
        deceased: p.deceased_on.is_some(),
        phone: p.phone.clone(),
        email: p.email.clone(),
        address: registration::has_address(p),
        text_agreed: agreed(p, Consent::Text),
        email_agreed: agreed(p, Consent::Email),
    };
    Ok(people.iter().map(one).collect())
}

pub async fn get(conn: &mut Conn, id: Uuid) -> Result<Message> {
    messages::table
        .find(id)
        .select(Message::as_select())
        .first(conn)
        .await
        .optional()?
        .ok_or(StoreError::NotFound("message"))
}

/// Messages about which somebody has still to do something, and all of the last two weeks; the newest first.
pub async fn recent(conn: &mut Conn, now: chrono::DateTime<chrono::Utc>) -> Result<Vec<Message>> {
    let open: Vec<&str> = Fate::ALL.iter().filter(|f| f.is_open()).map(|f| f.code()).collect();
    Ok(messages::table
        .filter(messages::state.eq_any(open).or(messages::made_at.gt(now - chrono::Duration::days(14))))
        .order((messages::made_at.desc(), messages::id.desc()))
        .limit(500)
        .select(Message::as_select())
        .load(conn)
        .await?)
}

/// The last message of this kind and subject to a person.
pub async fn told_before(conn: &mut Conn, person: Uuid, purpose: Purpose, subject: &str) -> Result<Option<Message>> {
    Ok(messages::table
        .filter(messages::person_id.eq(person).and(messages::purpose.eq(purpose.code())))
        .filter(messages::subject.eq(subject))
        .order((messages::made_at.desc(), messages::id.desc()))
        .select(Message::as_select())
        .first(conn)
        .await
        .optional()?)
}

impl Change<'_> {
    /// Writes a message down; a text or an e-mail goes out by itself, a letter waits for the printer and a call
    /// for a person.
    pub async fn add_message(
        &mut self,
        person: Uuid,
        visit: Option<Uuid>,
        purpose: Purpose,
        way: &Way,
        words: Words,
    ) -> Result<Message> {
        let row = Message {
            id: Uuid::now_v7(),
            person_id: person,
            visit_id: visit,
            purpose: purpose.into(),
            channel: way.channel.into(),
            reach: way.reach.clone(),
            why: way.why.clone(),
            subject: words.subject,
            body: words.body,
            state: Fate::Waiting.into(),
            fate: String::new(),
            made_at: self.now,
            made_by: self.actor.name.clone(),
            state_at: self.now,
            state_by: self.actor.name.clone(),
        };
        diesel::insert_into(messages::table).values(&row).execute(self.conn()).await?;
        if matches!(way.channel, Channel::Text | Channel::Email) {
            self.add_job(JobKind::SendMessage, row.id).await?;
        }
        self.audit("wrote", "message", row.id, Some(person), format!("{purpose}, {}", way.channel));
        self.tell(Topic::Message, row.id);
        Ok(row)
    }

    /// What became of a message. What cannot follow is left out: a late word changes nothing.
    pub async fn message_became(&mut self, id: Uuid, next: Fate, fate: &str) -> Result<bool> {
        use messages as m;
        let row: Message = m::table
            .find(id)
            .for_update()
            .select(Message::as_select())
            .first(self.conn())
            .await
            .optional()?
            .ok_or(StoreError::NotFound("message"))?;
        let now = *row.state;
        if !now.may_become(next) {
            return Ok(false);
        }
        let (at, by) = (self.now, self.actor.name.clone());
        diesel::update(m::table.find(id))
            .set((m::state.eq(next.code()), m::fate.eq(fate), m::state_at.eq(at), m::state_by.eq(by)))
            .execute(self.conn())
            .await?;
        self.audit(next.code(), "message", id, Some(row.person_id), fate);
        self.tell(Topic::Message, id);
        Ok(true)
    }
}
