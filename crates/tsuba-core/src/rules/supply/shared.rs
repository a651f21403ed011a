//! What the rules of this family share.

use crate::judge::{Fix, Hit};
use crate::prelude::*;
use crate::understand::Entry;
use crate::understand::launch::{Container, Package, Source, Step};

/// Says what to write in the place of a package without a fixed version: the one that was fetched, approved or is installed, else one to be
/// filled in by the reader. None is ever guessed.
pub(super) fn pin(hit: &mut Hit, entry: &Entry, package: &Package) {
    match known_version(entry, package) {
        Some(Fix::Write(written)) => {
            hit.corrected(&written).fix(Fix::Write(written));
        }
        Some(Fix::Prompt(_) | Fix::Remove) => {}
        None => with_version(package).into_iter().for_each(|written| _ = hit.corrected(written)),
    }
}

/// The specification with a version to be filled in; an archive at an address has none.
fn with_version(package: &Package) -> Option<String> {
    let written = package.spec.text.as_str();
    match package.source {
        Source::Url => None,
        // A Python repository has its commit behind `@` (PEP 440, direct references), the others' behind `#`.
        Source::Git if written.starts_with("git+") && is_python(&package.runner) => {
            let bare = written.split('#').next().unwrap_or(written);
            let path = bare.find("://").map_or(0, |at| at + 3);
            let path = path + bare.get(path..).and_then(|rest| rest.find('/')).unwrap_or_default();
            let end = bare.get(path..).and_then(|rest| rest.rfind('@')).map_or(bare.len(), |at| path + at);
            Some(format!("{}@<full commit id>", bare.get(..end)?))
        }
        Source::Git => Some(format!("{}#<full commit id>", written.split('#').next().unwrap_or(written))),
        Source::Pypi => Some(format!("{}==<the version you reviewed>", package.name)),
        _ => Some(format!("{}@<the version you reviewed>", package.name)),
    }
}

fn is_python(runner: &str) -> bool {
    ["uv", "pip"].iter().any(|start| runner.starts_with(start))
}

/// Is an image only used beside the server: in an earlier stage of a build, or before it in a shell line?
pub(super) fn is_beside(step: &Step, container: &Container) -> bool {
    step.aside && !container.is_base()
}

/// An image with what is done with it.
pub(super) fn image(step: &Step, container: &Container) -> String {
    let name = container.reference.name();
    if container.is_base() {
        format!("the base image {name}")
    } else if step.aside {
        format!("the image {name}, used in the build,")
    } else {
        format!("the image {name}")
    }
}

/// An image with the digest that is known of it, behind its tag.
pub(super) fn known_digest(entry: &Entry, container: &Container) -> Option<Fix> {
    let (image, digest) = entry.known_digest.as_deref().filter(|(image, _)| *image == container.image.text)?;
    Some(Fix::Write(format!("{image}@{digest}")))
}

/// The specification with the version that is known: fetched for this very entry, or approved; `None` where none is, or where only a part of the
/// specification names the package.
pub(super) fn known_version(entry: &Entry, package: &Package) -> Option<Fix> {
    let (name, version) = entry.known_version.as_deref().filter(|(name, _)| *name == package.name)?;
    let written = match package.source {
        Source::Npm => format!("{name}@{version}"),
        Source::Pypi if package.spec.text.contains('[') => return None,
        Source::Pypi => format!("{name}=={version}"),
        _ => return None,
    };
    Some(Fix::Write(written))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::text::{Located, Pointer, Span};
    use crate::understand::launch::{StepKind, unwrap};

    #[test]
    fn what_to_write_fits_the_source() {
        for (line, want) in [
            ("npx @saltmarsh/tides@latest", Some("@saltmarsh/tides@<the version you reviewed>")),
            ("uvx saltmarsh-tides", Some("saltmarsh-tides==<the version you reviewed>")),
            // An archive has no version that could be written behind it.
            ("npx https://files.saltmarsh-line.example/tides.tgz", None),
            ("npx saltmarsh/tides#main", Some("saltmarsh/tides#<full commit id>")),
            (
                "uvx --from git+https://git.saltmarsh-line.example/tides@main tides",
                Some("git+https://git.saltmarsh-line.example/tides@<full commit id>"),
            ),
            (
                "uvx --from git+ssh://git@git.saltmarsh-line.example/tides tides",
                Some("git+ssh://git@git.saltmarsh-line.example/tides@<full commit id>"),
            ),
        ] {
            let place = |text: &str| Located { text: text.to_owned(), span: Span::new(0, 0), pointer: Pointer::root() };
            let words: Vec<Located> = line.split(' ').map(place).collect();
            let plan = unwrap(line, &words);
            let package = plan.steps.iter().find_map(|step| match &step.kind {
                StepKind::Package(package) => Some(package),
                _ => None,
            });
            assert_eq!(package.and_then(with_version).as_deref(), want, "{line}");
        }
    }
}
