use crate::judge::{Check, Circumstance, Entries, Out, Rule, Verdict, Ways};
use crate::policy::Requirement;
use crate::prelude::*;
use crate::severity::Severity;
use crate::text::{is_loopback, normal, words_of};
use crate::understand::credential::Place;

pub(super) static RULE: Rule = Rule {
    id: "exposure/tls-off",
    title: "TLS disabled or not verified",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "{setting} {effect}",
    why: "Without TLS, or without its check, nothing protects the connection: whoever sits on the way answers in the server's name and gets the token.",
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
            out.hit(&variable.value).arg("setting", format!("{}={value}", variable.name)).arg("effect", UNVERIFIED);
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
            out.hit(word).arg("setting", &word.text).arg("effect", UNVERIFIED);
        }
    }
    for word in entry.plan.iter().flat_map(|plan| plan.words()) {
        let option = is_switch(&word.text);
        if option {
            out.hit(word).arg("setting", &word.text).arg("effect", UNVERIFIED);
        }
    }
    let words = entry.plan.iter().flat_map(|plan| plan.words());
    let values = entry.variables.iter().filter(|variable| !variable.header).map(|variable| &variable.value);
    // What a variable is set to on the command line is a word of that, too.
    let mut seen = BTreeSet::new();
    for word in words.chain(values).filter(|word| seen.insert(word.span)) {
        if let Some((setting, effect, advice)) = of_address(&word.text) {
            let hit = out.hit(word).arg("setting", setting).arg("effect", effect);
            hit.advice(advice).circumstance(Circumstance::Weak);
        }
    }
    for variable in entry.variables.iter().filter(|v| v.name.eq_ignore_ascii_case("PGSSLMODE")) {
        if let Some((setting, effect, advice)) = of_address(&format!("sslmode={}", variable.value.text)) {
            let hit = out.hit(&variable.value).arg("setting", setting).arg("effect", effect);
            hit.advice(advice).circumstance(Circumstance::Weak);
        }
    }
}

/// Is a word of a command line an option that switches the check of certificates, signatures or hosts off?
fn is_switch(text: &str) -> bool {
    let lower = text.to_ascii_lowercase();
    let (name, value) = lower.split_once('=').unwrap_or((&lower, "true"));
    if matches!(name, "stricthostkeychecking" | "-ostricthostkeychecking") {
        return matches!(value, "no" | "off");
    }
    if !name.starts_with("--") {
        return false;
    }
    let words: Vec<&str> = name.split(['-', '_']).filter(|word| !word.is_empty()).collect();
    let has = |any: &[&str]| words.iter().any(|word| any.contains(word));
    let of = has(&[
        "tls",
        "ssl",
        "cert",
        "certs",
        "certificate",
        "certificates",
        "https",
        "signature",
        "signatures",
        "hostname",
    ]);
    let checks = has(&["verify", "verification", "check", "checks", "validate", "validation", "errors"]);
    let denies = has(&["no", "skip", "disable", "ignore", "insecure", "without", "dont"]);
    let off = matches!(value, "false" | "0" | "no" | "off");
    let unsafe_word = has(&["insecure"]) && (of || words.len() == 1 || checks);
    match off {
        true => of && checks && !denies,
        false => unsafe_word || of && checks && denies,
    }
}

const UNVERIFIED: &str = "disables TLS certificate verification";
const PLAIN: &str = "turns TLS off: login and data travel in plain text";
const OPTIONAL: &str = "uses TLS only if the server asks for it: whoever is on the way can do without";
const VERIFY: &str =
    "Have the certificate checked against the company's authority (`sslmode=verify-full` with `sslrootcert`).";

/// What an address of a database or queue says of TLS (libpq 34.19, and what other drivers call it), what that does, and what to do.
fn of_address(address: &str) -> Option<(String, &'static str, &'static str)> {
    if !address.contains('=') {
        return None;
    }
    let pairs = || address.split(['?', '&', ';', ' ']).filter_map(|pair| pair.split_once('='));
    let hosts = || pairs().filter(|(key, _)| matches!(normal(key).as_str(), "host" | "server" | "datasource"));
    let named = address.contains("://");
    // What stays on this machine needs no TLS; a host in the address itself goes before one in its settings.
    let bare =
        named && address.split_once("://").is_some_and(|(_, rest)| rest.split(['/', '?', '#']).next() == Some(""));
    let mut settings = hosts().map(|(_, host)| host.trim()).peekable();
    let local = if named && !bare {
        is_loopback(address)
    } else {
        settings.peek().is_some() && settings.all(|host| is_loopback(host) || host.starts_with('/'))
    };
    if local {
        return None;
    }
    // Short names are settings of a connection only where one is named.
    let connects = named || hosts().next().is_some();
    let mut found = pairs().filter_map(|(key, value)| {
        let effect = of_setting(&normal(key), &value.to_ascii_lowercase(), connects)?;
        Some((format!("{}={}", key.trim(), value.trim()), effect, VERIFY))
    });
    found.next()
}

fn of_setting(key: &str, value: &str, connects: bool) -> Option<&'static str> {
    let off = matches!(value, "0" | "false" | "no" | "off" | "none" | "disable" | "disabled" | "never");
    let on = matches!(value, "1" | "true" | "yes" | "on");
    match key {
        "sslmode" if off => Some(PLAIN),
        "sslmode" if value == "allow" => Some(OPTIONAL),
        "ssl" | "tls" | "usessl" | "usetls" | "encrypt" | "sslenabled" if off && connects => Some(PLAIN),
        "tls" if value == "skip-verify" => Some(UNVERIFIED),
        "tlsinsecure" | "tlsallowinvalidcertificates" | "tlsallowinvalidhostnames" | "trustservercertificate" if on => {
            Some(UNVERIFIED)
        }
        "sslverify" | "verifyssl" | "sslcertreqs" | "sslrejectunauthorized" | "rejectunauthorized" if off => {
            Some(UNVERIFIED)
        }
        "verify" if value == "verify_none" => Some(UNVERIFIED),
        _ => None,
    }
}
