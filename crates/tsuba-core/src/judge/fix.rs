//! How a finding can be mended by itself.

use crate::prelude::*;
use crate::read::Notation;

/// How a finding can be mended.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Fix {
    /// Write this in the place of the value.
    Write(String),
    /// Take the value out of its list.
    Remove,
    /// Write the reference to a new prompt in the place of the value, and the prompt into the list of the document's inputs.
    Prompt(Prompt),
}

/// A prompt by which a client asks its user for a secret.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Prompt {
    /// Its name, by which it is referred to.
    pub id: String,
    /// What the user reads.
    pub description: String,
}

/// A text in the place of a value, as that is written: in its quotes, or without. `None` where it could not stand there.
pub fn rewritten(notation: Notation, old: &str, new: &str) -> Option<String> {
    if new.chars().any(char::is_control) {
        return None;
    }
    let escaped = |quote: char| -> String {
        new.chars().flat_map(|c| if c == quote || c == '\\' { vec!['\\', c] } else { vec![c] }).collect()
    };
    let quote = old.chars().next().filter(|quote| matches!(quote, '"' | '\''));
    let quote = quote.filter(|quote| old.len() > 1 && old.ends_with(*quote));
    let plain = |c: char| c.is_ascii_alphanumeric() || "./:_-@=~+".contains(c);
    let reference = new.strip_prefix("${").and_then(|rest| rest.strip_suffix('}'));
    let safe = reference.unwrap_or(new).chars().all(plain);
    // In a notebook, and in HTML, the quotes are written as escapes; what needs none itself can stand between them.
    let escapes = ["\\\"", "&quot;"];
    if let Some(escape) = escapes.into_iter().find(|escape| old.starts_with(escape) && old.ends_with(escape)) {
        return (safe && old.len() >= 2 * escape.len()).then(|| format!("{escape}{new}{escape}"));
    }
    match (quote, notation) {
        // Long strings of several lines are left alone.
        _ if old.starts_with("\"\"\"") || old.starts_with("'''") => None,
        (Some('"'), _) => Some(format!("\"{}\"", escaped('"'))),
        (Some(_), Notation::Yaml) => Some(format!("'{}'", new.replace('\'', "''"))),
        (Some(_), Notation::Toml) => (!new.contains('\'')).then(|| format!("'{new}'")),
        (Some(quote), _) => Some(format!("{quote}{}{quote}", escaped(quote))),
        // A part of a value, or a value without quotes: only what can stand there as it is.
        (None, _) => {
            let first = new.chars().next()?;
            // What began so before may begin so again.
            let begins = !"@:-~=".contains(first) || old.starts_with(first);
            (safe && begins && !new.ends_with(':')).then(|| new.to_owned())
        }
    }
}
