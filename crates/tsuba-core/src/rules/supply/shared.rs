//! What the rules of this family share.

use crate::judge::Repair;
use crate::prelude::*;
use crate::understand::Entry;
use crate::understand::launch::{Container, Package, Source};

/// The specification with a version to be filled in by the reader: no version is ever guessed.
pub(super) fn with_version(package: &Package) -> String {
    match package.source {
        Source::Pypi => format!("{}==<the version you reviewed>", package.name),
        Source::Git => format!("{}#<full commit id>", package.name),
        _ => format!("{}@<the version you reviewed>", package.name),
    }
}

/// An image with the digest that is known of it, behind its tag.
pub(super) fn known_digest(entry: &Entry, container: &Container) -> Option<Repair> {
    let (image, digest) = entry.known_digest.as_ref().filter(|(image, _)| *image == container.image.text)?;
    Some(Repair::Write(format!("{image}@{digest}")))
}

/// The specification with the version that is known: fetched for this very entry, or approved; `None` where none is, or where only a part of the
/// specification names the package.
pub(super) fn known_version(entry: &Entry, package: &Package) -> Option<Repair> {
    let (name, version) = entry.known_version.as_ref().filter(|(name, _)| *name == package.name)?;
    let written = match package.source {
        Source::Npm => format!("{name}@{version}"),
        Source::Pypi if package.spec.text.contains('[') => return None,
        Source::Pypi => format!("{name}=={version}"),
        _ => return None,
    };
    Some(Repair::Write(written))
}
