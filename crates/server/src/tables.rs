//! The code tables that ship with the product, read once and held in memory.

pub mod medicines;

use anyhow::{Context, Result};
use harbor_core::consult::diagnoses::DiagnosisIndex;
use harbor_core::consult::growth::GrowthReference;
use harbor_core::orders::Orderable;
use harbor_core::orders::specimens::ContainerRule;
use harbor_formats::{csv_tables, icd10cm};
use std::sync::{Arc, OnceLock};

pub struct Tables {
    pub release: String,
    pub diagnoses: DiagnosisIndex,
    pub orderables: Vec<Orderable>,
    pub containers: Vec<ContainerRule>,
    pub growth: GrowthReference,
}

static SHARED: OnceLock<Arc<Tables>> = OnceLock::new();

impl Tables {
    /// The tables of this program; read on first use.
    pub fn shared() -> Result<Arc<Tables>> {
        if let Some(tables) = SHARED.get() {
            return Ok(tables.clone());
        }
        let read = Arc::new(Self::read()?);
        Ok(SHARED.get_or_init(|| read).clone())
    }

    fn read() -> Result<Tables> {
        let release =
            icd10cm::table::read(include_bytes!("../../../data/icd10cm-2026-04.table.gz")).context("diagnoses")?;
        Ok(Tables {
            release: release.version,
            diagnoses: DiagnosisIndex::new(release.entries)
                .with_meanings(
                    csv_tables::diagnosis_words(include_bytes!("../../../data/diagnosis_words.csv"))
                        .context("what people say of diagnoses")?,
                )
                .context("what people say of diagnoses")?,
            orderables: Self::read_orderables()?,
            containers: csv_tables::containers(include_bytes!("../../../data/containers.csv")).context("containers")?,
            growth: GrowthReference::new(
                csv_tables::growth(include_bytes!("../../../data/growth-reference-cdc-2000.csv")).context("growth")?,
            ),
        })
    }

    /// Tests first, so that a test is found before a study of the same beginning.
    fn read_orderables() -> Result<Vec<Orderable>> {
        let mut all = csv_tables::laboratory_tests(include_bytes!("../../../data/laboratory_tests.csv"))
            .context("laboratory tests")?;
        let others = include_bytes!("../../../data/studies_and_referrals.csv");
        all.extend(csv_tables::studies_and_referrals(others).context("studies and referrals")?);
        Ok(all)
    }

    pub fn orderable(&self, code: &str) -> Option<&Orderable> {
        self.orderables.iter().find(|t| t.code == code)
    }
}
