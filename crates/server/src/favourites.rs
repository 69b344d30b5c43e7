//! What each clinician diagnoses and prescribes most, held in memory: every letter of a search asks for it.

use chrono::NaiveDate;
use harbor_store::consult::runs;
use harbor_store::{Result, Store, prescribing};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use uuid::Uuid;

/// Counted anew after so long; what is used today comes first soon enough.
const KEPT: Duration = Duration::from_mins(5);

type Counted = (Instant, Arc<Vec<String>>);

type Prescribed = (Instant, Arc<HashMap<String, u32>>);

#[derive(Default)]
pub struct Favourites {
    diagnoses: Mutex<HashMap<Uuid, Counted>>,
    products: Mutex<HashMap<Uuid, Prescribed>>,
}

impl Favourites {
    /// The codes of a clinician, the most used first, with use fading over months.
    pub async fn of(&self, store: &Store, clinician: Uuid, today: NaiveDate) -> Result<Arc<Vec<String>>> {
        let held = self.diagnoses.lock().unwrap_or_else(PoisonError::into_inner).get(&clinician).cloned();
        if let Some((_, codes)) = held.filter(|(at, _)| at.elapsed() < KEPT) {
            return Ok(codes);
        }
        let codes = Arc::new(runs::favourite_codes(&mut *store.reader().await?, clinician, today).await?);
        self.diagnoses
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .insert(clinician, (Instant::now(), codes.clone()));
        Ok(codes)
    }

    /// How much each product is prescribed: by the clinician, and by the clinic.
    pub async fn products(
        &self,
        store: &Store,
        clinician: Uuid,
        today: NaiveDate,
    ) -> Result<Arc<HashMap<String, u32>>> {
        let held = self.products.lock().unwrap_or_else(PoisonError::into_inner).get(&clinician).cloned();
        if let Some((_, counts)) = held.filter(|(at, _)| at.elapsed() < KEPT) {
            return Ok(counts);
        }
        let counted = prescribing::most_prescribed(&mut *store.reader().await?, clinician, today).await?;
        let counts = Arc::new(counted.into_iter().collect::<HashMap<_, _>>());
        self.products
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .insert(clinician, (Instant::now(), counts.clone()));
        Ok(counts)
    }
}
