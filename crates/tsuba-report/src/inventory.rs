//! The inventory: what is there, unjudged.

use crate::model::{EntryRow, Launch, ListingRow, Setup, Via};
use crate::style::{cut, pad};
use crate::text::count;
use crate::{Look, Report, Tint};
use std::collections::{BTreeMap, BTreeSet};
use std::io::{self, Write};

/// Writes the inventory for people: by setup, each entry with what it runs, is handed, and may touch.
///
/// # Errors
/// What the writer says.
pub fn render(report: &Report, look: Look, out: &mut dyn Write) -> io::Result<()> {
    writeln!(out, "{} in {}", count(report.summary.entries, "entry", "entries"), files(report))?;
    // Entries come in the order of their setups.
    let setups: BTreeMap<&str, &Setup> = report.setups.iter().map(|setup| (setup.path.as_str(), setup)).collect();
    for entries in report.entries.chunk_by(|a, b| a.setup == b.setup) {
        // A listing that belongs to an entry is told there.
        let entries: Vec<&EntryRow> = entries.iter().filter(|entry| entry.counts()).collect();
        let Some(setup) = entries.first().and_then(|entry| setups.get(entry.setup.as_str())) else { continue };
        let mut facts: Vec<String> = setup.team.iter().map(|team| format!("team {team}")).collect();
        facts.extend(setup.owner.iter().map(|owner| format!("owner {owner}")));
        facts.extend(setup.tracked.map(|tracked| if tracked { "tracked" } else { "not tracked" }.to_owned()));
        writeln!(
            out,
            "\n{}  {}",
            look.paint(Tint::Heading, setup.path.as_str()),
            look.paint(Tint::Quiet, &facts.join(", "))
        )?;
        for entry in entries {
            let off = if entry.disabled { " (switched off)" } else { "" };
            writeln!(out, "  {}{off}", look.paint(Tint::Name, entry.name.as_str()))?;
            let mut rows = vec![(verb(entry), plan_line(entry))];
            rows.extend(listed(entry).map(|listed| ("tools", listed)));
            rows.extend(credentials(entry).map(|given| ("given", given)));
            let list = |texts: &[crate::model::Text]| texts.iter().map(|t| t.as_str()).collect::<Vec<_>>().join(", ");
            let called = entry.remote.as_ref().map(|remote| &remote.host);
            let alone = entry.reach.hosts.iter().all(|host| Some(host) == called);
            let reach = [
                ("folders", list(&entry.reach.folders)),
                // The host that is called stands in the address already.
                ("hosts", if alone { String::new() } else { list(&entry.reach.hosts) }),
                ("powers", entry.reach.powers.join(", ")),
            ];
            rows.extend(reach.into_iter().filter(|(_, text)| !text.is_empty()));
            if entry.asks != "unknown" {
                rows.push(("asks", entry.asks.to_owned()));
            }
            for (label, text) in rows {
                writeln!(
                    out,
                    "    {} {}",
                    look.paint(Tint::Quiet, &pad(label, 7)),
                    cut(&text, look.width.saturating_sub(12))
                )?;
            }
        }
    }
    variants(report, look, out)
}

/// The same server in several places, where the places differ: a row for the server, and one for each variant of it.
fn variants(report: &Report, look: Look, out: &mut dyn Write) -> io::Result<()> {
    let tracked: BTreeMap<&str, Option<bool>> =
        report.setups.iter().map(|setup| (setup.path.as_str(), setup.tracked)).collect();
    let mut servers: BTreeMap<String, BTreeMap<String, Vec<&EntryRow>>> = BTreeMap::new();
    for entry in report.entries.iter().filter(|entry| entry.counts()) {
        if let Some(server) = same_server(entry) {
            servers.entry(server).or_default().entry(variant(entry)).or_default().push(entry);
        }
    }
    servers.retain(|_, variants| variants.len() > 1);
    if servers.is_empty() {
        return Ok(());
    }
    writeln!(out, "\n{}", look.paint(Tint::Heading, "The same server, set up differently"))?;
    for (server, variants) in servers {
        let places = variants.values().map(Vec::len).sum();
        let told = format!("{} in {}", count(variants.len(), "variant", "variants"), count(places, "place", "places"));
        writeln!(out, "  {}  {}", look.paint(Tint::Name, &server), look.paint(Tint::Quiet, &told))?;
        for (variant, entries) in variants {
            writeln!(out, "    {}", cut(&variant, look.width.saturating_sub(4)))?;
            for entry in entries {
                // What version control knows is a project's; else it is a person's own.
                let level = match tracked.get(entry.setup.as_str()) {
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
        let source = launch.source.unwrap_or_default();
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

/// `3 setups`, or `3 listings` where nothing is set up.
pub(crate) fn files(report: &Report) -> String {
    if !report.setups.is_empty() && report.setups.iter().all(|setup| matches!(setup.kind, "listing" | "login")) {
        count(report.summary.setups, "listing", "listings")
    } else {
        count(report.summary.setups, "setup", "setups")
    }
}

/// What an entry does with what [`plan_line`] tells: it starts it, calls it, or only lists it.
pub(crate) fn verb(entry: &EntryRow) -> &'static str {
    match (&entry.launch, &entry.remote, &entry.listing) {
        (None, Some(_), _) => "calls",
        (None, None, Some(_)) => "lists",
        _ => "runs",
    }
}

/// The launch plan or target in one line: outermost first, the server last.
pub(crate) fn plan_line(entry: &EntryRow) -> String {
    let mut parts = Vec::new();
    if let Some(launch) = &entry.launch {
        parts.extend(launch.wrappers.iter().map(ToString::to_string));
        parts.extend(launch.via.iter().map(outer));
        parts.extend(server(launch));
    }
    let calls = if parts.is_empty() { "" } else { "calls " };
    parts.extend(entry.remote.as_ref().map(|remote| format!("{calls}{}", remote.url)));
    if let Some(why) = entry.launch.as_ref().and_then(|l| l.not_understood) {
        parts.push(format!("({why})"));
    }
    match (&entry.listing, parts.is_empty()) {
        (_, false) => parts.join(" > "),
        (Some(listing), true) => counts(listing),
        (None, true) => "nothing: neither a command nor an address".to_owned(),
    }
}

/// `6 tools, 1 prompt`.
fn counts(listing: &ListingRow) -> String {
    let counts = [
        (listing.tools, "tool", "tools"),
        (listing.prompts, "prompt", "prompts"),
        (listing.resources, "resource", "resources"),
    ];
    let told: Vec<String> = counts.iter().filter(|(n, ..)| *n > 0).map(|(n, one, more)| count(*n, one, more)).collect();
    if told.is_empty() { "no tools".to_owned() } else { told.join(", ") }
}

/// What the server of an entry lists, and where that stands; nothing where the entry is that listing.
pub(crate) fn listed(entry: &EntryRow) -> Option<String> {
    let listing = entry.listing.as_ref().filter(|listing| listing.path != entry.setup)?;
    Some(format!("{} in {}", counts(listing), listing.path))
}

fn outer(via: &Via) -> String {
    format!(
        "{} {}{} [{}]",
        via.runner,
        via.package,
        version(via.source, via.version.as_ref().map(|v| v.as_str())),
        via.pin
    )
}

fn server(launch: &Launch) -> Option<String> {
    let pin = launch.pin?;
    let runner = launch.runner.as_ref().map(|r| r.as_str()).unwrap_or_default();
    let what = if let Some(package) = &launch.package {
        format!(
            "{runner} {package}{}",
            version(launch.source.unwrap_or_default(), launch.version.as_ref().map(|v| v.as_str()))
        )
    } else if let Some(image) = &launch.image {
        let tag = launch.tag.as_ref().map(|t| format!(":{t}")).unwrap_or_default();
        let digest = launch.digest.as_ref().map(|d| format!("@{d}")).unwrap_or_default();
        format!("{runner} {image}{tag}{digest}")
    } else {
        let script = launch.script.as_ref()?.as_str();
        let file = script.rsplit(['/', '\\']).next().unwrap_or(script).to_lowercase();
        let bare =
            [".exe", ".cmd", ".bat", ".ps1"].iter().find_map(|ending| file.strip_suffix(ending)).unwrap_or(&file);
        if runner.is_empty() || bare == runner { script.to_owned() } else { format!("{runner} {script}") }
    };
    Some(format!("{what} [{pin}]"))
}

fn version(source: &str, version: Option<&str>) -> String {
    match (source, version) {
        (_, None) => String::new(),
        ("image", Some(tag)) if tag.contains(':') => format!("@{tag}"),
        ("image", Some(tag)) => format!(":{tag}"),
        ("git", Some(reference)) => format!("#{reference}"),
        (_, Some(version)) if version.starts_with(|c: char| "<>=!~^".contains(c)) => format!(" {version}"),
        (_, Some(version)) => format!("@{version}"),
    }
}

/// What is handed over, in one line.
pub(crate) fn credentials(entry: &EntryRow) -> Option<String> {
    let mut told: Vec<String> = entry
        .credentials
        .iter()
        .map(|c| {
            let name = if c.name.as_str().is_empty() { c.place } else { c.name.as_str() };
            match &c.masked {
                Some(masked) => format!("{name} in plain text {masked}"),
                None => format!("{name} ({})", c.kind),
            }
        })
        .collect();
    // What an option passes on and the environment sets is told once.
    let mut seen = BTreeSet::new();
    told.retain(|one| seen.insert(one.clone()));
    (!told.is_empty()).then(|| told.join(", "))
}
