//! Policies, the payer's answer to a benefits check, and what the patient will owe.

pub mod payers;
pub mod referrals;
pub mod share;

use crate::money::Cents;
use chrono::{DateTime, Duration, NaiveDate, Utc};

coded! {
    /// How the patient is related to the policyholder (X12 SBR02/PAT01).
    Relationship {
        SelfHolder = "18", "self";
        Spouse = "01", "spouse";
        Child = "19", "child";
        Other = "G8", "other";
    }
}

coded! {
    /// Which policy pays first (X12 SBR01).
    Rank {
        First = "P", "first";
        Second = "S", "second";
        Third = "T", "third";
    }
}

/// The dates between which a policy is in force; both ends included, an open end lasts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Term {
    pub from: NaiveDate,
    pub to: Option<NaiveDate>,
}

impl Term {
    /// A term that does not end before it starts.
    pub fn new(from: NaiveDate, to: Option<NaiveDate>) -> Result<Term, &'static str> {
        if to.is_some_and(|to| to < from) { Err("The policy ends before it starts.") } else { Ok(Term { from, to }) }
    }

    pub fn holds_on(&self, day: NaiveDate) -> bool {
        self.from <= day && self.to.is_none_or(|to| day <= to)
    }
}

/// The youngest age at which somebody is believed to hold a policy; younger is nearly always the
/// child entered as its own policyholder by mistake.
const YOUNGEST_HOLDER: u32 = 14;

/// Why somebody cannot be a policyholder on the day a policy begins, in a sentence. Public plans
/// (claim filing code MC) insure each child under a number of its own.
pub fn holder_refusal(name: &str, birth: Option<NaiveDate>, begins: NaiveDate, filing_code: &str) -> Option<String> {
    if filing_code == "MC" {
        return None;
    }
    let age = begins.years_since(birth?);
    match age {
        Some(age) if age >= YOUNGEST_HOLDER => None,
        Some(age) => Some(format!("{name} was {age} when the policy began; choose the adult who holds it.")),
        None => Some(format!("{name} was not born when the policy began; choose the adult who holds it.")),
    }
}

/// From this hour of the clinic's day the payers are asked about tomorrow's visits.
pub const EVENING: u32 = 19;

/// An answer about a day is fresh for so long; then the payer is asked again.
pub fn is_fresh(asked_at: DateTime<Utc>, now: DateTime<Utc>) -> bool {
    asked_at > now - Duration::days(3)
}

/// Whether a policy under a known number belongs to somebody else: neither to the person, nor held by or
/// for the same policyholder.
pub fn is_of_another<Id: PartialEq>(person: &Id, holder: &Id, known_person: &Id, known_holder: &Id) -> bool {
    known_person != person && known_person != holder && known_holder != holder
}

/// What makes a policy the one that it is, whoever it covers: two that are equal in this are one policy, so
/// that a correction of the one is offered for the other.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct PolicyIdentity<'a, Id> {
    pub payer: Id,
    pub subscriber_number: &'a str,
    pub holder: Id,
    pub ends_on: Option<NaiveDate>,
}

/// The facts that a question to the payer carries, from what is known: of the policyholder, and of the
/// patient when somebody else holds the policy.
pub fn facts_to_send(holder: KnownOf, group: bool, dependent: Option<KnownOf>) -> Vec<Fact> {
    let patient = dependent.unwrap_or_default();
    [
        (true, Fact::Name),
        (holder.birth_date, Fact::BirthDate),
        (holder.sex, Fact::Sex),
        (true, Fact::SubscriberNumber),
        (group, Fact::Group),
        (dependent.is_some(), Fact::PatientName),
        (patient.birth_date, Fact::PatientBirthDate),
        (dependent.is_some(), Fact::Relationship),
        (true, Fact::VisitDate),
    ]
    .into_iter()
    .filter_map(|(known, fact)| known.then_some(fact))
    .collect()
}

/// Which facts of a person are on record.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct KnownOf {
    pub birth_date: bool,
    pub sex: bool,
}

/// The policies in force on a day in the order in which they pay: by rank; of two of one rank the later started.
pub fn paying_policies<T>(policies: &[(Rank, Term, T)], day: NaiveDate) -> Vec<&T> {
    let mut held: Vec<_> = policies.iter().filter(|(_, term, _)| term.holds_on(day)).collect();
    held.sort_by(|a, b| a.0.cmp(&b.0).then(b.1.from.cmp(&a.1.from)));
    held.into_iter().map(|(_, _, policy)| policy).collect()
}

/// The policy that counts on a day: the one that pays first.
pub fn counting_policy<T>(policies: &[(Rank, Term, T)], day: NaiveDate) -> Option<&T> {
    paying_policies(policies, day).into_iter().next()
}

/// The policies that pay for a visit, by what it is for, in the order in which they pay. Each comes with whether its payer pays
/// only for accidents at work: for such an accident that payer pays and nobody else; for anything else the others do, and the
/// employers' fund is named only where there is nobody else, so that the accident is asked for.
pub fn paying_by_cause<T: Copy>(paying: &[(bool, T)], at_work: bool) -> Vec<T> {
    let of = |employers: bool| paying.iter().filter(move |(e, _)| *e == employers).map(|(_, p)| *p).collect::<Vec<_>>();
    match (at_work, of(false)) {
        (true, _) => of(true),
        (false, others) if others.is_empty() => of(true),
        (false, others) => others,
    }
}

/// The policy that is asked after one has decided; nothing where that one does not pay on this day, so that nobody guesses an
/// order.
pub fn next_after<T: Copy + PartialEq>(paying: &[T], decided: T) -> Option<T> {
    let at = paying.iter().position(|p| *p == decided)?;
    paying.get(at + 1).copied()
}

/// The policy of a visit once it is told what the visit is for: the one that stands stays where it fits the cause, and where
/// none does, which the claim check tells.
pub fn policy_for_cause<T: Copy + PartialEq>(stands: T, held: &[(bool, T)], paying: &[(bool, T)], at_work: bool) -> T {
    if held.contains(&(at_work, stands)) {
        return stands;
    }
    paying.iter().find(|(employers, _)| *employers == at_work).map_or(stands, |(_, policy)| *policy)
}

/// What is asked of the payer (X12 270).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BenefitQuestion {
    /// The clinic's reference, returned with the answer (TRN02).
    pub trace: String,
    pub payer_name: String,
    pub payer_id: String,
    pub provider_name: String,
    pub provider_npi: String,
    pub subscriber: InsuredPerson,
    /// The patient when somebody else holds the policy, with the relationship.
    pub dependent: Option<(InsuredPerson, Relationship)>,
    pub service_date: NaiveDate,
}

#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct InsuredPerson {
    pub last: String,
    pub first: String,
    pub birth_date: Option<NaiveDate>,
    /// X12 DMG03: F, M or U.
    pub sex: Option<String>,
    pub subscriber_number: String,
    pub group_number: String,
}

/// The payer's answer (X12 271).
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct BenefitAnswer {
    pub trace: String,
    pub payer_name: String,
    /// True in force, false inactive, nothing when the payer refused to say.
    pub active: Option<bool>,
    pub plan_name: String,
    pub copay: Option<Cents>,
    /// The copay is asked for the visit itself (service type 98) and stands instead of deductible and
    /// coinsurance there; otherwise it comes before them.
    pub copay_covers_visit: bool,
    /// Coinsurance in basis points: 20 % is 2000.
    pub coinsurance: Option<u32>,
    pub deductible: Option<Cents>,
    pub deductible_left: Option<Cents>,
    pub out_of_pocket: Option<Cents>,
    pub out_of_pocket_left: Option<Cents>,
    pub plan_begins: Option<NaiveDate>,
    pub plan_ends: Option<NaiveDate>,
    /// AAA segments: loop, reject reason code, follow-up action code.
    pub refusals: Vec<Refusal>,
    pub messages: Vec<String>,
    /// Service types (X12 data element 1365) that the plan does not pay (EB01 = I).
    pub not_covered: Vec<String>,
    /// Further plans in force under the same number, and other payers that the payer knows of (EB01 = R):
    /// somebody must ask which pays first.
    pub other_plans: Vec<String>,
}

impl BenefitAnswer {
    /// An answer that tells nothing about the policy: the payer is down, and refused nothing.
    pub fn is_no_answer(&self) -> bool {
        self.active.is_none() && !self.refusals.is_empty() && self.refusals.iter().all(Refusal::is_no_answer)
    }
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Refusal {
    /// The loop it stands in: 2000A, 2100A, 2100B, 2100C or 2100D.
    pub place: String,
    pub reason: String,
    pub follow_up: String,
}

impl Refusal {
    /// Our own short words for the reject reason codes of AAA03 (005010X279A1).
    pub fn in_words(&self) -> &'static str {
        match self.reason.as_str() {
            "42" => "The payer cannot answer at the moment; ask again later.",
            "43" | "45" | "50" | "51" => "The payer does not know the clinic's provider number.",
            "52" | "62" => "The date of the visit is outside what the payer answers for.",
            "56" | "57" => "The payer does not accept the date of the visit.",
            "58" | "71" => "The birth date does not match the payer's record.",
            "64" | "65" => "The payer does not know the patient under this name or number.",
            "67" => "The payer has no such patient.",
            "68" => "The payer has two records for this patient.",
            "72" => "The subscriber number is missing or not valid.",
            "73" => "The name does not match the payer's record.",
            "74" => "The sex does not match the payer's record.",
            "75" => "The payer knows no such subscriber.",
            "76" => "The payer has two records under this subscriber number.",
            "78" => "The subscriber is not in the group that was given.",
            "79" => "The payer's number is not known to the clearing house.",
            "80" => "The payer gave the clearing house no answer; ask again later.",
            _ => "The payer refused the question; call the payer.",
        }
    }

    /// Whether it says nothing about the policy: the payer cannot be reached at the moment.
    pub fn is_no_answer(&self) -> bool {
        matches!(self.reason.as_str(), "42" | "80")
    }

    /// The fact of ours that the reason puts in doubt; in loop 2100D it is one of the patient, who is not
    /// the policyholder.
    pub fn doubted(&self) -> Option<Fact> {
        let of_patient = self.place == "2100D";
        match self.reason.as_str() {
            "58" | "71" if of_patient => Some(Fact::PatientBirthDate),
            "64" | "65" | "67" | "73" if of_patient => Some(Fact::PatientName),
            "58" | "71" => Some(Fact::BirthDate),
            "65" | "73" => Some(Fact::Name),
            "64" | "72" | "75" | "76" | "67" => Some(Fact::SubscriberNumber),
            "78" => Some(Fact::Group),
            "52" | "56" | "57" | "62" => Some(Fact::VisitDate),
            "74" => Some(Fact::Sex),
            _ => None,
        }
    }
}

coded! {
    /// What became of a question to the payer.
    CheckState {
        Waiting = "waiting", "waiting";
        Answered = "answered", "answered";
        Failed = "failed", "no readable answer";
    }
}

coded! {
    /// One thing that was sent with the question.
    Fact {
        Name = "name", "name";
        BirthDate = "birth_date", "birth date";
        Sex = "sex", "sex";
        SubscriberNumber = "subscriber_number", "subscriber number";
        Group = "group", "group number";
        /// Of the patient, when somebody else holds the policy.
        PatientName = "patient_name", "patient's name";
        PatientBirthDate = "patient_birth_date", "patient's birth date";
        Relationship = "relationship", "relationship";
        VisitDate = "visit_date", "date of the visit";
    }
}

/// The payer's verdict on one fact.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Verdict {
    Confirmed,
    Refused(String),
    /// The payer refused something else before it came to this.
    NotSaid,
}

/// Every fact that was sent beside the payer's verdict on it.
pub fn verdicts(answer: &BenefitAnswer, sent: &[Fact]) -> Vec<(Fact, Verdict)> {
    sent.iter()
        .map(|&fact| {
            let refusal = answer.refusals.iter().find(|r| r.doubted() == Some(fact));
            let verdict = match refusal {
                Some(r) => Verdict::Refused(r.in_words().to_owned()),
                None if answer.refusals.is_empty() && answer.active.is_some() => Verdict::Confirmed,
                None => Verdict::NotSaid,
            };
            (fact, verdict)
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn day(d: u32) -> NaiveDate {
        NaiveDate::from_ymd_opt(2026, 11, d).unwrap()
    }

    #[test]
    fn a_visits_policy_follows_what_it_is_for() {
        let held = [(false, "plan"), (true, "fund"), (false, "second")];
        let of = |stands, at_work| policy_for_cause(stands, &held, &held, at_work);
        assert_eq!((of("plan", true), of("fund", false)), ("fund", "plan"));
        assert_eq!((of("second", false), of("fund", true)), ("second", "fund"), "what fits stays, also a chosen one");
        assert_eq!(policy_for_cause("plan", &held[..1], &held[..1], true), "plan", "nothing fits; the check tells it");
    }

    #[test]
    fn an_accident_at_work_is_the_employers_funds_and_nobody_elses() {
        let all = [(false, "plan"), (true, "fund"), (false, "second")];
        assert_eq!(paying_by_cause(&all, true), ["fund"]);
        assert_eq!(paying_by_cause(&all, false), ["plan", "second"]);
        assert_eq!(paying_by_cause(&all[..1], true), [""; 0], "nobody is on record who pays for it");
        assert_eq!(paying_by_cause(&all[1..2], false), ["fund"], "so that the accident is asked for");
    }

    #[test]
    fn the_lowest_rank_in_force_counts() {
        let policies = [
            (Rank::First, Term::new(day(1), Some(day(10))).unwrap(), "old"),
            (Rank::Second, Term::new(day(1), None).unwrap(), "second"),
            (Rank::First, Term::new(day(11), None).unwrap(), "new"),
        ];
        assert_eq!(counting_policy(&policies, day(10)), Some(&"old"));
        assert_eq!(counting_policy(&policies, day(11)), Some(&"new"));
        assert_eq!(counting_policy(&policies[1..2], day(30)), Some(&"second"));
        assert!(Term::new(day(2), Some(day(1))).is_err());
    }

    #[test]
    fn answers_age_and_families_share_numbers() {
        let now = DateTime::from_timestamp(1_800_000_000, 0).unwrap();
        assert!(is_fresh(now - Duration::days(2), now) && !is_fresh(now - Duration::days(3), now));
        let (mother, child, stranger) = (1, 2, 3);
        assert!(!is_of_another(&child, &mother, &mother, &mother), "the mother's own policy");
        assert!(!is_of_another(&child, &mother, &9, &mother), "a sibling under the same holder");
        assert!(is_of_another(&child, &mother, &stranger, &stranger));
    }

    #[test]
    fn a_child_is_no_policyholder_and_only_what_is_known_is_sent() {
        use chrono::Datelike;
        let begins = day(1);
        let born = |years: i32| begins.with_year(begins.year() - years);
        assert_eq!(holder_refusal("Mees", born(14), begins, "CI"), None);
        assert_eq!(holder_refusal("Mees", None, begins, "CI"), None, "an unknown age is a gap of the record");
        let said = holder_refusal("Mees", born(11), begins, "CI").unwrap();
        assert_eq!(said, "Mees was 11 when the policy began; choose the adult who holds it.");
        assert_eq!(holder_refusal("Mees", born(3), begins, "MC"), None, "a public plan insures each child");
        assert!(holder_refusal("Mees", Some(begins.succ_opt().unwrap()), begins, "CI").unwrap().contains("not born"));
        let (nothing, all) = (KnownOf::default(), KnownOf { birth_date: true, sex: true });
        assert_eq!(facts_to_send(nothing, false, None), [Fact::Name, Fact::SubscriberNumber, Fact::VisitDate]);
        assert_eq!(facts_to_send(all, true, None).len(), 6);
        let of_child = facts_to_send(all, true, Some(KnownOf { birth_date: true, sex: false }));
        assert!(of_child.contains(&Fact::PatientBirthDate) && of_child.contains(&Fact::Relationship));
    }

    #[test]
    fn a_refusal_points_at_the_fact_to_fix() {
        let refused = BenefitAnswer {
            refusals: vec![Refusal { place: "2100C".into(), reason: "71".into(), follow_up: "C".into() }],
            ..BenefitAnswer::default()
        };
        let seen = verdicts(&refused, &[Fact::Name, Fact::BirthDate]);
        assert_eq!(seen[0].1, Verdict::NotSaid);
        assert!(matches!(&seen[1].1, Verdict::Refused(why) if why.contains("birth date")));
        let of_child = Refusal { place: "2100D".into(), reason: "71".into(), follow_up: "C".into() };
        assert_eq!(of_child.doubted(), Some(Fact::PatientBirthDate), "the child's, not the policyholder's");
    }

    #[test]
    fn the_next_policy_follows_the_one_that_decided() {
        assert_eq!(next_after(&['a', 'b', 'c'], 'a'), Some('b'));
        assert_eq!(next_after(&['a', 'b'], 'b'), None, "it was the last");
        assert_eq!(next_after(&['a', 'b'], 'x'), None, "it does not pay on this day: nothing is guessed");
    }
}
