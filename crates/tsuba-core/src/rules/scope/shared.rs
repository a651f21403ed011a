//! What the rules of this family share: everything that is granted, wherever it is told.

pub(super) use crate::rules::held::{DAY, HeldGrant, held, plaintext};
