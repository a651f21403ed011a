//! Image references: registry, repository, tag, digest.

use super::Pin;
use super::varied::{has_variable, outside, settled};
use crate::prelude::*;

/// A reference to a container image.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct ImageRef {
    /// The registry's host, where one is written.
    pub registry: Option<String>,
    /// The repository without registry.
    pub repository: String,
    /// The tag, where one is written.
    pub tag: Option<String>,
    /// The digest, where one is written (`sha256:…`).
    pub digest: Option<String>,
    /// The variable that decides what is started, where one does: the tag, or all of it.
    pub variable: Option<String>,
}

impl ImageRef {
    /// Reads a reference. The first part is a registry when it has a dot or a port or is `localhost`. Where a variable has a default, that
    /// is read.
    pub fn parse(text: &str) -> Self {
        let text = &*settled(text);
        let (rest, digest) =
            text.split_once('@').map_or((text, None), |(rest, digest)| (rest, Some(digest.to_owned())));
        let (registry, path) = match split(rest, outside(rest, '/').next()) {
            Some((first, path)) if first.contains(['.', ':']) || first == "localhost" => (Some(first.to_owned()), path),
            _ => (None, rest),
        };
        let (repository, tag) = match split(path, outside(path, ':').next_back()) {
            Some((repository, tag)) if has_variable(tag) || !tag.contains('/') => {
                (repository, Some(tag.to_owned()).filter(|t| !t.is_empty()))
            }
            _ => (path, None),
        };
        let varied = tag.as_deref().unwrap_or(repository);
        let variable = Some(varied).filter(|varied| has_variable(varied)).map(str::to_owned);
        Self { registry, repository: repository.to_owned(), tag, digest, variable }
    }

    /// Registry and repository.
    pub fn name(&self) -> String {
        match &self.registry {
            Some(registry) => format!("{registry}/{}", self.repository),
            None => self.repository.clone(),
        }
    }

    /// How firmly the reference fixes the image. A tag that looks like a version counts as exact, although it can be moved.
    pub fn pin(&self) -> Pin {
        match (&self.digest, &self.tag) {
            (Some(digest), _) if is_digest(digest) => Pin::Digest,
            (Some(digest), _) if digest == BUILT_HERE => Pin::Local,
            _ if self.variable.is_some() => Pin::Moving,
            (_, Some(tag)) if is_version_tag(tag) => Pin::Exact,
            (_, Some(_)) => Pin::Moving,
            (_, None) => Pin::None,
        }
    }
}

/// What stands before and behind a sign of one byte.
fn split(text: &str, at: Option<usize>) -> Option<(&str, &str)> {
    Some((text.get(..at?)?, text.get(at? + 1..)?))
}

/// Stands for the digest of an image that a deployment file builds itself. No engine takes a reference that is written so.
pub(crate) const BUILT_HERE: &str = "built-here";

fn is_digest(digest: &str) -> bool {
    digest.split_once(':').is_some_and(|(kind, hex)| {
        let length = match kind {
            "sha256" => 64,
            "sha512" => 128,
            _ => return false,
        };
        hex.len() == length && hex.bytes().all(|b| b.is_ascii_hexdigit())
    })
}

/// `1.4.2`, `v1.4.2-alpine`, `2026.11.1`, `3.12-slim-bookworm`, or a date or commit. `1` or `3` alone is a channel.
fn is_version_tag(tag: &str) -> bool {
    let bare = tag.strip_prefix('v').unwrap_or(tag);
    let number = bare.split(['-', '+', '_']).next().unwrap_or(bare);
    let dotted = number.contains('.')
        && number.split('.').all(|part| !part.is_empty() && part.bytes().all(|b| b.is_ascii_digit()));
    let hex = bare.strip_prefix("sha-").unwrap_or(bare);
    let commit =
        hex.len() >= 7 && hex.bytes().all(|b| b.is_ascii_hexdigit()) && hex.bytes().any(|b| b.is_ascii_digit());
    dotted || commit
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn references_are_taken_apart() {
        let digest = format!("sha256:{}", "ab".repeat(32));
        for (text, registry, repository, tag, pin) in [
            ("tide-table", None, "tide-table", None, Pin::None),
            ("saltmarsh/tide-table:latest", None, "saltmarsh/tide-table", Some("latest"), Pin::Moving),
            ("saltmarsh/tide-table:1.4.2", None, "saltmarsh/tide-table", Some("1.4.2"), Pin::Exact),
            ("saltmarsh/tide-table:2", None, "saltmarsh/tide-table", Some("2"), Pin::Moving),
            (
                "registry.saltmarsh-line.example:5000/a/b:v3.1-slim",
                Some("registry.saltmarsh-line.example:5000"),
                "a/b",
                Some("v3.1-slim"),
                Pin::Exact,
            ),
            ("localhost/x", Some("localhost"), "x", None, Pin::None),
            (&format!("a/b@{digest}"), None, "a/b", None, Pin::Digest),
            (&format!("a/b:1@{digest}"), None, "a/b", Some("1"), Pin::Digest),
            ("a/b@sha256:short", None, "a/b", None, Pin::None),
            ("a/b:${TAG}", None, "a/b", Some("${TAG}"), Pin::Moving),
            ("a/b:${TAG:-latest}", None, "a/b", Some("latest"), Pin::Moving),
            ("a/b:${TAG:-1.4.2}", None, "a/b", Some("1.4.2"), Pin::Exact),
            ("${IMAGE}", None, "${IMAGE}", None, Pin::Moving),
            (
                "{{ .r }}:{{ .t | default \"a/b:c\" }}",
                None,
                "{{ .r }}",
                Some("{{ .t | default \"a/b:c\" }}"),
                Pin::Moving,
            ),
            (&format!("${{IMAGE}}@{digest}"), None, "${IMAGE}", None, Pin::Digest),
        ] {
            let image = ImageRef::parse(text);
            assert_eq!(
                (image.registry.as_deref(), image.repository.as_str(), image.tag.as_deref(), image.pin()),
                (registry, repository, tag, pin),
                "{text}"
            );
        }
    }
}
