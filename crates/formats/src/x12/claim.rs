//! 837P professional claims, 005010X222A1.

mod faults;

pub use faults::faults;

use super::envelope::{Segment, Set};
use super::person::{PartialPerson, put_address, put_demographics, put_provider, read_city, read_street};
use super::writer::{Stamp, Writer};
use super::{d8, date};
use crate::Located;
use harbor_core::claims::{Accident, AddressOnClaim, Biller, Claim, ClaimLine, ProviderOnClaim};
use harbor_core::coverage::{Rank, Relationship};
use harbor_core::money::Cents;
use std::fmt::Write as _;

pub const VERSION: &str = "005010X222A1";

/// Writes one interchange with one 837P set that holds all claims of a batch.
pub fn write(stamp: &Stamp, biller: &Biller, batch_reference: &str, claims: &[Claim]) -> String {
    let mut w = Writer::new(stamp, "HC", VERSION);
    w.begin_set("837");
    let (day, time) = (stamp.at.format("%Y%m%d").to_string(), stamp.at.format("%H%M").to_string());
    w.put("BHT", &["0019", "00", batch_reference, &day, &time, "CH"]);
    w.put("NM1", &["41", "2", &biller.organisation, "", "", "", "", "46", &biller.submitter_id]);
    w.put("PER", &["IC", &biller.contact, "TE", &biller.telephone]);
    w.put("NM1", &["40", "2", &biller.receiver_name, "", "", "", "", "46", &biller.receiver_id]);
    w.put("HL", &["1", "", "20", if claims.is_empty() { "0" } else { "1" }]);
    w.put("PRV", &["BI", "PXC", &biller.taxonomy]);
    w.put("NM1", &["85", "2", &biller.organisation, "", "", "", "", "XX", &biller.npi]);
    put_address(&mut w, &biller.address);
    w.put("REF", &["EI", &biller.tax_id]);
    let mut level = 1;
    let mut buffer = String::new();
    for claim in claims {
        level += 1;
        put_claim(&mut w, claim, &mut level, &mut buffer);
    }
    w.end_set();
    w.finish()
}

fn put_claim(w: &mut Writer, c: &Claim, level: &mut u32, buffer: &mut String) {
    let own = c.patient.is_none();
    let subscriber_level = level.to_string();
    w.put("HL", &[&subscriber_level, "1", "22", if own { "0" } else { "1" }]);
    w.put("SBR", &[c.rank.code(), if own { "18" } else { "" }, &c.group_number, "", "", "", "", "", &c.filing_code]);
    let s = &c.subscriber;
    w.put("NM1", &["IL", "1", &s.last, &s.first, &s.middle, "", "", "MI", &c.subscriber_number]);
    put_address(w, &s.address);
    put_demographics(w, s);
    w.put("NM1", &["PR", "2", &c.payer_name, "", "", "", "", "PI", &c.payer_id]);
    if let Some(p) = &c.patient {
        *level += 1;
        w.put("HL", &[&level.to_string(), &subscriber_level, "23", "0"]);
        w.put("PAT", &[c.relationship.code()]);
        w.put("NM1", &["QC", "1", &p.last, &p.first, &p.middle]);
        put_address(w, &p.address);
        put_demographics(w, p);
    }
    put_header(w, c, buffer);
    for (i, line) in c.lines.iter().enumerate() {
        put_line(w, i + 1, line, buffer);
    }
}

fn put_header(w: &mut Writer, c: &Claim, buffer: &mut String) {
    buffer.clear();
    let _ = write!(buffer, "{}:B:{}", c.place_of_service, c.frequency);
    let mut cause = String::new();
    if let Some(a) = &c.accident {
        cause = a.cause.clone();
        if let Some(state) = &a.state {
            let _ = write!(cause, ":::{state}");
        }
    }
    w.put_composite("CLM", &[&c.number, &c.total().to_x12(), "", "", buffer, "Y", "A", "Y", "Y", "", &cause]);
    if let Some(a) = &c.accident {
        w.put("DTP", &["439", "D8", &d8(a.date)]);
    }
    if c.patient_paid.is_positive() {
        w.put("AMT", &["F5", &c.patient_paid.to_x12()]);
    }
    for (qualifier, value) in [("9F", &c.referral), ("G1", &c.prior_authorisation), ("F8", &c.original_reference)] {
        if let Some(value) = value {
            w.put("REF", &[qualifier, value]);
        }
    }
    let codes: Vec<String> = c
        .diagnoses
        .iter()
        .take(12)
        .enumerate()
        .map(|(i, d)| format!("{}:{d}", if i == 0 { "ABK" } else { "ABF" }))
        .collect();
    w.put_composite("HI", &codes.iter().map(String::as_str).collect::<Vec<_>>());
    if let Some(p) = &c.referring {
        put_provider(w, "DN", p, false);
    }
    put_provider(w, "82", &c.rendering, true);
    if let Some((name, address)) = &c.facility {
        w.put("NM1", &["77", "2", name]);
        put_address(w, address);
    }
    if let Some(p) = &c.supervising {
        put_provider(w, "DQ", p, false);
    }
}

fn put_line(w: &mut Writer, number: usize, line: &ClaimLine, buffer: &mut String) {
    w.put("LX", &[&number.to_string()]);
    buffer.clear();
    let _ = write!(buffer, "HC:{}", line.code);
    for modifier in line.modifiers.iter().take(4) {
        let _ = write!(buffer, ":{modifier}");
    }
    let pointers = line.pointers.iter().map(u8::to_string).collect::<Vec<_>>().join(":");
    w.put_composite("SV1", &[buffer, &line.fee.to_x12(), "UN", &line.units.to_string(), "", "", &pointers]);
    w.put("DTP", &["472", "D8", &d8(line.service_date)]);
    w.put("REF", &["6R", &line.control]);
}

/// A batch as it was read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Batch {
    pub reference: String,
    pub biller: Biller,
    pub claims: Vec<Claim>,
}

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
    Other,
}

struct Reading<'a, 's> {
    set: &'s Set<'a>,
    batch: Batch,
    place: Place,
    subscriber: Option<PartialPerson>,
    patient: Option<PartialPerson>,
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
        contact: String::new(),
        telephone: String::new(),
        submitter_id: String::new(),
        receiver_name: String::new(),
        receiver_id: String::new(),
    };
    let mut r = Reading {
        set,
        batch: Batch { reference: String::new(), biller: empty, claims: vec![] },
        place: Place::Head,
        subscriber: None,
        patient: None,
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
        match s.id {
            "BHT" => self.batch.reference = s.get(3).into(),
            "HL" => {
                self.close_claim();
                match s.get(3) {
                    "20" => self.place = Place::Head,
                    "22" => {
                        self.subscriber = None;
                        self.patient = None;
                        self.relationship = Relationship::SelfHolder;
                    }
                    "23" => self.patient = None,
                    _ => return Err(s.wrong(Some(3), "level 20, 22 or 23")),
                }
            }
            "SBR" if self.claim.is_none() => {
                self.rank = Rank::from_code(s.get(1)).ok_or_else(|| s.wrong(Some(1), "P, S or T"))?;
                self.group = s.get(3).into();
                self.filing = s.get(9).into();
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
            Place::Facility => self.claim.as_mut().and_then(|c| c.facility.as_mut()).map(|(_, a)| a),
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
                claim.facility = Some((s.get(3).into(), AddressOnClaim::default()));
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
            subscriber: subscriber.finish(s)?,
            relationship: self.relationship,
            patient: self.patient.clone().map(|p| p.finish(s)).transpose()?,
            place_of_service: place.next().unwrap_or("").into(),
            frequency: place.nth(1).unwrap_or("").into(),
            original_reference: None,
            // The date follows in DTP*439; until then the cause is kept with the earliest day there is.
            accident: (!cause.is_empty()).then_some(Accident { cause, date: chrono::NaiveDate::MIN, state }),
            patient_paid: Cents::ZERO,
            prior_authorisation: None,
            referral: None,
            diagnoses: vec![],
            rendering: ProviderOnClaim::default(),
            referring: None,
            supervising: None,
            facility: None,
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
            pointers,
            service_date: chrono::NaiveDate::MIN,
        });
        Ok(())
    }
}

pub(super) fn amount(s: &Segment, element: usize) -> Result<Cents, Located> {
    money(s, element, s.get(element))
}

/// The amount that stands as this text in this element.
pub(super) fn money(s: &Segment, element: usize, text: &str) -> Result<Cents, Located> {
    Cents::parse_decimal(text).map_err(|_| s.wrong(Some(element), "an amount such as 125.5"))
}
