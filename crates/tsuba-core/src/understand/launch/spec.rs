//! Package specifications of the registries: what is named, at which version, from where.

use super::varied::{has_variable, settled};
use super::{Package, Pin, Source};
use crate::prelude::*;
use crate::text::Located;

/// A commit id of SHA-1 or SHA-256 in full; anything shorter can be moved or collide.
fn is_commit(reference: &str) -> bool {
    matches!(reference.len(), 40 | 64) && reference.bytes().all(|b| b.is_ascii_hexdigit())
}

fn package(runner: &str, source: Source, name: &str, version: Option<&str>, pin: Pin, spec: &Located) -> Package {
    // Whoever sets the variable decides what is started.
    let varied = pin != Pin::Local && has_variable(version.filter(|v| !v.is_empty()).unwrap_or(name));
    let pin = if varied { Pin::Moving } else { pin };
    Package {
        runner: runner.to_owned(),
        source,
        name: name.to_owned(),
        version: version.filter(|v| !v.is_empty()).map(ToOwned::to_owned),
        pin,
        spec: spec.clone(),
        command: None,
        beside: false,
    }
}

fn git(runner: &str, address: &str, reference: Option<&str>, spec: &Located) -> Package {
    let pin = match reference {
        Some(reference) if is_commit(reference) => Pin::Exact,
        Some(reference) if reference.starts_with("semver:") => Pin::Range,
        Some(_) => Pin::Moving,
        None => Pin::None,
    };
    package(runner, Source::Git, address, reference, pin, spec)
}

/// A specification of the JavaScript registry as its client reads them: `name`, `name@version`, `alias@npm:name@version`,
/// git and archive addresses, `owner/repository`, folders.
pub(in crate::understand) fn npm(runner: &str, spec: &Located) -> Package {
    let text = &*settled(&spec.text);
    if let Some(found) = elsewhere(runner, text, spec) {
        return found;
    }
    let (name, version) = split_version(text);
    if let Some(target) = version.and_then(|v| v.strip_prefix("npm:")) {
        let inner = Located { text: target.to_owned(), ..spec.clone() };
        return Package { spec: spec.clone(), ..npm(runner, &inner) };
    }
    if let Some(elsewhere) = version.and_then(|v| elsewhere(runner, v, spec)) {
        return elsewhere;
    }
    package(runner, Source::Npm, name, version, npm_pin(version), spec)
}

/// Sources that are no registry. `None` when the text names a package.
fn elsewhere(runner: &str, text: &str, spec: &Located) -> Option<Package> {
    let hosted = ["github:", "gitlab:", "bitbucket:", "gist:"].iter().any(|p| text.starts_with(p));
    let is_git = ["git+", "git:", "git@", "ssh://"].iter().any(|p| text.starts_with(p))
        || hosted
        || text.trim_end_matches('/').ends_with(".git");
    // `owner/repository` without a scope is a repository.
    let shorthand = !text.starts_with(['@', '.', '/', '~'])
        && !text.contains(':')
        && text.split('#').next().is_some_and(|p| p.matches('/').count() == 1 && !p.ends_with('/'));
    if is_git || shorthand {
        let (address, reference) = text.split_once('#').map_or((text, None), |(a, r)| (a, Some(r)));
        return Some(git(runner, address, reference, spec));
    }
    if text.starts_with("https://") || text.starts_with("http://") {
        return Some(package(runner, Source::Url, text, None, Pin::None, spec));
    }
    let path = text.starts_with(['.', '/'])
        || text.starts_with("~/")
        || ["file:", "link:", "workspace:", "portal:"].iter().any(|p| text.starts_with(p))
        || is_drive(text);
    path.then(|| package(runner, Source::Path, text, None, Pin::Local, spec))
}

fn is_drive(text: &str) -> bool {
    matches!(text.as_bytes(), [letter, b':', b'\\' | b'/', ..] if letter.is_ascii_alphabetic())
}

/// Splits `@scope/name@version` at the last `@` that is not the scope's.
fn split_version(text: &str) -> (&str, Option<&str>) {
    let from = usize::from(text.starts_with('@'));
    match text.get(from..).and_then(|rest| rest.find('@')) {
        Some(at) => (text.get(..from + at).unwrap_or(text), text.get(from + at + 1..)),
        None => (text, None),
    }
}

fn npm_pin(version: Option<&str>) -> Pin {
    let Some(version) = version.map(str::trim).filter(|v| !v.is_empty()) else { return Pin::None };
    if semver::Version::parse(version.trim_start_matches(['v', '='])).is_ok() {
        return Pin::Exact;
    }
    let first = version.chars().next().unwrap_or(' ');
    let numeric =
        first.is_ascii_digit() || "^~><=*".contains(first) || version.starts_with(['x', 'X']) && version.len() == 1;
    let v_numeric = version.strip_prefix('v').is_some_and(|rest| rest.starts_with(|c: char| c.is_ascii_digit()));
    if numeric || v_numeric || version.contains("||") { Pin::Range } else { Pin::Moving }
}

/// A requirement of the Python registry (PEP 508), and the `name@version` form of its runners.
pub(in crate::understand) fn pypi(runner: &str, spec: &Located) -> Package {
    let settled = settled(&spec.text);
    let text = settled.trim();
    // `name @ address` (PEP 508, direct reference).
    if let Some((_, address)) = text.split_once(" @ ") {
        let inner = Located { text: address.trim().to_owned(), ..spec.clone() };
        return Package { spec: spec.clone(), ..pypi(runner, &inner) };
    }
    if let Some(address) = text.strip_prefix("git+") {
        // The reference follows the last `@` behind the path, not the one of a login.
        let fragmentless = address.split('#').next().unwrap_or(address);
        let path_at = fragmentless.find("://").map_or(0, |at| at + 3);
        let path_at = path_at + fragmentless.get(path_at..).and_then(|rest| rest.find('/')).unwrap_or(0);
        let reference = fragmentless.get(path_at..).and_then(|path| path.rsplit_once('@')).map(|(_, r)| r);
        let bare = reference
            .map_or(fragmentless, |r| fragmentless.strip_suffix(r).map_or(fragmentless, |s| s.trim_end_matches('@')));
        return git(runner, bare, reference, spec);
    }
    if let Some(found) = elsewhere(runner, text, spec).filter(|p| p.source != Source::Git || text.contains(':')) {
        return found;
    }
    let name_end = text.find(|c: char| !(c.is_ascii_alphanumeric() || "._-".contains(c))).unwrap_or(text.len());
    let name = text.get(..name_end).unwrap_or(text);
    let rest = text.get(name_end..).unwrap_or_default();
    // Extras: `name[extra]`.
    let rest = rest.strip_prefix('[').and_then(|inner| inner.split_once(']')).map_or(rest, |(_, after)| after).trim();
    let rest = rest.split(';').next().unwrap_or(rest).trim();
    if let Some(version) = rest.strip_prefix('@') {
        if let Some(found) =
            elsewhere(runner, version.trim(), spec).filter(|p| p.source != Source::Git || version.contains(':'))
        {
            return found;
        }
        let exact = version.parse::<pep440_rs::Version>().is_ok();
        return package(runner, Source::Pypi, name, Some(version), if exact { Pin::Exact } else { Pin::Moving }, spec);
    }
    let pin = match rest.strip_prefix("===").or_else(|| rest.strip_prefix("==")) {
        _ if rest.is_empty() => Pin::None,
        Some(version) if !version.contains(['*', ',']) => Pin::Exact,
        _ => Pin::Range,
    };
    let version = rest.trim_start_matches('=').trim();
    package(runner, Source::Pypi, name, Some(if pin == Pin::Exact { version } else { rest }), pin, spec)
}

/// `name@version` of the .NET registry.
pub(super) fn nuget(runner: &str, spec: &Located, version: Option<&Located>) -> Package {
    let (name, inline) = spec.text.split_once('@').map_or((spec.text.as_str(), None), |(n, v)| (n, Some(v)));
    let version = version.map(|v| v.text.as_str()).or(inline);
    let pin = match version {
        None | Some("") => Pin::None,
        Some(v) if v.contains(['*', '[', '(', ',']) => Pin::Range,
        Some(_) => Pin::Exact,
    };
    package(runner, Source::Nuget, name, version, pin, spec)
}

/// `module@version` of Go: a version is exact, a branch or query (`latest`, `main`) moves.
pub(super) fn go(runner: &str, spec: &Located) -> Package {
    let (name, version) = spec.text.split_once('@').map_or((spec.text.as_str(), None), |(n, v)| (n, Some(v)));
    if name.starts_with('.') || name.starts_with('/') || name.ends_with(".go") {
        return package(runner, Source::Path, name, None, Pin::Local, spec);
    }
    let exact = |v: &str| v.strip_prefix('v').is_some_and(|v| semver::Version::parse(v).is_ok()) || is_commit(v);
    let pin = match version {
        None => Pin::None,
        Some(v) if exact(v) => Pin::Exact,
        Some(v) if v.starts_with('v') && v.chars().nth(1).is_some_and(|c| c.is_ascii_digit()) => Pin::Range,
        Some(_) => Pin::Moving,
    };
    package(runner, Source::Go, name, version, pin, spec)
}

/// A flake of Nix: `github:owner/repository[/reference]`, an address, `nixpkgs#name` (what the registry of names last meant).
pub(super) fn flake(runner: &str, spec: &Located) -> Package {
    let text = spec.text.split('#').next().unwrap_or(&spec.text);
    if text.is_empty() || text.starts_with(['.', '/']) || text.starts_with("path:") {
        return package(runner, Source::Path, &spec.text, None, Pin::Local, spec);
    }
    let hosted = ["github:", "gitlab:", "sourcehut:"].iter().find(|p| text.starts_with(**p));
    let Some(prefix) = hosted else {
        let pin = if text.contains(':') { Pin::None } else { Pin::Moving };
        return package(runner, Source::Git, &spec.text, None, pin, spec);
    };
    let bare = text.split('?').next().unwrap_or(text);
    let reference = bare.get(prefix.len()..).and_then(|rest| rest.splitn(3, '/').nth(2));
    git(runner, bare, reference, spec)
}

/// What `deno run` starts: `npm:name@version`, `jsr:@scope/name@version`, an address.
pub(super) fn deno(runner: &str, spec: &Located) -> Option<Package> {
    let text = spec.text.as_str();
    let within = |source, rest: &str| {
        // A path inside the package may follow the version.
        let (name, version) = split_version(rest);
        let version = version.map(|v| v.split('/').next().unwrap_or(v));
        package(runner, source, name, version, npm_pin(version), spec)
    };
    if let Some(rest) = text.strip_prefix("npm:") {
        return Some(within(Source::Npm, rest.trim_start_matches('/')));
    }
    if let Some(rest) = text.strip_prefix("jsr:") {
        return Some(within(Source::Jsr, rest.trim_start_matches('/')));
    }
    None
}
