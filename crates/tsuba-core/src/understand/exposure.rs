//! What stands beside tool servers and opens the way to them: agent cards, identities and policies of overlay networks, key
//! files. None of them sets a server up; what they let in is judged all the same.

use super::deploy::{Cluster, Made};
use super::gateway::Gateway;
use super::setup::SetupKind;
use crate::prelude::*;
use crate::read::{Document, Node, Notation};
use crate::text::{Located, Pointer, Span, spaced, speaks_of_servers};

/// What such a document says.
#[derive(Clone, Debug, Default)]
pub struct NetworkExposure {
    /// An agent card.
    pub card: Option<Card>,
    /// A gateway: where it listens, and whom it lets in.
    pub gateway: Option<Gateway>,
    /// Roles by which a policy lets everybody in.
    pub open_roles: Vec<Located>,
    /// Private keys that stand in it.
    pub keys: Vec<Located>,
    /// Secrets that a cluster keeps for a tool server, by their names, and what they hold.
    pub kept: BTreeSet<String>,
    /// What those secrets hold, by name.
    pub secrets: Vec<(String, Located)>,
    /// The ways in to what a cluster runs, and the rights of that.
    pub cluster: Option<Box<Cluster>>,
}

/// An agent card: where an agent is reached, and what it asks of who calls it.
#[derive(Clone, Debug)]
pub struct Card {
    /// The whole of it.
    pub start: Located,
    /// Its addresses.
    pub addresses: Vec<Located>,
    /// Does it name a scheme by which callers show who they are?
    pub secured: bool,
    /// Scopes that stand for everything.
    pub wild_scopes: Vec<Located>,
}

/// Variables of infrastructure that are a tool server's by their names, with the values that they are given or have otherwise.
fn written(document: &Document) -> Vec<(String, Located)> {
    let Some(root) = document.roots.first() else { return Vec::new() };
    let at = Pointer::root();
    let own = root.members().iter().map(|member| (&member.key.text, &member.value, at.key(&member.key.text)));
    let variables = root.get("variable").map(Node::members).unwrap_or_default();
    let defaults = variables.iter().filter_map(|member| {
        let own = at.key("variable").key(&member.key.text).key("default");
        Some((&member.key.text, member.value.get("default")?, own))
    });
    let named = own.chain(defaults).filter(|(name, ..)| speaks_of_servers(&spaced(name)));
    named.filter_map(|(name, value, at)| Some((name.clone(), value.located(at)?))).collect()
}

/// What a document says of the way to servers, and what kind that makes it.
/// `runs_servers` where it is known to run tool servers.
pub(super) fn exposure(document: &Document, made: Option<&[Made]>) -> Option<(SetupKind, NetworkExposure)> {
    if document.notation == Notation::Key {
        let key = document.roots.first()?.get("key")?.located(Pointer::root())?;
        return Some((SetupKind::Identity, NetworkExposure { keys: vec![key], ..NetworkExposure::default() }));
    }
    if !matches!(document.notation, Notation::Json | Notation::Yaml | Notation::Toml | Notation::Hcl) {
        return None;
    }
    let mut out = NetworkExposure::default();
    let mut kind = None;
    if document.notation == Notation::Hcl {
        out.secrets = written(document);
        kind = (!out.secrets.is_empty()).then_some(SetupKind::Workload);
    }
    for secret in super::deploy::cluster_secrets(document) {
        out.kept.insert(secret.name);
        out.secrets.extend(secret.values);
        kind = Some(SetupKind::Kubernetes);
    }
    if let Some(cluster) = super::deploy::cluster(document, made) {
        kind = Some(if cluster.is_compose() { SetupKind::Compose } else { SetupKind::Kubernetes });
        out.cluster = Some(Box::new(cluster));
    }
    for (at, root) in document.rooted() {
        if let Some(card) = card(root, &at) {
            (out.card, kind) = (Some(card), Some(SetupKind::Card));
        }
        if let Some(key) = identity(root, &at) {
            out.keys.push(key);
            kind = Some(SetupKind::Identity);
        }
        let roles = policies(root, &at);
        if let Some(roles) = roles {
            out.open_roles.extend(roles);
            kind = kind.or(Some(SetupKind::Identity));
        }
    }
    kind.map(|kind| (kind, out))
}

/// An agent card has skills, capabilities and an address.
fn card(root: &Node, at: &Pointer) -> Option<Card> {
    let skills = root.get("skills").filter(|skills| skills.items().iter().any(|skill| skill.get("id").is_some()))?;
    root.first(&["capabilities", "protocolVersion", "defaultInputModes"])?;
    let mut addresses: Vec<Located> = root.get("url").and_then(|url| url.located(at.key("url"))).into_iter().collect();
    for key in ["additionalInterfaces", "supportedInterfaces"] {
        for (index, item) in root.get(key).map(Node::items).unwrap_or_default().iter().enumerate() {
            addresses.extend(item.get("url").and_then(|url| url.located(at.key(key).index(index).key("url"))));
        }
    }
    let schemes = root.get("securitySchemes").filter(|schemes| !schemes.members().is_empty());
    let secured = schemes.is_some() || root.get("authentication").is_some_and(|auth| !auth.members().is_empty());
    let mut wild_scopes = Vec::new();
    for scheme in schemes.map(Node::members).unwrap_or_default() {
        let flows = at.key("securitySchemes").key(&scheme.key.text).key("flows");
        for flow in scheme.value.get("flows").map(Node::members).unwrap_or_default() {
            let scopes = flow.value.get("scopes").map(Node::members).unwrap_or_default();
            wild_scopes.extend(scopes.iter().filter(|scope| is_wild(&scope.key.text)).map(|scope| Located {
                text: scope.key.text.clone(),
                span: scope.key.span,
                pointer: flows.key(&flow.key.text).key("scopes").key(&scope.key.text),
            }));
        }
    }
    let end = skills.span.start.max(root.span.start + 1);
    let start = Located {
        text: String::new(),
        span: Span { start: root.span.start, end: end.min(root.span.start + 1) },
        pointer: at.clone(),
    };
    Some(Card { start, addresses, secured, wild_scopes })
}

fn is_wild(scope: &str) -> bool {
    scope == "*" || scope.ends_with(".*") || scope.ends_with(":*") || scope.ends_with("/*")
}

/// An identity of an overlay network: a private key with its certificate.
fn identity(root: &Node, at: &Pointer) -> Option<Located> {
    let id = root.get("id").filter(|id| id.get("cert").is_some() || id.get("ca").is_some())?;
    let key = id.get("key")?.located(at.key("id").key("key"))?;
    let from = key.text.find("-----BEGIN").filter(|_| key.text.contains("PRIVATE KEY-----"))?;
    Some(key.with_text(key.text.get(from..).unwrap_or_default()))
}

/// Policies that say who may dial or host a service; `None` where there are none.
fn policies(root: &Node, at: &Pointer) -> Option<Vec<Located>> {
    let mut found = None;
    let lists = ["servicePolicies", "policies", "data"];
    let several = lists.iter().filter_map(|key| Some((at.key(key), root.get(key)?)));
    let all = core::iter::once((at.clone(), root)).chain(several);
    for (place, node) in all {
        let items = node.items().iter().enumerate().map(|(index, item)| (place.index(index), item));
        for (own, policy) in core::iter::once((place.clone(), node)).chain(items) {
            let kind = policy.first(&["type", "policyType", "semantic"]).and_then(|(_, kind)| kind.text());
            let (Some(roles), true) = (policy.get("identityRoles"), kind.is_some()) else { continue };
            let all: &mut Vec<Located> = found.get_or_insert_default();
            for (index, role) in roles.items().iter().enumerate() {
                let open = matches!(role.text(), Some("#all" | "#public" | "#everyone" | "*" | "@all"));
                all.extend(role.located(own.key("identityRoles").index(index)).filter(|_| open));
            }
        }
    }
    found
}
