//! Instruction files: texts of Markdown that a program hands to its model as they are, as rules, an agent, a skill or a prepared request. They are
//! known by words of their names that no program owns, or by what stands in front of them.

/// Words of names of files that are for a model.
const NAMES: &[&str] = &["agent", "agents", "skill", "skills", "instructions", "chatmode", "prompt"];

/// Settings in front of a text that only a model's instructions have.
const SETTINGS: &[&str] = &[
    "allowed-tools",
    "alwaysApply",
    "applyTo",
    "argument-hint",
    "disable-model-invocation",
    "disallowedTools",
    "globs",
    "handoffs",
    "mcp-servers",
    "mcpServers",
    "permissionMode",
    "tools",
];

/// Settings of pages and posts, which have a name and a description, too.
const OF_PAGES: &[&str] = &[
    "author",
    "categories",
    "date",
    "id",
    "layout",
    "permalink",
    "sidebar_label",
    "sidebar_position",
    "slug",
    "tags",
    "template",
    "title",
    "weight",
];

/// What stands in front of a text is looked at up to here (bytes).
const MAX_FRONT: usize = 16 << 10;

/// Does a file's name say that it is for a model?
pub fn instructs_by_name(path: &str) -> bool {
    let name = path.rsplit(['/', '\\', '!']).next().unwrap_or(path);
    let Some((stem, ending)) = name.rsplit_once('.') else { return false };
    if ending.eq_ignore_ascii_case("mdc") {
        return true;
    }
    let mut words = stem.split(|sign: char| !sign.is_ascii_alphanumeric());
    (ending.eq_ignore_ascii_case("md") || ending.eq_ignore_ascii_case("markdown"))
        && words.any(|word| NAMES.iter().any(|known| word.eq_ignore_ascii_case(known)))
}

/// Does what stands in front of a text say so?
pub fn instructs_by_front(bytes: &[u8]) -> bool {
    behind_front(bytes).is_some()
}

/// Likewise of a text of which nothing is known: what goes on as it began is several documents of YAML.
pub(super) fn instructs_by_itself(bytes: &[u8]) -> bool {
    behind_front(bytes).is_some_and(|first| !is_setting(first))
}

/// The first line behind what stands in front of a text for a model; empty where there is none.
fn behind_front(bytes: &[u8]) -> Option<&[u8]> {
    let head = bytes.get(..bytes.len().min(MAX_FRONT)).unwrap_or_default();
    let mut lines = head.split(|byte| *byte == b'\n').map(|line| line.trim_ascii_end());
    if lines.next() != Some(b"---") {
        return None;
    }
    let (mut named, mut described, mut set, mut page, mut closed) = (false, false, false, false, false);
    for line in lines.by_ref() {
        if line == b"---" {
            closed = true;
            break;
        }
        let Some(colon) = memchr::memchr(b':', line) else { continue };
        let key = line.get(..colon).unwrap_or_default();
        let is_one = |keys: &[&str]| keys.iter().any(|known| known.as_bytes() == key);
        named |= key == b"name";
        described |= key == b"description";
        set |= is_one(SETTINGS);
        page |= is_one(OF_PAGES);
    }
    let is_guide = closed && !page && (set && (named || described) || named && described);
    is_guide.then(|| lines.find(|line| !line.is_empty()).unwrap_or_default())
}

/// Is a line `key: value`?
fn is_setting(line: &[u8]) -> bool {
    let key = memchr::memchr(b':', line).and_then(|colon| line.get(..colon)).unwrap_or_default();
    !key.is_empty() && key.iter().all(|byte| byte.is_ascii_alphanumeric() || matches!(byte, b'_' | b'-'))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_for_a_model_says_so() {
        for (path, is) in [
            ("AGENTS.md", true),
            ("desk/.skills/tides/SKILL.md", true),
            ("rules/style.mdc", true),
            ("review.prompt.md", true),
            ("tides.instructions.md", true),
            ("README.md", false),
            ("prompting.md", false),
            ("agents.html", false),
            ("agents", false),
        ] {
            assert_eq!(instructs_by_name(path), is, "{path}");
        }
        for (text, is) in [
            ("---\nname: tides\ndescription: Reads tides.\n---\nLook up.", true),
            ("---\r\ndescription: Reads tides.\r\nglobs: '*.rs'\r\n---\r\n", true),
            ("---\ntools: [a]\nname: x\n---\n", true),
            ("---\nname: tides\ndescription: Reads tides.\nlayout: page\n---\n", false),
            ("---\ntools: [a]\n---\n", false),
            ("name: a\ndescription: b\n", false),
            ("---\nname: a\ndescription: b\n", false),
            ("---\nname: a\ndescription: b\n---\nNote: read this.\n", true),
            ("---\ntitle: a\n---\nname: x\ndescription: y\n", false),
        ] {
            assert_eq!(instructs_by_front(text.as_bytes()), is, "{text}");
        }
        assert!(!instructs_by_itself(b"---\nname: a\ndescription: b\n---\nservices:\n  mcp: {}\n"));
        assert!(instructs_by_itself(b"---\nname: a\ndescription: b\n---\n\nLook up tides.\n"));
    }
}
