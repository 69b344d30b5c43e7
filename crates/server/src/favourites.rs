//! What each clinician diagnoses most, held in memory: every letter of a search asks for it.

use chrono::NaiveDate;
use harbor_store::consult::runs;
use harbor_store::{Result, Store};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use uuid::Uuid;

/// Counted anew after so long; what is used today comes first soon enough.
const KEPT: Duration = Duration::from_mins(5);

type Counted = (Instant, Arc<Vec<String>>);

#[derive(Default)]
pub struct Favourites(Mutex<HashMap<Uuid, Counted>>);

impl Favourites {
    /// The codes of a clinician, the most used first, with use fading over months.
    pub async fn of(&self, store: &Store, clinician: Uuid, today: NaiveDate) -> Result<Arc<Vec<String>>> {
        let held = self.0.lock().unwrap_or_else(PoisonError::into_inner).get(&clinician).cloned();
        if let Some((_, codes)) = held.filter(|(at, _)| at.elapsed() < KEPT) {
            return Ok(codes);
        }
        let codes = Arc::new(runs::favourite_codes(&mut *store.reader().await?, clinician, today).await?);
        self.0.lock().unwrap_or_else(PoisonError::into_inner).insert(clinician, (Instant::now(), codes.clone()));
        Ok(codes)
    }
}
