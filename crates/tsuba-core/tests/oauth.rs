//! `docs/oauth.md`: which sections of the standards are judged, by which rule, and from what. Written anew outside of CI.
#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::indexing_slicing,
    reason = "a failing test is what a panic is for"
)]

mod support;

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::path::PathBuf;
use tsuba_core::judge::Rule;
use tsuba_core::rules;

const HEAD: &str = "# What is judged of a login

Written by `cargo test -p tsuba-core --test oauth` from the rules and their cases. *Documents*: found in metadata, keys, registrations and tokens,
wherever they lie: beside a setup, in an archive, in a log, or as `tsuba capture` kept them. *Answers*: found in how a server answered `tsuba
capture`, or by holding a document against the address it came from. A clean result says that none of these was found in what was there to be
looked at; `tsuba inventory` shows which documents that were, and `tsuba audit` tells what was not asked.

Documents of one login are brought together by where they were fetched (or a folder that is called like the host), by the resource that they
name, by the issuer, by the host, or because they lie in the folder of a setup and nothing else of their kind does; a finding says which. What
lies more than one folder below a setup belongs to something else, except under `.well-known`.

";

const TAIL: &str = "
## Not judged

| section | what | why |
| --- | --- | --- |
| RFC 6749, 10.12 | `state` and its check | only the client knows |
| RFC 6819, 4 | how the authorization server keeps its secrets | nothing of it shows outside |
| RFC 7515, 5.2 | whether a signature is right | nothing is verified: header and claims are read |
| RFC 7519, 4.1.4 | whether the server refuses an expired token | none is at hand; that a made-up one is refused is asked |
| RFC 7591, 3.1 | whether a registration would succeed | no client is registered; an empty request is sent |
| RFC 8414, 2.1 | whether signed metadata verify | their members, end, algorithm and key id are compared |
| RFC 8707, 2 | whether the authorization server honours `resource` | no login is begun |
| RFC 9126, 9396 | pushed and rich authorization requests | their endpoints are judged like every other |
| RFC 9449, 4.3 | whether proofs of possession are checked | no token is at hand that is bound to a key |
| RFC 9700, 4.8 | PKCE downgrade: whether a request without it is refused | no login is begun |
";

/// Does a firing case of a rule lie in what a capture was answered, and does one lie in anything else?
fn sources(rule: &Rule) -> (bool, bool) {
    let (family, name) = rule.id.split_once('/').unwrap();
    let file = support::rules_folder().join(family).join(format!("{}.case", name.replace('-', "_")));
    let cases = support::parse(&std::fs::read_to_string(file).unwrap());
    let firing = || cases.iter().filter(|case| !case.expect.is_empty());
    let captured = |bytes: &[u8]| String::from_utf8_lossy(bytes).contains("tsuba-evidence/1");
    let live = firing().any(|case| case.files.iter().any(|file| captured(&file.bytes)));
    let lying = firing().any(|case| !case.files.iter().any(|file| captured(&file.bytes)));
    (lying, live)
}

/// The standard of a reference, to be sorted: `RFC 9728` before its sections, in their order.
fn order(reference: &str) -> (String, Vec<u32>) {
    let (standard, section) = reference.split_once(", ").unwrap_or((reference, ""));
    (standard.to_owned(), section.split(['.', ' ']).filter_map(|part| part.parse().ok()).collect())
}

fn document() -> String {
    let logins = [
        "oauth/",
        "scope/no-audience",
        "scope/never-expires",
        "scope/long-lived",
        "scope/admin",
        "scope/unneeded",
        "exposure/internal-target",
        "exposure/open-origin",
    ];
    let mut sections: BTreeMap<_, BTreeMap<String, Vec<&Rule>>> = BTreeMap::new();
    for rule in rules::all().into_iter().filter(|rule| logins.iter().any(|start| rule.id.starts_with(start))) {
        for reference in rule.references {
            sections.entry(order(reference)).or_default().entry((*reference).to_owned()).or_default().push(rule);
        }
    }
    let mut out = HEAD.to_owned();
    out.push_str("| section | rule | what it finds | documents | answers |\n| --- | --- | --- | --- | --- |\n");
    let told = |yes: bool| if yes { "yes" } else { "" };
    for (reference, rules) in sections.into_values().flatten() {
        for rule in rules {
            let (lying, live) = sources(rule);
            writeln!(out, "| {reference} | `{}` | {} | {} | {} |", rule.id, rule.title, told(lying), told(live))
                .unwrap();
        }
    }
    out + TAIL
}

#[test]
fn the_document_of_what_is_judged_of_a_login_is_current() {
    let file = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("../../docs/oauth.md");
    let want = document();
    if std::fs::read_to_string(&file).unwrap_or_default() != want {
        if std::env::var_os("CI").is_none() {
            std::fs::write(&file, want).unwrap();
        }
        panic!("docs/oauth.md is stale: written anew, run again and commit");
    }
}

#[test]
fn every_rule_of_a_login_cites_a_section() {
    for rule in rules::all().iter().filter(|rule| rule.id.starts_with("oauth/")) {
        let cites = |reference: &&&str| reference.starts_with("RFC ") || reference.starts_with("OpenID ");
        assert!(rule.references.iter().any(|reference| cites(&reference)), "{}", rule.id);
    }
}
