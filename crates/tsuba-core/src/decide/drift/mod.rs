//! Drift: what is other now than it was, from two reports (`tsuba-report/2`), and how much it weighs.

mod snapshot;
mod words;

pub use snapshot::Snapshot;
pub use words::{Piece, PieceKind};

use crate::prelude::*;
use snapshot::{Entry, Finding, Item, Launch, Listing, Order, Text};
use words::{plain, words};

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

impl Change {
    /// Its words in one text: `[-gone-]` and `{+new+}`.
    pub fn told_words(&self) -> String {
        let message = self.words.iter().map(|piece| match piece.kind {
            PieceKind::Kept => piece.text.clone(),
            PieceKind::Gone => format!("[-{}-]", piece.text),
            PieceKind::New => format!("{{+{}+}}", piece.text),
        });
        message.collect()
    }
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

/// What is other in `new` than in `old`, the heaviest first. Findings of the rules `undecided` are no change: that something was not decided,
/// or no longer is, is told by what has changed.
pub fn drift(old: &Snapshot, new: &Snapshot, undecided: &[&str]) -> Vec<Change> {
    let mut changes = Vec::new();
    setups(old, new, undecided, &mut changes);
    listings(old, new, undecided, &mut changes);
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

fn setups(old: &Snapshot, new: &Snapshot, undecided: &[&str], changes: &mut Vec<Change>) {
    let (before, after) = (keyed(old, |entry| !entry.is_listing()), keyed(new, |entry| !entry.is_listing()));
    let mut gone: BTreeMap<&str, Vec<&Entry>> = BTreeMap::new();
    for (_, entry) in before.iter().filter(|(key, _)| !after.contains_key(*key)) {
        gone.entry(&entry.fingerprint).or_default().push(entry);
    }
    for (key, entry) in &after {
        match before.get(key) {
            Some(known) => {
                entry_changes(known, entry, changes);
                if known.listing.is_some() && entry.listing.is_none() {
                    let what = "what its server lists is no longer known: not queried: there is no evidence of it";
                    changes.push(change(Weight::Notable, entry, what));
                }
                if let Some((weight, found)) = fresh((old, new), entry, undecided) {
                    changes.push(change(weight, entry, format!("new findings: {found}")));
                }
            }
            // What is launched just so elsewhere, and is there no more, has moved.
            None => match gone.get_mut(entry.fingerprint.as_str()).and_then(Vec::pop) {
                Some(from) => {
                    changes.push(change(
                        Weight::Notable,
                        entry,
                        format!("moved here from {} in {}", from.name, from.setup),
                    ));
                    // It may have changed on the way.
                    entry_changes(from, entry, changes);
                }
                None => changes.push(change(Weight::Notable, entry, "new")),
            },
        }
    }
    changes.extend(gone.into_values().flatten().map(|entry| change(Weight::Harmless, entry, "gone")));
}

fn entry_changes(old: &Entry, new: &Entry, changes: &mut Vec<Change>) {
    let mut message = Vec::new();
    let mut tell = |weight: Weight, what: String| message.push((weight, what));
    let (was, is) = (old.launch.clone().unwrap_or_default(), new.launch.clone().unwrap_or_default());
    let origin = |l: &Launch| {
        [l.source.clone(), l.package.clone(), l.image.clone(), l.script.clone()].join(" ").trim().to_owned()
    };
    if origin(&was) != origin(&is) {
        tell(Weight::Serious, format!("starts {} -> {}", or_nothing(&origin(&was)), or_nothing(&origin(&is))));
    }
    let version = |l: &Launch| [l.version.clone(), l.tag.clone(), l.digest.clone()].join(" ").trim().to_owned();
    if version(&was) != version(&is) {
        // What is started without a version is something all the same.
        let name = |launch: &Launch| match version(launch) {
            none if none.is_empty() && !origin(launch).is_empty() => "unpinned".to_owned(),
            version => or_nothing(&version).to_owned(),
        };
        tell(Weight::Notable, format!("version {} -> {}", name(&was), name(&is)));
    }
    let host = |e: &Entry| e.remote.as_ref().map(|remote| remote.host.clone()).unwrap_or_default();
    let url = |e: &Entry| e.remote.as_ref().map(|remote| remote.url.clone()).unwrap_or_default();
    if host(old) != host(new) {
        tell(Weight::Serious, format!("calls {} -> {}", or_nothing(&host(old)), or_nothing(&host(new))));
    } else if url(old) != url(new) {
        tell(Weight::Notable, format!("calls {} -> {}", url(old), url(new)));
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
    let credential = |e: &Entry| -> BTreeSet<String> {
        e.credentials.iter().filter(|c| c.kind != "public").map(|c| c.name.clone()).collect()
    };
    let (had, has) = (credential(old), credential(new));
    let more: Vec<&str> = has.difference(&had).map(String::as_str).collect();
    if !more.is_empty() {
        tell(Weight::Notable, format!("is handed more credentials: {}", more.join(", ")));
    }
    if old.asks != new.asks {
        let weight = if matches!(new.asks.as_str(), "never" | "some") { Weight::Serious } else { Weight::Notable };
        tell(weight, format!("asks before a call: {} -> {}", old.asks, new.asks));
    }
    if old.disabled && !new.disabled {
        tell(Weight::Notable, "is switched on".to_owned());
    }
    if message.is_empty() && old.fingerprint != new.fingerprint {
        let what = if was.args == is.args { "other options, variables or folder" } else { "other arguments" };
        message.push((Weight::Notable, what.to_owned()));
    }
    changes.extend(message.into_iter().map(|(weight, what)| change(weight, new, what)));
}

fn or_nothing(text: &str) -> &str {
    if text.is_empty() { "nothing" } else { text }
}

fn listings(old: &Snapshot, new: &Snapshot, undecided: &[&str], changes: &mut Vec<Change>) {
    let before = servers(old);
    for (key, entry) in servers(new) {
        let (Some(known), Some(is)) = (before.get(&key), &entry.listing) else { continue };
        let Some(was) = &known.listing else { continue };
        let found = fresh((old, new), entry, undecided);
        let mut own = Vec::new();
        let server = |l: &Listing| -> BTreeSet<Text> { l.texts.iter().cloned().collect() };
        if server(was) != server(is) {
            own.push(texts_change("what the server says of itself", &was.texts, &is.texts, entry));
        }
        items(was, is, entry, &mut own);
        // New orders make a change of the words serious, wherever in the listing they stand.
        if let Some((_, found)) = found.filter(|_| !own.is_empty()) {
            own.push(change(Weight::Serious, entry, format!("new findings: {found}")));
        }
        orders(was, is, entry, &mut own);
        changes.extend(own);
    }
}

/// So many new orders of a server are told.
const MAX_ORDERS: usize = 8;
/// More orders of one server than this are not compared: a report of ours lists fewer.
const MAX_COMPARED_ORDERS: usize = 256;

/// What speaks to the model now and stood in no text before: what a reviewer has to see first.
fn orders(was: &Listing, is: &Listing, entry: &Entry, own: &mut Vec<Change>) {
    let texts = || was.texts.iter().chain(was.items.iter().flat_map(|item| &item.texts));
    let before: BTreeSet<&str> = was.orders.iter().map(|order| order.text.as_str()).collect();
    let known =
        |order: &Order| before.contains(order.text.as_str()) || texts().any(|text| text.text.contains(&order.text));
    // What a rule tells is among the new findings.
    let listed = is.orders.iter().take(MAX_COMPARED_ORDERS);
    let new: Vec<&Order> = listed.filter(|order| !order.told && !known(order)).collect();
    for order in new.iter().take(MAX_ORDERS) {
        let what = format!("a new order to the model ({}): “{}”", order.speaks.join("; "), order.text);
        own.push(change(Weight::Notable, entry, what));
    }
    let more = new.len().saturating_sub(MAX_ORDERS);
    if more > 0 {
        own.push(change(Weight::Notable, entry, format!("and {more} more new orders to the model")));
    }
}

/// What stands for the listings: by the entries whose servers list, else by name. Evidence may lie under another name each time.
fn servers(snapshot: &Snapshot) -> BTreeMap<(String, String), &Entry> {
    let by_id: BTreeMap<&str, &Entry> = snapshot.entries.iter().map(|entry| (entry.id.as_str(), entry)).collect();
    let key = |entry: &Entry| {
        let owner = entry.listing.as_ref().and_then(|listing| by_id.get(listing.of.first()?.as_str()).copied());
        owner.map_or_else(|| (String::new(), entry.name.clone()), |owner| (owner.setup.clone(), owner.name.clone()))
    };
    snapshot.entries.iter().filter(|entry| entry.is_listing()).map(|entry| (key(entry), entry)).collect()
}

/// Findings of weight about an entry or a listing that were not there before, by their rules, and how much they weigh together.
fn fresh((old, new): (&Snapshot, &Snapshot), entry: &Entry, undecided: &[&str]) -> Option<(Weight, String)> {
    let known: BTreeSet<&str> = old.findings.iter().map(|finding| finding.fingerprint.as_str()).collect();
    let found: Vec<&Finding> = new
        .findings
        .iter()
        .filter(|finding| finding.entry.as_ref() == Some(&entry.id) && !known.contains(finding.fingerprint.as_str()))
        .filter(|finding| matches!(finding.severity.as_str(), "critical" | "high" | "medium"))
        .filter(|finding| !undecided.contains(&finding.rule.as_str()))
        .collect();
    let weight =
        if found.iter().any(|finding| finding.severity != "medium") { Weight::Serious } else { Weight::Notable };
    let mut message: Vec<String> =
        found.iter().map(|finding| format!("{} ({})", finding.rule, finding.message)).collect();
    message.dedup();
    (!message.is_empty()).then(|| (weight, message.join("; ")))
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

#[cfg(test)]
mod tests;
