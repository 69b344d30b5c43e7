//! Work that goes on by itself: claimed by one server at a time, retried with growing pauses, never lost.

use crate::codes::Code;
use crate::schema::jobs;
use crate::{Change, Conn, Result, Topic};
use diesel::prelude::*;
use diesel::sql_types;
use diesel_async::RunQueryDsl;
use harbor_core::coded;
use uuid::Uuid;

coded! {
    /// What is handed over.
    JobKind {
        SendOrders = "send_orders", "Orders to the laboratory";
        CancelOrder = "cancel_order", "An order taken back from the laboratory";
        TellSpecimen = "tell_specimen", "A specimen that was taken, to the laboratory";
        MoveOrder = "move_order", "An order for another diagnosis, to the laboratory";
        SendPrescription = "send_prescription", "A prescription to the pharmacy";
        StopPrescription = "stop_prescription", "A stopped prescription, to the pharmacy";
        RefuseRenewal = "refuse_renewal", "A renewal that is not given, to the pharmacy";
        AskApproval = "ask_approval", "A request for approval, to the payer";
        SendBatch = "send_batch", "A batch to the clearing house";
        AskBenefits = "ask_benefits", "A benefits check";
        SendMessage = "send_message", "A message";
        MakeStatements = "make_statements", "Statements to be made";
    }
}

#[derive(Debug, Clone, PartialEq, Eq, Queryable, Selectable, QueryableByName)]
#[diesel(table_name = jobs)]
pub struct Job {
    pub id: i64,
    pub kind: Code<JobKind>,
    pub subject: Uuid,
    pub attempts: i32,
}

/// After so many failures the work waits for a person.
pub const MOST_ATTEMPTS: i32 = 50;

/// Takes one piece of work that is due and keeps others from it for a minute. A server that dies
/// while at it lets go of it when the minute is over; the receiver knows it by its reference. Work of a kind that only
/// a newer version knows is left to that one.
pub async fn take(conn: &mut Conn) -> Result<Option<Job>> {
    let found = diesel::sql_query(
        "update jobs set due_at = now() + interval '1 minute', attempts = attempts + 1
         where id = (select id from jobs where state = 'waiting' and due_at <= now() and kind = any($1)
                     order by due_at for update skip locked limit 1)
         returning id, kind, subject, attempts",
    )
    .bind::<sql_types::Array<sql_types::Text>, _>(JobKind::ALL.iter().map(|k| k.code()).collect::<Vec<_>>())
    .load::<Job>(conn)
    .await?;
    Ok(found.into_iter().next())
}

/// The seconds to wait after the n-th failure: 2, 4, 8 … at most five minutes.
pub fn backoff_seconds(attempts: i32) -> i32 {
    2i32.saturating_pow(attempts.clamp(1, 9) as u32).min(300)
}

/// Puts failed work back with the reason.
pub async fn put_back(conn: &mut Conn, job: &Job, error: &str) -> Result<()> {
    let state = if job.attempts >= MOST_ATTEMPTS { "given_up" } else { "waiting" };
    diesel::sql_query(
        "update jobs set state = $2, last_error = $3, due_at = now() + make_interval(secs => $4) where id = $1",
    )
    .bind::<sql_types::BigInt, _>(job.id)
    .bind::<sql_types::Text, _>(state)
    .bind::<sql_types::Text, _>(error)
    .bind::<sql_types::Double, _>(f64::from(backoff_seconds(job.attempts)))
    .execute(conn)
    .await?;
    Ok(())
}

pub async fn done(conn: &mut Conn, id: i64) -> Result<()> {
    diesel::update(jobs::table.find(id)).set(jobs::state.eq("done")).execute(conn).await?;
    Ok(())
}

/// Work that is waiting after at least one failure: kind, subject, attempts, reason.
pub async fn troubled(conn: &mut Conn) -> Result<Vec<(Code<JobKind>, Uuid, i32, String)>> {
    Ok(jobs::table
        .filter(jobs::state.ne("done").and(jobs::last_error.ne("")))
        .filter(jobs::kind.eq_any(JobKind::ALL.iter().map(|k| k.code())))
        .order(jobs::due_at)
        .limit(100)
        .select((jobs::kind, jobs::subject, jobs::attempts, jobs::last_error))
        .load(conn)
        .await?)
}

/// How much work of a kind has come how far.
#[derive(Debug, QueryableByName)]
pub struct WorkCount {
    #[diesel(sql_type = sql_types::Text)]
    pub kind: String,
    /// `waiting`, `troubled` after a failure, `given_up`.
    #[diesel(sql_type = sql_types::Text)]
    pub state: String,
    #[diesel(sql_type = sql_types::BigInt)]
    pub pieces: i64,
}

/// What is not done yet, by kind and state.
pub async fn counts(conn: &mut Conn) -> Result<Vec<WorkCount>> {
    Ok(diesel::sql_query(
        "select kind, case when state = 'waiting' and last_error <> '' then 'troubled' else state end as state,
                count(*) as pieces
         from jobs where state <> 'done' group by 1, 2",
    )
    .load(conn)
    .await?)
}

impl Change<'_> {
    /// Adds work; work that was done or given up before is due again.
    pub async fn add_job(&mut self, kind: JobKind, subject: Uuid) -> Result<()> {
        diesel::sql_query(
            "insert into jobs (kind, subject) values ($1, $2)
             on conflict (kind, subject) do update set state = 'waiting', due_at = now(), attempts = 0, last_error = ''",
        )
        .bind::<sql_types::Text, _>(kind.code())
        .bind::<sql_types::Uuid, _>(subject)
        .execute(self.conn())
        .await?;
        // Wakes the servers' workers at once.
        self.tell(Topic::Job, subject);
        Ok(())
    }
}
