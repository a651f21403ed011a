//! What the rules of this family share.

use crate::prelude::*;
use crate::understand::launch::Package;

/// The specification with a version to be filled in by the reader: no version is ever guessed.
pub(super) fn with_version(package: &Package) -> String {
    use crate::understand::launch::Source;
    match package.source {
        Source::Pypi => format!("{}==<the version you reviewed>", package.name),
        Source::Git => format!("{}#<full commit id>", package.name),
        _ => format!("{}@<the version you reviewed>", package.name),
    }
}
