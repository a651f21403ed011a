use crate::judge::{Check, Circumstance, Entries, Out, Rule, Verdict, Ways};
use crate::policy::Requirement;
use crate::prelude::*;
use crate::severity::Severity;
use crate::text::words_of;
use crate::understand::credential::Place;

pub(super) static RULE: Rule = Rule {
    id: "exposure/tls-off",
    title: "TLS verification disabled",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    says: "{setting} disables TLS certificate verification",
    why: "TLS without the check protects from nobody: whoever sits on the way answers in the server's name and gets the token.",
    fix: "Trust the company's own certificate authority instead (NODE_EXTRA_CA_CERTS, SSL_CERT_FILE).",
    before: r#"{ "mcpServers": { "crew-mail": { "command": "crew-mail", "env": { "NODE_TLS_REJECT_UNAUTHORIZED": "0" } } } }"#,
    after: r#"{ "mcpServers": { "crew-mail": { "command": "crew-mail", "env": { "NODE_EXTRA_CA_CERTS": "/etc/saltmarsh/ca.pem" } } } }"#,
    references: &["CWE-295", "RFC 9525"],
    ways: Ways::OF_CALLERS.required_by(Requirement::Tls),
    check: Check::Entry(check),
};

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    let entry = entries.entry;
    let off = |value: &str| {
        matches!(
            value.to_ascii_lowercase().as_str(),
            "0" | "false" | "no" | "off" | "none" | "disable" | "disabled" | "insecure"
        )
    };
    let on = |value: &str| matches!(value.to_ascii_lowercase().as_str(), "1" | "true" | "yes" | "on");
    // The value is asked first: few values switch anything, and names are costly to take apart.
    let settings = entry.variables.iter().chain(&entry.settings);
    for variable in settings.filter(|v| !v.header && (off(&v.value.text) || on(&v.value.text))) {
        let (name, value) = (words_of(&variable.name).join("_"), variable.value.text.as_str());
        let checks = [
            "reject_unauthorized",
            "pythonhttpsverify",
            "verify_ssl",
            "ssl_verify",
            "tls_verify",
            "verify_tls",
            "verify_certs",
            "verify_certificates",
            "strict_ssl",
            "sslverify",
            "ssl_no_verify_false",
            "verify_certificate",
        ]
        .iter()
        .any(|n| name.ends_with(n));
        let skips = [
            "ssl_no_verify",
            "insecure_skip_verify",
            "skip_tls_verify",
            "insecure",
            "tls_insecure",
            "ssl_insecure",
            "allow_insecure",
            "skip_ssl_verification",
            "insecure_tls",
        ]
        .iter()
        .any(|n| name.ends_with(n));
        let plain =
            variable.place == Place::Setting && matches!(name.as_str(), "verify" | "tls_verify" | "check_certificate");
        if ((checks || plain) && off(value)) || (skips && on(value)) {
            out.hit(&variable.value).word("setting", format!("{}={value}", variable.name));
        }
    }
    for words in entry.plan.iter().flat_map(|plan| &plan.passing) {
        let fetches = words.first().is_some_and(|w| matches!(w.text.as_str(), "curl" | "wget"));
        let short = |text: &str| text.starts_with('-') && !text.starts_with("--") && text.contains('k');
        if let Some(word) = words
            .iter()
            .skip(1)
            .find(|w| fetches && (short(&w.text) || w.text == "--insecure" || w.text == "--no-check-certificate"))
        {
            out.hit(word).word("setting", &word.text);
        }
    }
    for word in entry.plan.iter().flat_map(|plan| plan.words()) {
        let text = word.text.to_ascii_lowercase();
        let option = [
            "--insecure",
            "--no-verify-ssl",
            "--insecure-skip-verify",
            "--skip-tls-verify",
            "--no-check-certificate",
            "--no-ssl-verify",
            "--insecure-tls",
            "--no-verify-tls",
            "--disable-ssl-verification",
            "--tls-skip-verify",
            "--ignore-certificate-errors",
            "--ignore-https-errors",
        ]
        .contains(&text.strip_suffix("=true").unwrap_or(&text));
        let address = [
            "sslmode=disable",
            "sslmode=allow",
            "tlsinsecure=true",
            "tls=skip-verify",
            "trustservercertificate=true",
            "sslverify=false",
        ]
        .iter()
        // What stays on this machine needs no TLS.
        .find(|o| {
            text.contains(**o)
                && !["@localhost", "//localhost", "@127.0.0.1", "//127.0.0.1"].iter().any(|h| text.contains(h))
        });
        if option || address.is_some() {
            out.hit(word)
                .word("setting", address.map_or(word.text.as_str(), |a| a))
                .because_if(address.is_some(), Circumstance::Weak);
        }
    }
}
