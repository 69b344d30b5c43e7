//! The rules of an outpatient clinic's day, as pure functions over plain values.
//!
//! What this crate promises: no clock, no randomness, no input or output. "Now" and new ids come in
//! as arguments, every refusal is a typed value with a sentence a person can act on, and no function
//! panics on any input. The modules follow the job in its order; begin reading at [`visit_line`],
//! which looks at a whole visit, or at `tests/tour.rs`, which walks one visit from the telephone
//! call to a settled balance.

/// An enum whose values have a stable text code, used in storage and on the wire, and a plain label for people.
pub trait Coded: Copy + Eq + Ord + std::hash::Hash + std::fmt::Debug + 'static {
    /// What the enum is called in the API document.
    const NAME: &'static str;
    /// Every value, in the order of the job.
    const ALL: &'static [Self];
    /// The stable code.
    fn code(self) -> &'static str;
    /// The word shown to people.
    fn label(self) -> &'static str;
    /// The value with this code, if there is one.
    fn from_code(code: &str) -> Option<Self>;
}

/// Declares a [`Coded`] enum. What the trait promises it has by itself too, so that nobody needs the trait to read a code.
#[macro_export]
macro_rules! coded {
    ($(#[$meta:meta])* $name:ident { $($(#[$vmeta:meta])* $variant:ident = $code:literal, $label:literal;)+ }) => {
        $(#[$meta])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum $name { $($(#[$vmeta])* $variant),+ }
        impl $name {
            /// Every value, in the order of the job.
            pub const ALL: &'static [$name] = &[$($name::$variant),+];
            /// The stable code.
            pub const fn code(self) -> &'static str { match self { $($name::$variant => $code),+ } }
            /// The word shown to people.
            pub const fn label(self) -> &'static str { match self { $($name::$variant => $label),+ } }
            /// The value with this code, if there is one.
            pub fn from_code(code: &str) -> Option<Self> { match code { $($code => Some($name::$variant),)+ _ => None } }
        }
        impl $crate::Coded for $name {
            const NAME: &'static str = stringify!($name);
            const ALL: &'static [Self] = $name::ALL;
            fn code(self) -> &'static str { $name::code(self) }
            fn label(self) -> &'static str { $name::label(self) }
            fn from_code(code: &str) -> Option<Self> { $name::from_code(code) }
        }
        impl std::fmt::Display for $name {
            fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result { f.write_str(self.label()) }
        }
    };
}

pub mod arrival;
pub mod charges;
pub mod claims;
pub mod consult;
pub mod coverage;
pub mod fields;
pub mod house;
pub mod money;
pub mod orders;
pub mod people;
pub mod prescribing;
pub mod schedule;
pub mod visit_line;
