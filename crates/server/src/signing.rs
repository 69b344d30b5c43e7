//! Judging passwords: a few at a time, with a short queue, and with no connection to the database in hand. Whoever
//! comes beyond that is told to wait before any work is done for them.

pub(crate) mod judging;
pub(crate) mod second_factor;

use crate::problem::Problem;
use argon2::password_hash::phc::PasswordHash;
use argon2::{Argon2, PasswordHasher, PasswordVerifier};
use rand::RngExt;
use std::collections::HashMap;
use std::net::IpAddr;
use std::sync::{Mutex, PoisonError};
use tokio::sync::Semaphore;

/// A random word that nobody guesses: 62 letters and digits, so many of them.
pub fn word(length: usize) -> String {
    let mut random = rand::rng();
    (0..length).map(|_| char::from(random.sample(rand::distr::Alphanumeric))).collect()
}

/// Passwords judged at one moment: each takes 19 MiB and some tens of milliseconds of a core.
const AT_ONCE: usize = 2;
/// Sign-ins in the house at one moment, waiting ones among them; and of them, from one machine.
const IN_ALL: usize = 16;
pub const OF_A_MACHINE: usize = 6;

/// A hash of no password, so that an unknown login takes as long as a known one.
const NOBODY: &str = "$argon2id$v=19$m=19456,t=2,p=1$aW5kaWdvLWhhcmJvcg$2dAIh8E2gk6Q0IJ5T3XK8oN1bK2nBzbjX2fUQ3bJY3s";

#[derive(Debug)]
pub struct Signing {
    work: Semaphore,
    inside: Mutex<HashMap<IpAddr, usize>>,
}

impl Default for Signing {
    fn default() -> Self {
        Signing { work: Semaphore::new(AT_ONCE), inside: Mutex::default() }
    }
}

/// A place among those who are signing in; given back when dropped.
#[derive(Debug)]
pub struct Turn<'a> {
    signing: &'a Signing,
    machine: IpAddr,
}

impl Signing {
    /// Lets a sign-in of a machine begin, or says at once that there are too many.
    pub fn enter(&self, machine: IpAddr) -> Result<Turn<'_>, Problem> {
        let mut inside = self.inside.lock().unwrap_or_else(PoisonError::into_inner);
        let all: usize = inside.values().sum();
        let own = inside.entry(machine).or_default();
        if *own >= OF_A_MACHINE || all >= IN_ALL {
            return Err(Problem::throttled(1, "Many are signing in just now; try again in a moment."));
        }
        *own += 1;
        Ok(Turn { signing: self, machine })
    }
}

impl Drop for Turn<'_> {
    fn drop(&mut self) {
        let mut inside = self.signing.inside.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(own) = inside.get_mut(&self.machine) {
            *own = own.saturating_sub(1);
            if *own == 0 {
                inside.remove(&self.machine);
            }
        }
    }
}

impl Turn<'_> {
    /// Whether a password fits a hash; without a hash it takes as long and does not.
    pub async fn fits(&self, password: &str, hash: Option<String>) -> bool {
        let Ok(_permit) = self.signing.work.acquire().await else { return false };
        let (password, known) = (password.to_owned(), hash.is_some());
        let hash = hash.unwrap_or_else(|| NOBODY.to_owned());
        let judge = move || {
            PasswordHash::new(&hash).is_ok_and(|h| Argon2::default().verify_password(password.as_bytes(), &h).is_ok())
        };
        actix_web::web::block(judge).await.unwrap_or(false) && known
    }

    /// The hash of a new password.
    pub async fn hash(&self, password: &str) -> Result<String, Problem> {
        let permit = self.signing.work.acquire().await;
        let password = password.to_owned();
        let hash = actix_web::web::block(move || {
            Argon2::default().hash_password(password.as_bytes()).map(|h| h.to_string()).map_err(|e| e.to_string())
        });
        let hash = hash.await.ok().and_then(Result::ok);
        drop(permit);
        hash.ok_or_else(|| Problem::field("password", "This password cannot be kept; choose another one."))
    }
}
