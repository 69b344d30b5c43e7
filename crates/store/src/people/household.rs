//! Households: who belongs together, and what is offered to the others when one moves.

use super::{get, many};
use crate::rows::{HouseholdTie, Person};
use crate::schema::{coverages, people, relations};
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::people::Relation;
use uuid::Uuid;

/// Somebody of the household, and how they are tied to the person.
#[derive(Debug, Clone)]
pub struct Member {
    pub person: Person,
    /// Relation in words, who answers for whom, who holds the policy.
    pub ties: Vec<String>,
    pub linked: bool,
    pub same_address: bool,
}

/// The household of a person: those linked, those who answer or are answered for, and policyholders.
pub async fn of(conn: &mut Conn, person: &Person) -> Result<Vec<Member>> {
    let links: Vec<HouseholdTie> = relations::table
        .filter(relations::person_id.eq(person.id))
        .select(HouseholdTie::as_select())
        .load(conn)
        .await?;
    let dependants: Vec<Uuid> =
        people::table.filter(people::responsible_id.eq(person.id)).select(people::id).load(conn).await?;
    let holders: Vec<Option<Uuid>> = coverages::table
        .filter(coverages::person_id.eq(person.id).and(coverages::holder_id.is_not_null()))
        .select(coverages::holder_id)
        .distinct()
        .load(conn)
        .await?;
    let holders: Vec<Uuid> = holders.into_iter().flatten().collect();
    let mut ids: Vec<Uuid> =
        links.iter().map(|l| l.other_id).chain(dependants.clone()).chain(holders.clone()).collect();
    ids.extend(person.responsible_id);
    ids.sort();
    ids.dedup();
    let mut rows = many(conn, &ids).await?;
    rows.sort_by_key(|p| (p.birth_date, p.id));
    let member = |p: Person| {
        let link = links.iter().find(|l| l.other_id == p.id);
        let mut ties: Vec<String> = Vec::new();
        ties.extend(link.map(|l| l.kind.label().to_owned()));
        if person.responsible_id == Some(p.id) {
            ties.push("responsible party".into());
        }
        if dependants.contains(&p.id) {
            ties.push(format!("{} answers for them", person.first_name));
        }
        if holders.contains(&p.id) {
            ties.push("policyholder".into());
        }
        Member { linked: link.is_some(), same_address: same_address(person, &p), person: p, ties }
    };
    Ok(rows.into_iter().map(member).collect())
}

fn same_address(a: &Person, b: &Person) -> bool {
    let key = |p: &Person| (p.address_line.to_lowercase(), p.address_line2.to_lowercase(), p.postal_code.clone());
    !a.address_line.is_empty() && key(a) == key(b)
}

impl Change<'_> {
    /// Links two people; what `other` is to `person`, and the same link from the other side.
    pub async fn link_household(&mut self, person: Uuid, other: Uuid, kind: Relation) -> Result<()> {
        use relations as r;
        if person == other {
            return Err(StoreError::refused("household", "A person is no relation of their own."));
        }
        for id in [person, other] {
            get(self.conn(), id).await?;
        }
        for (a, b, kind) in [(person, other, kind), (other, person, kind.inverse())] {
            diesel::insert_into(r::table)
                .values((r::person_id.eq(a), r::other_id.eq(b), r::kind.eq(kind.code())))
                .on_conflict((r::person_id, r::other_id))
                .do_update()
                .set(r::kind.eq(kind.code()))
                .execute(self.conn())
                .await?;
            self.tell(Topic::Person, a);
        }
        self.audit("linked household", "person", person, Some(person), format!("{} {other}", kind.label()));
        Ok(())
    }

    pub async fn unlink_household(&mut self, person: Uuid, other: Uuid) -> Result<()> {
        use relations as r;
        let either =
            r::person_id.eq(person).and(r::other_id.eq(other)).or(r::person_id.eq(other).and(r::other_id.eq(person)));
        if diesel::delete(r::table.filter(either)).execute(self.conn()).await? == 0 {
            return Err(StoreError::NotFound("household link"));
        }
        self.audit("unlinked household", "person", person, Some(person), other.to_string());
        self.tell(Topic::Person, person);
        self.tell(Topic::Person, other);
        Ok(())
    }

    /// Gives the address of a person to others by name, who moved along.
    pub async fn move_along(&mut self, person: Uuid, others: &[Uuid]) -> Result<usize> {
        let p = get(self.conn(), person).await?;
        for other in others {
            get(self.conn(), *other).await?;
            diesel::update(people::table.find(other))
                .set((
                    people::address_line.eq(&p.address_line),
                    people::address_line2.eq(&p.address_line2),
                    people::city.eq(&p.city),
                    people::state.eq(&p.state),
                    people::postal_code.eq(&p.postal_code),
                    people::version.eq(people::version + 1),
                ))
                .execute(self.conn())
                .await?;
            self.audit("moved along", "person", *other, Some(*other), format!("with {}", p.record_number));
            self.tell(Topic::Person, *other);
        }
        Ok(others.len())
    }
}
