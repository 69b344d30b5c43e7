//! What payers remark beside their reasons (X12 835 MOA, MIA and LQ*HE), in our own words.
//!
//! A remark moves no money: it says what is missing or what comes next, and is read by whoever fights a denial.

use super::RemittedClaim;

/// Our own short words for the usual remark codes.
pub fn remark_in_words(code: &str) -> Option<&'static str> {
    Some(match code {
        "M15" => "Paid with another service of the visit, not by itself.",
        "M20" => "The service code is missing or not valid.",
        "M25" => "What was sent does not bear out this level; records may be sent for another look.",
        "M51" => "The service code is incomplete or not valid on that day.",
        "M52" => "The first day of the service is missing or not valid.",
        "M53" => "The units are missing or not valid.",
        "M62" => "The approval number is missing or not valid.",
        "M64" => "A diagnosis beside the first is missing or not valid.",
        "M76" => "The diagnosis is missing or not valid.",
        "M77" => "The place of service is missing or not valid.",
        "M80" => "Not paid beside another service of the same day.",
        "M86" => "Paid before for something alike within the time that the plan allows.",
        "M119" => "The number of the drug is missing or not valid.",
        "M127" => "The medical record for this service is missing.",
        "MA01" => "Who disagrees may ask for another look within the payer's days.",
        "MA04" => "The decision of the payer before is missing or cannot be read.",
        "MA07" => "Sent on to the public plan by the payer itself.",
        "MA18" => "Sent on to the next payer by the payer itself.",
        "MA63" => "The first diagnosis is missing or not valid.",
        "MA83" => "It was not said whether this payer comes first or second.",
        "MA112" => "Who provided it for the group is missing or not valid.",
        "MA120" => "The laboratory's certificate number is missing or not valid.",
        "MA130" => "The claim could not be worked on; charge again with what is missing. It cannot be appealed.",
        "N4" => "The decision of the payer before is missing.",
        "N19" => "Part of the main procedure.",
        "N20" => "Not paid beside another service of the same day.",
        "N29" => "A record, a note or a chart is missing.",
        "N30" => "The patient does not meet the plan's conditions for this service.",
        "N56" => "The code does not fit the service or its day.",
        "N115" => "Decided by the region's rule of coverage for this service.",
        "N130" => "The plan's booklet says what is not covered.",
        "N264" => "The name of who ordered it is missing or not valid.",
        "N265" => "The provider number of who ordered it is missing or not valid.",
        "N285" => "The name of who referred is missing or not valid.",
        "N286" => "The provider number of who referred is missing or not valid.",
        "N290" => "The provider number of who saw the patient is missing or not valid.",
        "N362" => "More units than the plan takes in a day.",
        "N381" => "The contract says what is paid and what is not.",
        "N382" => "The patient's number with the payer is missing or not valid.",
        "N519" => "Two services that are not taken together.",
        "N522" => "The same claim came before and is being worked on or was decided.",
        "N657" => "To be billed with the code that fits the services told.",
        "N706" => "Papers are missing.",
        _ => return None,
    })
}

/// A remark with its code.
fn told(code: &str) -> String {
    match remark_in_words(code) {
        Some(words) => format!("{code}: {words}"),
        None => format!("{code}: a remark of the payer's list."),
    }
}

impl RemittedClaim {
    /// Every remark once, first those of the claim as a whole, then each line's with the service; last, where the payer's own sum of
    /// the patient's share is not that of its adjustments.
    pub fn remarks_in_words(&self) -> Vec<String> {
        let mut out: Vec<String> = Vec::new();
        let of_lines = self.lines.iter().flat_map(|l| {
            l.remarks.iter().map(|code| format!("{} ({}).", told(code).trim_end_matches('.'), l.service_code))
        });
        for said in self.remarks.iter().map(|code| told(code)).chain(of_lines).chain(self.share_disagrees()) {
            if !out.contains(&said) {
                out.push(said);
            }
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::money::Cents;
    use crate::money::remittance::RemittedLine;

    #[test]
    fn remarks_are_told_once_each_with_their_line_and_unknown_ones_by_their_code() {
        let line = |code: &str, remarks: &[&str]| RemittedLine {
            service_code: code.into(),
            remarks: remarks.iter().map(|r| (*r).to_owned()).collect(),
            ..RemittedLine::default()
        };
        let claim = RemittedClaim {
            claim_number: "C1".into(),
            remarks: vec!["MA130".into(), "MA130".into(), "N999".into()],
            lines: vec![line("IH213", &["M76"]), line("IH300", &["M76", "M76"])],
            ..RemittedClaim::default()
        };
        assert_eq!(
            claim.remarks_in_words(),
            [
                "MA130: The claim could not be worked on; charge again with what is missing. It cannot be appealed.",
                "N999: a remark of the payer's list.",
                "M76: The diagnosis is missing or not valid (IH213).",
                "M76: The diagnosis is missing or not valid (IH300).",
            ]
        );
        assert_eq!(RemittedClaim::default().remarks_in_words(), [""; 0]);
        let share = RemittedClaim { patient_share: Cents::new(500), ..RemittedClaim::default() };
        assert!(share.remarks_in_words()[0].contains("sums the patient's share to 5.00"), "{share:?}");
    }
}
