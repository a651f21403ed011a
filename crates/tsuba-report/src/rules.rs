//! The rules as documents: `docs/rules.md`, and what `tsuba explain` says. Both come from the rules' metadata.

use crate::{RenderOptions, Role};
use std::io::{self, Write};
use tsuba_core::judge::Rule;

/// One rule in Markdown, with its example.
pub fn section(rule: &Rule) -> String {
    let references = rule.references.join("; ");
    let formerly = rule.ways.formerly.map(|id| format!(" (formerly `{id}`)")).unwrap_or_default();
    format!(
        "## {}\n\n**{}**{formerly} — {}, {} at `high`\n\n{}\n\n{}\n\nBefore:\n\n```\n{}\n```\n\nAfter:\n\n```\n{}\n```\n\nReferences: {references}\n",
        rule.id,
        rule.title,
        rule.severity,
        rule.verdict.name(),
        rule.why,
        rule.fix,
        rule.before.trim_end(),
        rule.after.trim_end()
    )
}

/// `docs/rules.md`.
pub fn document() -> String {
    let rules = tsuba_core::rules::all();
    let mut out = String::from(
        "# Rules\n\nWritten by `cargo test` from the rules' own metadata; do not edit.\n\n| rule | severity | what |\n| --- | --- | --- |\n",
    );
    for rule in &rules {
        out.push_str(&format!(
            "| [{}](#{}) | {} | {} |\n",
            rule.id,
            rule.id.replace('/', ""),
            rule.severity,
            rule.title
        ));
    }
    for rule in rules {
        out.push('\n');
        out.push_str(&section(rule));
    }
    out
}

/// Explains one rule on a terminal.
///
/// # Errors
/// What the writer says.
pub fn explain(rule: &Rule, look: RenderOptions, out: &mut dyn Write) -> io::Result<()> {
    writeln!(
        out,
        "{}  {}",
        look.paint(Role::Heading, rule.id),
        look.paint(Role::Severity(rule.severity), rule.severity.name())
    )?;
    writeln!(out, "{}\n", rule.title)?;
    for (label, text) in [("why it matters", rule.why), ("what to do", rule.fix)] {
        writeln!(out, "{}", look.paint(Role::Heading, label))?;
        crate::style::wrap(text, look.width.saturating_sub(2), "")
            .iter()
            .try_for_each(|line| writeln!(out, "  {line}"))?;
        writeln!(out)?;
    }
    for (label, example) in [("before", rule.before), ("after", rule.after)] {
        writeln!(out, "{}", look.paint(Role::Heading, label))?;
        for line in example.trim_end().lines() {
            crate::style::wrap(line, look.width.saturating_sub(2), "  ")
                .iter()
                .try_for_each(|part| writeln!(out, "  {part}"))?;
        }
        writeln!(out)?;
    }
    writeln!(out, "{} {}", look.paint(Role::Quiet, "references:"), rule.references.join("; "))
}

/// Lists every rule, by family.
///
/// # Errors
/// What the writer says.
pub fn list(look: RenderOptions, out: &mut dyn Write) -> io::Result<()> {
    let rules = tsuba_core::rules::all();
    writeln!(out, "{} rules; `tsuba explain RULE` tells about one", rules.len())?;
    let mut family = "";
    for rule in rules {
        if rule.family() != family {
            family = rule.family();
            writeln!(out, "\n{}", look.paint(Role::Heading, family))?;
        }
        let severity = look.paint(Role::Severity(rule.severity), &crate::style::pad(rule.severity.name(), 8));
        writeln!(out, "  {severity}  {}  {}", crate::style::pad(rule.id, 26), rule.title)?;
    }
    Ok(())
}
