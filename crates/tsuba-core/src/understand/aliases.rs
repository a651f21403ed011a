//! What the server of an entry may be called elsewhere: in its own listing, in a list of grants.

use super::entry::Entry;
use crate::prelude::*;

impl Entry {
    /// The names its server may go by, without their dress: the entry's own, its package without scope and version, its image or program.
    pub(crate) fn aliases(&self) -> impl Iterator<Item = String> {
        let server = self.plan.as_ref().and_then(|plan| plan.server());
        let package = server.and_then(|step| step.target()).map(|target| target.text.as_str()).unwrap_or_default();
        let last = package.rsplit('/').next().unwrap_or_default();
        let bare = last.split(['@', ':', '=']).next().unwrap_or_default();
        [normalized_name(&self.name.text), normalized_name(bare)].into_iter().filter(|name| !name.is_empty())
    }
}

/// A name without case and separators, and without what says only that it is a server.
pub(crate) fn normalized_name(name: &str) -> String {
    let letters: String = name.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect();
    let bare = letters.strip_prefix("mcp").or_else(|| letters.strip_suffix("mcp")).unwrap_or(&letters);
    let bare = bare.strip_prefix("server").or_else(|| bare.strip_suffix("server")).unwrap_or(bare);
    let bare = bare.strip_suffix("mcp").unwrap_or(bare);
    if bare.is_empty() { letters } else { bare.to_owned() }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_compared_without_their_dress() {
        for (name, want) in [
            ("berth-board", "berthboard"),
            ("Berth_Board", "berthboard"),
            ("mcp-server-tide", "tide"),
            ("tide-mcp-server", "tide"),
            ("mcp", "mcp"),
        ] {
            assert_eq!(normalized_name(name), want, "{name}");
        }
    }
}
