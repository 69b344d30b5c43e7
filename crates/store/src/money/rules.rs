//! What the clinic decided about patients' money.

use crate::rows::MoneyRules;
use crate::schema::money_rules as m;
use crate::{Change, Conn, Result, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::money::Cents;
use harbor_core::money::ages::AgeBounds;
use harbor_core::money::reductions::ReductionRules;
use harbor_core::money::statements::StatementRules;
use uuid::Uuid;

pub async fn get(conn: &mut Conn) -> Result<MoneyRules> {
    Ok(m::table.select(MoneyRules::as_select()).first(conn).await?)
}

impl MoneyRules {
    pub fn bounds(&self) -> AgeBounds {
        AgeBounds::new(self.age_bounds.iter().map(|d| i64::from(*d)).collect()).unwrap_or_default()
    }

    pub fn for_statements(&self) -> StatementRules {
        StatementRules {
            every: self.statement_days.unsigned_abs().into(),
            least: Cents::new(self.statement_least_cents),
        }
    }

    pub fn for_reductions(&self) -> ReductionRules {
        ReductionRules {
            small_balance: Cents::new(self.small_balance_cents),
            statements: self.bad_debt_statements.unsigned_abs(),
            days: self.bad_debt_days.into(),
        }
    }
}

impl Change<'_> {
    pub async fn set_money_rules(&mut self, r: &MoneyRules) -> Result<()> {
        diesel::update(m::table)
            .set((
                m::age_bounds.eq(&r.age_bounds),
                m::statement_days.eq(r.statement_days),
                m::statement_least_cents.eq(r.statement_least_cents),
                m::small_balance_cents.eq(r.small_balance_cents),
                m::bad_debt_statements.eq(r.bad_debt_statements),
                m::bad_debt_days.eq(r.bad_debt_days),
                m::how_to_pay.eq(&r.how_to_pay),
            ))
            .execute(self.conn())
            .await?;
        self.audit("set", "money rules", Uuid::nil(), None, String::new());
        self.tell(Topic::Owed, Uuid::nil());
        Ok(())
    }
}
