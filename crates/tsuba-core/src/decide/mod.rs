//! decide: what people have decided about servers, what exactly they approved, and whether that is still what is there.

pub mod drift;
mod policy;
mod print;
mod register;
mod signed;
mod standing;

pub use policy::{Applied, Line, OwnRule, Policy, PolicyError, Ruling, Told, Weighing};
pub use print::{Prints, launch_print};
pub use register::{Decision, Kind, Register, RegisterError, Scope};
pub use signed::{NAMESPACE, NotSigned, Signers, SignersError};
pub use standing::Standing;
pub(crate) use standing::{approved_versions, standings};
pub use standing::{registry_name, started};
