//! Phrases that several formats share: an entry, its launch, its credentials and what was decided on it, each in a line.

use crate::Report;
use crate::model::{EntryRow, Launch, ListingRow, Via};
use std::collections::BTreeSet;
use tsuba_core::judge::Unseen;
use tsuba_core::register::ReviewState;
use tsuba_core::text::Name as _;
use tsuba_core::understand::SetupKind;
use tsuba_core::understand::launch::{Pin, Source};

/// `1 entry`, `3 entries`.
pub fn count(number: usize, one: &str, more: &str) -> String {
    format!("{number} {}", if number == 1 { one } else { more })
}

/// `3 setups`, or `3 listings` where nothing is set up.
pub(crate) fn files(report: &Report) -> String {
    if !report.setups.is_empty()
        && report.setups.iter().all(|setup| matches!(*setup.kind, SetupKind::Listing | SetupKind::Login))
    {
        count(report.summary.setups, "listing", "listings")
    } else {
        count(report.summary.setups, "setup", "setups")
    }
}

/// What texts show, where they do: `12 shown in 3 documents`.
pub(crate) fn shown(report: &Report) -> Option<String> {
    let summary = &report.summary;
    let documents = count(summary.documents, "document", "documents");
    (summary.shown > 0).then(|| format!("{} shown in {documents}", summary.shown))
}

/// What decides a verdict, in words: the title of a rule, or what was not seen.
pub(crate) fn reason(name: &str) -> Option<&'static str> {
    let rule = tsuba_core::rules::find(name).map(|rule| rule.title);
    rule.or_else(|| Unseen::from_name(name).map(Unseen::describe))
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
pub fn plan_line(entry: &EntryRow) -> String {
    let mut parts = Vec::new();
    if let Some(launch) = &entry.launch {
        parts.extend(launch.wrappers.iter().map(ToString::to_string));
        parts.extend(launch.via.iter().filter(|via| !via.aside).map(outer));
        parts.extend(server(launch));
    }
    let calls = if parts.is_empty() { "" } else { "calls " };
    parts.extend(entry.remote.as_ref().map(|remote| format!("{calls}{}", remote.url)));
    if let Some(why) = entry.launch.as_ref().and_then(|l| l.not_understood.as_ref()) {
        parts.push(format!("({why})"));
    }
    match (&entry.listing, parts.is_empty()) {
        (_, false) => parts.join(" > "),
        (Some(listing), true) => counts(listing),
        (None, true) => "nothing: neither a command nor an address".to_owned(),
    }
}

/// What an entry does, in labelled lines: its chain, and what is run or built on beside it.
pub(crate) fn launch_lines(entry: &EntryRow) -> Vec<(&'static str, String)> {
    let beside = entry.launch.iter().flat_map(|launch| &launch.via).filter(|via| via.aside);
    let beside: Vec<String> = beside.map(outer).collect();
    let mut lines = vec![(verb(entry), plan_line(entry))];
    if !beside.is_empty() {
        lines.push(("with", beside.join(", ")));
    }
    lines
}

/// How firmly what is run is fixed, in words.
fn firmness(pin: Pin, source: Option<Source>) -> &'static str {
    match pin {
        Pin::Exact => "exact",
        Pin::Digest => "digest",
        Pin::Range => "version range",
        Pin::Moving if source == Some(Source::Image) => "mutable tag",
        Pin::Moving => "moving version",
        Pin::None if source == Some(Source::Image) => "no tag",
        Pin::None => "unpinned",
        Pin::Local if source == Some(Source::Path) => "local program",
        Pin::Local => "installed locally",
        Pin::NotAPackage if source == Some(Source::Url) => "remote script",
        Pin::NotAPackage => "inline code",
    }
}

/// `6 tools, 1 prompt`.
fn counts(listing: &ListingRow) -> String {
    if let Some(why) = &listing.unanswered {
        return format!("nothing known: {why}");
    }
    let counts = [
        (listing.tools, "tool", "tools"),
        (listing.prompts, "prompt", "prompts"),
        (listing.resources, "resource", "resources"),
    ];
    let message: Vec<String> =
        counts.iter().filter(|(n, ..)| *n > 0).map(|(n, one, more)| count(*n, one, more)).collect();
    if message.is_empty() { "no tools".to_owned() } else { message.join(", ") }
}

/// What the server of an entry lists, and where that stands; nothing where the entry is that listing.
pub(crate) fn listed(entry: &EntryRow) -> Option<String> {
    let listing = entry.listing.as_ref().filter(|listing| listing.path != entry.setup)?;
    Some(format!("{} in {}", counts(listing), listing.path))
}

fn outer(via: &Via) -> String {
    // A script from an address is named by that; its last part is no program.
    // A store knows what is run, and not by what.
    let is_bare = *via.source == Source::Url || via.runner.as_str().is_empty();
    let runner = if is_bare { String::new() } else { format!("{} ", via.runner) };
    let version = version(Some(*via.source), via.version.as_ref().map(|v| v.as_str()));
    format!("{runner}{}{version} [{}]", via.package, firmness(*via.pin, Some(*via.source)))
}

fn server(launch: &Launch) -> Option<String> {
    let pin = launch.pin?;
    let runner = launch.runner.as_ref().map(|r| r.as_str()).unwrap_or_default();
    let what = if let Some(package) = &launch.package {
        format!(
            "{runner} {package}{}",
            version(launch.source.map(|source| *source), launch.version.as_ref().map(|v| v.as_str()))
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
    Some(format!("{what} [{}]", firmness(*pin, launch.source.map(|source| *source))))
}

fn version(source: Option<Source>, version: Option<&str>) -> String {
    match (source, version) {
        (_, None) => String::new(),
        (Some(Source::Image), Some(tag)) if tag.contains(':') => format!("@{tag}"),
        (Some(Source::Image), Some(tag)) => format!(":{tag}"),
        (Some(Source::Git), Some(reference)) => format!("#{reference}"),
        (_, Some(version)) if version.starts_with(|c: char| "<>=!~^".contains(c)) => format!(" {version}"),
        (_, Some(version)) => format!("@{version}"),
    }
}

/// What is handed over, in one line.
pub(crate) fn credentials(entry: &EntryRow) -> Option<String> {
    let mut message: Vec<String> = entry
        .credentials
        .iter()
        .map(|c| {
            let name = if c.name.as_str().is_empty() { c.place.name() } else { c.name.as_str() };
            match &c.masked {
                Some(masked) => format!("{name} (plaintext) {masked}"),
                None => format!("{name} ({})", c.kind),
            }
        })
        .collect();
    // What an option passes on and the environment sets is told once.
    let mut seen = BTreeSet::new();
    message.retain(|one| seen.insert(one.clone()));
    (!message.is_empty()).then(|| message.join(", "))
}

/// What was decided on an entry.
pub(crate) fn decided(entry: &EntryRow) -> Option<String> {
    let decision = entry.decision.as_ref()?;
    if *decision.standing == ReviewState::Unknown && !entry.disabled {
        return Some("none".to_owned());
    }
    let (by, on) = (decision.by.as_ref()?, decision.on.as_ref()?);
    let until = decision.until.as_ref().map(|until| format!(", until {until}")).unwrap_or_default();
    let conditions: Vec<&str> = decision.conditions.iter().map(|condition| condition.as_str()).collect();
    let conditions =
        if conditions.is_empty() { String::new() } else { format!("; on condition: {}", conditions.join("; ")) };
    let (what, now) = match *decision.standing {
        ReviewState::Changed => ("approved", "; it has changed since"),
        ReviewState::Expired => ("approved", "; that is over"),
        standing => (standing.name(), ""),
    };
    Some(format!("{what} by {by} on {on}{until}{now}{conditions}"))
}
