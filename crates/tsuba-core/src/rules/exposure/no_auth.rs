use crate::judge::{Check, Confidence, Entries, Out, Rule, Severity, Verdict};
use crate::prelude::*;
use crate::understand::credential::words_of;
use crate::understand::launch::StepKind;

pub(super) static RULE: Rule = Rule {
    id: "exposure/no-auth",
    title: "a local server is put on a port without any login",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    says: "{program} publishes a server on a port and nothing checks who calls",
    why: "The server was written for one person on one machine; on a port it serves every program and web page that can reach it.",
    fix: "Speak stdio, or switch the bridge's authentication on and bind it to 127.0.0.1.",
    before: r#"{ "mcpServers": { "quay-files": { "command": "npx", "args": ["-y", "@saltmarsh/stdio-gateway@1.2.0", "--stdio", "quay-files /srv/quay", "--port", "8000"] } } }"#,
    after: r#"{ "mcpServers": { "quay-files": { "command": "quay-files", "args": ["/srv/quay"] } } }"#,
    references: &["CWE-306", "RFC 9700, 2.2"],
    check: Check::Entry(check),
};

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    let entry = entries.entry;
    let steps = entry.plan.iter().flat_map(|plan| &plan.steps).filter(|step| step.bridge);
    for step in steps {
        // The bridge's own options end where the wrapped command begins.
        let own: Vec<_> = step.args.iter().take_while(|w| w.text != "--").collect();
        let has = |list: &[&str]| {
            own.iter().any(|w| list.iter().any(|o| w.text == *o || w.text.starts_with(&format!("{o}="))))
        };
        let listens = own.iter().find(|w| {
            ["--port", "-p", "--listen", "--sse-port", "--http-port", "--outputTransport"]
                .iter()
                .any(|o| w.text == *o || w.text.starts_with(&format!("{o}=")))
        });
        let guarded = own.iter().any(|w| {
            words_of(&w.text).iter().any(|word| {
                matches!(word.as_str(), "auth" | "oauth" | "token" | "apikey" | "bearer" | "jwt" | "mtls" | "password")
            })
        }) || has(&["--api-key"]);
        if let (Some(option), false) = (listens, guarded) {
            let name = match &step.kind {
                StepKind::Package(package) => package.name.clone(),
                _ => step.name(),
            };
            out.hit(option).word("program", name).sure(Confidence::Likely);
        }
    }
}
