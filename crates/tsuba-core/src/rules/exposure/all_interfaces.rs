use crate::judge::{Check, Entries, Fix, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;
use crate::text::words_of;
use crate::understand::launch::Published;
use crate::understand::{Analysis, SetupKind};

pub(super) static RULE: Rule = Rule {
    id: "exposure/all-interfaces",
    title: "server listens on all interfaces",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "{setting} makes it reachable from every machine on the network",
    why: "A server meant for one person answers everybody in the same network: the cafe, the office, the cloud subnet.",
    fix: "Bind it to this machine only.",
    before: r#"{ "mcpServers": { "berth-board": { "command": "berth-board", "args": ["--host", "0.0.0.0", "--port", "8080"] } } }"#,
    after: r#"{ "mcpServers": { "berth-board": { "command": "berth-board", "args": ["--host", "127.0.0.1", "--port", "8080"] } } }"#,
    references: &["CWE-1327", "CWE-668"],
    ways: Ways::OF_CALLERS,
    check: Check::Each(&[Check::Entry(check), Check::Setup(served)]),
};

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    let entry = entries.entry;
    let Some(plan) = &entry.plan else { return };
    for (_, container) in plan.containers() {
        for port in container.published.iter().filter(|p| p.address.as_deref().is_none_or(is_any)) {
            if entries.analysis.kind == SetupKind::Kubernetes {
                of_cluster(entries, port, out);
                continue;
            }
            if port.word.text.starts_with('-') {
                out.hit(&port.word)
                    .arg("setting", format!("{}, which publishes every port of the image,", port.word.text));
                continue;
            }
            let bound = format!("127.0.0.1:{}", port.word.text.trim_start_matches("0.0.0.0:"));
            out.hit(&port.word)
                .arg("setting", format!("the published port {}", port.word.text))
                .corrected(&bound)
                .fix(Fix::Write(bound));
        }
    }
    // Inside a container every interface is the container's own: what is published decides.
    if plan.containers().next().is_some() {
        return;
    }
    for variable in entry.variables.iter().filter(|v| !v.header && is_any(&v.value.text) && names_host(&v.name)) {
        out.hit(&variable.value)
            .arg("setting", format!("{}={}", variable.name, variable.value.text))
            .corrected("127.0.0.1")
            .fix(Fix::Write("127.0.0.1".to_owned()));
    }
    for words in plan.steps.iter().flat_map(|step| [&step.options, &step.args]) {
        for (at, word) in words.iter().enumerate() {
            let (name, value) = match word.text.split_once('=') {
                Some((name, value)) => (name, value),
                None => {
                    (words.get(at.wrapping_sub(1)).map(|w| w.text.as_str()).unwrap_or_default(), word.text.as_str())
                }
            };
            let host = value
                .rsplit_once(':')
                .filter(|(_, port)| port.chars().all(|c| c.is_ascii_digit()))
                .map_or(value, |(host, _)| host);
            if name.starts_with('-') && (is_any(host) || is_any(value)) && names_host(name) {
                let mended = word.text.replacen(if is_any(value) { value } else { host }, "127.0.0.1", 1);
                out.hit(word).arg("setting", format!("{name} {value}")).corrected("127.0.0.1").fix(Fix::Write(mended));
            }
        }
    }
}

/// What to do in a cluster.
const INSIDE: &str = "Leave it inside the cluster (`type: ClusterIP`, no `hostPort`), and let an ingress that checks who calls publish it.";

/// A service that publishes the server of another document.
fn served(analysis: &Analysis, out: &mut Out<'_>) {
    let services = analysis.exposure.cluster.iter().flat_map(|cluster| &cluster.services);
    for (kind, port) in services.filter(|service| service.leads).filter_map(|service| service.open.as_ref()) {
        let setting = format!("type: {} publishes port {port} outside the cluster and", kind.text);
        out.hit(kind).arg("setting", setting).advice(INSIDE);
    }
}

/// A cluster publishes by a service or by a port of its nodes; neither is bound to one machine.
fn of_cluster(entries: &Entries<'_>, port: &Published, out: &mut Out<'_>) {
    let inside = port.word.text.rsplit(':').next().unwrap_or(&port.word.text);
    let setting = entries.quoted(&port.word, || port.word.text.clone());
    out.hit(&port.word)
        .arg("setting", format!("{setting} publishes port {inside} outside the cluster and"))
        .advice(INSIDE);
}

fn is_any(host: &str) -> bool {
    matches!(host.trim_matches(['[', ']']), "0.0.0.0" | "::" | "*" | "0")
}

fn names_host(name: &str) -> bool {
    words_of(name).iter().any(|w| {
        matches!(
            w.as_str(),
            "host" | "bind" | "listen" | "address" | "addr" | "hostname" | "interface" | "ip" | "inspect"
        )
    }) && !words_of(name).iter().any(|w| matches!(w.as_str(), "allowed" | "trusted" | "origin" | "origins"))
}
