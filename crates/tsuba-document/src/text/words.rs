//! Words of names: a name taken apart as people read it.

use crate::prelude::*;

/// Splits a name into lower-case words: at punctuation, at changes of case, before and after digits.
pub fn words_of(name: &str) -> Vec<String> {
    let spaced = spaced(name);
    spaced.split_ascii_whitespace().map(ToOwned::to_owned).collect()
}

/// Likewise, in one text with blanks between the words.
pub fn spaced(name: &str) -> String {
    let mut out = String::with_capacity(name.len() + 8);
    let mut previous = None;
    let mut chars = name.chars().peekable();
    while let Some(c) = chars.next() {
        let boundary = previous.is_some_and(|p: char| {
            (p.is_lowercase() && c.is_uppercase())
                || (p.is_uppercase() && c.is_uppercase() && chars.peek().is_some_and(|next| next.is_lowercase()))
                || (p.is_ascii_digit() != c.is_ascii_digit())
        });
        if boundary || !c.is_alphanumeric() {
            out.push(' ');
        }
        if c.is_ascii_alphanumeric() {
            out.push(c.to_ascii_lowercase());
        } else if c.is_alphanumeric() {
            // What a letter becomes is no white space.
            out.extend(c.to_lowercase());
        }
        previous = Some(c);
    }
    out
}

/// Does a text speak of tool servers: is `mcp` a word of it?
pub fn speaks_of_servers(text: &str) -> bool {
    let lower = text.to_ascii_lowercase();
    lower.contains("modelcontextprotocol")
        || lower
            .split(|c: char| !c.is_ascii_alphanumeric())
            .any(|word| matches!(word, "mcp" | "mcps" | "mcpserver" | "mcpservers"))
}

/// Is a word in a list that is sorted?
pub fn is_one_of(sorted: &[&str], word: &str) -> bool {
    sorted.binary_search(&word).is_ok()
}

/// A word in the singular, as far as its letters tell: `tides`, `berths`, `entries`, `boxes`.
pub fn singular(word: &str) -> String {
    let long = word.len() > 3;
    if let Some(stem) = word.strip_suffix("ies").filter(|_| long) {
        return format!("{stem}y");
    }
    for end in ["sses", "xes", "ches", "shes"] {
        if word.ends_with(end) {
            return word.strip_suffix("es").unwrap_or(word).to_owned();
        }
    }
    let plural = long && word.ends_with('s') && !["ss", "us", "is"].iter().any(|end| word.ends_with(end));
    if plural { word.strip_suffix('s').unwrap_or(word).to_owned() } else { word.to_owned() }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_split_as_people_read_them() {
        for (name, want) in [
            ("GITHUB_TOKEN", "github token"),
            ("apiKey", "api key"),
            ("X-API-Key", "x api key"),
            ("HTTPProxyURL", "http proxy url"),
            ("--db.password2", "db password 2"),
        ] {
            assert_eq!(words_of(name).join(" "), want);
        }
    }

    #[test]
    fn words_are_compared_in_the_singular() {
        for (word, want) in [
            ("tides", "tide"),
            ("entries", "entry"),
            ("boxes", "box"),
            ("classes", "class"),
            ("status", "status"),
            ("address", "address"),
            ("gas", "gas"),
            ("crew", "crew"),
        ] {
            assert_eq!(singular(word), want, "{word}");
        }
    }
}
