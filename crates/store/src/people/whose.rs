//! Whose record something belongs to: what the route table names, and the door asks.

use crate::schema::*;
use crate::{Conn, Result, StoreError};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use uuid::Uuid;

/// What the id of an address names.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Whose {
    /// No patient at all: code tables, settings.
    Nobody,
    /// Several people's; the handler leaves out, or refuses, what is closed to the one who asks.
    Several,
    Person,
    Visit,
    Order,
    Prescription,
    Report,
    Policy,
    /// To the clinic.
    Referral,
    Payment,
    Claim,
    Denial,
    /// What was taken off a debt.
    Reduction,
    /// Of whom it went to.
    Statement,
    /// A payer's decision, matched or not.
    Decision,
    SignedForm,
    Series,
    Waiting,
    Message,
}

impl Whose {
    /// Whether an address of this kind names one thing of one person.
    pub fn is_of_one(self) -> bool {
        !matches!(self, Whose::Nobody | Whose::Several)
    }

    /// What a look at the thing itself is called in the record of looks.
    pub fn word(self) -> &'static str {
        match self {
            Whose::Nobody | Whose::Several => "list",
            Whose::Person => "registration",
            Whose::Visit => "visit",
            Whose::Order => "order",
            Whose::Prescription => "prescription",
            Whose::Report => "result",
            Whose::Policy => "policy",
            Whose::Referral => "referral",
            Whose::Payment => "payment",
            Whose::Claim => "claim",
            Whose::Denial => "denial",
            Whose::Reduction => "reduction",
            Whose::Statement => "statement",
            Whose::Decision => "payer's decision",
            Whose::SignedForm => "signed form",
            Whose::Series => "series",
            Whose::Waiting => "waiting list",
            Whose::Message => "message",
        }
    }
}

/// The person whose thing this is. Nothing where it is certain that nobody's is known yet (a result that waits to
/// be filed); a thing that is not there is refused.
pub async fn person(conn: &mut Conn, whose: Whose, id: Uuid) -> Result<Option<Uuid>> {
    macro_rules! of {
        ($table:ident, $word:literal) => {
            $table::table
                .find(id)
                .select($table::person_id)
                .first::<Uuid>(conn)
                .await
                .optional()?
                .map(Some)
                .ok_or(StoreError::NotFound($word))
        };
    }
    match whose {
        Whose::Nobody | Whose::Several => Ok(None),
        Whose::Person => people::table
            .find(id)
            .select(people::id)
            .first(conn)
            .await
            .optional()?
            .map(Some)
            .ok_or(StoreError::NotFound("person")),
        Whose::Visit => of!(visits, "visit"),
        Whose::Order => of!(orders, "order"),
        Whose::Prescription => of!(prescriptions, "prescription"),
        Whose::Policy => of!(coverages, "policy"),
        Whose::Referral => of!(referrals, "referral"),
        Whose::Payment => of!(payments, "payment"),
        Whose::SignedForm => of!(signed_forms, "signed form"),
        Whose::Series => of!(series, "series"),
        Whose::Waiting => of!(waiting, "entry"),
        Whose::Message => of!(messages, "message"),
        Whose::Report => {
            let of: Option<Option<Uuid>> =
                lab_reports::table.find(id).select(lab_reports::person_id).first(conn).await.optional()?;
            of.ok_or(StoreError::NotFound("result"))
        }
        Whose::Denial => {
            let of = denials::table
                .inner_join(visits::table.on(visits::id.eq(denials::visit_id)))
                .filter(denials::id.eq(id))
                .select(visits::person_id);
            of.first::<Uuid>(conn).await.optional()?.map(Some).ok_or(StoreError::NotFound("denial"))
        }
        Whose::Reduction => {
            let of = reductions::table
                .inner_join(visits::table.on(visits::id.eq(reductions::visit_id)))
                .filter(reductions::id.eq(id))
                .select(visits::person_id);
            of.first::<Uuid>(conn).await.optional()?.map(Some).ok_or(StoreError::NotFound("reduction"))
        }
        Whose::Statement => {
            let of = statements::table.find(id).select(statements::to_person_id);
            of.first::<Uuid>(conn).await.optional()?.map(Some).ok_or(StoreError::NotFound("statement"))
        }
        Whose::Decision => {
            let of = remitted_claims::table
                .left_join(claims::table.on(claims::id.nullable().eq(remitted_claims::claim_id)))
                .left_join(visits::table.on(visits::id.nullable().eq(claims::visit_id.nullable())))
                .filter(remitted_claims::id.eq(id))
                .select(visits::person_id.nullable());
            of.first::<Option<Uuid>>(conn).await.optional()?.ok_or(StoreError::NotFound("decision"))
        }
        Whose::Claim => {
            let of = claims::table.inner_join(visits::table).filter(claims::id.eq(id)).select(visits::person_id);
            of.first::<Uuid>(conn).await.optional()?.map(Some).ok_or(StoreError::NotFound("claim"))
        }
    }
}
