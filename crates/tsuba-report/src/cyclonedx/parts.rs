//! Components and services: what entries run and call, each once.

use super::property;
use crate::model::EntryRow;
use crate::phrases::plan_line;
use packageurl::PackageUrl;
use serde_json::{Map, Value, json};
use std::collections::BTreeSet;
use tsuba_core::text::strong_fingerprint;
use tsuba_core::understand::launch::{Pin, Source};

/// Something that entries run or call.
pub(super) struct Part<'r> {
    /// The name by which the bill refers to it.
    pub(super) name: String,
    pub(super) is_service: bool,
    what: What<'r>,
    pub(super) used_by: Vec<&'r EntryRow>,
}

enum What<'r> {
    Package { source: Source, name: &'r str, version: Option<&'r str>, pin: Option<Pin> },
    Image { name: &'r str, tag: Option<&'r str>, digest: Option<&'r str> },
    Local { name: &'r str },
    Service { url: &'r str, loopback: bool },
}

/// What an entry runs, all around and beside it, and what it calls.
pub(super) fn parts_of(entry: &EntryRow) -> Vec<Part<'_>> {
    let mut out: Vec<What<'_>> = Vec::new();
    if let Some(launch) = &entry.launch {
        let source = launch.source.as_ref().map(|source| **source);
        if let (Some(name), Some(source)) = (&launch.package, source) {
            let version = launch.version.as_ref().map(|version| version.as_str());
            let pin = launch.pin.as_ref().map(|pin| **pin);
            out.push(What::Package { source, name: name.as_str(), version, pin });
        } else if let Some(image) = &launch.image {
            let tag = launch.tag.as_ref().map(|tag| tag.as_str());
            let digest = launch.digest.as_ref().map(|digest| digest.as_str());
            out.push(What::Image { name: image.as_str(), tag, digest });
        } else if let Some(script) = &launch.script {
            out.push(What::Local { name: script.as_str() });
        }
        for via in &launch.via {
            let version = via.version.as_ref().map(|version| version.as_str());
            out.push(match *via.source {
                Source::Image => {
                    let (tag, digest) = match version {
                        Some(digest) if digest.contains(':') => (None, Some(digest)),
                        tag => (tag, None),
                    };
                    What::Image { name: via.package.as_str(), tag, digest }
                }
                Source::Path => What::Local { name: via.package.as_str() },
                source => What::Package { source, name: via.package.as_str(), version, pin: Some(*via.pin) },
            });
        }
    }
    if let Some(remote) = &entry.remote {
        out.push(What::Service { url: remote.url.as_str(), loopback: remote.loopback });
    }
    out.into_iter().map(Part::of).collect()
}

impl<'r> Part<'r> {
    fn of(what: What<'r>) -> Self {
        let parts = match &what {
            What::Package { source, name, version, .. } => {
                ["package", source.name(), name, version.unwrap_or_default()]
            }
            What::Image { name, tag, digest } => ["image", name, tag.unwrap_or_default(), digest.unwrap_or_default()],
            What::Local { name } => ["program", name, "", ""],
            What::Service { url, .. } => ["service", url, "", ""],
        };
        let print: String = strong_fingerprint(parts).chars().take(16).collect();
        let is_service = matches!(what, What::Service { .. });
        Self { name: format!("{}-{print}", parts.first().unwrap_or(&"part")), is_service, what, used_by: Vec::new() }
    }

    /// Where it is set up; and what is known of it that the format has no field for.
    fn facts(&self, more: Vec<Value>) -> Vec<Value> {
        let mut out = more;
        let distinct = |values: Vec<String>| values.into_iter().collect::<BTreeSet<String>>();
        let each = |value: fn(&EntryRow) -> Option<String>| {
            distinct(self.used_by.iter().filter_map(|entry| value(entry)).collect())
        };
        let verdicts = each(|entry| entry.verdict.map(|verdict| verdict.name().to_owned()));
        let decisions = each(|entry| Some(entry.decision.as_ref()?.standing.to_string()));
        let names = each(|entry| Some(entry.name.to_string()));
        for (name, values) in [("tsuba:entry", names), ("tsuba:verdict", verdicts), ("tsuba:decision", decisions)] {
            out.extend(values.iter().map(|value| property(name, value)));
        }
        out
    }
}

/// A package, an image or a local program (CycloneDX 1.6, `component`).
pub(super) fn component(part: &Part<'_>) -> Value {
    let mut out = Map::new();
    let mut put = |key: &str, value: Value| _ = out.insert(key.to_owned(), value);
    let mut facts = Vec::new();
    put("bom-ref", json!(part.name));
    match &part.what {
        What::Package { source, name, version, pin } => {
            put("type", json!("application"));
            let (group, name) = split(*source, name);
            if !group.is_empty() {
                put("group", json!(group));
            }
            put("name", json!(name));
            let exact = version.filter(|_| matches!(pin, Some(Pin::Exact | Pin::Digest)));
            match (exact, version) {
                (Some(version), _) => put("version", json!(version)),
                // A range or a tag is no version: what is run is decided when it is started.
                (None, Some(range)) => facts.push(property("tsuba:requested", range)),
                (None, None) => {}
            }
            if let Some(pin) = pin {
                facts.push(property("tsuba:pin", pin.name()));
            }
            if let Some(purl) = package_url(*source, group, name, exact) {
                put("purl", json!(purl));
            }
        }
        What::Image { name, tag, digest } => {
            put("type", json!("container"));
            put("name", json!(name));
            if let Some(version) = tag.or(*digest) {
                put("version", json!(version));
            }
            let sha = digest.and_then(|digest| digest.strip_prefix("sha256:"));
            if let Some(sha) = sha.filter(|sha| sha.len() == 64 && sha.bytes().all(|b| b.is_ascii_hexdigit())) {
                put("hashes", json!([{ "alg": "SHA-256", "content": sha }]));
            }
            if let Some(purl) = image_url(name, *tag, *digest) {
                put("purl", json!(purl));
            }
        }
        What::Local { name } => {
            put("type", json!("application"));
            put("name", json!(name));
            facts.push(property("tsuba:pin", Pin::Local.name()));
        }
        What::Service { url, .. } => {
            put("type", json!("application"));
            put("name", json!(url));
        }
    }
    let occurrences: Vec<Value> = part
        .used_by
        .iter()
        .map(|entry| json!({ "location": entry.setup, "line": entry.place.line, "symbol": entry.name }))
        .collect();
    put("evidence", json!({ "occurrences": occurrences }));
    let runs: BTreeSet<String> = part.used_by.iter().map(|entry| plan_line(entry)).collect();
    facts.extend(runs.iter().map(|line| property("tsuba:runs", line)));
    put("properties", part.facts(facts).into());
    Value::Object(out)
}

/// A remote server (CycloneDX 1.6, `service`).
pub(super) fn service(part: &Part<'_>) -> Value {
    let (url, loopback) = match &part.what {
        What::Service { url, loopback } => (*url, *loopback),
        What::Package { name, .. } | What::Image { name, .. } | What::Local { name } => (*name, false),
    };
    let mut out = Map::new();
    let mut put = |key: &str, value: Value| _ = out.insert(key.to_owned(), value);
    put("bom-ref", json!(part.name));
    put("name", json!(part.used_by.first().map(|entry| entry.name.as_str()).unwrap_or(url)));
    // A part that is filled in where it is called makes it no address.
    if url.bytes().all(|byte| byte.is_ascii_graphic() && !b"<>\"{}|\\^`".contains(&byte)) {
        put("endpoints", json!([url]));
    }
    // Whether it would answer without one is not known; that one is handed over is.
    if part.used_by.iter().any(|entry| !entry.credentials.is_empty() || entry.login.is_some()) {
        put("authenticated", json!(true));
    }
    put("x-trust-boundary", json!(!loopback));
    put(
        "data",
        json!([{ "flow": "bi-directional", "classification": "unknown", "name": "tool calls and their results" }]),
    );
    let places: Vec<Value> = part
        .used_by
        .iter()
        .map(|entry| property("tsuba:setup", &format!("{}:{}", entry.setup, entry.place.line)))
        .chain([property("tsuba:address", url)])
        .collect();
    put("properties", part.facts(places).into());
    Value::Object(out)
}

/// The scope or path of a package, and its own name.
fn split(source: Source, name: &str) -> (&str, &str) {
    match source {
        Source::Npm | Source::Jsr | Source::Go => name.rsplit_once('/').unwrap_or(("", name)),
        Source::Pypi | Source::Nuget | Source::Crates | Source::Image | Source::Git | Source::Url | Source::Path => {
            ("", name)
        }
    }
}

/// The package URL, where its registry has a type of its own there.
fn package_url(source: Source, group: &str, name: &str, version: Option<&str>) -> Option<String> {
    let kind = match source {
        Source::Npm => "npm",
        Source::Pypi => "pypi",
        Source::Nuget => "nuget",
        Source::Go => "golang",
        Source::Crates => "cargo",
        Source::Git | Source::Url => "generic",
        Source::Jsr | Source::Image | Source::Path => return None,
    };
    let address = matches!(source, Source::Git | Source::Url);
    let short = name.trim_end_matches('/').rsplit('/').next().unwrap_or(name);
    let mut url = PackageUrl::new(kind, if address { short } else { name }.to_owned()).ok()?;
    if !group.is_empty() {
        url.with_namespace(group.to_owned()).ok()?;
    }
    if let Some(version) = version {
        url.with_version(version.to_owned()).ok()?;
    }
    if address {
        let key = if source == Source::Git { "vcs_url" } else { "download_url" };
        url.add_qualifier(key, name.to_owned()).ok()?;
    }
    Some(url.to_string())
}

/// Of an image: by its digest where it has one, else by its tag.
fn image_url(name: &str, tag: Option<&str>, digest: Option<&str>) -> Option<String> {
    // The first part is a registry if it could be a host.
    let (registry, path) = match name.split_once('/') {
        Some((host, rest)) if host.contains(['.', ':']) || host == "localhost" => (Some(host), rest),
        _ => (None, name),
    };
    let (namespace, short) = path.rsplit_once('/').map_or((None, path), |(above, short)| (Some(above), short));
    let mut url = PackageUrl::new("docker", short.to_owned()).ok()?;
    if let Some(namespace) = namespace {
        url.with_namespace(namespace.to_owned()).ok()?;
    }
    if let Some(version) = digest.or(tag) {
        url.with_version(version.to_owned()).ok()?;
    }
    if let Some(registry) = registry {
        url.add_qualifier("repository_url", registry.to_owned()).ok()?;
    }
    Some(url.to_string())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn packages_have_their_urls() {
        for (source, name, version, want) in [
            (Source::Npm, "@saltmarsh/tide-table", Some("2.4.1"), Some("pkg:npm/%40saltmarsh/tide-table@2.4.1")),
            (Source::Npm, "tide-table", None, Some("pkg:npm/tide-table")),
            (Source::Pypi, "saltmarsh-crew", Some("1.0"), Some("pkg:pypi/saltmarsh-crew@1.0")),
            (
                Source::Go,
                "code.saltmarsh.example/line/tide",
                Some("v1.2.0"),
                Some("pkg:golang/code.saltmarsh.example/line/tide@v1.2.0"),
            ),
            (Source::Crates, "tide", None, Some("pkg:cargo/tide")),
            (Source::Jsr, "@saltmarsh/tide", None, None),
        ] {
            let (group, short) = split(source, name);
            assert_eq!(package_url(source, group, short, version).as_deref(), want, "{name}");
        }
    }

    #[test]
    fn images_have_their_urls() {
        for (name, tag, digest, want) in [
            ("saltmarsh/quay", Some("1.4"), None, "pkg:docker/saltmarsh/quay@1.4"),
            ("quay", None, None, "pkg:docker/quay"),
            (
                "images.saltmarsh.example:5000/line/quay",
                Some("1.4"),
                Some("sha256:ab"),
                "pkg:docker/line/quay@sha256:ab?repository_url=images.saltmarsh.example:5000",
            ),
        ] {
            assert_eq!(image_url(name, tag, digest).as_deref(), Some(want), "{name}");
        }
    }
}
