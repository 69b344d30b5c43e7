//! What comes in and goes out, in one program.

mod fhir;
mod located;
mod release;
mod tour;
mod x12;
