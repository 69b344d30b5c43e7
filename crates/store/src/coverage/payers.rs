//! The payers that the clinic knows.

use crate::rows::Payer;
use crate::schema::payers as p;
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::coverage::payers::PayerEntry;
use uuid::Uuid;

pub async fn payers(conn: &mut Conn) -> Result<Vec<Payer>> {
    Ok(p::table.order(p::name).select(Payer::as_select()).load(conn).await?)
}

pub async fn payer(conn: &mut Conn, id: Uuid) -> Result<Payer> {
    p::table.find(id).select(Payer::as_select()).first(conn).await.optional()?.ok_or(StoreError::NotFound("payer"))
}

impl Payer {
    /// A payer of these particulars.
    pub fn of(id: Uuid, p: PayerEntry) -> Payer {
        Payer {
            id,
            name: p.name,
            payer_code: p.number,
            filing_code: p.filing_code,
            employment: p.employment,
            telephone: p.telephone,
            address: p.address,
            filing_days: p.filing_days,
            correction_days: p.correction_days,
            appeal_days: p.appeal_days,
            needs_referral: p.needs_referral,
        }
    }
}

impl Change<'_> {
    /// Adds a payer, or says one anew; two have neither one number nor one name.
    pub async fn keep_payer(&mut self, row: &Payer) -> Result<()> {
        let all = payers(self.conn()).await?;
        let same = |o: &&Payer| {
            o.id != row.id && (o.payer_code == row.payer_code || o.name.to_lowercase() == row.name.to_lowercase())
        };
        if let Some(other) = all.iter().find(same) {
            let said = format!("{} is there already, under the number {}.", other.name, other.payer_code);
            return Err(StoreError::refused("payer", said));
        }
        if all.iter().any(|o| o.id == row.id) {
            diesel::update(p::table.find(row.id))
                .set((
                    p::name.eq(&row.name),
                    p::payer_code.eq(&row.payer_code),
                    p::filing_code.eq(&row.filing_code),
                    p::employment.eq(row.employment),
                    p::telephone.eq(&row.telephone),
                    p::address.eq(&row.address),
                    p::filing_days.eq(row.filing_days),
                    p::correction_days.eq(row.correction_days),
                    p::appeal_days.eq(row.appeal_days),
                    p::needs_referral.eq(row.needs_referral),
                ))
                .execute(self.conn())
                .await?;
        } else {
            diesel::insert_into(p::table).values(row).execute(self.conn()).await?;
        }
        self.audit("kept payer", "payer", row.id, None, row.name.clone());
        self.tell(Topic::Clinic, row.id);
        Ok(())
    }
}
