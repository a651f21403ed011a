//! A cluster's objects lie in several documents of one folder: what leads from a route over a service to a tool server, and which of its rights a
//! server's account has, is put together here; so is what a reverse proxy leads to by the labels of a compose file and of those that change it.

use super::elsewhere::Elsewhere;
use super::rule::EntryRef;
use crate::prelude::*;
use crate::text::Pointer;
use crate::understand::{Analysis, Cluster, Grant};

/// A name is followed to so many services, and one of those or an account to so many workloads: hostile ones may all name each other.
const MAX_WORKLOADS: usize = 64;
/// So many workloads are looked at for those that a service or an account means.
const MAX_CANDIDATES: usize = 1_000;
/// More objects of a folder do not count for its entries; what is found of them is told all the same.
const MAX_LINKS: usize = 100_000;

/// A tool server's pods.
struct Pods {
    analysis: usize,
    namespace: String,
    labels: BTreeSet<(String, String)>,
    account: String,
    asks: bool,
    entries: Vec<EntryRef>,
}

/// Notes at services, routes and bindings what they lead to, and which of them count for which entry.
pub(super) fn clusters(analyses: &mut [Analysis], out: &mut Elsewhere) {
    let mut folders: BTreeMap<String, Vec<usize>> = BTreeMap::new();
    for (at, analysis) in analyses.iter().enumerate().filter(|(_, analysis)| analysis.exposure.cluster.is_some()) {
        let path = analysis.document.file();
        let folder = path.rsplit_once('/').map(|(folder, _)| folder).unwrap_or_default();
        folders.entry(folder.to_owned()).or_default().push(at);
    }
    for members in folders.into_values() {
        folder(analyses, &members, out);
    }
}

fn folder(analyses: &mut [Analysis], members: &[usize], out: &mut Elsewhere) {
    let pods: Vec<Pods> = members.iter().flat_map(|at| pods(*at, analyses.get(*at))).collect();
    let clusters = || members.iter().filter_map(|at| analyses.get(*at)?.exposure.cluster.as_deref());
    // Of a gateway, and of each of its listeners: is it reached without TLS alone?
    let mut plain: BTreeMap<(String, Option<String>), bool> = BTreeMap::new();
    for listener in clusters().flat_map(|cluster| &cluster.listeners) {
        for name in [None, Some(listener.name.clone())] {
            *plain.entry((listener.gateway.clone(), name)).or_insert(true) &= listener.plain;
        }
    }
    let roles: BTreeMap<String, Grant> = clusters().flat_map(|cluster| cluster.roles.iter().cloned()).collect();
    // By name: the pods that a service leads to.
    let mut services: BTreeMap<String, Vec<(String, Vec<usize>)>> = BTreeMap::new();
    let mut by_label: BTreeMap<&(String, String), Vec<usize>> = BTreeMap::new();
    let mut by_account: BTreeMap<&str, Vec<usize>> = BTreeMap::new();
    for (index, pods) in pods.iter().enumerate() {
        by_account.entry(&pods.account).or_default().push(index);
        pods.labels.iter().for_each(|label| by_label.entry(label).or_default().push(index));
    }
    let selected = |namespace: &str, selector: &[(String, String)]| -> Vec<usize> {
        // By the label that the fewest have.
        let having = |label| by_label.get(label).map(Vec::as_slice).unwrap_or_default();
        let fewest = selector.iter().map(having).min_by_key(|having| having.len()).unwrap_or_default();
        let of = |index: &&usize| {
            pods.get(**index).is_some_and(|pods| {
                same(namespace, &pods.namespace) && selector.iter().all(|label| pods.labels.contains(label))
            })
        };
        fewest.iter().take(MAX_CANDIDATES).filter(of).take(MAX_WORKLOADS).copied().collect()
    };
    let mut links: Vec<(usize, usize, Pointer)> = Vec::new();
    let mut noted: Vec<(usize, Box<Cluster>)> = Vec::new();
    for at in members {
        let Some(mut cluster) = analyses.get_mut(*at).and_then(|analysis| analysis.exposure.cluster.take()) else {
            continue;
        };
        for service in &mut cluster.services {
            let to = selected(&service.namespace, &service.selector);
            // In the same document the port is already one of the entry's own.
            let elsewhere = |index: &&usize| pods.get(**index).is_some_and(|pods| pods.analysis != *at);
            // Where no pods of it are known, its name says what it leads to.
            service.leads = (service.leads && to.is_empty()) || to.iter().any(|index| elsewhere(&index));
            links.extend(to.iter().filter(elsewhere).map(|index| (*index, *at, service.at.clone())));
            let named = services.entry(service.name.clone()).or_default();
            if named.len() < MAX_WORKLOADS {
                named.push((service.namespace.clone(), to));
            }
        }
        noted.push((*at, cluster));
    }
    for (at, cluster) in &mut noted {
        for route in &mut cluster.routes {
            let named = route.services.iter().filter_map(|name| services.get(name)).flatten();
            let to = named.filter(|(namespace, _)| same(namespace, &route.namespace)).flat_map(|(_, to)| to);
            for index in to {
                route.leads = true;
                route.asks |= pods.get(*index).is_some_and(|pods| pods.asks);
                links.push((*index, *at, route.at.clone()));
            }
            route.plain |= route.listener.as_ref().and_then(|listener| plain.get(listener)).copied().unwrap_or(false);
        }
        for binding in &mut cluster.bindings {
            binding.grant = binding.grant.or_else(|| roles.get(&binding.role.text).copied());
            for (namespace, name) in &binding.accounts {
                let own = by_account.get(name.as_str()).map(Vec::as_slice).unwrap_or_default().iter();
                let own = own.take(MAX_CANDIDATES);
                let own = own.filter(|index| pods.get(**index).is_some_and(|pods| same(namespace, &pods.namespace)));
                for index in own.take(MAX_WORKLOADS) {
                    binding.account.get_or_insert_with(|| name.clone());
                    links.push((*index, *at, binding.at.clone()));
                }
            }
        }
    }
    for (at, cluster) in noted {
        if let Some(analysis) = analyses.get_mut(at) {
            analysis.exposure.cluster = Some(cluster);
        }
    }
    for (index, at, pointer) in links.into_iter().take(MAX_LINKS) {
        for entry in pods.get(index).map(|pods| pods.entries.as_slice()).unwrap_or_default() {
            out.counts_for(*entry, at, &pointer);
        }
    }
}

/// The pods of a document that run tool servers.
fn pods(at: usize, analysis: Option<&Analysis>) -> Vec<Pods> {
    let Some((analysis, cluster)) =
        analysis.and_then(|analysis| Some((analysis, analysis.exposure.cluster.as_deref()?)))
    else {
        return Vec::new();
    };
    let entries = analysis.entries.iter().enumerate().filter(|(_, entry)| entry.listing.is_none());
    let mut entries: Vec<(&str, EntryRef)> =
        entries.map(|(index, entry)| (entry.pointer.as_str(), EntryRef { analysis: at, entry: Some(index) })).collect();
    entries.sort();
    let of = |workload: &crate::understand::Workload| {
        let below = format!("{}/", workload.at.as_str());
        let first = entries.partition_point(|(pointer, _)| *pointer < below.as_str());
        let own = entries.get(first..).unwrap_or_default().iter();
        let own = own.take_while(|(pointer, _)| pointer.starts_with(&below));
        // A service of a compose file is the entry itself.
        let itself = entries.partition_point(|(pointer, _)| *pointer < workload.at.as_str());
        let itself = entries.get(itself).filter(|(pointer, _)| *pointer == workload.at.as_str());
        Pods {
            analysis: at,
            namespace: workload.namespace.clone(),
            labels: workload.labels.iter().cloned().collect(),
            account: workload.account.clone(),
            asks: workload.asks,
            entries: own.chain(itself).map(|(_, entry)| *entry).collect(),
        }
    };
    cluster.workloads.iter().map(of).filter(|pods| !pods.entries.is_empty()).collect()
}

/// Where one of two does not say in which namespace it is, that is decided by who applies it.
fn same(one: &str, other: &str) -> bool {
    one.is_empty() || other.is_empty() || one == other
}
