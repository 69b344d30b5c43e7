//! How much payers deny, and what of it was won back.

use crate::{Conn, Result};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel::sql_types;
use diesel_async::RunQueryDsl;
use harbor_core::money::denials::RatesBy;

/// One row of the rates.
#[derive(Debug, Clone, PartialEq, Eq, QueryableByName, serde::Serialize, utoipa::ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct DenialRate {
    #[diesel(sql_type = sql_types::Text)]
    pub name: String,
    /// Decisions of the days that were asked for; of a reason, all of them.
    #[diesel(sql_type = sql_types::BigInt)]
    pub decided: i64,
    /// Of these, those that left something unpaid.
    #[diesel(sql_type = sql_types::BigInt)]
    pub denied: i64,
    #[diesel(sql_type = sql_types::BigInt)]
    pub denied_cents: i64,
    #[diesel(sql_type = sql_types::BigInt)]
    pub won_cents: i64,
}

/// Decisions of the days, each with its denial where it has one. Reversals and forecasts decide nothing.
const DECIDED: &str = "decided as (
    select rc.id, c.visit_id, c.payer_id, n.id as denial, n.cents, n.won_cents, n.amounts
    from remitted_claims rc
    join remittances r on r.id = rc.remittance_id
    join claims c on c.id = rc.claim_id
    left join denials n on n.remitted_claim_id = rc.id
    where r.paid_on between $1 and $2 and rc.status not in ('22', '25'))";

const SUMS: &str = "count(*) as decided, count(denial) as denied, coalesce(sum(cents), 0)::bigint as denied_cents,
    coalesce(sum(won_cents), 0)::bigint as won_cents";

/// The rates of the decisions from one day to another, the dearest first.
pub async fn rates(conn: &mut Conn, by: RatesBy, from: NaiveDate, to: NaiveDate) -> Result<Vec<DenialRate>> {
    let of = match by {
        RatesBy::Payer => {
            format!("select p.name, {SUMS} from decided d join payers p on p.id = d.payer_id group by p.id, p.name")
        }
        RatesBy::Clinician => format!(
            "select s.name, {SUMS} from decided d join visits v on v.id = d.visit_id
             join staff s on s.id = v.clinician_id group by s.id, s.name"
        ),
        // What was won back goes to each reason by its part of the whole.
        RatesBy::Reason => {
            "select a.reason as name, (select count(*) from decided) as decided, count(distinct d.denial) as denied,
                sum(a.cents)::bigint as denied_cents, sum(d.won_cents * a.cents / d.cents)::bigint as won_cents
            from decided d, jsonb_to_recordset(d.amounts) as a (reason text, cents bigint)
            where d.denial is not null group by a.reason"
                .to_owned()
        }
        RatesBy::Service => "select coalesce(s.name, 'the claim as a whole') as name, count(distinct d.id) as decided,
                count(distinct d.denial) filter (where a.cents is not null) as denied,
                coalesce(sum(a.cents), 0)::bigint as denied_cents,
                coalesce(sum(d.won_cents * a.cents / d.cents), 0)::bigint as won_cents
            from decided d
            join charge_lines l on l.visit_id = d.visit_id
            left join services s on s.code = l.service_code
            left join jsonb_to_recordset(d.amounts) as a (line integer, cents bigint) on a.line = l.number
            group by s.code, s.name"
            .to_owned(),
    };
    let query = format!("with {DECIDED} select * from ({of}) rates order by denied_cents desc, name");
    Ok(diesel::sql_query(query).bind::<sql_types::Date, _>(from).bind::<sql_types::Date, _>(to).load(conn).await?)
}
