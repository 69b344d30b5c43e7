//! A claim as it is sent: a plain value that the writer of the file and its reader share.

use crate::coverage::Relationship;
use crate::money::Cents;
use crate::money::remittance::Adjustment;
use chrono::NaiveDate;

/// A name and number of a provider on a claim.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct ProviderOnClaim {
    pub last_or_name: String,
    pub first: String,
    pub npi: String,
    pub taxonomy: String,
}

#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct AddressOnClaim {
    pub line: String,
    pub line2: String,
    pub city: String,
    pub state: String,
    /// Nine digits for the billing provider, five or nine for people.
    pub postal_code: String,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PersonOnClaim {
    pub last: String,
    pub first: String,
    pub middle: String,
    pub birth_date: NaiveDate,
    pub sex: String,
    pub address: AddressOnClaim,
}

/// One service line as billed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ClaimLine {
    /// `CLAIM-n`: returned by the payer, so that each line finds its way home.
    pub control: String,
    pub code: String,
    pub modifiers: Vec<String>,
    pub fee: Cents,
    pub units: u32,
    /// Where it took place, where that is not the claim's place (SV105).
    pub place: Option<String>,
    /// Positions in the diagnosis list, from 1, the main one first; one to four.
    pub pointers: Vec<u8>,
    pub service_date: NaiveDate,
    /// What payers before decided of it, by their id (loop 2430).
    pub decided: Vec<(String, EarlierDecision)>,
}

/// So many diagnoses a claim holds (X12 837P, HI segment of loop 2300).
pub const MOST_DIAGNOSES: usize = 12;
pub const TOO_MANY_DIAGNOSES: &str = "A claim holds at most twelve diagnoses.";

/// Whose policy it is, where the patient does not hold it: somebody else, or the employer when the visit is for an accident
/// at work.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Subscriber {
    Person(PersonOnClaim),
    Employer { name: String, address: AddressOnClaim },
}

coded! {
    /// How an attachment reaches the payer (X12 PWK02).
    AttachmentWay {
        OnRequest = "AA", "kept here until it is asked for";
        Mail = "BM", "by mail";
        Electronically = "EL", "electronically";
        Email = "EM", "by e-mail";
        Fax = "FX", "by fax";
    }
}

/// Something that goes beside the claim.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Attachment {
    /// What it is (X12 element 755), such as `OZ` support data or `DG` diagnostic report.
    pub kind: String,
    pub way: AttachmentWay,
    /// What the attachment itself bears, so that the payer finds them together; 2 to 50 characters, none on request.
    pub number: String,
}

/// What a payer before decided, of the claim as a whole or of one line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct EarlierDecision {
    pub paid: Cents,
    pub adjustments: Vec<Adjustment>,
    pub on: NaiveDate,
}

/// A payer that comes before or after this one, with what it decided where it has (loops 2320, 2330A and B, 2430).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct EarlierPayer {
    pub name: String,
    pub id: String,
    pub rank: crate::coverage::Rank,
    pub relationship: Relationship,
    pub group_number: String,
    pub filing_code: String,
    /// Who holds that policy; the patient where nothing else is said.
    pub subscriber_last: String,
    pub subscriber_first: String,
    pub subscriber_number: String,
    /// That payer's own number of its claim (REF*F8); empty when it has none.
    pub claim_number: String,
    /// What it paid of the claim; nothing while it has not decided.
    pub paid: Option<Cents>,
    /// What it left to the patient and nobody has paid (AMT*EAF).
    pub left: Option<Cents>,
    /// Of the claim as a whole (CAS of 2320).
    pub adjustments: Vec<Adjustment>,
    /// When it decided, where no line says so.
    pub decided_on: Option<NaiveDate>,
}

/// Where the service took place, when it is not where the clinic bills from (loop 2310C).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Facility {
    pub name: String,
    pub address: AddressOnClaim,
}

/// A professional claim (X12 837P), one patient, one visit, one payer.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Claim {
    /// The clinic's claim number (CLM01), unique for ever, at most 20 characters.
    pub number: String,
    pub payer_name: String,
    pub payer_id: String,
    /// SBR09, such as CI, MC, WC.
    pub filing_code: String,
    pub rank: crate::coverage::Rank,
    pub subscriber_number: String,
    pub group_number: String,
    pub patient: PersonOnClaim,
    /// Whose policy it is; nothing when it is the patient's own.
    pub subscriber: Option<Subscriber>,
    pub relationship: Relationship,
    pub place_of_service: String,
    /// CLM05-3: 1 original, 7 replacement, 8 void.
    pub frequency: String,
    /// The payer's own number of the claim that is replaced or voided.
    pub original_reference: Option<String>,
    pub accident: Option<Accident>,
    /// Since when the patient is ill (DTP*431), and when last seen for it (DTP*304).
    pub onset: Option<NaiveDate>,
    pub last_seen: Option<NaiveDate>,
    pub attachments: Vec<Attachment>,
    pub patient_paid: Cents,
    pub prior_authorisation: Option<String>,
    pub referral: Option<String>,
    /// Codes without dots, the main one first, at most [`MOST_DIAGNOSES`].
    pub diagnoses: Vec<String>,
    pub rendering: ProviderOnClaim,
    pub referring: Option<ProviderOnClaim>,
    pub supervising: Option<ProviderOnClaim>,
    pub facility: Option<Facility>,
    /// Payers before and after this one; for a second payer with what the first decided.
    pub others: Vec<EarlierPayer>,
    pub lines: Vec<ClaimLine>,
}

/// An accident that caused the visit (CLM11, DTP*439).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Accident {
    /// AA auto, EM employment, OA other.
    pub cause: String,
    pub date: NaiveDate,
    /// The state of an auto accident.
    pub state: Option<String>,
    /// The payer's own number of what happened (REF*Y4); empty where it gave none.
    pub number: String,
}

impl Claim {
    pub fn total(&self) -> Cents {
        self.lines.iter().map(|l| l.fee).sum()
    }
}

/// Who sends a batch and who bills.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Biller {
    pub organisation: String,
    pub npi: String,
    pub taxonomy: String,
    pub tax_id: String,
    pub address: AddressOnClaim,
    /// Where money and letters go, when not to the address (loop 2010AB).
    pub pay_to: Option<AddressOnClaim>,
    pub contact: String,
    pub telephone: String,
    pub submitter_id: String,
    pub receiver_name: String,
    pub receiver_id: String,
}
