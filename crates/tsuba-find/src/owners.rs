//! Who answers for a file by the repository's own word: its `CODEOWNERS` file.
//!
//! It only names people in reports. Whoever wrote the repository wrote it, so nothing is judged or decided by it.

use crate::regular::read_regular_text;
use ignore::gitignore::{Gitignore, GitignoreBuilder};
use std::path::Path;

/// Where forges look for it, in their order.
const PLACES: [&str; 4] = [".github/CODEOWNERS", ".gitlab/CODEOWNERS", "CODEOWNERS", "docs/CODEOWNERS"];
/// A longer file is not read.
const MAX_OWNERS_FILE: u64 = 3 << 20;
/// So many of its lines are.
const MAX_OWNERS_LINES: usize = 5000;
/// So many owners of a line are named.
const MAX_OWNERS_NAMED: usize = 6;

/// The patterns of a repository and who answers for each, in their order: the last that matches counts.
#[derive(Clone, Debug, Default)]
pub(crate) struct Owners(Vec<Line>);

#[derive(Clone, Debug)]
struct Line {
    pattern: Gitignore,
    /// Does a folder that matches own what is below it?
    deep: bool,
    owners: String,
}

impl Owners {
    /// Those of the repository at a root; none where it has no such file, or one that cannot be read.
    pub(crate) fn at(root: &Path) -> Self {
        let text = PLACES.iter().find_map(|place| read_regular_text(&root.join(place), MAX_OWNERS_FILE).ok());
        text.map(|text| Self::of(&text)).unwrap_or_default()
    }

    fn of(text: &str) -> Self {
        let mut lines = Vec::new();
        // What a section names counts for its lines that name nobody.
        let mut section = String::new();
        for line in text.lines().take(MAX_OWNERS_LINES) {
            let line = line.split(" #").next().unwrap_or_default().trim();
            if line.is_empty() || line.starts_with('#') {
                continue;
            }
            if line.starts_with(['[', '^']) && line.contains(']') {
                section = named(line.rsplit(']').next().unwrap_or_default());
                continue;
            }
            let (pattern, owners) = cut(line);
            let owners = Some(named(owners)).filter(|owners| !owners.is_empty()).unwrap_or_else(|| section.clone());
            let mut builder = GitignoreBuilder::new("");
            // It knows no exceptions: such a line is none.
            if pattern.starts_with('!') || builder.add_line(None, pattern).is_err() {
                continue;
            }
            if let Ok(compiled) = builder.build() {
                lines.push(Line { pattern: compiled, deep: !pattern.ends_with("/*"), owners });
            }
        }
        Self(lines)
    }

    /// Who answers for a file, by its path from the root; `None` where the last line that matches names nobody.
    pub(crate) fn owner(&self, inside: &Path) -> Option<String> {
        let matches = |line: &&Line| {
            let above = || inside.ancestors().skip(1).filter(|folder| !folder.as_os_str().is_empty());
            line.pattern.matched(inside, false).is_ignore()
                || (line.deep && above().any(|folder| line.pattern.matched(folder, true).is_ignore()))
        };
        let line = self.0.iter().rev().find(matches)?;
        Some(line.owners.clone()).filter(|owners| !owners.is_empty())
    }
}

/// The pattern of a line, in which a blank may be escaped, and the rest.
fn cut(line: &str) -> (&str, &str) {
    let mut escaped = false;
    for (at, c) in line.char_indices() {
        match c {
            _ if escaped => escaped = false,
            '\\' => escaped = true,
            c if c.is_whitespace() => return line.split_at(at),
            _ => {}
        }
    }
    (line, "")
}

/// The owners of a line.
fn named(text: &str) -> String {
    let owner = |word: &&str| word.contains('@') && word.len() <= 120;
    text.split_whitespace().filter(owner).take(MAX_OWNERS_NAMED).collect::<Vec<_>>().join(", ")
}

#[cfg(test)]
mod tests {
    use super::*;

    const FILE: &str = "\
# Who answers
*            @saltmarsh/all
/harbour/    @saltmarsh/harbour ines@saltmarsh.example # the quay
docs/*       @writers
*.toml       @tools
/old/        # nobody
a\\ b/        @blank
!c           @never
[Crew] @saltmarsh/crew
crew/
crew/lena/   @lena
";

    #[test]
    fn the_last_line_that_matches_names_the_owner() {
        let owners = Owners::of(FILE);
        for (path, want) in [
            ("mcp.json", Some("@saltmarsh/all")),
            ("harbour/desk/mcp.json", Some("@saltmarsh/harbour, ines@saltmarsh.example")),
            ("x/harbour/mcp.json", Some("@saltmarsh/all")),
            ("docs/guide.md", Some("@writers")),
            ("docs/deep/guide.md", Some("@saltmarsh/all")),
            ("harbour/x.toml", Some("@tools")),
            ("old/mcp.json", None),
            ("a b/mcp.json", Some("@blank")),
            ("c", Some("@saltmarsh/all")),
            ("crew/omar/mcp.json", Some("@saltmarsh/crew")),
            ("crew/lena/mcp.json", Some("@lena")),
        ] {
            assert_eq!(owners.owner(Path::new(path)).as_deref(), want, "{path}");
        }
        assert_eq!(Owners::of("").owner(Path::new("mcp.json")), None);
    }

    #[test]
    fn any_file_is_read_and_names_nobody_by_chance() {
        for text in ["[", "]", "^[", "\\", "* \\", "[]]", "a{", "** @", "\u{0}* @x", "/", "/ @root"] {
            let owners = Owners::of(text);
            assert!(owners.owner(Path::new("a/b")).is_none_or(|owner| owner.contains('@')), "{text}");
        }
    }
}
