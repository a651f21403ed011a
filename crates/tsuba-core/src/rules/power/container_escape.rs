use crate::judge::{Check, Circumstance, Entries, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "power/container-escape",
    title: "container can escape to the host",
    severity: Severity::Critical,
    verdict: Verdict::Refuse,
    message: "{option} {what}",
    why: "The container then bounds nothing: what runs in it can become the host's administrator.",
    fix: "Leave the option out; mount only the folders needed, without the engine's socket.",
    before: r#"{ "mcpServers": { "quay-files": { "command": "docker", "args": ["run", "-i", "--privileged", "saltmarsh/quay-files:1.4.2"] } } }"#,
    after: r#"{ "mcpServers": { "quay-files": { "command": "docker", "args": ["run", "-i", "--cap-drop", "ALL", "saltmarsh/quay-files:1.4.2"] } } }"#,
    references: &["CWE-250", "NIST SP 800-190, 4.4"],
    ways: Ways::PLAIN,
    check: Check::Entry(check),
};

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    for (_, container) in entries.entry.plan.iter().flat_map(|plan| plan.containers()) {
        if let Some(word) = container.switch("--privileged") {
            let option = entries.quoted(word, || "--privileged".to_owned());
            out.hit(word).arg("option", option).arg("what", "disables container isolation");
        }
        for mount in &container.mounts {
            let host = mount.host.text.as_str();
            if ["docker.sock", "podman.sock", "containerd.sock", "crio.sock"]
                .iter()
                .any(|socket| host.ends_with(socket))
            {
                out.hit(&mount.host)
                    .arg("option", host)
                    .arg("what", "is the engine's socket: it can start any other container");
            }
        }
        for (name, value, _) in &container.flags {
            let Some(value) = value else { continue };
            let text = value.text.to_ascii_lowercase();
            let (what, weak) = match name.as_str() {
                "--pid" if text == "host" => ("shares the host's processes", false),
                "--ipc" if text == "host" => ("shares the host's memory segments", false),
                "--userns" if text == "host" => ("makes root in the container root on the host", false),
                "--uts" | "--cgroupns" if text == "host" => ("shares a namespace of the host", false),
                "--cap-add"
                    if [
                        "all",
                        "sys_admin",
                        "cap_sys_admin",
                        "sys_ptrace",
                        "sys_module",
                        "dac_read_search",
                        "sys_rawio",
                        "bpf",
                        "net_admin",
                    ]
                    .contains(&text.as_str()) =>
                {
                    ("grants a kernel capability that breaks isolation", text == "net_admin")
                }
                "--security-opt"
                    if text.contains("unconfined")
                        || text.contains("label=disable")
                        || text.contains("label:disable") =>
                {
                    ("disables a kernel confinement", false)
                }
                "--device"
                    if text.starts_with("/dev/sd")
                        || text.starts_with("/dev/nvme")
                        || text.starts_with("/dev/mem")
                        || text.starts_with("/dev/kmsg") =>
                {
                    ("exposes a host device", false)
                }
                _ => continue,
            };
            let hit = out.hit(value);
            hit.arg("option", entries.quoted(value, || format!("{name} {}", value.text))).arg("what", what);
            hit.circumstance_if(weak, Circumstance::ReadOnly).circumstance_if(weak, Circumstance::Weak);
        }
    }
}
