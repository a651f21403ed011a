use crate::judge::{Check, Circumstance, Entries, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "power/container-escape",
    title: "container can escape to the host",
    severity: Severity::Critical,
    verdict: Verdict::Refuse,
    says: "{option} {what}",
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
            out.hit(word).word("option", "--privileged").word("what", "takes every wall away");
        }
        for mount in &container.mounts {
            let host = mount.host.text.as_str();
            if ["docker.sock", "podman.sock", "containerd.sock", "crio.sock"]
                .iter()
                .any(|socket| host.ends_with(socket))
            {
                out.hit(&mount.host).word("option", host).word("what", "lets it start any other container");
            }
        }
        for (name, value, _) in &container.flags {
            let Some(value) = value else { continue };
            let text = value.text.to_ascii_lowercase();
            let (what, weak) = match name.as_str() {
                "--pid" | "--ipc" | "--uts" | "--userns" | "--cgroupns" if text == "host" => {
                    ("shares the host's processes", false)
                }
                "--net" | "--network" if text == "host" => {
                    ("shares the host's network, loopback services included", true)
                }
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
                    ("gives a right of the kernel", text == "net_admin")
                }
                "--security-opt"
                    if text.contains("unconfined")
                        || text.contains("label=disable")
                        || text.contains("label:disable") =>
                {
                    ("takes a wall of the kernel away", false)
                }
                "--device"
                    if text.starts_with("/dev/sd")
                        || text.starts_with("/dev/nvme")
                        || text.starts_with("/dev/mem")
                        || text.starts_with("/dev/kmsg") =>
                {
                    ("hands over a device of the host", false)
                }
                _ => continue,
            };
            let hit = out.hit(value);
            hit.word("option", format!("{name} {}", value.text)).word("what", what);
            hit.because_if(weak, Circumstance::ReadOnly).because_if(weak, Circumstance::Weak);
        }
    }
}
