//! Names, addresses and demographics as several sets write them (NM1, N3, N4, DMG).

use super::envelope::Segment;
use super::writer::Writer;
use super::{d8, date};
use crate::Located;
use harbor_core::claims::{AddressOnClaim, PersonOnClaim, ProviderOnClaim};

pub(super) fn put_address(w: &mut Writer, a: &AddressOnClaim) {
    w.put("N3", &[&a.line, &a.line2]);
    w.put("N4", &[&a.city, &a.state, &a.postal_code.replace('-', "")]);
}

pub(super) fn put_provider(w: &mut Writer, code: &str, p: &ProviderOnClaim, taxonomy: bool) {
    w.put("NM1", &[code, "1", &p.last_or_name, &p.first, "", "", "", "XX", &p.npi]);
    if taxonomy && !p.taxonomy.is_empty() {
        w.put("PRV", &["PE", "PXC", &p.taxonomy]);
    }
}

/// A person while the segments about it are coming in.
#[derive(Default, Clone)]
pub(super) struct PartialPerson {
    pub last: String,
    pub first: String,
    pub middle: String,
    pub id: String,
    birth: Option<chrono::NaiveDate>,
    sex: String,
    pub address: AddressOnClaim,
}

impl PartialPerson {
    pub fn from_nm1(s: &Segment) -> Self {
        PartialPerson {
            last: s.get(3).into(),
            first: s.get(4).into(),
            middle: s.get(5).into(),
            id: s.get(9).into(),
            ..Self::default()
        }
    }

    pub fn demographics(&mut self, s: &Segment) -> Result<(), Located> {
        self.birth = Some(date(s.get(2)).ok_or_else(|| s.wrong(Some(2), "a birth date CCYYMMDD"))?);
        self.sex = s.get(3).into();
        Ok(())
    }

    pub fn finish(self, at: &Segment) -> Result<PersonOnClaim, Located> {
        Ok(PersonOnClaim {
            last: self.last,
            first: self.first,
            middle: self.middle,
            birth_date: self.birth.ok_or_else(|| at.wrong(None, "a person with a DMG segment before this"))?,
            sex: self.sex,
            address: self.address,
        })
    }
}

pub(super) fn read_street(a: &mut AddressOnClaim, s: &Segment) {
    a.line = s.get(1).into();
    a.line2 = s.get(2).into();
}

pub(super) fn read_city(a: &mut AddressOnClaim, s: &Segment) {
    a.city = s.get(1).into();
    a.state = s.get(2).into();
    a.postal_code = s.get(3).into();
}

pub(super) fn put_demographics(w: &mut Writer, p: &PersonOnClaim) {
    w.put("DMG", &["D8", &d8(p.birth_date), &p.sex]);
}
