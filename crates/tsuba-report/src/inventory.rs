//! The inventory: what is there, unjudged.

use crate::model::{EntryRow, Named, Setup};
use crate::phrases::{count, credentials, files, launch_lines, listed, shown};
use crate::style::{cut, pad, wrap};
use crate::{RenderOptions, Report, Role};
use std::collections::BTreeMap;
use std::io::{self, Write};
use tsuba_core::understand::{Asks, SetupKind};

/// Writes the inventory for people: by setup, each entry with what it runs, is handed, and may touch.
///
/// # Errors
/// What the writer says.
pub fn render(report: &Report, look: RenderOptions, out: &mut dyn Write) -> io::Result<()> {
    let shown = shown(report).map(|shown| format!("; {shown}")).unwrap_or_default();
    writeln!(out, "{} in {}{shown}", count(report.summary.entries, "entry", "entries"), files(report))?;
    // Entries come in the order of their setups.
    let setups: BTreeMap<&str, &Setup> = report.setups.iter().map(|setup| (setup.path.as_str(), setup)).collect();
    for entries in report.entries.chunk_by(|a, b| a.setup == b.setup) {
        // A listing that belongs to an entry is told there.
        let entries: Vec<&EntryRow> = entries.iter().filter(|entry| entry.counts() || entry.document).collect();
        let Some(setup) = entries.first().and_then(|entry| setups.get(entry.setup.as_str())) else { continue };
        let mut facts: Vec<String> = setup.team.iter().map(|team| format!("team {team}")).collect();
        facts.extend((*setup.kind == SetupKind::Snippet).then(|| "shown in a document".to_owned()));
        facts.extend(setup.owner.iter().map(|owner| format!("owner {owner}")));
        facts.extend(setup.tracked.map(|tracked| if tracked { "tracked" } else { "not tracked" }.to_owned()));
        writeln!(
            out,
            "\n{}  {}",
            look.paint(Role::Heading, setup.path.as_str()),
            look.paint(Role::Quiet, &facts.join(", "))
        )?;
        for entry in entries {
            let off = if entry.disabled { " (switched off)" } else { "" };
            writeln!(out, "  {}{off}", look.paint(Role::Name, entry.name.as_str()))?;
            let mut rows = launch_lines(entry);
            rows.extend(listed(entry).map(|listed| ("tools", listed)));
            rows.extend(credentials(entry).map(|given| ("given", given)));
            rows.extend(entry.login.as_ref().map(|login| ("login", login.line())).filter(|(_, line)| !line.is_empty()));
            let list = |texts: &[crate::model::Text]| texts.iter().map(|t| t.as_str()).collect::<Vec<_>>().join(", ");
            let called = entry.remote.as_ref().map(|remote| &remote.host);
            let alone = entry.reach.hosts.iter().all(|host| Some(host) == called);
            let reach = [
                ("folders", list(&entry.reach.folders)),
                // The host that is called stands in the address already.
                ("hosts", if alone { String::new() } else { list(&entry.reach.hosts) }),
                ("powers", crate::texts::listed(&entry.reach.powers)),
            ];
            rows.extend(reach.into_iter().filter(|(_, text)| !text.is_empty()));
            if *entry.asks != Asks::Unknown {
                rows.push(("asks", entry.asks.to_string()));
            }
            let width = look.width.saturating_sub(12);
            for (label, text) in rows {
                // A chain of documents says nothing without its end.
                let lines = if label == "login" { wrap(&text, width.max(24), "") } else { vec![cut(&text, width)] };
                for (at, line) in lines.iter().enumerate() {
                    let label = if at == 0 { label } else { "" };
                    writeln!(out, "    {} {line}", look.paint(Role::Quiet, &pad(label, 7)))?;
                }
            }
        }
    }
    variants(report, look, out)
}

/// The same server in several places, where the places differ: a row for the server, and one for each variant of it.
fn variants(report: &Report, look: RenderOptions, out: &mut dyn Write) -> io::Result<()> {
    let tracked: BTreeMap<&str, Option<bool>> =
        report.setups.iter().map(|setup| (setup.path.as_str(), setup.tracked)).collect();
    let mut servers: BTreeMap<String, BTreeMap<String, Vec<&EntryRow>>> = BTreeMap::new();
    for entry in report.entries.iter().filter(|entry| entry.counts() || entry.document) {
        if let Some(server) = same_server(entry) {
            servers.entry(server).or_default().entry(variant(entry)).or_default().push(entry);
        }
    }
    servers.retain(|_, variants| variants.len() > 1);
    if servers.is_empty() {
        return Ok(());
    }
    writeln!(out, "\n{}", look.paint(Role::Heading, "The same server, set up differently"))?;
    for (server, variants) in servers {
        let places = variants.values().map(Vec::len).sum();
        let message =
            format!("{} in {}", count(variants.len(), "variant", "variants"), count(places, "place", "places"));
        writeln!(out, "  {}  {}", look.paint(Role::Name, &server), look.paint(Role::Quiet, &message))?;
        for (variant, entries) in variants {
            writeln!(out, "    {}", cut(&variant, look.width.saturating_sub(4)))?;
            for entry in entries {
                // What version control knows is a project's; else it is a person's own.
                let level = match tracked.get(entry.setup.as_str()) {
                    _ if entry.document => "shown",
                    Some(Some(_)) => "project",
                    _ => "user",
                };
                let line = format!("      {}  {}:{}", pad(level, 7), entry.setup, entry.place.line);
                writeln!(out, "{}", cut(&line, look.width))?;
            }
        }
    }
    Ok(())
}

/// What makes two entries the same server: their package or image, or the address that they call.
fn same_server(entry: &EntryRow) -> Option<String> {
    if let Some(launch) = &entry.launch {
        let source = launch.source.map_or("", Named::name);
        let named = launch.package.as_ref().or(launch.image.as_ref())?;
        return Some(format!("{source} {named}"));
    }
    let remote = entry.remote.as_ref().filter(|remote| !remote.loopback)?;
    // What stands behind `?` may be a credential, and is none of the server's name.
    Some(remote.url.as_str().split(['?', '#']).next().unwrap_or_default().trim_end_matches('/').to_owned())
}

/// In what an entry may differ from another of the same server: its version, and what it is handed.
fn variant(entry: &EntryRow) -> String {
    let version = entry.launch.as_ref().map(|launch| {
        let written = launch.version.as_ref().or(launch.digest.as_ref()).or(launch.tag.as_ref());
        written.map_or_else(|| "any version".to_owned(), |version| format!("version {version}"))
    });
    let given = credentials(entry).map_or_else(|| "given nothing".to_owned(), |given| format!("given {given}"));
    version.into_iter().chain([given]).collect::<Vec<_>>().join(", ")
}
