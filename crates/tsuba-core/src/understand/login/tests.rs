use crate::judge::{Audit, Options, Sequential, audit};
use crate::prelude::*;
use crate::read::Input;
use crate::understand::credential::Lexicon;
use crate::understand::{Outcome, Part, analyze};
use proptest::prelude::*;

const SETUP: &str =
    r#"{"mcpServers": {"tides": {"url": "https://tides.example/mcp"}, "fares": {"url": "https://fares.example/mcp"}}}"#;

fn resource(address: &str, issuers: &[&str]) -> String {
    let issuers = issuers.iter().map(|issuer| format!("\"{issuer}\"")).collect::<Vec<_>>().join(", ");
    format!(r#"{{"resource": "{address}", "authorization_servers": [{issuers}], "scopes_supported": ["a"]}}"#)
}

fn server(issuer: &str, at: &str) -> String {
    format!(
        r#"{{"issuer": "{issuer}", "authorization_endpoint": "{at}/a", "token_endpoint": "{at}/t", "response_types_supported": ["code"]}}"#
    )
}

fn audited(files: &[(&str, String)]) -> Audit {
    let analyses = files.iter().filter_map(|(path, text)| {
        let input = Input { path: (*path).into(), bytes: text.clone().into_bytes(), ..Input::default() };
        match analyze(input, &Lexicon::default()) {
            Outcome::Setup(analysis) => Some(*analysis),
            Outcome::Other | Outcome::Unread(..) => None,
        }
    });
    audit(analyses.collect(), Vec::new(), &[], &Options::on(jiff::civil::date(2026, 11, 25)), &Sequential)
}

/// What the first entry of the setup is tied to: `file by-what`, metadata of the resource first.
fn tied(files: &[(&str, String)]) -> Vec<String> {
    let outcome = audited(files);
    let setup = outcome.analyses.iter().position(|analysis| analysis.document.path.ends_with("mcp.json")).unwrap();
    let Some(login) = outcome.logins.of_entry(Part { analysis: setup, index: 0 }) else { return Vec::new() };
    let links = login.resources.iter().chain(&login.servers);
    let told = links.map(|link| {
        let sure = if link.sure { "" } else { "?" };
        format!("{} {}{sure}", outcome.analyses[link.part.analysis].document.path, link.by.name())
    });
    told.collect()
}

#[test]
fn documents_are_tied_by_the_surest_sign() {
    let setup = || ("a/mcp.json", SETUP.to_owned());
    let one = || ("a/mcp.json", r#"{"mcpServers": {"tides": {"url": "https://tides.example/mcp"}}}"#.to_owned());
    let own = "https://tides.example/mcp";
    for (files, want) in [
        (vec![setup(), ("a/r.json", resource(own, &["https://id.example"]))], vec!["a/r.json resource"]),
        (
            vec![setup(), ("a/evidence/r.json", resource("https://tides.example", &[]))],
            vec!["a/evidence/r.json resource"],
        ),
        (vec![setup(), ("a/r.json", resource("https://tides.example/other", &[]))], vec!["a/r.json host"]),
        (vec![one(), ("a/r.json", resource("https://other.example/mcp", &[]))], vec!["a/r.json folder"]),
        // Of two servers it cannot be told which one is meant, but by the file's name.
        (vec![setup(), ("a/r.json", resource("https://other.example/mcp", &[]))], vec![]),
        (
            vec![setup(), ("a/tides-metadata.json", resource("https://other.example/mcp", &[]))],
            vec!["a/tides-metadata.json folder"],
        ),
        // What lies further down, or elsewhere, is of something else.
        (vec![one(), ("a/b/c/r.json", resource("https://other.example/mcp", &[]))], vec![]),
        (vec![one(), ("b/r.json", resource("https://other.example/mcp", &[]))], vec![]),
        // But says itself which server it is of.
        (vec![one(), ("b/r.json", resource(own, &[]))], vec!["b/r.json resource"]),
        // Where nothing is set up, another path of the same host is another server's.
        (vec![one(), ("b/r.json", resource("https://tides.example/other", &[]))], vec![]),
        (
            vec![
                one(),
                ("a/tides.example/.well-known/oauth-protected-resource/mcp", resource("https://other.example", &[])),
            ],
            vec!["a/tides.example/.well-known/oauth-protected-resource/mcp origin"],
        ),
        (
            vec![
                setup(),
                ("a/r.json", resource(own, &["https://id.example"])),
                ("a/s.json", server("https://id.example/", "https://id.example")),
            ],
            vec!["a/r.json resource", "a/s.json issuer"],
        ),
        (
            vec![
                setup(),
                ("a/r.json", resource(own, &["https://id.example/t"])),
                ("a/s.json", server("https://id.example/u", "https://id.example")),
            ],
            vec!["a/r.json resource", "a/s.json host"],
        ),
        (
            vec![
                setup(),
                ("a/r.json", resource(own, &["https://id.example"])),
                ("a/s.json", server("https://x.example", "https://y.example")),
            ],
            vec!["a/r.json resource", "a/s.json folder"],
        ),
        // Every issuer that is named has its metadata: another document is nobody's.
        (
            vec![
                setup(),
                ("a/r.json", resource(own, &["https://id.example"])),
                ("a/s.json", server("https://id.example", "https://id.example")),
                ("a/t.json", server("https://x.example", "https://x.example")),
            ],
            vec!["a/r.json resource", "a/s.json issuer"],
        ),
    ] {
        assert_eq!(tied(&files), want, "{files:?}");
    }
}

#[test]
fn the_same_server_in_two_setups_is_one_login() {
    let outcome = audited(&[
        ("a/.mcp.json", SETUP.to_owned()),
        ("a/.desk/mcp.json", SETUP.to_owned()),
        ("a/r.json", resource("https://fares.example/mcp", &["https://id.example"])),
    ]);
    assert_eq!(outcome.logins.all.len(), 1);
    assert_eq!(outcome.logins.all[0].entries.len(), 2);
}

#[test]
fn what_was_captured_and_what_lies_beside_are_one_login() {
    let evidence = format!(
        r#"{{"schema": "tsuba-evidence/1", "setup": "a/mcp.json", "entry": "tides", "url": "https://tides.example/mcp", "http": [{{"ask": "resource-metadata", "url": "https://tides.example/.well-known/oauth-protected-resource/mcp", "status": 200, "body": {}}}]}}"#,
        resource("https://tides.example/mcp", &["https://id.example"])
    );
    let files = [
        ("a/mcp.json", SETUP.to_owned()),
        ("a/r.json", resource("https://tides.example/mcp", &["https://sso.example"])),
        ("ev/tides.json", evidence),
    ];
    assert_eq!(tied(&files), ["ev/tides.json origin", "a/r.json resource"]);
    let outcome = audited(&files);
    let login = outcome.logins.all.iter().find(|login| !login.entries.is_empty()).unwrap();
    assert_eq!(login.issuers, ["https://id.example", "https://sso.example"]);
}

#[test]
fn a_name_that_every_such_file_has_names_no_server() {
    let setup =
        r#"{"mcpServers": {"auth": {"url": "https://a.example/mcp"}, "fares": {"url": "https://b.example/mcp"}}}"#;
    let other = resource("https://other.example/mcp", &[]);
    assert!(tied(&[("a/mcp.json", setup.to_owned()), ("a/oauth-protected-resource.json", other)]).is_empty());
}

#[test]
fn thousands_of_documents_in_one_folder_are_tied_in_time() {
    let mut files = vec![("a/mcp.json", SETUP.to_owned())];
    files.extend(
        (0..1000).map(|n| ("a/r.json", resource(&format!("https://tides.example/{n}"), &["https://id.example"]))),
    );
    files.extend((0..1000).map(|n| ("a/s.json", server(&format!("https://id.example/{n}"), "https://id.example"))));
    let outcome = audited(&files);
    assert!(!outcome.logins.all.is_empty());
}

proptest! {
    #[test]
    fn any_addresses_are_tied_or_not(one in r"[a-z:/.@#?\[\]%]{0,30}", other in r"https?://[a-z.]{0,8}(:[0-9]{0,6})?/?[a-z/]{0,6}", path in r"[a-z./-]{1,20}") {
        let file = format!("{path}/.well-known/openid-configuration");
        audited(&[
            ("a/mcp.json", SETUP.replace("https://tides.example/mcp", &other)),
            ("a/r.json", resource(&other, &[&one])),
            (&file, server(&format!("x://{one}"), &other)),
        ]);
    }
}
