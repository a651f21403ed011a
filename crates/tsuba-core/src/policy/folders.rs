//! Which folders may be within reach of a team's servers.

use super::{Line, Ruling};
use crate::prelude::*;
use globset::GlobMatcher;

/// Folders that are allowed or refused, for some teams or for all.
#[derive(Clone, Debug)]
pub(super) struct Folders {
    pub(super) teams: Vec<String>,
    pub(super) allow: Option<(Line, Vec<(GlobMatcher, Line)>)>,
    pub(super) refuse: Vec<(GlobMatcher, Line)>,
}

pub(super) fn ruling<'p>(folders: &'p [Folders], team: Option<&str>, folder: &str) -> Ruling<'p> {
    let own = || {
        let is_own = |folders: &&Folders| {
            folders.teams.is_empty() || team.is_some_and(|team| folders.teams.iter().any(|known| known == team))
        };
        folders.iter().filter(is_own)
    };
    let forms = forms(folder);
    let meant = |patterns: &'p [(GlobMatcher, Line)]| {
        patterns.iter().find(|(pattern, _)| forms.iter().any(|form| pattern.is_match(form))).map(|(_, line)| line)
    };
    if let Some(line) = own().find_map(|folders| meant(&folders.refuse)) {
        return Ruling::Refused(line);
    }
    // What one table allows is allowed; a team may have several.
    let mut ruling = Ruling::Unsaid;
    for (list, patterns) in own().filter_map(|folders| folders.allow.as_ref()) {
        match meant(patterns) {
            Some(line) => return Ruling::Allowed(line),
            None => ruling = Ruling::NotAllowed(list),
        }
    }
    ruling
}

/// A folder as patterns mean it: the project's own begins with `./`, a person's home with `~/`; steps upwards are taken. Each also with a
/// slash behind it, so that `/srv/quay/**` has the folder itself too.
fn forms(folder: &str) -> Vec<String> {
    let plain = folder.trim().replace('\\', "/");
    let lower = plain.to_ascii_lowercase();
    let behind = |heads: &[&str]| {
        heads.iter().find_map(|head| {
            let rest = lower.strip_prefix(head)?;
            (rest.is_empty() || rest.starts_with('/')).then(|| plain.get(head.len()..).unwrap_or_default().to_owned())
        })
    };
    let home =
        ["~", "$home", "${home}", "${env:home}", "{env:home}", "%userprofile%", "${userhome}", "${env:userprofile}"];
    let project = ["${workspacefolder}", "${workspaceroot}", "${pwd}", "$pwd", "."];
    let is_drive = plain.as_bytes().get(1) == Some(&b':');
    let mut forms = Vec::new();
    if let Some(rest) = behind(&home) {
        forms.push(joined("~", &rest));
    } else if let Some(rest) = behind(&project) {
        forms.push(joined(".", &rest));
    } else if plain.starts_with('/') || is_drive || plain.starts_with(['$', '%', '{']) {
        let whole = joined("", &plain);
        // `/home/mira/notes` is also her `~/notes`.
        let parts: Vec<&str> = whole.trim_start_matches('/').splitn(if is_drive { 4 } else { 3 }, '/').collect();
        let parts = if is_drive { parts.get(1..).unwrap_or_default() } else { &parts };
        if let [users, _, rest @ ..] = parts
            && matches!(users.to_ascii_lowercase().as_str(), "home" | "users")
        {
            forms.push(joined("~", &rest.concat()));
        }
        forms.push(whole);
    } else {
        forms.push(joined(".", &format!("/{plain}")));
    }
    let with_slash: Vec<String> = forms.iter().map(|form| format!("{}/", form.trim_end_matches('/'))).collect();
    forms.extend(with_slash);
    forms
}

/// A start and what follows, with `.` and `..` taken; what leaves the start begins with `..`.
fn joined(start: &str, rest: &str) -> String {
    let mut parts: Vec<&str> = Vec::new();
    let mut above = 0;
    for part in rest.split('/').filter(|part| !part.is_empty() && *part != ".") {
        match part {
            ".." if parts.pop().is_none() => above += 1,
            ".." => {}
            part => parts.push(part),
        }
    }
    let path = parts.join("/");
    let is_drive = path.as_bytes().get(1) == Some(&b':');
    match (above, start) {
        (0, "") if is_drive => path,
        // Above the root is the root.
        (_, "") => format!("/{path}"),
        (0, start) if path.is_empty() => start.to_owned(),
        (0, start) => format!("{start}/{path}"),
        (_, ".") => format!("{}{path}", "../".repeat(above)),
        (_, start) => format!("{start}/{}{path}", "../".repeat(above)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn folders_are_known_in_all_their_forms() {
        for (folder, form) in [
            ("/srv/quay/", "/srv/quay"),
            ("/srv/quay/../../etc", "/etc"),
            ("./notes", "./notes"),
            ("notes/..", "."),
            ("${workspaceFolder}/a", "./a"),
            ("./../../etc", "../../etc"),
            ("../other", "../other"),
            ("~/notes/x/..", "~/notes"),
            ("$HOME", "~"),
            ("~/..", "~/../"),
            ("/home/mira/notes", "~/notes"),
            ("/home/mira", "~"),
            ("C:\\Users\\Mira\\notes", "~/notes"),
            ("C:\\quay", "C:/quay"),
        ] {
            let forms = forms(folder);
            assert!(forms.iter().any(|known| known == form), "{folder}: {forms:?}");
        }
    }
}
