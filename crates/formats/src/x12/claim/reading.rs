//! From a file to claims.

use super::{Batch, amount, others};
use crate::Located;
use crate::x12::date;
use crate::x12::envelope::{Segment, Set};
use crate::x12::person::{PartialPerson, read_city, read_street};
use harbor_core::claims::{
    Accident, AddressOnClaim, Attachment, AttachmentWay, Biller, Claim, ClaimLine, Facility, ProviderOnClaim,
    Subscriber,
};
use harbor_core::coverage::{Rank, Relationship};
use harbor_core::money::Cents;

/// Where in the loops the reader stands: it decides whom an address belongs to.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Place {
    Head,
    Billing,
    PayTo,
    Subscriber,
    Payer,
    Patient,
    Rendering,
    Facility,
    /// Another payer of the claim (2320 and what hangs on it).
    OtherPayer,
    Other,
}

struct Reading<'a, 's> {
    set: &'s Set<'a>,
    batch: Batch,
    place: Place,
    subscriber: Option<PartialPerson>,
    /// The subscriber is an organisation: an employer.
    employer: bool,
    patient: Option<PartialPerson>,
    /// The payer's number of the accident, told before the claim.
    accident_number: String,
    rank: Rank,
    group: String,
    filing: String,
    relationship: Relationship,
    payer: (String, String),
    claim: Option<Claim>,
}

/// Reads a set 837. Lawful segments that we do not use are passed over.
pub fn read(set: &Set) -> Result<Batch, Located> {
    let empty = Biller {
        organisation: String::new(),
        npi: String::new(),
        taxonomy: String::new(),
        tax_id: String::new(),
        address: AddressOnClaim::default(),
        pay_to: None,
        contact: String::new(),
        telephone: String::new(),
        submitter_id: String::new(),
        receiver_name: String::new(),
        receiver_id: String::new(),
    };
    let mut r = Reading {
        set,
        batch: Batch { reference: String::new(), written: None, biller: empty, claims: vec![] },
        place: Place::Head,
        subscriber: None,
        employer: false,
        patient: None,
        accident_number: String::new(),
        rank: Rank::First,
        group: String::new(),
        filing: String::new(),
        relationship: Relationship::SelfHolder,
        payer: Default::default(),
        claim: None,
    };
    for segment in &set.segments {
        r.segment(segment)?;
    }
    r.close_claim();
    let first = set.segments.first();
    match first {
        Some(s) if s.id != "BHT" => Err(s.wrong(None, "BHT at the beginning of an 837")),
        None => Err(Located {
            segment: 0,
            byte: 0,
            id: "BHT".into(),
            element: None,
            expected: "BHT at the beginning of an 837".into(),
        }),
        Some(s) if r.batch.biller.npi.is_empty() => Err(s.wrong(None, "a billing provider (NM1*85) in the set")),
        Some(_) => Ok(r.batch),
    }
}

impl<'a> Reading<'a, '_> {
    fn close_claim(&mut self) {
        self.batch.claims.extend(self.claim.take());
    }

    fn segment(&mut self, s: &Segment<'a>) -> Result<(), Located> {
        if let Some(claim) = &mut self.claim
            && self.place == Place::OtherPayer
            && !matches!(s.id, "SBR" | "LX" | "HL" | "CLM")
        {
            return claim.others.last_mut().map_or(Ok(()), |o| others::segment(o, s));
        }
        match s.id {
            "BHT" => {
                self.batch.reference = s.get(3).into();
                self.batch.written = date(s.get(4));
            }
            "HL" => {
                self.close_claim();
                match s.get(3) {
                    "20" => self.place = Place::Head,
                    "22" => {
                        self.subscriber = None;
                        self.employer = false;
                        self.patient = None;
                        self.accident_number.clear();
                        self.relationship = Relationship::SelfHolder;
                    }
                    "23" => {
                        self.patient = None;
                        self.accident_number.clear();
                    }
                    _ => return Err(s.wrong(Some(3), "level 20, 22 or 23")),
                }
            }
            "SBR" if self.claim.is_none() => {
                self.rank = Rank::from_code(s.get(1)).ok_or_else(|| s.wrong(Some(1), "P, S or T"))?;
                self.group = s.get(3).into();
                self.filing = s.get(9).into();
            }
            "SBR" => {
                if let Some(claim) = &mut self.claim {
                    claim.others.push(others::begin(s)?);
                    self.place = Place::OtherPayer;
                }
            }
            "LX" => self.place = Place::Other,
            "SVD" | "CAS" => {
                if let Some(line) = self.claim.as_mut().and_then(|c| c.lines.last_mut()) {
                    others::decision(line, s)?;
                }
            }
            "PWK" => {
                if let Some(claim) = self.claim.as_mut().filter(|c| c.lines.is_empty()) {
                    let way =
                        AttachmentWay::from_code(s.get(2)).ok_or_else(|| s.wrong(Some(2), "AA, BM, EL, EM or FX"))?;
                    claim.attachments.push(Attachment { kind: s.get(1).into(), way, number: s.get(6).into() });
                }
            }
            "PAT" if self.claim.is_none() => {
                self.relationship = Relationship::from_code(s.get(1)).unwrap_or(Relationship::Other);
            }
            "PRV" => match (s.get(1), self.claim.as_mut()) {
                ("BI", None) => self.batch.biller.taxonomy = s.get(3).into(),
                ("PE", Some(claim)) => claim.rendering.taxonomy = s.get(3).into(),
                _ => {}
            },
            "PER" if self.place == Place::Head => {
                self.batch.biller.contact = s.get(2).into();
                self.batch.biller.telephone = s.get(4).into();
            }
            "NM1" => self.name(s)?,
            "N3" => {
                if let Some(a) = self.address() {
                    read_street(a, s);
                }
            }
            "N4" => {
                if let Some(a) = self.address() {
                    read_city(a, s);
                }
            }
            "DMG" => match self.place {
                Place::Subscriber => self.subscriber.get_or_insert_default().demographics(s)?,
                Place::Patient => self.patient.get_or_insert_default().demographics(s)?,
                _ => {}
            },
            "REF" => self.reference(s),
            "CLM" => self.claim_header(s)?,
            "DTP" => self.dates(s)?,
            "AMT" if s.get(1) == "F5" => {
                if let Some(claim) = &mut self.claim {
                    claim.patient_paid = amount(s, 2)?;
                }
            }
            "HI" => self.diagnoses(s)?,
            "SV1" => self.line(s)?,
            _ => {}
        }
        Ok(())
    }

    fn address(&mut self) -> Option<&mut AddressOnClaim> {
        match self.place {
            Place::Billing => Some(&mut self.batch.biller.address),
            Place::Subscriber => self.subscriber.as_mut().map(|p| &mut p.address),
            Place::Patient => self.patient.as_mut().map(|p| &mut p.address),
            Place::PayTo => Some(self.batch.biller.pay_to.get_or_insert_default()),
            Place::Facility => self.claim.as_mut().and_then(|c| c.facility.as_mut()).map(|f| &mut f.address),
            _ => None,
        }
    }

    fn name(&mut self, s: &Segment<'a>) -> Result<(), Located> {
        let provider = || ProviderOnClaim {
            last_or_name: s.get(3).into(),
            first: s.get(4).into(),
            npi: s.get(9).into(),
            taxonomy: String::new(),
        };
        let biller = &mut self.batch.biller;
        self.place = match (s.get(1), self.claim.as_mut()) {
            ("41", None) => {
                biller.submitter_id = s.get(9).into();
                Place::Head
            }
            ("40", None) => {
                biller.receiver_name = s.get(3).into();
                biller.receiver_id = s.get(9).into();
                Place::Head
            }
            ("85", None) => {
                biller.organisation = s.get(3).into();
                biller.npi = s.get(9).into();
                Place::Billing
            }
            ("87", None) => Place::PayTo,
            ("IL", None) => {
                self.subscriber = Some(PartialPerson::from_nm1(s));
                self.employer = s.get(2) == "2";
                Place::Subscriber
            }
            ("PR", None) => {
                self.payer = (s.get(3).into(), s.get(9).into());
                Place::Payer
            }
            ("QC", None) => {
                self.patient = Some(PartialPerson::from_nm1(s));
                Place::Patient
            }
            ("82", Some(claim)) => {
                claim.rendering = provider();
                Place::Rendering
            }
            ("DN", Some(claim)) => {
                claim.referring = Some(provider());
                Place::Other
            }
            ("DQ", Some(claim)) => {
                claim.supervising = Some(provider());
                Place::Other
            }
            ("77", Some(claim)) => {
                claim.facility = Some(Facility { name: s.get(3).into(), address: AddressOnClaim::default() });
                Place::Facility
            }
            _ => Place::Other,
        };
        Ok(())
    }

    fn reference(&mut self, s: &Segment) {
        let value = s.get(2).to_owned();
        match (s.get(1), self.claim.as_mut()) {
            ("EI", None) if self.place == Place::Billing => self.batch.biller.tax_id = value,
            ("Y4", None) => self.accident_number = value,
            ("9F", Some(c)) => c.referral = Some(value),
            ("G1", Some(c)) => c.prior_authorisation = Some(value),
            ("F8", Some(c)) => c.original_reference = Some(value),
            ("6R", Some(c)) => {
                if let Some(line) = c.lines.last_mut() {
                    line.control = value;
                }
            }
            _ => {}
        }
    }

    fn claim_header(&mut self, s: &Segment<'a>) -> Result<(), Located> {
        self.close_claim();
        if s.get(1).is_empty() || s.get(1).len() > 38 {
            return Err(s.wrong(Some(1), "a claim number of 1 to 38 characters"));
        }
        amount(s, 2)?;
        let subscriber =
            self.subscriber.clone().ok_or_else(|| s.wrong(None, "a subscriber (NM1*IL) before the claim"))?;
        let number = subscriber.id.clone();
        let (patient, subscriber) = match &self.patient {
            None if self.employer => return Err(s.wrong(None, "a patient (NM1*QC) whom the employer insures")),
            None => (subscriber.finish(s)?, None),
            Some(patient) => {
                let insurer = if self.employer {
                    Subscriber::Employer { name: subscriber.last, address: subscriber.address }
                } else {
                    Subscriber::Person(subscriber.finish(s)?)
                };
                (patient.clone().finish(s)?, Some(insurer))
            }
        };
        let mut place = s.get(5).split(self.set.component);
        let mut causes = s.get(11).split(self.set.component);
        let cause = causes.next().unwrap_or("").to_owned();
        let state = causes.nth(2).filter(|t| !t.is_empty()).map(str::to_owned);
        self.claim = Some(Claim {
            number: s.get(1).into(),
            payer_name: self.payer.0.clone(),
            payer_id: self.payer.1.clone(),
            filing_code: self.filing.clone(),
            rank: self.rank,
            subscriber_number: number,
            group_number: self.group.clone(),
            patient,
            subscriber,
            relationship: self.relationship,
            place_of_service: place.next().unwrap_or("").into(),
            frequency: place.nth(1).unwrap_or("").into(),
            original_reference: None,
            // The date follows in DTP*439; until then the cause is kept with the earliest day there is.
            accident: (!cause.is_empty()).then(|| Accident {
                cause,
                date: chrono::NaiveDate::MIN,
                state,
                number: self.accident_number.clone(),
            }),
            onset: None,
            last_seen: None,
            attachments: vec![],
            patient_paid: Cents::ZERO,
            prior_authorisation: None,
            referral: None,
            diagnoses: vec![],
            rendering: ProviderOnClaim::default(),
            referring: None,
            supervising: None,
            facility: None,
            others: vec![],
            lines: vec![],
        });
        Ok(())
    }

    fn dates(&mut self, s: &Segment) -> Result<(), Located> {
        let Some(claim) = &mut self.claim else { return Ok(()) };
        match s.get(1) {
            "439" => {
                let day = date(s.get(3)).ok_or_else(|| s.wrong(Some(3), "a date CCYYMMDD"))?;
                if let Some(a) = &mut claim.accident {
                    a.date = day;
                }
            }
            "431" => claim.onset = Some(date(s.get(3)).ok_or_else(|| s.wrong(Some(3), "a date CCYYMMDD"))?),
            "304" => claim.last_seen = Some(date(s.get(3)).ok_or_else(|| s.wrong(Some(3), "a date CCYYMMDD"))?),
            "573" => {
                if let Some(line) = claim.lines.last_mut() {
                    others::decision(line, s)?;
                }
            }
            "472" => {
                let text = s.get(3).split('-').next().unwrap_or("");
                let day = date(text).ok_or_else(|| s.wrong(Some(3), "a date CCYYMMDD"))?;
                if let Some(line) = claim.lines.last_mut() {
                    line.service_date = day;
                }
            }
            _ => {}
        }
        Ok(())
    }

    fn diagnoses(&mut self, s: &Segment<'a>) -> Result<(), Located> {
        let component = self.set.component;
        let Some(claim) = &mut self.claim else { return Ok(()) };
        for (n, element) in s.elements().enumerate().skip(1) {
            let (qualifier, code) =
                element.split_once(component).ok_or_else(|| s.wrong(Some(n), "a qualifier and a code"))?;
            if matches!(qualifier, "ABK" | "ABF") {
                claim.diagnoses.push(code.split(component).next().unwrap_or("").to_owned());
            }
        }
        if claim.diagnoses.len() > 12 {
            return Err(s.wrong(None, "at most twelve diagnoses"));
        }
        Ok(())
    }

    fn line(&mut self, s: &Segment<'a>) -> Result<(), Located> {
        let component = self.set.component;
        let Some(claim) = &mut self.claim else { return Err(s.wrong(None, "CLM before the first service line")) };
        let mut parts = s.get(1).split(component);
        if parts.next() != Some("HC") {
            return Err(s.wrong(Some(1), "a service code with qualifier HC"));
        }
        let code = parts.next().filter(|c| !c.is_empty()).ok_or_else(|| s.wrong(Some(1), "a service code after HC"))?;
        let pointers = s
            .get(7)
            .split(component)
            .map(|p| {
                p.parse::<u8>()
                    .ok()
                    .filter(|p| (1..=12).contains(p))
                    .ok_or_else(|| s.wrong(Some(7), "diagnosis pointers from 1 to 12"))
            })
            .collect::<Result<Vec<u8>, _>>()?;
        claim.lines.push(ClaimLine {
            control: String::new(),
            code: code.into(),
            modifiers: parts.take(4).filter(|m| !m.is_empty()).map(str::to_owned).collect(),
            fee: amount(s, 2)?,
            units: s.get(4).parse().map_err(|_| s.wrong(Some(4), "a whole number of units"))?,
            place: Some(s.get(5)).filter(|p| !p.is_empty()).map(str::to_owned),
            pointers,
            service_date: chrono::NaiveDate::MIN,
            decided: vec![],
        });
        Ok(())
    }
}
