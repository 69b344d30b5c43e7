//! The tables of medicines that count: those that ship, or a clinic's own from a day on.

use anyhow::{Context, Result};
use harbor_core::prescribing::Rules;
use harbor_core::prescribing::search::MedicineSearch;
use harbor_formats::csv_tables::medicines;
use std::collections::BTreeMap;
use std::sync::{OnceLock, RwLock};
use uuid::Uuid;

/// Medicines, what they are checked against, and how they are found.
pub struct MedicineTables {
    pub rules: Rules,
    pub search: MedicineSearch,
}

impl MedicineTables {
    fn of(rules: Rules) -> MedicineTables {
        MedicineTables { search: MedicineSearch::new(&rules), rules }
    }

    /// Those that ship with the program; read on first use.
    pub fn shipped() -> Result<&'static MedicineTables> {
        static SHIPPED: OnceLock<MedicineTables> = OnceLock::new();
        if let Some(read) = SHIPPED.get() {
            return Ok(read);
        }
        let read = MedicineTables::of(medicines::shipped().context("medicines")?);
        Ok(SHIPPED.get_or_init(|| read))
    }
}

/// The set that counts now, and of which import it is. A set lives as long as the program, so that what a request has taken
/// from one stays valid when another comes; imports are a few a year.
pub struct InForce(RwLock<(Option<Uuid>, &'static MedicineTables)>);

impl InForce {
    pub fn shipped() -> Result<InForce> {
        Ok(InForce(RwLock::new((None, MedicineTables::shipped()?))))
    }

    fn both(&self) -> (Option<Uuid>, &'static MedicineTables) {
        *self.0.read().unwrap_or_else(std::sync::PoisonError::into_inner)
    }

    pub fn get(&self) -> &'static MedicineTables {
        self.both().1
    }

    pub fn import(&self) -> Option<Uuid> {
        self.both().0
    }

    /// Another import counts from now on; without one, what ships.
    ///
    /// # Errors
    /// When the files cannot be read: what counted before goes on counting.
    pub fn put(&self, import: Option<(Uuid, &BTreeMap<String, String>)>) -> Result<()> {
        let next = match import {
            Some((id, files)) => {
                let rules = medicines::rules_of(files).context("the imported tables of medicines")?;
                let read: &'static MedicineTables = Box::leak(Box::new(MedicineTables::of(rules)));
                (Some(id), read)
            }
            None => (None, MedicineTables::shipped()?),
        };
        *self.0.write().unwrap_or_else(std::sync::PoisonError::into_inner) = next;
        Ok(())
    }
}
