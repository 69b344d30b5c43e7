//! What becomes of two records of one person: what is empty on the one that stays is filled from the other, what
//! differs is chosen by a person, alerts and notes stand together, and the stricter restriction holds.

/// A fact that both records may hold, with the columns that it is kept in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Fact {
    pub code: &'static str,
    pub label: &'static str,
    pub columns: &'static [&'static str],
    pub how: How,
}

/// What happens when both records hold it and differ.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum How {
    /// Somebody chooses.
    Chosen,
    /// Both are kept, one behind the other.
    Together,
    /// Said of either, it holds.
    Either,
}

macro_rules! facts {
    ($($code:literal $label:literal [$($column:literal),+] $how:ident;)+) => {
        &[$(Fact { code: $code, label: $label, columns: &[$($column),+], how: How::$how }),+]
    };
}

/// The facts of a person's record itself.
pub const OF_PERSON: &[Fact] = facts! {
    "first_name" "First name" ["first_name"] Chosen;
    "middle_name" "Middle name" ["middle_name"] Chosen;
    "last_name" "Last name" ["last_name"] Chosen;
    "preferred_name" "Preferred name" ["preferred_name"] Chosen;
    "former_name" "Former name" ["former_name"] Chosen;
    "birth_date" "Birth date" ["birth_date"] Chosen;
    "sex" "Sex" ["sex"] Chosen;
    "deceased_on" "Date of death" ["deceased_on"] Chosen;
    "phone" "Mobile telephone" ["phone"] Chosen;
    "other_phone" "Other telephone" ["other_phone"] Chosen;
    "email" "E-mail" ["email"] Chosen;
    "address" "Address" ["address_line", "address_line2", "city", "state", "postal_code"] Chosen;
    "language" "Language" ["language"] Chosen;
    "responsible" "Responsible party" ["responsible_id"] Chosen;
    "usual_clinician" "Usual clinician" ["usual_clinician_id"] Chosen;
    "chart_alert" "Chart alert" ["chart_alert"] Together;
    "billing_note" "Billing note" ["billing_note"] Together;
    "email_declined" "E-mail declined" ["email_declined"] Either;
    "patient" "Patient here" ["patient"] Either;
};

/// The facts of the registration.
pub const OF_REGISTRATION: &[Fact] = facts! {
    "gender_identity" "Gender identity" ["gender_identity"] Chosen;
    "pronouns" "Pronouns" ["pronouns"] Chosen;
    "marital_status" "Marital status" ["marital_status"] Chosen;
    "race" "Race" ["race"] Chosen;
    "ethnicity" "Ethnicity" ["ethnicity"] Chosen;
    "occupation" "Occupation" ["occupation"] Chosen;
    "employer" "Employer" ["employer"] Chosen;
    "outside_id" "Id in another system" ["outside_id"] Chosen;
    "emergency" "Emergency contact" ["emergency_name", "emergency_phone", "emergency_relation"] Chosen;
    "pharmacy" "Preferred pharmacy" ["pharmacy_id"] Chosen;
    "usual_site" "Usual site" ["usual_site_id"] Chosen;
    "outside_clinician" "Primary-care clinician elsewhere" ["outside_clinician"] Chosen;
    "referred_by" "Referred by" ["referred_by"] Chosen;
    "heard_from" "Heard of the clinic from" ["heard_from"] Chosen;
    "interpreter" "Interpreter needed" ["interpreter"] Either;
    "restricted" "Chart under restriction" ["restricted"] Either;
};

/// What one record holds of a fact: for each column its text, empty when there is nothing.
pub type Held = Vec<String>;

fn is_empty(held: &Held) -> bool {
    held.iter().all(|text| text.is_empty() || text == "false")
}

/// What becomes of one fact.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Outcome {
    /// The record that stays keeps what it has.
    Stays,
    /// It gets this.
    Becomes(Held),
    /// Both hold it and differ; somebody must choose.
    Ask,
}

/// Settles one fact. `chosen`: of a fact that differs, whether the other record's is taken; nothing when nobody chose.
pub fn settle(fact: &Fact, kept: &Held, gone: &Held, chosen: Option<bool>) -> Outcome {
    if is_empty(gone) || kept == gone {
        return Outcome::Stays;
    }
    if is_empty(kept) {
        return Outcome::Becomes(gone.clone());
    }
    match (fact.how, chosen) {
        (How::Either, _) => Outcome::Stays,
        (How::Together, _) => {
            let both =
                |(a, b): (&String, &String)| if a.contains(b.as_str()) { a.clone() } else { format!("{a} · {b}") };
            Outcome::Becomes(kept.iter().zip(gone).map(both).collect())
        }
        (How::Chosen, Some(true)) => Outcome::Becomes(gone.clone()),
        (How::Chosen, Some(false)) => Outcome::Stays,
        (How::Chosen, None) => Outcome::Ask,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn fact(code: &str) -> &'static Fact {
        OF_PERSON.iter().chain(OF_REGISTRATION).find(|f| f.code == code).expect("a fact")
    }

    fn held(text: &str) -> Held {
        vec![text.to_owned()]
    }

    #[test]
    fn what_is_empty_is_filled_and_what_differs_is_asked() {
        let phone = fact("phone");
        assert_eq!(settle(phone, &held(""), &held("2075550104"), None), Outcome::Becomes(held("2075550104")));
        assert_eq!(settle(phone, &held("2075550104"), &held(""), None), Outcome::Stays);
        assert_eq!(settle(phone, &held("1"), &held("2"), None), Outcome::Ask);
        assert_eq!(settle(phone, &held("1"), &held("2"), Some(true)), Outcome::Becomes(held("2")));
        assert_eq!(settle(phone, &held("1"), &held("2"), Some(false)), Outcome::Stays);
    }

    #[test]
    fn the_stricter_restriction_holds_and_no_alert_is_lost() {
        let restricted = fact("restricted");
        for (kept, gone, becomes) in [("false", "true", true), ("true", "false", false), ("true", "true", false)] {
            let outcome = settle(restricted, &held(kept), &held(gone), None);
            assert_eq!(outcome == Outcome::Becomes(held("true")), becomes, "{kept} {gone}");
        }
        let alert = fact("chart_alert");
        assert_eq!(settle(alert, &held("latex"), &held("falls"), None), Outcome::Becomes(held("latex · falls")));
        assert_eq!(settle(alert, &held("latex, falls"), &held("falls"), None), Outcome::Becomes(held("latex, falls")));
    }

    #[test]
    fn codes_and_columns_are_named_once() {
        let mut columns: Vec<&str> = OF_PERSON.iter().chain(OF_REGISTRATION).flat_map(|f| f.columns).copied().collect();
        columns.sort_unstable();
        let all = columns.len();
        columns.dedup();
        assert_eq!(columns.len(), all);
    }
}
