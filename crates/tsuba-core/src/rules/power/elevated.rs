use crate::judge::{Check, Circumstance, Entries, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;
use crate::text::Located;
use crate::understand::launch::StepKind;
use crate::understand::{SetupKind, USER};

pub(super) static RULE: Rule = Rule {
    id: "power/elevated",
    title: "server runs with elevated rights",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "runs as root {how}",
    why: "What the model makes the server do, it does as administrator of the machine.",
    fix: "Run it as an ordinary user, and give that user the one right that is needed.",
    before: r#"{ "mcpServers": { "engine-notes": { "command": "sudo", "args": ["engine-notes"] } } }"#,
    after: r#"{ "mcpServers": { "engine-notes": { "command": "engine-notes" } } }"#,
    references: &["CWE-250", "NIST SP 800-53, AC-6"],
    ways: Ways::PLAIN,
    check: Check::Entry(check),
};

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    let Some(plan) = &entries.entry.plan else { return };
    for step in plan.steps.iter().filter(|step| step.kind == StepKind::Wrapper) {
        let name = step.name();
        if !matches!(name.as_str(), "sudo" | "doas" | "pkexec" | "su" | "runuser" | "run0" | "gosu" | "su-exec") {
            continue;
        }
        // `sudo -u crew` lowers the rights.
        let user = step.options.iter().enumerate().find_map(|(at, word)| match word.text.as_str() {
            "-u" | "--user" => step.options.get(at + 1).map(|w| w.text.as_str()),
            // `su` and its like name the user as an operand.
            text if name == "su" && at_operand(&step.options, at) => Some(text),
            text => text.strip_prefix("--user=").or_else(|| text.strip_prefix("-u").filter(|rest| !rest.is_empty())),
        });
        if user.is_none_or(|user| matches!(user, "root" | "0" | "#0")) {
            out.hit(&step.program).arg("how", format!("via {name}"));
        }
    }
    // Without a user an image decides; root in so many words is a choice.
    for (_, container) in plan.containers() {
        if let Some(user) =
            container.values(&["-u", "--user"]).find(|u| matches!(u.text.split(':').next(), Some("root" | "0")))
        {
            let how = entries.quoted(user, || format!("--user {}", user.text));
            out.hit(user).arg("how", format!("({how})")).circumstance(Circumstance::Weak);
        }
    }
    // A service of the system runs as root only where nothing else is said, and mostly has what it needs from elsewhere: root in so many
    // words is a choice.
    let settings = entries.entry.settings.iter().filter(|_| entries.analysis.kind == SetupKind::Unit);
    for user in settings.filter(|setting| setting.name == USER && matches!(setting.value.text.as_str(), "root" | "0")) {
        out.hit(&user.value).arg("how", format!("({})", entries.quoted(&user.value, || user.value.text.clone())));
    }
}

/// Is the word at this place no option, and no option's value?
fn at_operand(words: &[Located], at: usize) -> bool {
    let is_option = |at: usize| words.get(at).is_some_and(|w| w.text.starts_with('-'));
    !is_option(at)
        && !at
            .checked_sub(1)
            .is_some_and(|before| is_option(before) && words.get(before).is_some_and(|w| w.text != "-"))
}
