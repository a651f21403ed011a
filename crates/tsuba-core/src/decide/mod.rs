//! decide: what people have decided about servers, what exactly they approved, and whether that is still what is there.

pub mod drift;
mod policy;
mod print;
mod register;
mod signed;
mod standing;

/// The rules that only say that a decision is missing, or no longer holds.
pub const UNDECIDED: [&str; 3] = ["review/unknown", "review/changed", "review/expired"];

pub use policy::{Applied, Line, OwnRule, Policy, PolicyError, Ruling, Told, Weighing};
pub use print::{Prints, launch_print};
pub use register::{Decision, Kind, Register, RegisterError, Scope, Signing};
pub use signed::{MAX_REMEMBERED, Memory, NAMESPACE, NotSigned, Signers, SignersError, Stale};
pub use standing::Standing;
pub(crate) use standing::{approved_versions, standings};
pub use standing::{registry_name, started};
