//! What runs without asking often stands in another file than the server: a list of tools, a mode. It counts for the entries of its project.

use super::elsewhere::Elsewhere;
use super::rule::EntryRef;
use crate::prelude::*;
use crate::text::{Pointer, normal};
use crate::understand::{Analysis, SetupKind};

/// So many entries and setups are looked at for what such settings mean; what is found of more of them is told, and counts for no entry.
const MAX_LOOKED_AT: usize = 100_000;
/// Where a file lies.
struct Place<'a> {
    /// Its own folder.
    folder: &'a str,
    /// The folder that it speaks for: the one above the hidden folder that programs keep their settings in.
    project: &'a str,
    /// Is it one of those that programs hide from people?
    hidden: bool,
}

impl<'a> Place<'a> {
    fn of(path: &'a str) -> Self {
        let above = |path: &'a str| path.rsplit_once('/').map_or("", |(folder, _)| folder);
        let is_hidden = |folder: &str| {
            let name = folder.rsplit('/').next().unwrap_or_default();
            name.starts_with('.') && !matches!(name, "." | "..")
        };
        let folder = above(path);
        let project = match folder {
            hidden if is_hidden(hidden) => above(hidden),
            below if is_hidden(above(below)) => above(above(below)),
            plain => plain,
        };
        let hidden = folder != project || path.rsplit('/').next().is_some_and(|name| name.starts_with('.'));
        Self { folder, project, hidden }
    }

    /// Do the same programs read both? Those that keep their settings in one folder, and all of them what lies in the project itself.
    fn is_near(&self, other: &Self) -> bool {
        self.own() == other.own() || self.folder == self.project || other.folder == other.project
    }

    /// The hidden folder that programs keep their settings in, below the project.
    fn own(&self) -> &str {
        self.folder.strip_prefix(self.project).unwrap_or_default().trim_start_matches('/')
    }

    /// Is it a program's own file in somebody's home folder? What the program is told there it is told for every project of theirs.
    fn is_personal(&self) -> bool {
        let mut parts = self.project.rsplit('/');
        let (last, above) = (parts.next().unwrap_or_default(), parts.next());
        let is_home =
            last == "~" || self.project == "/root" || (!last.is_empty() && matches!(above, Some("home" | "Users")));
        self.hidden && is_home
    }
}

/// What a setting lets run.
struct Permit {
    analysis: usize,
    at: Pointer,
    /// By its plain name; `None` where it is every server.
    server: Option<String>,
    /// Every tool, also those added later.
    every_tool: bool,
}

/// A name as lists and setups may write it; of one without letters of ASCII, as it is.
fn plain(name: &str) -> String {
    Some(normal(name)).filter(|plain| !plain.is_empty()).unwrap_or_else(|| name.to_owned())
}

/// The entries of a project.
#[derive(Default)]
struct Project {
    /// Its setups.
    setups: Vec<usize>,
    /// Its entries by their plain names.
    named: BTreeMap<String, Vec<EntryRef>>,
}

/// Notes at entries that something lets run elsewhere, and where that stands.
pub(super) fn permitted(analyses: &mut [Analysis], out: &mut Elsewhere) {
    let permits: Vec<Permit> = analyses.iter().enumerate().flat_map(|(at, analysis)| permits(at, analysis)).collect();
    if permits.is_empty() {
        return;
    }
    let projects = projects(analyses);
    let mut links: Vec<(EntryRef, &Permit)> = Vec::new();
    let mut left = MAX_LOOKED_AT;
    let mut personal: BTreeMap<&str, Project> = BTreeMap::new();
    for permit in &permits {
        let Some(analysis) = analyses.get(permit.analysis) else { continue };
        let own = Place::of(analysis.document.file());
        let below =
            own.is_personal().then(|| &*personal.entry(own.project).or_insert_with(|| below(&projects, own.project)));
        let itself = [permit.analysis];
        let has_servers = entries(permit.analysis, Some(analysis)).next().is_some();
        for (is_own, project) in [(true, projects.get(own.project)), (false, below)] {
            let Some(project) = project else { continue };
            // A server that is named is meant wherever in the project it is set up.
            let named =
                permit.server.as_ref().map(|server| project.named.get(server).map(Vec::as_slice).unwrap_or_default());
            let setups = match named {
                Some(_) => &[],
                // What has servers of its own speaks for those.
                None if has_servers && is_own => itself.as_slice(),
                None => project.setups.as_slice(),
            };
            let near = setups.iter().take(left).filter(|setup| {
                analyses.get(**setup).is_some_and(|analysis| Place::of(analysis.document.file()).is_near(&own))
            });
            let near = near.flat_map(|setup| entries(*setup, analyses.get(*setup)).map(|(entry, _)| entry));
            let before = links.len();
            links.extend(named.into_iter().flatten().copied().chain(near).take(left).map(|entry| (entry, permit)));
            left = left.saturating_sub((links.len() - before).max(setups.len()));
        }
    }
    for (entry, permit) in links {
        out.counts_for(entry, permit.analysis, &permit.at);
        let own = analyses.get_mut(entry.analysis).and_then(|analysis| analysis.entries.get_mut(entry.entry?));
        if let Some(own) = own {
            own.unasked.all_elsewhere |= permit.every_tool;
            own.unasked.some_elsewhere |= !permit.every_tool;
        }
    }
}

/// The entries of a setup that are set up there, with their names.
fn entries(at: usize, analysis: Option<&Analysis>) -> impl Iterator<Item = (EntryRef, &str)> {
    let entries = analysis.into_iter().flat_map(|analysis| analysis.entries.iter().enumerate());
    entries
        .filter(|(_, entry)| entry.listing.is_none())
        .map(move |(index, entry)| (EntryRef { analysis: at, entry: Some(index) }, entry.name.text.as_str()))
}

fn projects(analyses: &[Analysis]) -> BTreeMap<String, Project> {
    let mut out: BTreeMap<String, Project> = BTreeMap::new();
    // What a text shows is not set up there.
    let set_up = |analysis: &Analysis| !analysis.entries.is_empty() && analysis.kind != SetupKind::Snippet;
    for (at, analysis) in analyses.iter().enumerate().filter(|(_, analysis)| set_up(analysis)) {
        let own = out.entry(Place::of(analysis.document.file()).project.to_owned()).or_default();
        own.setups.push(at);
        for (entry, name) in entries(at, Some(analysis)) {
            own.named.entry(plain(name)).or_default().push(entry);
        }
    }
    out
}

/// All projects below a home folder, as one.
fn below(projects: &BTreeMap<String, Project>, home: &str) -> Project {
    let folder = format!("{home}/");
    let all = projects.range(folder.clone()..).take_while(|(project, _)| project.starts_with(&folder));
    let mut out = Project::default();
    for (_, project) in all {
        out.setups.extend(&project.setups);
        for (name, entries) in &project.named {
            out.named.entry(name.clone()).or_default().extend(entries);
        }
    }
    out
}

/// What a document lets run beyond what it sets up itself.
fn permits(at: usize, analysis: &Analysis) -> Vec<Permit> {
    let modes = analysis.permissions.modes.iter();
    let modes = modes.map(|mode| Permit { analysis: at, at: mode.pointer.clone(), server: None, every_tool: true });
    let tools = analysis.permissions.tools.iter().map(|allowed| Permit {
        analysis: at,
        at: allowed.at.pointer.clone(),
        server: allowed.server.as_deref().map(plain),
        every_tool: allowed.tool.is_none(),
    });
    modes.chain(tools).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn settings_speak_for_the_project_they_lie_in() {
        for (path, folder, project) in [
            ("mcp.json", "", ""),
            (".agent/settings.json", ".agent", ""),
            ("crew/.agent/settings.json", "crew/.agent", "crew"),
            ("home/.config/agent/mcp.json", "home/.config/agent", "home"),
            ("home/.config/agent/more/mcp.json", "home/.config/agent/more", "home/.config/agent/more"),
            ("../crew/mcp.json", "../crew", "../crew"),
            ("../mcp.json", "..", ".."),
        ] {
            let place = Place::of(path);
            assert_eq!((place.folder, place.project), (folder, project), "{path}");
        }
        for (one, other, near) in [
            (".agent/settings.json", "mcp.json", true),
            (".agent/settings.json", ".agent/mcp.json", true),
            (".agent/settings.json", ".editor/mcp.json", false),
            ("home/ines/.agent/settings.json", "home/ines/src/tide/.agent/mcp.json", true),
            ("home/ines/.agent/settings.json", "home/ines/src/tide/.editor/mcp.json", false),
        ] {
            assert_eq!(Place::of(one).is_near(&Place::of(other)), near, "{one} {other}");
        }
        for (path, personal) in [
            ("home/ines/.agent/settings.json", true),
            ("/Users/ines/.config/agent/settings.json", true),
            ("~/.agent/settings.json", true),
            ("/root/.agent/settings.json", true),
            ("home/ines/.agent.json", true),
            ("home/ines/notes.json", false),
            ("home/.agent/settings.json", false),
            ("srv/home/ines/src/.agent/settings.json", false),
            (".agent/settings.json", false),
        ] {
            assert_eq!(Place::of(path).is_personal(), personal, "{path}");
        }
    }
}
