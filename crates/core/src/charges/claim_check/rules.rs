//! The rules of the claim check, a row each.

use super::words::{Found, each_line, when};
use super::{ClaimCandidate, ClaimSeverity, FixPlace, PolicyOnClaim};
use crate::charges::fee_schedules::ServiceNeed;
use crate::charges::suits::does_not_suit;
use crate::charges::{ChargeLine, estimates};
use crate::claims::lawful::{most, written};
use crate::claims::{MOST_DIAGNOSES, TOO_MANY_DIAGNOSES, deadline};
use crate::consult::diagnoses::{DiagnosisIndex, Finding};
use crate::coverage::Relationship;
use crate::coverage::referrals::{self, ReferralLack};
use crate::fields::identifiers::{Npi, taxonomy_is_valid};
use crate::money::Cents;
use ClaimSeverity::{Stops, Warns};
use FixPlace::{Charges, Clinic, Coverage, Note, Registration, Staff};

/// For whom a rule holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Holds {
    Everybody,
    /// A visit, not a charge that stands alone.
    Visits,
    /// Whoever a policy pays for.
    Insured,
    /// Whoever an employers' fund pays for.
    AtWork,
}

impl Holds {
    pub fn holds(self, c: &ClaimCandidate) -> bool {
        match self {
            Holds::Everybody => true,
            Holds::Visits => !c.alone,
            Holds::Insured => c.policy.is_some(),
            Holds::AtWork => c.policy.as_ref().is_some_and(|p| p.employment),
        }
    }
}

type Find = fn(&ClaimCandidate, &DiagnosisIndex) -> Vec<Found>;

pub(super) struct Rule {
    pub name: &'static str,
    pub severity: ClaimSeverity,
    pub holds: Holds,
    pub place: FixPlace,
    pub find: Find,
}

const fn rule(name: &'static str, severity: ClaimSeverity, holds: Holds, place: FixPlace, find: Find) -> Rule {
    Rule { name, severity, holds, place, find }
}

use Holds::{AtWork, Everybody, Insured, Visits};

pub(super) const RULES: &[Rule] = &[
    rule("birth date", Stops, Visits, Registration, |c, _| {
        when(c.birth_date.is_none(), "birth_date", "The patient's birth date is missing.")
    }),
    rule("birth date before the visit", Stops, Everybody, Registration, |c, _| {
        let after = c.birth_date.is_some_and(|b| b > c.service_date);
        when(after, "birth_after", "The patient was born after the visit.")
    }),
    rule("sex", Stops, Visits, Registration, |c, _| when(c.sex.is_none(), "sex", "The patient's sex is missing.")),
    rule("address", Stops, Insured, Registration, |c, _| {
        when(!c.has_address, "address", "The patient's address is missing.")
    }),
    rule("name in letters that payers take", Stops, Insured, Registration, |c, _| {
        [(&c.name, "patient"), (&policy(c).holder_name, "policyholder")]
            .into_iter()
            .flat_map(|(name, whose)| {
                let lost = written(name, usize::MAX).lost;
                let sentence =
                    format!("The {whose}'s name has letters that payers' systems do not take ({lost}); write it as it stands on the card.");
                when(!lost.is_empty(), "letters", sentence)
            })
            .collect()
    }),
    rule("length of the name", Warns, Insured, Registration, |c, _| {
        let longest = most::LAST_NAME + most::FIRST_NAME;
        let cut = written(&c.name, usize::MAX).text.len() > longest;
        when(cut, "name_cut", format!("The patient's name is longer than {longest} letters; its end is left off."))
    }),
    rule("day of the visit", Stops, Everybody, Charges, |c, _| {
        when(c.service_date > c.today, "future", "The visit lies in the future.")
    }),
    rule("payer", Stops, Everybody, Coverage, |c, _| {
        let nobody = c.policy.is_none() && !c.self_pay;
        when(nobody, "no_policy", "There is no policy for the date of the visit, and self-pay is not recorded.")
    }),
    rule("policy in force", Stops, Insured, Coverage, |c, _| {
        when(!policy(c).in_force, "policy_ended", "The policy is not in force on the date of the visit.")
    }),
    rule("policy verified for that day", Warns, Insured, Coverage, |c, _| {
        let sentence = format!("{} has not said that the policy is in force on the day of the visit.", policy(c).payer);
        when(!policy(c).verified && !policy(c).employment, "not_verified", sentence)
    }),
    rule("subscriber number", Stops, Insured, Coverage, |c, _| {
        when(policy(c).subscriber_number.is_empty(), "subscriber_number", "The policy has no subscriber number.")
    }),
    rule("signs in the policy's numbers", Stops, Insured, Coverage, |c, _| {
        [(&policy(c).subscriber_number, "subscriber"), (&policy(c).group_number, "group")]
            .into_iter()
            .flat_map(|(number, which)| {
                let bad: String =
                    number.chars().filter(|c| "*:~^`".contains(*c) || !c.is_ascii() || c.is_control()).collect();
                let sentence = format!(
                    "The {which} number has signs that cannot be sent ({bad}); type it as it stands on the card."
                );
                when(!bad.is_empty(), "number_signs", sentence)
            })
            .collect()
    }),
    rule("policyholder", Stops, Insured, Coverage, |c, _| {
        when(policy(c).holder_birth.is_none(), "holder_birth", "The policyholder's birth date is missing.")
    }),
    rule("policyholder's address", Stops, Insured, Coverage, |c, _| {
        when(!policy(c).holder_address, "holder_address", "The policyholder's address is missing.")
    }),
    rule("relationship and age", Warns, Insured, Coverage, |c, _| relationship_and_age(c)),
    rule("days left to file", Stops, Insured, Coverage, |c, _| {
        let (days, left) = filing(c);
        let sentence = format!("{} takes claims within {days} days of the visit; that is over.", policy(c).payer);
        when(left.is_some_and(|l| l < 0), "too_late", sentence)
    }),
    rule("time left to file", Warns, Insured, Coverage, |c, _| {
        let left = filing(c).1.filter(|l| (0..=SOON).contains(l));
        let days = |n: i64| if n == 1 { "1 day".to_owned() } else { format!("{n} days") };
        let sentence = format!("{} left until {} takes it no more.", days(left.unwrap_or(0)), policy(c).payer);
        when(left.is_some(), "filing_soon", sentence)
    }),
    rule("who pays for an accident at work", Stops, Insured, Coverage, |c, _| {
        let sentence =
            format!("An accident at work is for the employers' fund; {} does not pay for it.", policy(c).payer);
        when(c.accident_at_work && !policy(c).employment, "not_the_fund", sentence)
    }),
    rule("referral that the payer asks for", Stops, Insured, Coverage, |c, _| {
        referral(c).filter(|l| l.stops).map_or(vec![], |l| when(true, "referral", l.sentence))
    }),
    rule("referral out of date", Warns, Insured, Coverage, |c, _| {
        referral(c).filter(|l| !l.stops).map_or(vec![], |l| when(true, "referral_over", l.sentence))
    }),
    rule("accident date", Stops, AtWork, Charges, |c, _| {
        when(c.accident_date.is_none(), "accident_date", "An accident at work needs the date of the accident.")
    }),
    rule("employer", Stops, AtWork, Charges, |c, _| {
        when(c.employer.trim().is_empty(), "employer", "An accident at work is the employer's; say who it was.")
    }),
    rule("number of the accident", Warns, AtWork, Charges, |c, _| {
        let sentence =
            format!("{}'s own number of the accident is not known; many funds refuse without it.", policy(c).payer);
        when(c.accident_number.is_empty(), "accident_number", sentence)
    }),
    rule("accident before the visit", Stops, Everybody, Charges, |c, _| {
        let after = c.accident_date.is_some_and(|a| a > c.service_date);
        when(after, "accident_after", "The accident lies after the visit.")
    }),
    rule("clinician's provider number", Stops, Visits, Staff, |c, _| {
        let wrong = c.rendering.npi.is_none_or(|n| Npi::parse(n).is_err());
        when(wrong, "npi", "The clinician has no valid provider number.")
    }),
    rule("clinician's taxonomy", Stops, Insured, Staff, |c, _| {
        let wrong = !c.rendering.taxonomy.is_some_and(taxonomy_is_valid);
        when(wrong, "taxonomy", "The clinician has no taxonomy code, which says the specialty.")
    }),
    rule("clinic's postal code", Stops, Insured, Clinic, |c, _| {
        let digits = c.billing_postal_code.chars().filter(char::is_ascii_digit).count();
        when(digits != 9, "billing_postal_code", "The clinic's postal code needs all nine digits.")
    }),
    rule("charges", Stops, Everybody, Charges, |c, _| when(c.lines.is_empty(), "no_lines", "There is no charge line.")),
    rule("number of lines", Stops, Everybody, Charges, |c, _| {
        when(c.lines.len() > 50, "too_many_lines", "A claim holds at most 50 lines.")
    }),
    rule("diagnoses", Stops, Visits, Note, |c, _| {
        when(c.diagnoses.is_empty(), "no_diagnosis", "There is no diagnosis.")
    }),
    rule("number of diagnoses", Stops, Everybody, Note, |c, _| {
        when(c.diagnoses.len() > MOST_DIAGNOSES, "too_many_diagnoses", TOO_MANY_DIAGNOSES)
    }),
    rule("diagnosis codes", Stops, Everybody, Note, |c, index| {
        let stops = index.check_together(&c.diagnoses).into_iter().filter(|f| f.stops_billing);
        stops.flat_map(|f| when(true, "diagnosis", f.sentence)).collect()
    }),
    rule("presumed to belong together", Warns, Insured, Note, |c, index| {
        let open = |f: Finding| {
            let pair = f.presumed.filter(|pair| !c.unrelated.contains(pair))?;
            Some(Found { pair: Some(pair), ..Found::new("presumption", f.sentence) })
        };
        index.check_together(&c.diagnoses).into_iter().filter_map(open).collect()
    }),
    rule("diagnoses, sex and age", Warns, Everybody, Note, |c, _| {
        let age = c.birth_date.and_then(|b| u32::try_from((c.service_date - b).num_days()).ok());
        let of = |code: &String| does_not_suit(code, c.sex, age).map(|why| format!("{code}: {why}."));
        c.diagnoses.iter().filter_map(of).flat_map(|s| when(true, "sex_or_age", s)).collect()
    }),
    rule("service codes", Stops, Insured, Charges, |c, _| {
        each_line(c, |l| l.code.is_empty().then(|| ("service_code", format!(": {} has no external code.", l.service))))
    }),
    rule("fees", Stops, Everybody, Charges, |c, _| {
        each_line(c, |l| match l.price {
            None => Some(("no_fee", format!(" has no fee: {} is not in the fee schedule.", l.service))),
            Some(p) if !p.is_positive() => Some(("zero_fee", " has a fee of zero.".to_owned())),
            Some(_) if l.fee().is_none() => Some(("fee_too_large", ": units times price is too large.".to_owned())),
            Some(_) => None,
        })
    }),
    rule("written estimate", Warns, Everybody, Charges, |c, _| {
        let charged: Cents = c.lines.iter().filter_map(ChargeLine::fee).sum();
        let beyond = c.estimated.filter(|_| c.policy.is_none()).and_then(|e| estimates::disputable(e, charged));
        let sentence = format!(
            "The charges go {} beyond the written estimate; the patient may dispute them within {} days of the first bill.",
            beyond.unwrap_or_default(),
            estimates::DAYS_TO_DISPUTE
        );
        when(beyond.is_some(), "beyond_estimate", sentence)
    }),
    rule("units", Stops, Everybody, Charges, |c, _| {
        each_line(c, |l| (l.units == 0 || l.units > 999).then(|| ("units", ": units must be 1 to 999.".to_owned())))
    }),
    rule("units of the catalogue", Stops, Everybody, Charges, |c, _| {
        each_line(c, |l| {
            let most = l.catalogued.most_units.filter(|most| l.units > *most)?;
            let units = if most == 1 { "one unit".to_owned() } else { format!("{most} units") };
            Some(("most_units", format!(": {} is charged with {units} a visit at most.", l.service)))
        })
    }),
    rule("services of that day", Stops, Everybody, Charges, |c, _| {
        each_line(c, |l| {
            let sentence = format!(": the catalogue has {} for other days than the visit's.", l.service);
            l.catalogued.out_of_time.then_some(("out_of_time", sentence))
        })
    }),
    rule("services that exclude each other", Stops, Everybody, Charges, |c, _| {
        each_line(c, |l| {
            let beside =
                |o: &&ChargeLine| o.number != l.number && l.catalogued.not_with.contains(&o.catalogued.service);
            let other = c.lines.iter().find(beside)?;
            // Told once, also where each names the other.
            let told = other.number < l.number && other.catalogued.not_with.contains(&l.catalogued.service);
            let sentence = format!(": {} is not charged beside {} (line {}).", l.service, other.service, other.number);
            (!told).then_some(("not_together", sentence))
        })
    }),
    rule("what a service needs", Stops, Insured, Charges, |c, _| {
        each_line(c, |l| {
            let missing = l.catalogued.needs.iter().find(|need| match need {
                ServiceNeed::Supervising => !c.supervised,
                ServiceNeed::Referring => c.referral.is_none(),
                ServiceNeed::Authorisation => !c.approved,
                ServiceNeed::Side => !SIDES.iter().any(|side| l.modifiers.iter().any(|m| m == side)),
            })?;
            let how = if *missing == ServiceNeed::Side { " (modifier LT, RT or 50)" } else { "" };
            Some(("lacks", format!(": {} needs {}{how}.", l.service, missing.label())))
        })
    }),
    rule("modifiers", Stops, Everybody, Charges, |c, _| {
        each_line(c, |l| {
            let is = |m: &String| m.len() == 2 && m.bytes().all(|b| b.is_ascii_alphanumeric());
            let wrong = l.modifiers.len() > 4 || !l.modifiers.iter().all(is);
            wrong.then(|| ("modifiers", ": up to four modifiers of two letters or digits.".to_owned()))
        })
    }),
    rule("modifiers that exclude each other", Stops, Everybody, Charges, |c, _| {
        each_line(c, |l| {
            let has = |m: &str| l.modifiers.iter().any(|x| x == m);
            let twice = l.modifiers.iter().enumerate().any(|(i, m)| l.modifiers[..i].contains(m));
            if twice {
                return Some(("modifier_twice", " has a modifier twice.".to_owned()));
            }
            let (a, b, why) = EXCLUDE.iter().find(|(a, b, _)| has(a) && has(b))?;
            Some(("modifiers_exclude", format!(": {a} and {b} exclude each other; {why}.")))
        })
    }),
    rule("modifier that is usually needed", Warns, Insured, Charges, |c, _| modifier_needed(c)),
    rule("diagnosis pointers", Stops, Visits, Charges, |c, _| {
        each_line(c, |l| {
            if l.pointers.is_empty() {
                return Some(("no_pointer", " points at no diagnosis.".to_owned()));
            }
            if l.pointers.len() > 4 {
                return Some(("too_many_pointers", " points at more than four diagnoses.".to_owned()));
            }
            let wrong = l.pointers.iter().find(|p| **p == 0 || usize::from(**p) > c.diagnoses.len())?;
            Some(("pointer", format!(" points at diagnosis {wrong}, which is not there.")))
        })
    }),
    rule("same diagnosis pointed at twice", Stops, Everybody, Charges, |c, _| {
        each_line(c, |l| {
            let twice = l.pointers.iter().enumerate().any(|(i, p)| l.pointers[..i].contains(p));
            twice.then(|| ("pointer_twice", " points at one diagnosis twice.".to_owned()))
        })
    }),
    rule("what a line is first for", Warns, Insured, Charges, |c, index| {
        each_line(c, |l| {
            let code = c.diagnoses.get(usize::from(*l.pointers.first()?).checked_sub(1)?)?;
            index
                .is_additional(code)
                .then(|| ("pointer_first", " points first at a diagnosis that is only told beside another.".to_owned()))
        })
    }),
    rule("duplicate services", Stops, Everybody, Charges, |c, _| {
        each_line(c, |l| {
            let earlier = c.lines.iter().take_while(|e| e.number != l.number);
            let mut same = earlier.filter(|e| e.code == l.code && e.modifiers == l.modifiers);
            (!l.code.is_empty() && same.next().is_some())
                .then(|| ("duplicate", format!(" repeats {}; raise the units or add a modifier.", l.service)))
        })
    }),
    rule("one visit level", Stops, Everybody, Charges, |c, _| {
        let levels: Vec<u32> = c.lines.iter().filter(|l| l.is_level).map(|l| l.number).collect();
        let sentence = "A visit has one level; take the other one off.";
        match levels.get(1) {
            Some(line) => vec![Found::at(*line, "two_levels", sentence)],
            None => vec![],
        }
    }),
];

/// Modifiers that tell a side.
const SIDES: [&str; 3] = ["LT", "RT", "50"];

/// So near its end the time to file is told.
const SOON: i64 = 30;

/// Modifiers of one line that contradict each other (HCPCS Level II modifiers are public; those of two digits are told by what
/// they do).
const EXCLUDE: &[(&str, &str, &str)] = &[
    ("LT", "RT", "for both sides there is one of its own"),
    ("50", "LT", "both sides are told already"),
    ("50", "RT", "both sides are told already"),
    ("26", "TC", "together they are the whole service, which has neither"),
    ("GA", "GZ", "either a waiver was signed or none"),
];

fn policy<'c>(c: &'c ClaimCandidate) -> &'c PolicyOnClaim {
    // Asked only by rules that hold for the insured.
    c.policy.as_ref().expect("a rule for the insured")
}

fn referral(c: &ClaimCandidate) -> Option<ReferralLack> {
    let p = policy(c);
    referrals::lack(&p.payer, p.needs_referral, c.referral.as_ref(), c.referrals_on_file)
}

/// The days that the payer gives, and those left of them.
fn filing(c: &ClaimCandidate) -> (u32, Option<i64>) {
    let days = policy(c).filing_days;
    let left = deadline(c.service_date, days).map(|last| (last - c.today).num_days());
    (days.unwrap_or(0), left)
}

fn relationship_and_age(c: &ClaimCandidate) -> Vec<Found> {
    const CHILD_UNTIL: u32 = 26;
    const HOLDER_FROM: u32 = 16;
    let Some(age) = c.birth_date.and_then(|b| c.service_date.years_since(b)) else { return vec![] };
    match policy(c).relationship {
        Relationship::Child if age >= CHILD_UNTIL => {
            let sentence =
                format!("The patient is {age} and on the policy as a child; most plans end that at {CHILD_UNTIL}.");
            when(true, "child_age", sentence)
        }
        Relationship::SelfHolder if age < HOLDER_FROM => when(
            true,
            "holder_age",
            format!("The patient is {age} and stands as the policyholder; ask whose policy it is."),
        ),
        Relationship::Spouse if age < HOLDER_FROM => {
            when(true, "spouse_age", format!("The patient is {age} and on the policy as a spouse."))
        }
        _ => vec![],
    }
}

/// A visit beside a procedure of the same day wants to be told as one of its own.
fn modifier_needed(c: &ClaimCandidate) -> Vec<Found> {
    let procedure = c.lines.iter().any(|l| l.is_procedure);
    let lacks = |l: &&ChargeLine| l.is_level && !l.modifiers.iter().any(|m| m == "25");
    let level = c.lines.iter().find(lacks).filter(|_| procedure);
    level.map_or(vec![], |l| {
        let sentence = format!(
            "Line {}: a visit beside a procedure of the same day usually needs modifier 25, where it was more than the procedure wants.",
            l.number
        );
        vec![Found::at(l.number, "modifier_25", sentence)]
    })
}
