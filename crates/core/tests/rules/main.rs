//! The rules from outside: a tour, the visit line, and what the crate may depend on.

mod boundary;
mod index;
mod line;
mod tour;
