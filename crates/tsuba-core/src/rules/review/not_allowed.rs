use crate::decide::Ruling;
use crate::judge::{All, Check, Circumstance, Out, Rule, Severity, Verdict};
use crate::prelude::*;
use crate::text::Located;
use crate::understand::Entry;
use crate::understand::launch::StepKind;

pub(super) static RULE: Rule = Rule {
    id: "review/not-allowed",
    title: "something that the company's policy does not allow",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    says: "the policy {how} {what}",
    why: "The company has decided where servers may come from and whom they may call, so that not each of them is a question of its own.",
    fix: "Use one that is allowed, or have the policy (tsuba.toml) changed.",
    before: r##"--- tsuba.toml
[allow]
packages = ["npm:@saltmarsh/*"]
hosts = ["*.saltmarsh-line.example"]
[refuse]
packages = ["npm:@saltmarsh/part-finder"]
--- setup.json
{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "tide-table@2.4.1"] } } }"##,
    after: r##"--- tsuba.toml
[allow]
packages = ["npm:@saltmarsh/*"]
hosts = ["*.saltmarsh-line.example"]
[refuse]
packages = ["npm:@saltmarsh/part-finder"]
--- setup.json
{ "mcpServers": { "tide-table": { "command": "npx", "args": ["-y", "@saltmarsh/tide-table@2.4.1"] } } }"##,
    references: &["NIST SP 800-53, CM-7(5)"],
    check: Check::All(check),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    for (stands, _, entry) in all.entries().filter(|(_, _, entry)| entry.listing.is_none() && !entry.disabled) {
        for (at, what, ruling) in asked(all, entry) {
            let how = match ruling {
                Ruling::Fine => continue,
                Ruling::NotAllowed => "does not allow",
                Ruling::Refused => "refuses",
            };
            out.hit_in(stands, &at)
                .word("how", how)
                .word("what", what)
                .because_if(ruling == Ruling::Refused, Circumstance::Grave);
        }
    }
}

/// Everything of an entry that a policy can speak of, with what it says.
fn asked(all: &All<'_>, entry: &Entry) -> Vec<(Located, String, Ruling)> {
    let mut out = Vec::new();
    for step in entry.plan.iter().flat_map(|plan| &plan.steps) {
        match &step.kind {
            StepKind::Package(package) => {
                let ruling = all.policy.package(package.source.name(), &package.name, package.version.as_deref());
                out.push((
                    package.spec.clone(),
                    format!("the {} package {}", package.source.name(), package.name),
                    ruling,
                ));
            }
            StepKind::Container(container) => {
                let reference = &container.reference;
                let version = reference.digest.as_deref().or(reference.tag.as_deref());
                let ruling = all.policy.package("image", &reference.name(), version);
                out.push((container.image.clone(), format!("the image {}", reference.name()), ruling));
            }
            StepKind::RemoteScript(address) => {
                out.push((
                    address.clone(),
                    "a script from an address".to_owned(),
                    all.policy.package("url", &address.text, None),
                ));
            }
            StepKind::Wrapper | StepKind::Script(_) | StepKind::Inline(_) | StepKind::Program => {}
        }
    }
    // This machine itself is nobody else's.
    if let Some(remote) = entry.remote.as_ref().filter(|remote| !remote.loopback && !remote.host.is_empty()) {
        out.push((remote.url.clone(), format!("the host {}", remote.host), all.policy.host(&remote.host)));
    }
    out
}
