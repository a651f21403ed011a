use crate::evidence::{Item, tools};
use crate::judge::{All, Check, Circumstance, EntryRef, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::{Confidence, Severity};
use crate::text::is_unseen;
use unicode_script::{Script, UnicodeScript as _};

pub(super) static RULE: Rule = Rule {
    id: "wording/lookalike-name",
    title: "look-alike name",
    severity: Severity::Medium,
    verdict: Verdict::Refuse,
    message: "the {kind} {name} {how}",
    why: "A reviewer and a model read the name they know. The call, and its arguments, go to whoever imitates it.",
    fix: "Refuse the server until the name is spelled in plain letters of its own.",
    before: r#"{ "tools": [{ "name": "sеnd_mail", "inputSchema": { "type": "object" } }] }"#,
    after: r#"{ "tools": [{ "name": "send_mail", "inputSchema": { "type": "object" } }] }"#,
    references: &["Unicode Technical Standard 39, 5.1", "CWE-1007"],
    ways: Ways::PLAIN,
    check: Check::All(check),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    // By shape: what a name looks like, and who has a name of that look.
    let mut shapes: BTreeMap<String, Vec<(EntryRef, &str, &Item)>> = BTreeMap::new();
    for (entry_ref, analysis, entry) in all.entries() {
        let Some(listing) = analysis.listing_of(entry) else { continue };
        for item in &listing.items {
            if let Some(how) = disguise(&item.name.text) {
                out.hit_in(entry_ref, &item.name)
                    .arg("kind", item.kind.name())
                    .arg("name", item.name.text.clone())
                    .arg("how", how)
                    .circumstance(Circumstance::Hidden)
                    .shows(
                        unicode_security::skeleton(&item.name.text).collect::<String>(),
                        Some(item.name.text.clone()),
                    );
            }
        }
        for item in tools(listing) {
            shapes.entry(shape(&item.name.text)).or_default().push((entry_ref, &listing.server.text, item));
        }
    }
    for named in shapes.values() {
        let Some((_, server, first)) = named.first() else { continue };
        for (entry_ref, other, item) in named.iter().skip(1) {
            // Another way of joining the same words is nobody's disguise.
            if other != server && item.name.text != first.name.text && plain(&item.name.text) != plain(&first.name.text)
            {
                out.hit_in(*entry_ref, &item.name)
                    .arg("kind", item.kind.name())
                    .arg("name", item.name.text.clone())
                    .arg("how", format!("looks like {} of {server}", first.name.text))
                    .confidence(Confidence::Likely);
            }
        }
    }
}

/// How a name is disguised by itself.
fn disguise(name: &str) -> Option<String> {
    if let Some(c) = name.chars().find(|c| is_unseen(*c)) {
        return Some(format!("holds a character that is not seen, U+{:04X}", u32::from(c)));
    }
    let scripts: BTreeSet<&'static str> = name
        .chars()
        .map(|c| c.script())
        .filter(|s| !matches!(s, Script::Common | Script::Inherited | Script::Unknown))
        .map(|s| s.full_name())
        .collect();
    let passes = !name.is_ascii() && unicode_security::skeleton(name).all(|c| c.is_ascii());
    match scripts.len() {
        0 => None,
        // A whole name of another alphabet that reads as a Latin one.
        1 if passes && !scripts.contains("Latin") => Some("is written in letters of another alphabet".to_owned()),
        1 => None,
        // Japanese mixes scripts; a mixture that looks Latin is none of them.
        _ if passes => {
            Some(format!("mixes letters of several alphabets: {}", scripts.into_iter().collect::<Vec<_>>().join(", ")))
        }
        _ => None,
    }
}

/// What a name looks like: confusable letters and digits as one (Unicode Technical Standard 39), case and separators kept apart.
fn shape(name: &str) -> String {
    let skeleton: String = unicode_security::skeleton(name).filter(|c| !is_unseen(*c)).collect();
    let lower = skeleton.to_lowercase().replace("rn", "m").replace("vv", "w");
    lower
        .chars()
        .filter(|c| c.is_alphanumeric())
        .map(|c| match c {
            '0' => 'o',
            '1' | 'i' => 'l',
            '5' => 's',
            c => c,
        })
        .collect()
}

/// A name without case and separators.
fn plain(name: &str) -> String {
    name.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect()
}
