//! What the claim check of a visit looks at.

use crate::charges::estimates;
use crate::claims::accidents;
use crate::coverage::referrals::{self, Use};
use crate::people::registration::has_address;
use crate::rows::{Accident, Coverage, Payer, Person, Referral, Staff, Visit, VisitBilling};
use crate::schema::visit_billing;
use crate::{Conn, Result, house};
use chrono::NaiveDate;
use chrono_tz::Tz;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::arrival::Stage;
use harbor_core::charges::claim_check::Rendering;
use harbor_core::charges::estimates as core;
use harbor_core::charges::{ChargeLine, ClaimCandidate, PolicyOnClaim};
use harbor_core::consult::diagnoses::Pair;
use harbor_core::coverage::referrals::ReferralOfVisit;
use harbor_core::money::Cents;
use harbor_core::schedule::VisitKind;
use std::collections::HashMap;
use uuid::Uuid;

/// What is looked up once for all visits that are gathered.
pub(super) struct Basics {
    today: NaiveDate,
    staff: HashMap<Uuid, Staff>,
    billing: HashMap<Uuid, VisitBilling>,
    accidents: Vec<Accident>,
    referrals: Vec<Referral>,
    uses: HashMap<Uuid, Vec<Use>>,
    /// What the latest written estimate of each visit came to.
    estimates: HashMap<Uuid, i64>,
    zone: Tz,
    postal_code: String,
}

/// What of a visit is known already where its line is computed.
pub(super) struct Of<'a> {
    pub visit: &'a Visit,
    pub person: &'a Person,
    pub policy: Option<&'a Coverage>,
    pub payer: Option<&'a Payer>,
    /// Who holds the policy; the patient where nobody else does.
    pub holder: &'a Person,
    /// The payer said that the policy is in force on the day of the visit.
    pub verified: bool,
    pub diagnoses: &'a [String],
    pub lines: &'a [ChargeLine],
    pub supervised: bool,
    /// The payer approved something of the visit.
    pub approved: bool,
}

impl Basics {
    pub async fn load(conn: &mut Conn, visits: &[Visit], today: NaiveDate) -> Result<Basics> {
        let ids: Vec<Uuid> = visits.iter().map(|v| v.id).collect();
        let hurt: Vec<Uuid> = visits.iter().filter(|v| v.accident_date.is_some()).map(|v| v.person_id).collect();
        let billing: Vec<VisitBilling> = visit_billing::table
            .filter(visit_billing::visit_id.eq_any(&ids))
            .select(VisitBilling::as_select())
            .load(conn)
            .await?;
        let patients: Vec<Uuid> = visits.iter().map(|v| v.person_id).collect();
        let referrals = referrals::of_people(conn, &patients).await?;
        let clinic = house::staff::clinic(conn).await?;
        Ok(Basics {
            uses: referrals::uses(conn, &referrals.iter().map(|r| r.id).collect::<Vec<_>>()).await?,
            referrals,
            today,
            staff: house::staff::all(conn).await?.into_iter().map(|s| (s.id, s)).collect(),
            billing: billing.into_iter().map(|b| (b.visit_id, b)).collect(),
            accidents: accidents::of_people(conn, &hurt).await?,
            estimates: estimates::of_visits(conn, &ids).await?,
            zone: clinic.zone.parse().unwrap_or(Tz::UTC),
            postal_code: clinic.postal_code,
        })
    }

    /// Whether a visit is for an accident at work.
    pub fn is_at_work(&self, visit: &Visit) -> bool {
        accidents::is_at_work(&self.accidents, visit)
    }

    /// Why a visit ahead that the patient pays for alone still wants its written estimate.
    pub fn estimate_lack(&self, visit: &Visit) -> Option<String> {
        let ahead = visit.appointment && visit.stage() == Stage::Booked && visit.self_pay;
        if !ahead || *visit.kind == VisitKind::Administrative || self.estimates.contains_key(&visit.id) {
            return None;
        }
        let booked = visit.placed_at.with_timezone(&self.zone).date_naive();
        core::lack(booked, visit.day, self.today)
    }

    /// The referral that a visit names, and how many of its person's hold for it.
    pub fn referral(&self, visit: &Visit, payer: Option<Uuid>) -> (Option<ReferralOfVisit>, usize) {
        let named = self.billing.get(&visit.id).and_then(|b| b.referral_id);
        let said =
            |r: &Referral| r.for_visit(visit, payer, self.uses.get(&r.id).map(Vec::as_slice).unwrap_or_default());
        let own = || self.referrals.iter().filter(|r| r.person_id == visit.person_id);
        let on_file = own().filter(|r| said(r).fault.is_none()).count();
        (own().find(|r| Some(r.id) == named).map(said), on_file)
    }

    pub fn candidate<'b>(&'b self, of: &Of<'_>) -> ClaimCandidate<'b> {
        let full = |p: &Person| format!("{} {} {}", p.first_name, p.middle_name, p.last_name);
        let accident = accidents::of_visit(&self.accidents, of.visit);
        let clinician = self.staff.get(&of.visit.clinician_id);
        let (referral, referrals_on_file) = self.referral(of.visit, of.payer.map(|p| p.id));
        let unrelated = self.billing.get(&of.visit.id).map(|b| b.unrelated.as_slice()).unwrap_or_default();
        ClaimCandidate {
            today: self.today,
            service_date: of.visit.day,
            name: full(of.person),
            birth_date: of.person.birth_date,
            sex: of.person.sex.map(|s| *s),
            has_address: has_address(of.person),
            policy: of.policy.map(|c| PolicyOnClaim {
                payer: of.payer.map(|p| p.name.clone()).unwrap_or_default(),
                subscriber_number: c.subscriber_number.clone(),
                group_number: c.group_number.clone(),
                in_force: c.starts_on <= of.visit.day && c.ends_on.is_none_or(|e| e >= of.visit.day),
                verified: of.verified,
                employment: of.payer.is_some_and(|p| p.employment),
                relationship: *c.relationship,
                holder_name: full(of.holder),
                holder_birth: of.holder.birth_date,
                holder_address: has_address(of.holder),
                needs_referral: of.payer.is_some_and(|p| p.needs_referral),
                filing_days: of.payer.and_then(|p| p.filing_days).and_then(|d| u32::try_from(d).ok()),
            }),
            self_pay: of.policy.is_none() && of.visit.self_pay,
            alone: *of.visit.kind == VisitKind::Charge,
            estimated: self.estimates.get(&of.visit.id).map(|cents| Cents::new(*cents)),
            diagnoses: of.diagnoses.to_vec(),
            unrelated: unrelated.iter().filter_map(|p| Pair::parse(p)).collect(),
            lines: of.lines.to_vec(),
            rendering: Rendering {
                npi: clinician.and_then(|s| s.npi.as_deref()),
                taxonomy: clinician.and_then(|s| s.taxonomy.as_deref()),
            },
            billing_postal_code: &self.postal_code,
            accident_date: of.visit.accident_date,
            accident_at_work: self.is_at_work(of.visit),
            accident_number: accident.map(|a| a.number.clone()).unwrap_or_default(),
            employer: accident.map(|a| a.employer.clone()).unwrap_or_default(),
            supervised: of.supervised,
            referral,
            referrals_on_file,
            approved: of.approved,
        }
    }
}
