use crate::judge::{All, Check, Circumstance, EntryRef, Out, Rule, Verdict, Ways};
use crate::severity::Severity;
use crate::understand::SetupKind;
use crate::understand::credential::Why;

pub(super) static RULE: Rule = Rule {
    id: "secret/private-key",
    title: "private key in the file",
    severity: Severity::Critical,
    verdict: Verdict::FixFirst,
    message: "private key in {name}",
    why: "A private key is an identity: whoever copies it can act as the service for as long as its public half is trusted, often for years.",
    fix: "Replace the key pair, keep the new private half in a file only its owner can read or in a secret store, and name the file.",
    before: concat!(
        r#"{ "mcpServers": { "berth-board": { "command": "berth-board", "env": { "SIGNER": "-----BEGIN "#,
        r#"PRIVATE KEY-----\nMIIEvQIBADANBgkqhkiG9w0BAQEFAASCBKcwggSjAgEAAoIBAQDq8ZkXv2LmPw0TyRbN4sJ7dHfC1gAeUoI6t9B\n-----END PRIVATE KEY-----" } } } }"#
    ),
    after: r#"{ "mcpServers": { "berth-board": { "command": "berth-board", "env": { "SIGNER_FILE": "/run/secrets/signer.pem" } } } }"#,
    references: &["RFC 7468, 10", "CWE-321"],
    ways: Ways::OF_SECRETS,
    check: Check::All(check),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    for (index, analysis) in all.analyses.iter().enumerate() {
        // A key file is where a key stands; who may read it is another rule's.
        if analysis.kind == SetupKind::Identity {
            continue;
        }
        let tracked = analysis.document.facts.tracked == Some(true);
        let own = analysis
            .entries
            .iter()
            .enumerate()
            .flat_map(|(e, entry)| entry.credentials.iter().map(move |h| (Some(e), h)));
        for (entry, credential) in
            own.chain(analysis.credentials.iter().map(|h| (None, h))).filter(|(_, h)| matches!(h.why, Why::PrivateKey))
        {
            let name = if credential.name.is_empty() { "an argument" } else { credential.name.as_str() };
            out.hit_in(EntryRef { analysis: index, entry }, &credential.value)
                .arg("name", name)
                .circumstance_if(tracked, Circumstance::Tracked);
        }
    }
}
