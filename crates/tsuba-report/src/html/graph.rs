//! Who uses what: groups on the left, servers on the right, a line where a group has a server. And the leak paths.

use super::Study;
use crate::model::EntryRow;
use std::cmp::Reverse;
use std::collections::{BTreeMap, BTreeSet};
use svg::node::element::Path;
use svg::node::element::path::Data;
use tsuba_core::judge::Verdict;

/// So many servers are drawn: those that most groups have, the worst of them first.
const MAX_SERVERS: usize = 20;
/// So many groups.
const MAX_GROUPS: usize = 20;
/// The height of a line on both sides, as the style sheet has it.
const ROW: usize = 30;
/// The width between the two sides.
const WIDTH: usize = 260;
/// So many leak paths are drawn.
const MAX_PATHS: usize = 30;

/// A server or a group of the picture.
pub(super) struct Node<'r> {
    pub(super) name: &'r str,
    /// The worst of its entries; empty where there are no verdicts.
    pub(super) verdict: &'static str,
    /// How many there are; of a group, how many of the servers it has.
    pub(super) entries: usize,
    pub(super) powers: String,
}

/// The picture.
pub(super) struct UseGraph<'r> {
    pub(super) groups: Vec<Node<'r>>,
    pub(super) servers: Vec<Node<'r>>,
    pub(super) more_servers: usize,
    pub(super) lines: String,
}

/// Text from strangers, private data and a way out in one client.
pub(super) struct LeakPath<'r> {
    pub(super) setup: &'r str,
    pub(super) group: &'r str,
    pub(super) severity: &'static str,
    pub(super) confidence: &'static str,
    pub(super) steps: [&'r str; 3],
}

#[derive(Default)]
struct Server<'r> {
    groups: BTreeMap<&'r str, Option<Verdict>>,
    verdict: Option<Verdict>,
    entries: usize,
    powers: BTreeSet<&'static str>,
}

/// What is run or called, by the name that tells it from others.
fn target(entry: &EntryRow) -> &str {
    let launch = entry.launch.as_ref();
    let started =
        launch.and_then(|launch| launch.package.as_ref().or(launch.image.as_ref()).or(launch.script.as_ref()));
    let called = entry.remote.as_ref().map(|remote| &remote.host);
    started.or(called).unwrap_or(&entry.name).as_str()
}

/// Who uses what.
pub(super) fn uses<'r>(study: &Study<'r>) -> UseGraph<'r> {
    let mut servers: BTreeMap<&'r str, Server<'r>> = BTreeMap::new();
    for (group, entry) in study.counted() {
        let server = servers.entry(target(entry)).or_default();
        server.entries += 1;
        server.verdict = server.verdict.max(entry.verdict);
        let own = server.groups.entry(group).or_default();
        *own = (*own).max(entry.verdict);
        server.powers.extend(entry.reach.powers.iter().map(|power| power.name()));
    }
    let mut servers: Vec<(&'r str, Server<'r>)> = servers.into_iter().collect();
    servers.sort_by_key(|(name, server)| {
        (Reverse(server.groups.len()), Reverse(server.verdict), Reverse(server.entries), *name)
    });
    let more_servers = servers.len().saturating_sub(MAX_SERVERS);
    servers.truncate(MAX_SERVERS);
    let mut groups: BTreeMap<&'r str, (usize, Option<Verdict>)> = BTreeMap::new();
    for (name, verdict) in servers.iter().flat_map(|(_, server)| &server.groups) {
        let own = groups.entry(name).or_default();
        *own = (own.0 + 1, own.1.max(*verdict));
    }
    let mut groups: Vec<(&'r str, (usize, Option<Verdict>))> = groups.into_iter().collect();
    groups.sort_by_key(|(name, (servers, _))| (Reverse(*servers), *name));
    groups.truncate(MAX_GROUPS);
    let places: BTreeMap<&str, usize> = groups.iter().enumerate().map(|(at, (name, _))| (*name, at)).collect();
    // Servers lie beside those who have them, so that few lines cross.
    servers.sort_by_key(|(name, server)| {
        let own: Vec<usize> = server.groups.keys().filter_map(|group| places.get(group).copied()).collect();
        (own.iter().sum::<usize>() * 1000 / own.len().max(1), *name)
    });
    let height = ROW * groups.len().max(servers.len());
    let mut drawing = svg::Document::new()
        .set("viewBox", (0, 0, WIDTH, height))
        .set("width", WIDTH)
        .set("height", height)
        .set("class", "lines")
        .set("aria-hidden", "true");
    for (at, (_, server)) in servers.iter().enumerate() {
        for (group, verdict) in &server.groups {
            let Some(from) = places.get(group) else { continue };
            // The groups are spread over the whole height, the servers fill it.
            let (from, to) = ((2 * from + 1) * height / (2 * groups.len().max(1)), at * ROW + ROW / 2);
            let line = Data::new().move_to((0, from)).cubic_curve_to((WIDTH / 2, from, WIDTH / 2, to, WIDTH, to));
            drawing = drawing.add(Path::new().set("class", verdict.map_or("none", Verdict::name)).set("d", line));
        }
    }
    let verdict = |verdict: Option<Verdict>| verdict.map_or("", Verdict::name);
    UseGraph {
        groups: groups
            .into_iter()
            .map(|(name, (servers, worst))| Node {
                name,
                verdict: verdict(worst),
                entries: servers,
                powers: String::new(),
            })
            .collect(),
        servers: servers
            .into_iter()
            .map(|(name, server)| Node {
                name,
                verdict: verdict(server.verdict),
                entries: server.entries,
                powers: server.powers.into_iter().collect::<Vec<_>>().join(", "),
            })
            .collect(),
        more_servers,
        lines: drawing.to_string(),
    }
}

/// The leak paths that were found, the worst first; and how many more there are.
pub(super) fn leak_paths<'r>(study: &Study<'r>) -> (Vec<LeakPath<'r>>, usize) {
    let findings = study.report.findings.iter().filter(|finding| finding.waived.is_none());
    let mut paths: Vec<LeakPath<'r>> = findings
        .filter_map(|finding| {
            let [reads, holds, sends] = finding.steps.as_slice() else { return None };
            Some(LeakPath {
                setup: finding.setup.as_str(),
                group: study.groups.name(finding.setup.as_str()),
                severity: finding.severity.name(),
                confidence: finding.confidence.name(),
                steps: [reads.as_str(), holds.as_str(), sends.as_str()],
            })
        })
        .collect();
    let more = paths.len().saturating_sub(MAX_PATHS);
    paths.truncate(MAX_PATHS);
    (paths, more)
}
