//! JSON Pointers (RFC 6901): where in a document a value stands, by its keys.

use crate::prelude::*;
use core::fmt;

/// A path of keys and indexes from the root of a document, written as RFC 6901 says (`/mcpServers/tide-table/args/2`).
/// The same form is used for every notation; in a file with several YAML documents the first step is the document's number.
#[derive(Clone, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
// Shared, since a value is cut and handed on many times and keeps its place; nothing for the root, so never empty.
pub struct Pointer(Option<Arc<str>>);

/// A key without case and signs, as the settings of different programs are compared: `mcp_servers` and `mcpServers` are the same.
pub fn normal(key: &str) -> String {
    key.chars().filter(char::is_ascii_alphanumeric).map(|c| c.to_ascii_lowercase()).collect()
}

/// Is a key this word, which is written as [`normal`] writes it? Nothing is made for it.
pub fn is_normally(key: &str, word: &str) -> bool {
    let plain = key.bytes().filter(u8::is_ascii_alphanumeric).map(|byte| byte.to_ascii_lowercase());
    plain.eq(word.bytes())
}

impl Pointer {
    /// The root of the document.
    pub const fn root() -> Self {
        Self(None)
    }

    /// The place one key below this one; `~` and `/` in the key are escaped (RFC 6901, section 3).
    #[must_use]
    pub fn key(&self, key: &str) -> Self {
        let above = self.as_str();
        let mut out = String::with_capacity(above.len() + key.len() + 1);
        out.push_str(above);
        out.push('/');
        for c in key.chars() {
            match c {
                '~' => out.push_str("~0"),
                '/' => out.push_str("~1"),
                other => out.push(other),
            }
        }
        Self(Some(out.into()))
    }

    /// The place of the item with this index (from 0).
    #[must_use]
    pub fn index(&self, index: usize) -> Self {
        Self(Some(format!("{}/{index}", self.as_str()).into()))
    }

    /// The pointer as text; empty for the root.
    pub fn as_str(&self) -> &str {
        self.0.as_deref().unwrap_or_default()
    }
}

impl fmt::Display for Pointer {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.as_str())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn keys_are_compared_without_case_and_signs() {
        for key in ["mcpServers", "mcp_servers", "", "-", "MCP", "mcp", "größe", "a.b"] {
            for word in ["mcpservers", "mcp", "", "gre", "ab"] {
                assert_eq!(is_normally(key, word), normal(key) == word, "{key} {word}");
            }
        }
    }

    #[test]
    fn keys_are_escaped_as_rfc_6901_says() {
        let pointer = Pointer::root().key("a/b").key("m~n").index(3);
        assert_eq!(pointer.as_str(), "/a~1b/m~0n/3");
        assert_eq!(Pointer::root().as_str(), "");
        assert_eq!(Pointer::root().key("").as_str(), "/");
    }
}
