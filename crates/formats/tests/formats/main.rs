//! What comes in and goes out, in one program.

mod fhir;
mod located;
mod tour;
mod x12;
