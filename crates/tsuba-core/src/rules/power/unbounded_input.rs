use crate::evidence::{Effect, Item, Parameter, Power, powers_of, tools};
use crate::judge::{Check, Circumstance, Listings, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "power/unbounded-input",
    title: "unbounded input in acting tools",
    severity: Severity::Low,
    verdict: Verdict::FixFirst,
    message: "{count} of this server take free text: {tools}",
    why: "What a model can be talked into writing, the tool carries out. A schema that names the allowed values is a second check.",
    fix: "Have the author bound these parameters by enum, pattern or maxLength, and close the schema.",
    before: r#"{ "tools": [{ "name": "run_command", "inputSchema": { "type": "object", "properties": { "command": { "type": "string" } } } }] }"#,
    after: r#"{ "tools": [{ "name": "run_command", "inputSchema": { "type": "object", "properties": { "command": { "type": "string", "enum": ["status", "restart"] } } } }] }"#,
    references: &["CWE-20", "JSON Schema 2020-12, Validation, 6.3"],
    ways: Ways::PLAIN,
    check: Check::Listing(check),
};

/// Parameters that are carried out, by name.
const CARRIED_OUT: &[&str] = &[
    "cmd",
    "code",
    "command",
    "expression",
    "file",
    "filename",
    "filepath",
    "html",
    "javascript",
    "path",
    "pattern",
    "query",
    "script",
    "sql",
    "statement",
    "uri",
    "url",
];
/// So many tools are named.
const NAMED: usize = 4;

fn check(listings: &Listings<'_>, out: &mut Out<'_>) {
    let mut free: Vec<(&Item, &Parameter)> = Vec::new();
    for item in tools(listings.listing).filter(|item| acts(item)) {
        free.extend(item.parameters.iter().find(|p| is_free(p)).map(|parameter| (item, parameter)));
    }
    if let Some((_, first)) = free.first() {
        let named: Vec<String> =
            free.iter().take(NAMED).map(|(item, p)| format!("{} ({})", item.name.text, p.name.text)).collect();
        let more = free.len().saturating_sub(NAMED);
        let rest = if more > 0 { format!(" and {more} more") } else { String::new() };
        out.hit(&first.name)
            .arg("count", if free.len() == 1 { "1 tool".to_owned() } else { format!("{} tools", free.len()) })
            .arg("tools", format!("{}{rest}", named.join(", ")));
    }
    // A schema that is open on purpose takes what nobody has described.
    for item in tools(listings.listing).filter(|item| acts(item)) {
        if let Some(open) = &item.open {
            out.hit(open)
                .arg("count", "1 tool")
                .arg("tools", format!("{} (any further property)", item.name.text))
                .circumstance(Circumstance::Ordinary);
        }
    }
}

fn acts(item: &Item) -> bool {
    let changes = item.effect().is_some_and(|(_, effect, _)| effect > Effect::Reads);
    let powers = powers_of(item);
    (changes && !matches!(&item.hints.read_only, Some((true, _)))) || powers.contains(&Power::Shell)
}

fn is_free(parameter: &Parameter) -> bool {
    let name: String =
        parameter.name.text.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect();
    let typed = parameter.kind.is_empty() || parameter.kind == "string";
    typed && !parameter.bounded && CARRIED_OUT.binary_search(&name.as_str()).is_ok()
}
