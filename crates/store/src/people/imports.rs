//! What came in with one file: listed as it comes, and taken back as a whole.

use crate::codes::Code;
use crate::money::ledger::{self, About};
use crate::rows::{Import, LedgerTransaction};
use crate::schema::{coverages, import_items, imports, ledger_transactions, people, registrations};
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel::sql_types;
use diesel_async::RunQueryDsl;
use harbor_core::money::ledger::Posting;
use harbor_core::people::importing::{BroughtPolicy, ImportKind, staying};
use std::collections::HashSet;
use uuid::Uuid;

/// So many of the newest are listed.
const LISTED: i64 = 20;
/// So many names of those who stay are told.
const NAMED: i64 = 5;

/// The newest imports, the newest first.
pub async fn newest(conn: &mut Conn) -> Result<Vec<Import>> {
    Ok(imports::table.order(imports::started_at.desc()).limit(LISTED).select(Import::as_select()).load(conn).await?)
}

/// What some lines of a file brought.
#[derive(Debug, Default)]
pub struct Brought {
    pub people: Vec<Uuid>,
    pub policies: Vec<Uuid>,
    /// The transactions that carried them over.
    pub balances: Vec<Uuid>,
}

#[derive(QueryableByName)]
struct Reference {
    #[diesel(sql_type = sql_types::Text)]
    place: String,
    #[diesel(sql_type = sql_types::Text)]
    key: String,
}

#[derive(QueryableByName)]
struct Used {
    #[diesel(sql_type = sql_types::Uuid)]
    id: Uuid,
}

/// Which of some rows of a table anything else points at, whatever tables there are, apart from what came in with them.
async fn pointed_at(conn: &mut Conn, table: &str, ids: &[Uuid], with_them: &[Uuid]) -> Result<HashSet<Uuid>> {
    let references: Vec<Reference> = diesel::sql_query(
        "select c.conrelid::regclass::text as place, a.attname::text as key
         from pg_constraint c join pg_attribute a on a.attrelid = c.conrelid and a.attnum = c.conkey[1]
         where c.contype = 'f' and c.confrelid = $1::text::regclass and cardinality(c.conkey) = 1",
    )
    .bind::<sql_types::Text, _>(table)
    .load(conn)
    .await?;
    let mut used = HashSet::new();
    for Reference { place, key } in references {
        // Names of tables and columns come from the database's own list.
        let own = match place.as_str() {
            // What belongs to the record itself comes and goes with it.
            "registrations" => continue,
            "coverages" => "and not id = any($2)",
            _ => "and $2 is not null",
        };
        let found: Vec<Used> =
            diesel::sql_query(format!("select distinct {key} as id from {place} where {key} = any($1) {own}"))
                .bind::<sql_types::Array<sql_types::Uuid>, _>(ids)
                .bind::<sql_types::Array<sql_types::Uuid>, _>(with_them)
                .load(conn)
                .await?;
        used.extend(found.into_iter().map(|u| u.id));
    }
    Ok(used)
}

impl Change<'_> {
    /// Begins an import; one is never taken for another that came in before.
    pub async fn begin_import(&mut self, row: &Import) -> Result<()> {
        use imports as i;
        let begun =
            diesel::insert_into(i::table).values(row).on_conflict(i::id).do_nothing().execute(self.conn()).await?;
        match begun {
            0 => Err(StoreError::refused("import", "An import of this id came in before; send it under another.")),
            _ => Ok(()),
        }
    }

    /// Notes how far an import is and what the last lines brought. Refused when somebody took it back meanwhile.
    pub async fn note_import(&mut self, row: &Import, brought: &Brought) -> Result<()> {
        use {import_items as x, imports as i};
        let noted = diesel::update(i::table.filter(i::id.eq(row.id).and(i::undone_at.is_null())))
            .set((i::done.eq(row.done), i::added.eq(row.added), i::ended_at.eq(row.ended_at)))
            .execute(self.conn())
            .await?;
        if noted == 0 {
            return Err(StoreError::refused("import", "The import was taken back meanwhile; the rest stays out."));
        }
        let kinds = [("person", &brought.people), ("policy", &brought.policies), ("balance", &brought.balances)];
        for (kind, ids) in kinds {
            let one = |id: &Uuid| (x::import_id.eq(row.id), x::kind.eq(kind), x::item_id.eq(*id));
            let items: Vec<_> = ids.iter().map(one).collect();
            for some in items.chunks(5_000) {
                diesel::insert_into(x::table).values(some.to_vec()).execute(self.conn()).await?;
            }
        }
        let said = format!("{}: {} of {} lines, {} came in", row.kind.label(), row.done, row.lines, row.added);
        self.audit("brought in", "import", row.id, None, said);
        self.tell(Topic::Import, row.id);
        Ok(())
    }

    async fn items_of(&mut self, import: Uuid, kind: &str) -> Result<Vec<Uuid>> {
        use import_items as x;
        let of = x::table.filter(x::import_id.eq(import).and(x::kind.eq(kind.to_owned())));
        Ok(of.select(x::item_id).load(self.conn()).await?)
    }

    /// Takes back what came in with a file. Who was worked with since stays with their policies; that is asked about
    /// first, by name, unless `leave_used` says it is known.
    pub async fn take_import_back(&mut self, id: Uuid, leave_used: bool) -> Result<Import> {
        use imports as i;
        let row: Import = i::table
            .find(id)
            .for_update()
            .select(Import::as_select())
            .first(self.conn())
            .await
            .optional()?
            .ok_or(StoreError::NotFound("import"))?;
        if row.undone_at.is_some() {
            return Err(StoreError::refused("import", "This import was taken back already."));
        }
        let stayed = match *row.kind {
            ImportKind::Balances => self.take_balances_back(id, leave_used).await?,
            ImportKind::People | ImportKind::Policies => self.take_people_back(id, leave_used).await?,
        };
        let (now, by) = (self.now, self.actor.name.clone());
        let row: Import = diesel::update(i::table.find(id))
            .set((i::undone_at.eq(now), i::undone_by.eq(by), i::stayed.eq(i32::try_from(stayed).unwrap_or(i32::MAX))))
            .returning(Import::as_returning())
            .get_result(self.conn())
            .await?;
        let said = format!("{} of {}, {stayed} stay", row.kind.label(), row.file_name);
        self.audit("took back", "import", id, None, said);
        self.tell(Topic::Import, id);
        Ok(row)
    }

    /// Takes people and policies back; gives how many stay.
    async fn take_people_back(&mut self, import: Uuid, leave_used: bool) -> Result<usize> {
        let people_in = self.items_of(import, "person").await?;
        let policies_in = self.items_of(import, "policy").await?;
        let policies: Vec<(Uuid, Uuid, Option<Uuid>, i32)> = coverages::table
            .filter(coverages::id.eq_any(&policies_in))
            .select((coverages::id, coverages::person_id, coverages::holder_id, coverages::version))
            .load(self.conn())
            .await?;
        let changed = people::table
            .filter(people::id.eq_any(&people_in))
            .filter(people::version.gt(1).or(people::merged_into.is_not_null()));
        let mut used: HashSet<Uuid> = changed.select(people::id).load::<Uuid>(self.conn()).await?.into_iter().collect();
        used.extend(policies.iter().filter(|(.., version)| *version > 1).map(|(id, ..)| *id));
        used.extend(pointed_at(self.conn(), "people", &people_in, &policies_in).await?);
        used.extend(pointed_at(self.conn(), "coverages", &policies_in, &[]).await?);
        let of_policy = |(id, person, holder, _): &(Uuid, Uuid, Option<Uuid>, i32)| BroughtPolicy {
            id: *id,
            person: *person,
            holder: *holder,
        };
        let stay = staying(&used, &policies.iter().map(of_policy).collect::<Vec<_>>());
        // People who were here before have their policy taken back alone.
        let theirs: Vec<Uuid> = policies.iter().filter(|(id, ..)| stay.contains(id)).map(|(_, who, ..)| *who).collect();
        let staying: Vec<Uuid> = people_in.iter().filter(|id| stay.contains(id)).copied().chain(theirs).collect();
        let count = self.name_staying(&staying, leave_used).await?;
        let gone = |ids: Vec<Uuid>| ids.into_iter().filter(|id| !stay.contains(id)).collect::<Vec<_>>();
        let (people_out, policies_out) = (gone(people_in), gone(policies_in));
        diesel::delete(coverages::table.filter(coverages::id.eq_any(&policies_out))).execute(self.conn()).await?;
        diesel::delete(registrations::table.filter(registrations::person_id.eq_any(&people_out)))
            .execute(self.conn())
            .await?;
        let taken: Vec<(Uuid, String)> = diesel::delete(people::table.filter(people::id.eq_any(&people_out)))
            .returning((people::id, people::record_number))
            .get_results(self.conn())
            .await?;
        for (person, number) in taken {
            self.audit("took back", "person", person, Some(person), number);
            self.tell(Topic::Person, person);
        }
        for (id, person, ..) in policies.iter().filter(|(id, ..)| !stay.contains(id)) {
            self.audit("took back", "coverage", *id, Some(*person), "");
            self.tell(Topic::Person, *person);
        }
        Ok(count)
    }

    /// Takes balances back by entries of their own; whoever had money moved since keeps theirs. Gives how many stay.
    async fn take_balances_back(&mut self, import: Uuid, leave_used: bool) -> Result<usize> {
        use ledger_transactions as t;
        let carried: Vec<LedgerTransaction> = t::table
            .filter(t::id.eq_any(self.items_of(import, "balance").await?))
            .select(LedgerTransaction::as_select())
            .load(self.conn())
            .await?;
        let of_import: HashSet<Uuid> = carried.iter().map(|c| c.id).collect();
        let whose: Vec<Uuid> = carried.iter().filter_map(|c| c.person_id).collect();
        // Ids rise with time: what is later than the import was moved since.
        let Some(begun) = carried.iter().map(|c| c.id).min() else { return Ok(0) };
        let later: Vec<(Uuid, Option<Uuid>)> = t::table
            .filter(t::person_id.eq_any(&whose).and(t::id.gt(begun)))
            .select((t::id, t::person_id))
            .load(self.conn())
            .await?;
        let used: HashSet<Uuid> =
            later.into_iter().filter(|(id, _)| !of_import.contains(id)).filter_map(|(_, person)| person).collect();
        let stay = self.name_staying(&used.iter().copied().collect::<Vec<_>>(), leave_used).await?;
        let back: Vec<LedgerTransaction> =
            carried.into_iter().filter(|c| c.person_id.is_none_or(|who| !used.contains(&who))).collect();
        let mut postings = Vec::new();
        for (carried, transaction) in ledger::as_posted(self.conn(), back).await? {
            let about = About {
                person: carried.person_id,
                // Of the same age as what it takes back, so that no age owes what another has too much.
                since: Some(carried.posted_at),
                ..About::new(Posting::CarriedOver, taken_back_key(carried.id), "import taken back")
            };
            postings.push((about, transaction.reversed("import taken back")));
        }
        for some in postings.chunks(1_000) {
            self.post_all(&some.iter().map(|(a, t)| (a, t)).collect::<Vec<_>>()).await?;
        }
        for person in postings.iter().filter_map(|(about, _)| about.person) {
            self.tell(Topic::Person, person);
        }
        Ok(stay)
    }

    /// Says by name who stays, unless that is known; gives how many they are.
    async fn name_staying(&mut self, staying: &[Uuid], known: bool) -> Result<usize> {
        let different: HashSet<Uuid> = staying.iter().copied().collect();
        let count = different.len();
        if count == 0 || known {
            return Ok(count);
        }
        let some: Vec<(String, String)> = people::table
            .filter(people::id.eq_any(different))
            .order((people::last_name, people::first_name, people::id))
            .limit(NAMED)
            .select((people::first_name, people::last_name))
            .load(self.conn())
            .await?;
        let names: Vec<String> = some.into_iter().map(|(first, last)| format!("{first} {last}")).collect();
        let more = count.saturating_sub(names.len());
        let more = if more > 0 { format!(" and {more} more") } else { String::new() };
        let sentence = format!("Worked with since it came in: {}{more}. They would stay.", names.join(", "));
        Err(StoreError::refused("used-since", sentence))
    }
}

/// The key under which a carried-over balance is taken back.
pub(crate) fn taken_back_key(transaction: Uuid) -> String {
    format!("taken_back:{transaction}")
}

/// An import that begins.
pub fn beginning(id: Uuid, kind: ImportKind, file_name: String, lines: usize, change: &Change<'_>) -> Import {
    Import {
        id,
        kind: Code(kind),
        file_name,
        started_at: change.now,
        by: change.actor.name.clone(),
        lines: i32::try_from(lines).unwrap_or(i32::MAX),
        done: 0,
        added: 0,
        ended_at: None,
        undone_at: None,
        undone_by: None,
        stayed: 0,
    }
}
