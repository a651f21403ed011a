//! What is known beside the documents that are judged: versions that a lockfile or a package cache of the same project names, digests of
//! images that other setups name. Nothing of it is guessed: where two are named, neither is known.

use super::launch::{Container, Package, Source};
use super::{Analysis, registry_name};
use crate::prelude::*;
use crate::read::{Input, Node, read};

/// Versions of packages and digests of images that are known without asking anybody.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Known {
    /// Versions by the path of the document they hold for, the source and the package's name there.
    versions: BTreeMap<String, BTreeMap<(Source, String), BTreeSet<String>>>,
    /// Digests by an image's name and tag.
    digests: BTreeMap<(String, String), BTreeSet<String>>,
}

/// A version of a package that is named somewhere.
pub type Locked = (Source, String, String);

impl Known {
    /// The digests of all images that are named with one.
    pub fn of(analyses: &[Analysis]) -> Self {
        let mut known = Self::default();
        let plans = analyses.iter().flat_map(|analysis| &analysis.entries).filter_map(|entry| entry.plan.as_ref());
        for reference in plans.flat_map(|plan| plan.containers()).map(|(_, container)| &container.reference) {
            if let Some(digest) = reference.digest.as_ref().filter(|digest| digest.starts_with("sha")) {
                let name = registry_name("image", &reference.name());
                let tag = reference.tag.clone().unwrap_or_default();
                known.digests.entry((name, tag)).or_default().insert(digest.clone());
            }
        }
        known
    }

    /// Notes what a lockfile or a cache names, for a document.
    pub fn note(&mut self, document: &str, locked: impl IntoIterator<Item = Locked>) {
        let own = self.versions.entry(document.to_owned()).or_default();
        for (source, name, version) in locked {
            own.entry((source, registry_name(source.name(), &name))).or_default().insert(version);
        }
    }

    /// The one version of a package that is known for a document.
    pub(crate) fn version(&self, document: &str, package: &Package) -> Option<&String> {
        let key = (package.source, registry_name(package.source.name(), &package.name));
        self.versions.get(document)?.get(&key).filter(|versions| versions.len() == 1)?.first()
    }

    /// The one digest that is known of an image at its tag.
    pub(crate) fn digest(&self, container: &Container) -> Option<&String> {
        let reference = &container.reference;
        let key = (registry_name("image", &reference.name()), reference.tag.clone().unwrap_or_default());
        self.digests.get(&key).filter(|digests| digests.len() == 1)?.first()
    }
}

/// The name and version that an installed JavaScript package gives itself (`package.json`).
pub fn installed(manifest: &[u8]) -> Option<Locked> {
    let manifest: serde_json::Value = serde_json::from_slice(manifest).ok()?;
    let text = |key: &str| manifest.get(key).and_then(serde_json::Value::as_str).map(str::to_owned);
    let version = text("version").filter(|version| semver::Version::parse(version).is_ok())?;
    Some((Source::Npm, text("name")?, version))
}

/// The names of the files that [`locked`] reads.
pub const LOCKFILES: &[&str] = &[
    "package-lock.json",
    "npm-shrinkwrap.json",
    "pnpm-lock.yaml",
    "yarn.lock",
    "uv.lock",
    "poetry.lock",
    "pdm.lock",
    "requirements.txt",
];

/// What a lockfile names, by its file name; nothing where it cannot be read.
pub fn locked(file: &str, bytes: &[u8]) -> Vec<Locked> {
    let found = match file {
        "yarn.lock" => yarn(&String::from_utf8_lossy(bytes)),
        "requirements.txt" => requirements(&String::from_utf8_lossy(bytes)),
        _ => {
            let input = Input { path: file.to_owned(), bytes: bytes.to_vec(), ..Input::default() };
            let Ok(document) = read(input) else { return Vec::new() };
            let Some(root) = document.roots.first() else { return Vec::new() };
            match file {
                "package-lock.json" | "npm-shrinkwrap.json" => npm(root),
                "pnpm-lock.yaml" => pnpm(root),
                _ => python(root),
            }
        }
    };
    let is_exact = |(source, _, version): &Locked| match source {
        Source::Pypi => version.parse::<pep440_rs::Version>().is_ok(),
        _ => semver::Version::parse(version).is_ok(),
    };
    found.into_iter().filter(is_exact).collect()
}

/// `packages` by their folders (lockfileVersion 2 and 3), else `dependencies` by their names; only those that the project itself has.
fn npm(root: &Node) -> Vec<Locked> {
    let of = |node: &Node, name: &str| Some((Source::Npm, name.to_owned(), node.get("version")?.text()?.to_owned()));
    let packages = root.get("packages").map(Node::members).unwrap_or_default().iter();
    let found: Vec<Locked> = packages
        .filter_map(|member| {
            let name = member.key.text.strip_prefix("node_modules/").filter(|name| !name.contains("node_modules/"))?;
            of(&member.value, name)
        })
        .collect();
    if !found.is_empty() {
        return found;
    }
    let members = root.get("dependencies").map(Node::members).unwrap_or_default().iter();
    members.filter_map(|member| of(&member.value, &member.key.text)).collect()
}

/// `/@saltmarsh/tides@2.4.1(peer)` and `@saltmarsh/tides@2.4.1`.
fn pnpm(root: &Node) -> Vec<Locked> {
    let members = root.get("packages").map(Node::members).unwrap_or_default().iter();
    members
        .filter_map(|member| {
            let key = member.key.text.trim_start_matches('/').split('(').next()?;
            let at = key.rfind('@').filter(|at| *at > 0)?;
            Some((Source::Npm, key.get(..at)?.to_owned(), key.get(at + 1..)?.to_owned()))
        })
        .collect()
}

/// `[[package]]` with `name` and `version`.
fn python(root: &Node) -> Vec<Locked> {
    let packages = root.get("package").map(Node::items).unwrap_or_default().iter();
    packages
        .filter_map(|p| Some((Source::Pypi, p.get("name")?.text()?.to_owned(), p.get("version")?.text()?.to_owned())))
        .collect()
}

/// `"@saltmarsh/tides@^2.4":` with `version "2.4.1"` or `version: 2.4.1` below it.
fn yarn(text: &str) -> Vec<Locked> {
    let (mut out, mut name) = (Vec::new(), None);
    for line in text.lines() {
        if !line.starts_with([' ', '#']) {
            let first = line.trim_start_matches('"').split([',', '"']).next().unwrap_or_default();
            let at = first.get(1..).and_then(|rest| rest.find('@')).map(|at| at + 1);
            name = at.and_then(|at| first.get(..at)).map(str::to_owned);
        } else if let Some(version) = line.trim().strip_prefix("version")
            && let Some(name) = name.take()
        {
            out.push((Source::Npm, name, version.trim_matches([' ', ':', '"']).to_owned()));
        }
    }
    out
}

/// `saltmarsh-tides==2.4.1 --hash=…`.
fn requirements(text: &str) -> Vec<Locked> {
    let pinned = text.lines().filter_map(|line| {
        let (name, rest) = line.split('#').next()?.split_once("==")?;
        let version = rest.trim_start().split([' ', ';', '\\']).next()?;
        let name = name.split('[').next()?.trim();
        Some((Source::Pypi, name.to_owned(), version.to_owned()))
    });
    pinned.collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lockfiles_are_read() {
        for (file, text, want) in [
            (
                "package-lock.json",
                r#"{"packages": {"": {"version": "1.0.0"}, "node_modules/@saltmarsh/tides": {"version": "2.4.1"}, "node_modules/a/node_modules/@saltmarsh/tides": {"version": "1.0.0"}, "node_modules/b": {"link": true}}}"#,
                "@saltmarsh/tides 2.4.1",
            ),
            (
                "package-lock.json",
                r#"{"dependencies": {"tides": {"version": "2.4.1"}, "b": {"version": "file:../b"}}}"#,
                "tides 2.4.1",
            ),
            (
                "pnpm-lock.yaml",
                "packages:\n  '@saltmarsh/tides@2.4.1(x@1.0.0)':\n    resolution: {}\n  /b@1.0.0:\n    dev: true\n",
                "@saltmarsh/tides 2.4.1; b 1.0.0",
            ),
            (
                "yarn.lock",
                "# yarn\n\n\"@saltmarsh/tides@^2.4\", \"@saltmarsh/tides@^2\":\n  version \"2.4.1\"\n\nb@1:\n  version \"1.0.0\"\n",
                "@saltmarsh/tides 2.4.1; b 1.0.0",
            ),
            (
                "uv.lock",
                "version = 1\n[[package]]\nname = \"saltmarsh-tides\"\nversion = \"2.4.1\"\n[[package]]\nname = \"own\"\nsource = { editable = \".\" }\n",
                "saltmarsh-tides 2.4.1",
            ),
            (
                "requirements.txt",
                "saltmarsh-tides[all]==2.4.1 --hash=sha256:00 # pinned\nb>=1\nc == 1.0 ; python_version > '3'\n",
                "saltmarsh-tides 2.4.1; c 1.0",
            ),
            ("package-lock.json", "{", ""),
            ("yarn.lock", "\u{0}@", ""),
        ] {
            let found = locked(file, text.as_bytes());
            let message: Vec<String> = found.iter().map(|(_, name, version)| format!("{name} {version}")).collect();
            assert_eq!(message.join("; "), want, "{file}");
        }
    }
}
