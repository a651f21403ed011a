//! Ties what lies together to servers: which metadata are of which server, whose authorization servers those name, and what else is of that login.

use super::compare::{host_of, same_issuer};
use super::group::{Group, Target, links};
use super::site::{issuer_of_path, of_path};
use super::{Analysis, Link, Login, Part};
use crate::evidence::oauth::{
    Asked, Claims, LinkedBy, OAuthDocuments, ResourceMetadata, ServerMetadata, SignedMetadata, covers,
};
use crate::prelude::*;
use crate::text::normal;

/// What was brought together, and what that says of each document.
#[derive(Debug, Default)]
pub(super) struct Tied {
    /// The logins.
    pub(super) logins: Vec<Login>,
    /// The address that each protected-resource metadata should be of.
    resources: Vec<(Part, Asked)>,
    /// The issuer that each authorization-server metadata should be of.
    servers: Vec<(Part, Asked)>,
    /// Endpoints that another copy of the same metadata has at another address: the copy, the name, that address.
    elsewhere: Vec<(Part, String, String)>,
    /// Signed copies whose key no key set of the login has, and whether they are the resource's.
    strange_keys: Vec<(bool, Part)>,
    /// Authorization servers that a resource names beside others.
    beside_others: Vec<Part>,
}

/// More candidates of one host are not looked at.
const MAX_CANDIDATES: usize = 64;
/// Of what is there in more copies, no more are held against another document.
const MAX_COPIES: usize = 4;
/// An entry's name is looked for in a file's name for no more entries of one server.
const MAX_NAMES: usize = 8;

/// Ties what is in a group.
pub(super) fn tie(group: &Group, analyses: &[Analysis]) -> Tied {
    let papers = Papers { group, analyses };
    let login = |target: &Target| Login { entries: target.entries.clone(), ..Login::default() };
    let mut out = Tied { logins: group.targets.iter().map(login).collect(), ..Tied::default() };
    // What belongs to no entry is a login of its own.
    let mut lone = Login::default();
    for (part, found) in papers.resources() {
        match found {
            Some((target, link, asked)) => {
                if let Some(login) = out.logins.get_mut(target) {
                    login.resources.push(link);
                }
                out.resources.push((part, asked));
            }
            None => lone.resources.push(Link { part, by: LinkedBy::Folder, sure: false }),
        }
    }
    out.logins.push(lone);
    papers.servers(&mut out);
    for login in &mut out.logins {
        login.issuers = login.gather_issuers(analyses);
    }
    papers.rest(&mut out);
    papers.copies(&mut out);
    papers.signed(&mut out);
    out.logins.retain(|login| {
        !(login.resources.is_empty()
            && login.servers.is_empty()
            && login.key_sets.is_empty()
            && login.clients.is_empty()
            && login.grants.is_empty()
            && login.tokens.is_empty())
    });
    out
}

/// Notes at the documents what was found.
pub(super) fn note(tied: &Tied, analyses: &mut [Analysis]) {
    for (part, asked) in &tied.resources {
        if let Some(paper) = papers_of(analyses, *part).and_then(|papers| papers.resources.get_mut(part.index)) {
            paper.asked.get_or_insert_with(|| asked.clone());
        }
    }
    for (part, asked) in &tied.servers {
        if let Some(paper) = papers_of(analyses, *part).and_then(|papers| papers.servers.get_mut(part.index)) {
            paper.asked.get_or_insert_with(|| asked.clone());
        }
    }
    for (part, name, address) in &tied.elsewhere {
        if let Some(paper) = papers_of(analyses, *part).and_then(|papers| papers.servers.get_mut(part.index)) {
            paper.elsewhere.push((name.clone(), address.clone()));
        }
    }
    for part in &tied.beside_others {
        if let Some(paper) = papers_of(analyses, *part).and_then(|papers| papers.servers.get_mut(part.index)) {
            paper.beside_others = true;
        }
    }
    for (of_resource, part) in &tied.strange_keys {
        let Some(papers) = papers_of(analyses, *part) else { continue };
        let signed = if *of_resource {
            papers.resources.get_mut(part.index).and_then(|paper| paper.signed.as_mut())
        } else {
            papers.servers.get_mut(part.index).and_then(|paper| paper.signed.as_mut())
        };
        if let Some(signed) = signed {
            signed.strange_key = true;
        }
    }
}

fn papers_of(analyses: &mut [Analysis], part: Part) -> Option<&mut OAuthDocuments> {
    analyses.get_mut(part.analysis).map(|analysis| &mut analysis.oauth_documents)
}

/// Which target a document is of, what ties it to that, and the address that it should be of.
type OfTarget = (usize, Link, Asked);

/// A group with what its parts are.
struct Papers<'a> {
    group: &'a Group,
    analyses: &'a [Analysis],
}

impl<'a> Papers<'a> {
    fn resource(&self, part: Part) -> Option<&'a ResourceMetadata> {
        self.analyses.get(part.analysis)?.oauth_documents.resources.get(part.index)
    }

    fn server(&self, part: Part) -> Option<&'a ServerMetadata> {
        self.analyses.get(part.analysis)?.oauth_documents.servers.get(part.index)
    }

    fn file(&self, part: Part) -> &'a str {
        self.analyses.get(part.analysis).map_or("", |analysis| analysis.document.file())
    }

    /// The target that each protected-resource metadata is of.
    fn resources(&self) -> Vec<(Part, Option<OfTarget>)> {
        let targets = &self.group.targets;
        let mut hosts: BTreeMap<String, Vec<usize>> = BTreeMap::new();
        for (index, target) in targets.iter().enumerate() {
            hosts.entry(host_of(&target.address).unwrap_or_default()).or_default().push(index);
        }
        let at_host = |address: &str| {
            let found = host_of(address).and_then(|host| hosts.get(&host));
            found.into_iter().flatten().take(MAX_CANDIDATES).copied()
        };
        let linked = |part: Part, target: usize, by, sure| {
            let address = targets.get(target).map_or("", |target| target.address.as_str());
            (target, Link { part, by, sure }, Asked { address: address.to_owned(), by, sure })
        };
        let mut met = BTreeSet::new();
        let mut out: Vec<(Part, Option<OfTarget>)> = Vec::new();
        for part in &self.group.resources {
            let Some(paper) = self.resource(*part) else { continue };
            let resource = paper.resource.as_ref().map(|at| at.text.as_str());
            let origin = paper.asked.as_ref().map(|asked| asked.address.clone()).or_else(|| of_path(self.file(*part)));
            let asked = origin.as_deref().and_then(|asked| {
                let target =
                    at_host(asked).find(|at| targets.get(*at).is_some_and(|t| same_place(asked, &t.address)))?;
                Some(linked(*part, target, LinkedBy::Origin, true))
            });
            let own = || {
                let resource = resource?;
                let covered = |at: &usize| targets.get(*at).is_some_and(|t| covers(resource, &t.address) == Some(true));
                // The nearest of those that lie below it.
                let target =
                    at_host(resource).filter(covered).max_by_key(|at| targets.get(*at).map(|t| t.address.len()))?;
                Some(linked(*part, target, LinkedBy::Resource, true))
            };
            let found = asked.or_else(own);
            met.extend(found.as_ref().map(|(target, ..)| *target));
            out.push((*part, found));
        }
        // What fits nothing is held against what nothing fits.
        let open: Vec<usize> = (0..targets.len()).filter(|target| !met.contains(target)).collect();
        let unfit = out.iter().filter(|(_, found)| found.is_none()).count();
        for (part, found) in out.iter_mut().filter(|(_, found)| found.is_none() && !self.group.apart) {
            let resource = self.resource(*part).and_then(|paper| paper.resource.as_ref()).map(|at| at.text.as_str());
            let mut near = resource.into_iter().flat_map(at_host).filter(|target| !met.contains(target));
            let host = near.next().map(|target| (target, near.next().is_none()));
            let named = || {
                let file = own_name(self.file(*part));
                open.iter().copied().take(MAX_CANDIDATES).find(|target| self.is_called(*target, &file))
            };
            let alone = || open.first().copied().filter(|_| open.len() == 1);
            *found = match host {
                Some((target, sure)) => Some(linked(*part, target, LinkedBy::Host, sure)),
                None => named()
                    .map(|target| linked(*part, target, LinkedBy::Folder, true))
                    .or_else(|| alone().map(|target| linked(*part, target, LinkedBy::Folder, unfit == 1))),
            };
        }
        out
    }

    /// Does a file's name hold that of an entry of this target?
    fn is_called(&self, target: usize, file: &str) -> bool {
        let entries = self.group.targets.get(target).map(|target| target.entries.as_slice()).unwrap_or_default();
        entries.iter().take(MAX_NAMES).any(|part| {
            let entry = self.analyses.get(part.analysis).and_then(|analysis| analysis.entries.get(part.index));
            entry.is_some_and(|entry| {
                let name = normal(&entry.name.text);
                name.len() > 2 && file.contains(&name)
            })
        })
    }

    /// The login, and the issuer named in it, that each authorization-server metadata is of.
    fn servers(&self, out: &mut Tied) {
        let mut named: Vec<(usize, &str)> = Vec::new();
        for (login, own) in out.logins.iter().enumerate() {
            let papers = own.resources.iter().filter_map(|link| self.resource(link.part));
            named.extend(papers.flat_map(|paper| &paper.servers).map(|server| (login, server.text.as_str())));
        }
        named.truncate(super::group::MAX_TOGETHER);
        let mut hosts: BTreeMap<String, Vec<usize>> = BTreeMap::new();
        for (index, (_, issuer)) in named.iter().enumerate() {
            hosts.entry(host_of(issuer).unwrap_or_default()).or_default().push(index);
        }
        let at = |address: &str| {
            let found = host_of(address).and_then(|host| hosts.get(&host));
            found.into_iter().flatten().take(MAX_CANDIDATES).copied()
        };
        let mut met = BTreeSet::new();
        let mut unfit = Vec::new();
        let mut tied: Vec<(Part, usize, LinkedBy, bool)> = Vec::new();
        for part in &self.group.servers {
            let Some(paper) = self.server(*part) else { continue };
            let issuer = paper.issuer.as_ref().map(|at| at.text.as_str());
            let same = |address: &str| {
                let found: Vec<usize> = at(address)
                    .filter(|index| named.get(*index).is_some_and(|(_, n)| same_issuer(n, address)))
                    .collect();
                found
            };
            let asked = paper.asked.as_ref().map(|asked| asked.address.as_str());
            let origin = asked.map(str::to_owned).or_else(|| issuer_of_path(self.file(*part)));
            let by_origin = origin.as_deref().map(same).unwrap_or_default();
            let (found, by) = if by_origin.is_empty() {
                (issuer.map(same).unwrap_or_default(), LinkedBy::Issuer)
            } else {
                (by_origin, LinkedBy::Origin)
            };
            if found.is_empty() {
                unfit.push(*part);
            }
            met.extend(found.iter().copied());
            tied.extend(found.into_iter().map(|index| (*part, index, by, true)));
        }
        let open: Vec<usize> = (0..named.len()).filter(|index| !met.contains(index)).collect();
        let mut fit: BTreeMap<usize, Vec<Part>> = BTreeMap::new();
        for (part, index, ..) in &tied {
            fit.entry(*index).or_default().push(*part);
        }
        for part in &unfit {
            let Some(paper) = self.server(*part) else { continue };
            let issuer = paper.issuer.as_ref().map(|at| at.text.as_str());
            let own: Vec<usize> = issuer.into_iter().flat_map(at).collect();
            // Its endpoints say whose it is where its name does not.
            let endpoints: BTreeSet<usize> =
                paper.endpoints.iter().take(8).flat_map(|endpoint| at(&endpoint.address.text)).collect();
            let endpoints: Vec<usize> = endpoints.into_iter().collect();
            let free = |list: &[usize]| list.iter().copied().find(|index| !met.contains(index));
            // Another copy of metadata that fit, under another name.
            let copy = || {
                endpoints.iter().copied().find(|index| {
                    let twins = fit.get(index).into_iter().flatten().filter_map(|twin| self.server(*twin));
                    twins.take(MAX_COPIES).any(|twin| shares_endpoint(twin, paper))
                })
            };
            let host = free(&own).or_else(|| free(&endpoints));
            let by_host = host.or_else(copy).map(|index| (index, LinkedBy::Host, true));
            let alone =
                || open.first().filter(|_| open.len() == 1).map(|index| (*index, LinkedBy::Folder, unfit.len() == 1));
            match by_host.or_else(alone) {
                Some((index, by, sure)) => tied.push((*part, index, by, sure)),
                None => {
                    if let Some(lone) = out.logins.last_mut() {
                        lone.servers.push(Link { part: *part, by: LinkedBy::Folder, sure: false });
                    }
                }
            }
        }
        let chooses = |login: &Login| {
            login.resources.iter().filter_map(|link| self.resource(link.part)).any(|paper| paper.servers.len() > 1)
        };
        let several: Vec<bool> = out.logins.iter().map(chooses).collect();
        for (part, index, by, sure) in tied {
            let Some((login, issuer)) = named.get(index) else { continue };
            if let Some(login) = out.logins.get_mut(*login) {
                login.servers.push(Link { part, by, sure });
            }
            if several.get(*login) == Some(&true) {
                out.beside_others.push(part);
            }
            out.servers.push((part, Asked { address: (*issuer).to_owned(), by, sure }));
        }
    }

    /// Everything else: by the issuer that it names, by whom it is for, else by the folder where there is one login only.
    fn rest(&self, out: &mut Tied) {
        let only =
            out.logins.iter().filter(|login| !login.entries.is_empty() || !login.resources.is_empty()).count() == 1;
        let mut issuers: BTreeMap<String, Vec<usize>> = BTreeMap::new();
        let mut hosts: BTreeMap<String, Vec<usize>> = BTreeMap::new();
        for (index, login) in out.logins.iter().enumerate() {
            for issuer in &login.issuers {
                issuers.entry(issuer.trim_end_matches('/').to_owned()).or_default().push(index);
            }
            hosts.entry(login.address(self.analyses).and_then(host_of).unwrap_or_default()).or_default().push(index);
        }
        let first = out.logins.iter().position(|login| !login.entries.is_empty() || !login.resources.is_empty());
        let whose = |issuer: Option<&str>, audience: &[String]| {
            let by_audience = audience.iter().filter_map(|aud| hosts.get(&host_of(aud)?)?.first()).next();
            let by_issuer = issuer.and_then(|issuer| issuers.get(issuer.trim_end_matches('/')));
            if let Some(target) = by_audience {
                Some((*target, LinkedBy::Resource, true))
            } else if let Some(list) = by_issuer {
                list.first().map(|target| (*target, LinkedBy::Issuer, list.len() == 1))
            } else {
                first.filter(|_| only).map(|target| (target, LinkedBy::Folder, true))
            }
        };
        let mut found: Vec<(usize, Link, bool)> = Vec::new();
        for part in &self.group.grants {
            let grant = self.analyses.get(part.analysis).and_then(|a| a.oauth_documents.grants.get(part.index));
            let Some(grant) = grant else { continue };
            let audience: Vec<String> = grant.audience.iter().flatten().map(|aud| aud.text.clone()).collect();
            if let Some((target, by, sure)) = whose(grant.issuer.as_ref().map(|iss| iss.text.as_str()), &audience) {
                found.push((target, Link { part: *part, by, sure }, false));
            }
        }
        for part in &self.group.tokens {
            let token = self.analyses.get(part.analysis).and_then(|analysis| analysis.credentials.get(part.index));
            let Some(claims) = token.and_then(|token| Claims::decode(&token.value.text)) else { continue };
            if let Some((target, by, sure)) = whose(claims.issuer.as_deref(), &claims.audience) {
                found.push((target, Link { part: *part, by, sure }, true));
            }
        }
        for (target, link, is_token) in found {
            let Some(login) = out.logins.get_mut(target) else { continue };
            if is_token { login.tokens.push(link) } else { login.grants.push(link) }
        }
        if let Some(login) = first.filter(|_| only).and_then(|first| out.logins.get_mut(first)) {
            let by = if self.group.captured { LinkedBy::Origin } else { LinkedBy::Folder };
            login.key_sets = links(&self.group.key_sets, by, self.group.captured || self.group.key_sets.len() == 1);
            login.clients = links(&self.group.clients, by, true);
        }
    }

    /// Endpoints that two documents of one issuer have at two addresses. In one document that is found where it lies.
    fn copies(&self, out: &mut Tied) {
        let mut known: BTreeMap<&str, Vec<Part>> = BTreeMap::new();
        for part in &self.group.servers {
            let Some(paper) = self.server(*part) else { continue };
            let Some(issuer) = &paper.issuer else { continue };
            let earlier = known.entry(issuer.text.trim_end_matches('/')).or_default();
            // With one other it is told that there are two; which of many is right nobody can say.
            if let Some(other) = earlier.iter().find(|other| other.analysis != part.analysis) {
                let Some(other) = self.server(*other) else { continue };
                for endpoint in &paper.endpoints {
                    let before = other.endpoint(&endpoint.name).filter(|before| before.text != endpoint.address.text);
                    if let Some(before) = before.filter(|_| paper.endpoint(&endpoint.name) == Some(&endpoint.address)) {
                        out.elsewhere.push((*part, endpoint.name.clone(), before.text.clone()));
                    }
                }
            }
            earlier.push(*part);
        }
        // Two names for what is spoken to at the same addresses, where no resource says which is meant.
        for part in &self.group.servers {
            let Some(paper) = self.server(*part) else { continue };
            if self.group.servers.len() > MAX_CANDIDATES || out.servers.iter().any(|(tied, _)| tied == part) {
                continue;
            }
            let twin =
                self.group.servers.iter().take_while(|other| *other != part).filter_map(|other| self.server(*other));
            let mut twin = twin.filter(|twin| twin.openid != paper.openid && shares_endpoint(twin, paper));
            if let Some(issuer) = twin.find_map(|twin| twin.issuer.as_ref()) {
                out.servers.push((*part, Asked { address: issuer.text.clone(), by: LinkedBy::Host, sure: true }));
            }
        }
    }

    /// Signed copies whose key is in none of the key sets that lie there, although they are of the issuer that signed.
    fn signed(&self, out: &mut Tied) {
        for login in &out.logins {
            let ids: BTreeSet<&str> = login
                .key_sets
                .iter()
                .filter_map(|link| self.analyses.get(link.part.analysis)?.oauth_documents.key_sets.get(link.part.index))
                .flat_map(|set| set.keys.iter().filter_map(|key| key.id.as_deref()))
                .collect();
            if ids.is_empty() {
                continue;
            }
            let issuers = &login.issuers;
            let strange = |signed: Option<&SignedMetadata>| {
                let claims = signed.and_then(|signed| signed.claims.as_ref());
                let issuer = claims.and_then(|claims| claims.issuer.as_deref());
                claims.and_then(|claims| claims.key_id.as_deref()).is_some_and(|id| !ids.contains(id))
                    && issuer.is_some_and(|own| issuers.iter().any(|issuer| same_issuer(issuer, own)))
            };
            let resources = login.resources.iter().map(|link| (true, link.part));
            let servers = login.servers.iter().map(|link| (false, link.part));
            out.strange_keys.extend(resources.chain(servers).filter(|(of_resource, part)| {
                let resource = || self.resource(*part).and_then(|paper| paper.signed.as_ref());
                let server = || self.server(*part).and_then(|paper| paper.signed.as_ref());
                strange(if *of_resource { resource() } else { server() })
            }));
        }
    }
}

/// What a file's name says beside what such documents are called anyway.
fn own_name(path: &str) -> String {
    let name = normal(path.rsplit('/').next().unwrap_or(path));
    ["oauth", "protected", "resource", "authorization", "metadata"]
        .iter()
        .fold(name, |name, usual| name.replace(usual, "/"))
}

/// Have both an endpoint at the same address?
fn shares_endpoint(one: &ServerMetadata, other: &ServerMetadata) -> bool {
    ["token_endpoint", "authorization_endpoint", "jwks_uri"].iter().any(|name| {
        let address = |of: &ServerMetadata| of.endpoint(name).map(|at| at.text.clone());
        address(one).is_some() && address(one) == address(other)
    })
}

/// Is the one the other, but for what makes no difference?
fn same_place(one: &str, other: &str) -> bool {
    covers(one, other) == Some(true) && covers(other, one) == Some(true)
}
