//! Drift: what is other now than it was, from two reports (`tsuba-report/1`), and how much it weighs.

use crate::judge::Severity;
use crate::prelude::*;
use serde::Deserialize;
use similar::{ChangeTag, TextDiff};

/// A report, as far as drift is told from it.
#[derive(Clone, Debug, Default, Deserialize)]
pub struct Snapshot {
    /// `tsuba-report/1`.
    pub schema: String,
    /// The date of the audit.
    #[serde(default)]
    pub as_of: String,
    /// Its entries.
    #[serde(default)]
    entries: Vec<Entry>,
    /// Its findings.
    #[serde(default)]
    findings: Vec<Finding>,
}

#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
struct Entry {
    id: String,
    setup: String,
    name: String,
    launch: Option<Launch>,
    remote: Option<Remote>,
    credentials: Vec<Credential>,
    reach: Reach,
    asks: String,
    disabled: bool,
    fingerprint: String,
    listing: Option<Listing>,
}

#[derive(Clone, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(default)]
struct Launch {
    source: String,
    package: String,
    version: String,
    image: String,
    tag: String,
    digest: String,
    script: String,
    args: Vec<String>,
}

#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
struct Remote {
    url: String,
    host: String,
}

#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
struct Credential {
    name: String,
    kind: String,
}

#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
struct Reach {
    folders: BTreeSet<String>,
    hosts: BTreeSet<String>,
    powers: BTreeSet<String>,
}

#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
struct Listing {
    items: Vec<Item>,
    texts: Vec<Text>,
    of: Vec<String>,
}

#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
struct Item {
    kind: String,
    name: String,
    fingerprint: String,
    read_only: Option<bool>,
    texts: Vec<Text>,
}

#[derive(Clone, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Deserialize)]
#[serde(default)]
struct Text {
    place: String,
    text: String,
}

#[derive(Clone, Debug, Default, Deserialize)]
#[serde(default)]
struct Finding {
    rule: String,
    severity: String,
    entry: Option<String>,
    message: String,
    fingerprint: String,
}

/// How much a change weighs.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Weight {
    /// Nobody reads it otherwise than before.
    Harmless,
    /// Worth a look.
    Notable,
    /// What was reviewed is not what is there.
    Serious,
}

impl Weight {
    /// All weights, the heaviest first.
    pub const ALL: [Self; 3] = [Self::Serious, Self::Notable, Self::Harmless];

    /// Its name.
    pub fn name(self) -> &'static str {
        match self {
            Self::Harmless => "harmless",
            Self::Notable => "notable",
            Self::Serious => "serious",
        }
    }
}

/// Something that is other than it was.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Change {
    /// How much it weighs.
    pub weight: Weight,
    /// The setup, or the file of the listing.
    pub setup: String,
    /// The entry.
    pub entry: String,
    /// What happened, in words.
    pub what: String,
    /// The text of it, word by word, where it is one.
    pub words: Vec<Piece>,
}

/// A piece of a text that changed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Piece {
    /// Is it gone, new, or as it was?
    pub kind: PieceKind,
    /// The words.
    pub text: String,
}

/// What became of a piece.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PieceKind {
    /// It is as it was.
    Kept,
    /// It is gone.
    Gone,
    /// It is new.
    New,
}

impl Snapshot {
    /// Is it a report that this program understands?
    pub fn is_known(&self) -> bool {
        self.schema == "tsuba-report/1"
    }

    /// Its findings by their fingerprints, with how bad they were.
    pub fn findings(&self) -> BTreeMap<String, Severity> {
        let weighed = |finding: &Finding| Severity::from_name(&finding.severity).unwrap_or(Severity::Note);
        self.findings.iter().map(|finding| (finding.fingerprint.clone(), weighed(finding))).collect()
    }
}

/// What is other in `new` than in `old`, the heaviest first.
pub fn drift(old: &Snapshot, new: &Snapshot) -> Vec<Change> {
    let mut changes = Vec::new();
    setups(old, new, &mut changes);
    listings(old, new, &mut changes);
    changes.sort_by(|a, b| {
        b.weight.cmp(&a.weight).then_with(|| (&a.setup, &a.entry, &a.what).cmp(&(&b.setup, &b.entry, &b.what)))
    });
    changes
}

fn change(weight: Weight, entry: &Entry, what: impl Into<String>) -> Change {
    Change { weight, setup: entry.setup.clone(), entry: entry.name.clone(), what: what.into(), words: Vec::new() }
}

/// The entries of setups, by setup and name; of several of one name each has its turn.
fn keyed(snapshot: &Snapshot, wanted: fn(&Entry) -> bool) -> BTreeMap<(&str, &str, usize), &Entry> {
    let mut out = BTreeMap::new();
    let mut seen: BTreeMap<(&str, &str), usize> = BTreeMap::new();
    for entry in snapshot.entries.iter().filter(|entry| wanted(entry)) {
        let count = seen.entry((&entry.setup, &entry.name)).or_default();
        out.insert((entry.setup.as_str(), entry.name.as_str(), *count), entry);
        *count += 1;
    }
    out
}

fn is_listing(entry: &Entry) -> bool {
    entry.launch.is_none() && entry.remote.is_none() && entry.listing.is_some()
}

fn setups(old: &Snapshot, new: &Snapshot, changes: &mut Vec<Change>) {
    let (before, after) = (keyed(old, |entry| !is_listing(entry)), keyed(new, |entry| !is_listing(entry)));
    let mut gone: BTreeMap<&str, Vec<&Entry>> = BTreeMap::new();
    for (_, entry) in before.iter().filter(|(key, _)| !after.contains_key(*key)) {
        gone.entry(&entry.fingerprint).or_default().push(entry);
    }
    for (key, entry) in &after {
        match before.get(key) {
            Some(known) => entry_changes(known, entry, changes),
            // What is launched just so elsewhere, and is there no more, has moved.
            None => match gone.get_mut(entry.fingerprint.as_str()).and_then(Vec::pop) {
                Some(from) => {
                    changes.push(change(
                        Weight::Notable,
                        entry,
                        format!("moved here from {} in {}", from.name, from.setup),
                    ));
                }
                None => changes.push(change(Weight::Notable, entry, "new")),
            },
        }
    }
    changes.extend(gone.into_values().flatten().map(|entry| change(Weight::Harmless, entry, "gone")));
}

fn entry_changes(old: &Entry, new: &Entry, changes: &mut Vec<Change>) {
    let mut told = Vec::new();
    let mut tell = |weight: Weight, what: String| told.push((weight, what));
    let (was, is) = (old.launch.clone().unwrap_or_default(), new.launch.clone().unwrap_or_default());
    let origin = |l: &Launch| {
        [l.source.clone(), l.package.clone(), l.image.clone(), l.script.clone()].join(" ").trim().to_owned()
    };
    if origin(&was) != origin(&is) {
        tell(
            Weight::Serious,
            format!("starts {} in the place of {}", or_nothing(&origin(&is)), or_nothing(&origin(&was))),
        );
    }
    let version = |l: &Launch| [l.version.clone(), l.tag.clone(), l.digest.clone()].join(" ").trim().to_owned();
    if version(&was) != version(&is) {
        tell(
            Weight::Notable,
            format!("version {} in the place of {}", or_nothing(&version(&is)), or_nothing(&version(&was))),
        );
    }
    let host = |e: &Entry| e.remote.as_ref().map(|remote| remote.host.clone()).unwrap_or_default();
    let url = |e: &Entry| e.remote.as_ref().map(|remote| remote.url.clone()).unwrap_or_default();
    if host(old) != host(new) {
        tell(Weight::Serious, format!("calls {} in the place of {}", or_nothing(&host(new)), or_nothing(&host(old))));
    } else if url(old) != url(new) {
        tell(Weight::Notable, format!("calls {} in the place of {}", url(new), url(old)));
    }
    for (label, was, is) in [
        ("powers", &old.reach.powers, &new.reach.powers),
        ("folders", &old.reach.folders, &new.reach.folders),
        ("hosts", &old.reach.hosts, &new.reach.hosts),
    ] {
        let wider: Vec<&str> = is.difference(was).map(String::as_str).collect();
        if !wider.is_empty() && (label != "hosts" || host(old) == host(new)) {
            tell(Weight::Serious, format!("reaches more {label}: {}", wider.join(", ")));
        }
    }
    let handed = |e: &Entry| -> BTreeSet<String> {
        e.credentials.iter().filter(|c| c.kind != "public").map(|c| c.name.clone()).collect()
    };
    let (had, has) = (handed(old), handed(new));
    let more: Vec<&str> = has.difference(&had).map(String::as_str).collect();
    if !more.is_empty() {
        tell(Weight::Notable, format!("is handed more credentials: {}", more.join(", ")));
    }
    if old.asks != new.asks {
        let weight = if matches!(new.asks.as_str(), "never" | "some") { Weight::Serious } else { Weight::Notable };
        tell(weight, format!("asks before a call: {} in the place of {}", new.asks, old.asks));
    }
    if old.disabled && !new.disabled {
        tell(Weight::Notable, "is switched on".to_owned());
    }
    if told.is_empty() && old.fingerprint != new.fingerprint {
        let what = if was.args == is.args { "other options, variables or folder" } else { "other arguments" };
        told.push((Weight::Notable, what.to_owned()));
    }
    changes.extend(told.into_iter().map(|(weight, what)| change(weight, new, what)));
}

fn or_nothing(text: &str) -> &str {
    if text.is_empty() { "nothing" } else { text }
}

fn listings(old: &Snapshot, new: &Snapshot, changes: &mut Vec<Change>) {
    let before = servers(old);
    for (key, entry) in servers(new) {
        let (Some(known), Some(is)) = (before.get(&key), &entry.listing) else { continue };
        let Some(was) = &known.listing else { continue };
        let found = fresh(old, new, entry);
        let mut own = Vec::new();
        let server = |l: &Listing| -> BTreeSet<Text> { l.texts.iter().cloned().collect() };
        if server(was) != server(is) {
            own.push(texts_change("what the server says of itself", &was.texts, &is.texts, entry));
        }
        items(was, is, entry, &mut own);
        // New orders make a change of the words serious, wherever in the listing they stand.
        if let Some(rules) = found.filter(|_| !own.is_empty()) {
            own.push(change(Weight::Serious, entry, format!("new findings: {rules}")));
        }
        changes.extend(own);
    }
}

/// What stands for the listings: by the entries whose servers list, else by name. Evidence may lie under another name each time.
fn servers(snapshot: &Snapshot) -> BTreeMap<(String, String), &Entry> {
    let by_id: BTreeMap<&str, &Entry> = snapshot.entries.iter().map(|entry| (entry.id.as_str(), entry)).collect();
    let key = |entry: &Entry| {
        let owner = entry.listing.as_ref().and_then(|listing| by_id.get(listing.of.first()?.as_str()).copied());
        owner.map_or_else(|| (String::new(), entry.name.clone()), |owner| (owner.setup.clone(), owner.name.clone()))
    };
    snapshot.entries.iter().filter(|entry| is_listing(entry)).map(|entry| (key(entry), entry)).collect()
}

/// Findings of weight about a listing that were not there before, by their rules.
fn fresh(old: &Snapshot, new: &Snapshot, entry: &Entry) -> Option<String> {
    let known: BTreeSet<&str> = old.findings.iter().map(|finding| finding.fingerprint.as_str()).collect();
    let mut told: Vec<String> = new
        .findings
        .iter()
        .filter(|finding| finding.entry.as_ref() == Some(&entry.id) && !known.contains(finding.fingerprint.as_str()))
        .filter(|finding| matches!(finding.severity.as_str(), "critical" | "high" | "medium"))
        .map(|finding| format!("{} ({})", finding.rule, finding.message))
        .collect();
    told.dedup();
    (!told.is_empty()).then(|| told.join("; "))
}

fn items(was: &Listing, is: &Listing, entry: &Entry, own: &mut Vec<Change>) {
    let forms = |listing: &'_ Listing| {
        let mut out: BTreeMap<(String, String), Vec<Item>> = BTreeMap::new();
        for item in &listing.items {
            out.entry((item.kind.clone(), item.name.clone())).or_default().push(item.clone());
        }
        out
    };
    let (before, after) = (forms(was), forms(is));
    for ((kind, name), now) in &after {
        let title = format!("the {kind} {name}");
        let Some(then) = before.get(&(kind.clone(), name.clone())) else {
            own.push(change(Weight::Notable, entry, format!("{title} is new")));
            continue;
        };
        for form in now.iter().filter(|form| !then.iter().any(|known| known.fingerprint == form.fingerprint)) {
            let Some(known) = then.first() else { continue };
            own.push(item_change(&title, known, form, entry));
        }
    }
    for (kind, name) in before.keys().filter(|key| !after.contains_key(*key)) {
        own.push(change(Weight::Harmless, entry, format!("the {kind} {name} is gone")));
    }
}

fn item_change(title: &str, was: &Item, is: &Item, entry: &Entry) -> Change {
    if was.read_only == Some(true) && is.read_only != Some(true) {
        return change(Weight::Serious, entry, format!("{title} says no longer that it only reads"));
    }
    if was.texts != is.texts {
        return texts_change(title, &was.texts, &is.texts, entry);
    }
    change(
        Weight::Notable,
        entry,
        format!("{title} takes or says something else beside its words: its schema or annotations"),
    )
}

/// A change of texts, with the words that changed. White space alone is harmless; what is not seen is not.
fn texts_change(title: &str, was: &[Text], is: &[Text], entry: &Entry) -> Change {
    let (kept, now): (BTreeSet<&Text>, BTreeSet<&Text>) = (was.iter().collect(), is.iter().collect());
    let all = |texts: &[Text], other: &BTreeSet<&Text>| -> String {
        let own: Vec<&str> = texts.iter().filter(|text| !other.contains(text)).map(|text| text.text.as_str()).collect();
        own.join(" ¶ ")
    };
    let (old, new) = (all(was, &now), all(is, &kept));
    let unseen = |text: &str| plain(text).matches("⟨U+").count();
    let (weight, how) = if plain(&old) == plain(&new) {
        (Weight::Harmless, "white space")
    } else if unseen(&new) > unseen(&old) {
        (Weight::Serious, "characters that nobody sees")
    } else {
        (Weight::Notable, "its words")
    };
    Change { words: words(&old, &new), ..change(weight, entry, format!("{title} has changed: {how}")) }
}

/// A text without its white space; line ends are shown as their numbers in reports.
fn plain(text: &str) -> String {
    let lines = ["⟨U+000A⟩", "⟨U+000D⟩"].iter().fold(text.to_owned(), |text, end| text.replace(end, " "));
    lines.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// Words that stay are kept around a change, so many.
const AROUND: usize = 6;
/// Longer texts are not compared word by word (bytes of both).
const MOST: usize = 64 << 10;

/// The difference of two texts, word by word.
fn words(old: &str, new: &str) -> Vec<Piece> {
    let piece = |kind: PieceKind, text: &str| Piece { kind, text: text.to_owned() };
    if old.len() + new.len() > MOST {
        return vec![
            piece(PieceKind::Gone, crate::text::head(old, 200)),
            piece(PieceKind::New, crate::text::head(new, 200)),
        ];
    }
    let diff = TextDiff::from_words(old, new);
    let mut out: Vec<Piece> = Vec::new();
    for part in diff.iter_all_changes() {
        let kind = match part.tag() {
            ChangeTag::Equal => PieceKind::Kept,
            ChangeTag::Delete => PieceKind::Gone,
            ChangeTag::Insert => PieceKind::New,
        };
        match out.last_mut().filter(|last| last.kind == kind) {
            Some(last) => last.text.push_str(part.value()),
            None => out.push(piece(kind, part.value())),
        }
    }
    let last = out.len().saturating_sub(1);
    for (at, kept) in out.iter_mut().enumerate().filter(|(_, piece)| piece.kind == PieceKind::Kept) {
        kept.text = around(&kept.text, at > 0, at < last);
    }
    out
}

/// The words of a kept piece that stand next to a change.
fn around(text: &str, after_one: bool, before_one: bool) -> String {
    let words: Vec<&str> = text.split_inclusive(' ').collect();
    let (head, tail) = (if after_one { AROUND } else { 0 }, if before_one { AROUND } else { 0 });
    if words.len() <= head + tail {
        return text.to_owned();
    }
    let first: String = words.iter().take(head).copied().collect();
    let rest: String = words.iter().skip(words.len() - tail).copied().collect();
    format!("{first}… {rest}")
}

#[cfg(test)]
mod tests;
