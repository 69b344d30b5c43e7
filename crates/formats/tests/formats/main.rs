//! What comes in and goes out, in one program.

mod approval;
mod fhir;
mod growth;
mod independent;
mod located;
mod prescribing;
mod quick_line;
mod release;
mod reports;
mod tour;
mod validated;
mod x12;
mod x12_claims;
