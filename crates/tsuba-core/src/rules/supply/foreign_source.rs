use crate::judge::{Check, Circumstance, Entries, Out, Rule, Verdict, Ways};
use crate::policy::Ruling;
use crate::prelude::*;
use crate::severity::Severity;
use crate::understand::launch::{Package, Pin, Source};
use crate::understand::{Analysis, Variable, indexes};

pub(super) static RULE: Rule = Rule {
    id: "supply/foreign-source",
    title: "package from outside the usual registry",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{what} comes from {source}",
    why: "Outside the registry there is no owner check, no malware report, no takedown and often no version: the usual safety nets do not reach it. A second index beside the first lets a stranger answer for an internal name.",
    fix: "Publish it to the registry your company uses, and let only that registry answer.",
    before: r#"{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "git+https://git.tides.example/tide-table.git#v2"] } } }"#,
    after: r#"{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@2.4.1"] } } }"#,
    references: &["CWE-427", "CWE-829"],
    ways: Ways::PLAIN,
    check: Check::Each(&[Check::Entry(check), Check::Setup(needed)]),
};

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    let Some(plan) = &entries.entry.plan else { return };
    plan.packages().for_each(|(_, package)| fetched(package, out));
    for address in indexes(entries.entry).into_iter().filter(|address| !is_own(entries, &address.text)) {
        out.hit(address).arg("what", "every package of this entry").arg("source", "another registry");
    }
}

fn fetched(package: &Package, out: &mut Out<'_>) {
    let source = match package.source {
        // A full commit names its content: nobody can put another in its place.
        Source::Git if package.pin == Pin::Exact => return,
        Source::Git => "a repository",
        Source::Url => "an archive at an address",
        _ => return,
    };
    out.hit(&package.spec).arg("what", &package.name).arg("source", source);
}

/// What comes with a package that lies here with its own manifest.
fn needed(analysis: &Analysis, out: &mut Out<'_>) {
    let Some(manifest) = &analysis.manifest else { return };
    manifest.dependencies.iter().for_each(|package| fetched(package, out));
    // What is packed with it was whatever its author had at hand. That is seldom meant badly, and nobody sees it.
    if let [first, rest @ ..] = manifest.bundled.as_slice() {
        let what = match rest.len() {
            0 => first.text.clone(),
            count => format!("{} and {count} more", first.text),
        };
        let hit = out.hit(first).arg("what", what).arg("source", "the package itself, as its author had it (bundled)");
        hit.circumstance(Circumstance::Weak);
    }
}

/// Is a registry the company's own: named with a login, or on a host that the policy allows?
fn is_own(entries: &Entries<'_>, address: &str) -> bool {
    let address = address.split_once('=').map_or(address, |(option, value)| {
        // `--index-url=ADDRESS`, but not a query of the address itself.
        if option.starts_with('-') { value } else { address }
    });
    let Some((_, rest)) = address.split_once("://") else { return false };
    let authority = rest.split(['/', '?', '#']).next().unwrap_or_default();
    let (login, host) = authority.rsplit_once('@').map_or((None, authority), |(login, host)| (Some(login), host));
    let host = host.split(':').next().unwrap_or_default();
    let with_login = login.is_some_and(is_login_part) || entries.entry.variables.iter().any(is_login);
    with_login || matches!(entries.policy.host(host), Ruling::Allowed(_))
}

/// Is it more than a name: a password, or something that is filled in?
fn is_login_part(login: &str) -> bool {
    login.split_once(':').is_some_and(|(_, password)| !password.is_empty()) || login.contains(['$', '{', '%'])
}

/// The login of an index beside its address: `UV_INDEX_<NAME>_PASSWORD`, `NPM_TOKEN`, `npm_config_//HOST/:_authToken`.
fn is_login(variable: &Variable) -> bool {
    let name = variable.name.to_ascii_uppercase();
    let of_uv = name.starts_with("UV_INDEX_") && (name.ends_with("_PASSWORD") || name.ends_with("_USERNAME"));
    of_uv || matches!(name.as_str(), "NPM_TOKEN" | "NODE_AUTH_TOKEN") || name.ends_with("_AUTHTOKEN")
}
