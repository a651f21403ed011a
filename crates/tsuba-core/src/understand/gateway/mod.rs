//! Gateways: files that route a path or a port to tool servers. What they route to becomes entries like any others; where they listen, whom
//! they let in, and whose tokens they take is judged of the gateway itself.

mod login;
mod target;

use super::deploy::Made;
use super::setup::Found;
use crate::evidence::oauth::{Acceptance, acceptances};
use crate::prelude::*;
use crate::read::{Document, Member, Node};
use crate::text::{Located, Pointer, Span, is_loopback, is_normally, normal, speaks_of_servers};
use login::Login;

/// A gateway that routes to tool servers.
#[derive(Clone, Debug, Default)]
pub struct Gateway {
    /// The address it listens at, where that is every interface.
    pub listens: Option<Located>,
    /// Does it listen at this machine's own addresses, and nowhere else?
    pub local: bool,
    /// Is it one beyond doubt, and does it say itself where it listens? Else a part of it stands elsewhere, or something else listens.
    pub certain: bool,
    /// Does it say how callers are known? Where it says so of some routes only, the others are in `open_routes`.
    pub authenticated: bool,
    /// Servers that callers reach without being known, by their names, beside others for which they must be.
    pub open_routes: Vec<Located>,
    /// Where it lets in callers that bring no token, although it looks at those that are brought.
    pub optional: Option<Located>,
    /// Origins that it lets in, where they are everybody's.
    pub any_origin: Option<Located>,
    /// What its logins are set up with, by name: tokens that it takes, its own secret at the provider, and all else.
    pub logins: Vec<(String, Located)>,
}

/// What was found of a gateway in a document.
#[derive(Debug)]
pub(super) struct Gate {
    /// Where it listens, and whom it lets in.
    pub(super) gateway: Gateway,
    /// Whose tokens it takes.
    pub(super) acceptances: Vec<Acceptance>,
    /// The servers it routes to, where they are not written as a client has them.
    pub(super) made: Vec<Made>,
    /// Where logins are configured: what stands there is nobody's metadata.
    pub(super) blocks: Vec<Pointer>,
}

/// Settings nest routes at most this deep.
const MAX_SEARCH: usize = 12;
/// More servers than this behind one gateway are not looked at.
const MAX_TARGETS: usize = 10_000;

/// Could these bytes route to tool servers? For files that cannot be parsed.
pub(super) fn looks_like_gateway(bytes: &[u8]) -> bool {
    let has = |words: &[&str]| words.iter().any(|word| memchr::memmem::find(bytes, word.as_bytes()).is_some());
    let routes = has(&["routes:", "listeners:", "binds:", "routers:", "\"routes\"", "\"listeners\"", "[[routes]]"]);
    routes && has(&["stdio:", "\"stdio\"", "mcp:", "/mcp", "mcpAuth", "transport = \"stdio\""])
}

/// The gateway that a document configures. `found` are the servers that it holds as a client does.
pub(super) fn gateway(document: &Document, found: Option<&Found<'_>>) -> Option<Gate> {
    let servers = found.is_some_and(|found| !found.servers.is_empty());
    if !servers && !speaks(document.text.as_bytes()) {
        return None;
    }
    if !document.roots.iter().any(|root| may_lead(root, 0)) {
        return None;
    }
    let known = found.iter().flat_map(|found| &found.servers).map(|server| (&server.pointer, &server.name)).collect();
    let mut seen = Seen { known, ..Seen::default() };
    for (at, root) in document.rooted() {
        let kind = root.get("kind").and_then(Node::text).filter(|_| root.get("apiVersion").is_some());
        seen.object |= kind.is_some_and(|kind| kind.starts_with("MCP") || kind.contains("Mcp"));
        seen.look(root, &at, &Way::default());
    }
    seen.gate()
}

/// Does a text have a word of the ways in which tool servers are spoken to? Without one nothing in it is a target: large data need not be
/// walked through.
fn speaks(bytes: &[u8]) -> bool {
    let words = ["stdio", "mcp", "MCP", "Mcp", "sse:", "\"sse\"", "SSE", "treamable"];
    words.iter().any(|word| memchr::memmem::find(bytes, word.as_bytes()).is_some())
}

/// Is there anything in it without which nothing is a gateway: routes, a place to listen at, the name of a gateway, an object of a cluster?
fn may_lead(node: &Node, depth: usize) -> bool {
    let leads = |key: &str| {
        let is = |words: &[&str]| words.iter().any(|word| is_normally(key, word));
        let may_name = || key.bytes().any(|byte| byte.eq_ignore_ascii_case(&b'm'));
        is(ROUTES) || (depth <= 1 && is(LISTENS)) || (may_name() && names_gateway(&normal(key)))
    };
    let cluster = depth == 0 && node.get("apiVersion").is_some();
    let below = |node: &Node| depth < MAX_SEARCH && may_lead(node, depth + 1);
    cluster
        || node.members().iter().any(|member| leads(&member.key.text) || below(&member.value))
        || node.items().iter().any(below)
}

/// Is it a word for what stands before tool servers?
fn names_gateway(key: &str) -> bool {
    key.contains("mcp") && ["proxy", "gateway", "router", "hub"].iter().any(|word| key.contains(word))
}

/// Where the walk is.
#[derive(Clone, Default)]
struct Way {
    depth: usize,
    /// Below a list of routes.
    routed: bool,
    /// Below what says that tool servers follow.
    serving: bool,
    /// Callers are known before they come here.
    covered: bool,
    /// The login that is here is that of the surroundings, which have been told of it.
    inherited: bool,
    /// What the surroundings are called: a name, else a path.
    name: Option<Arc<Located>>,
}

#[derive(Default)]
struct Seen<'d> {
    /// Servers that are written as a client has them, by where they are.
    known: BTreeMap<&'d Pointer, &'d Located>,
    /// Is it an object of a cluster about tool servers, whose policies may stand in another object?
    object: bool,
    /// Something says that it publishes these: beyond doubt, or only that something listens beside them.
    fronts: Option<Front>,
    listens_somewhere: bool,
    /// Addresses that it listens at: those of this machine only, and others.
    at_loopback: usize,
    at_others: usize,
    /// Is one of the targets certainly a tool server?
    sure: bool,
    made: Vec<Made>,
    /// Every server behind it, and whether callers of it are known.
    routes: Vec<(Located, bool)>,
    logins: bool,
    /// A login stands where none of the routes does: it may be meant for all.
    loose: bool,
    blocks: Vec<Pointer>,
    acceptances: Vec<Acceptance>,
    gateway: Gateway,
}

/// Words under which a gateway keeps where it routes to.
const ROUTES: &[&str] =
    &["routes", "targets", "backends", "upstreams", "listeners", "binds", "routers", "backendrefs", "rules"];
/// Words under which it keeps where it listens.
const LISTENS: &[&str] =
    &["listen", "listener", "bind", "address", "addr", "host", "port", "listenaddress", "bindaddress", "listenaddr"];
/// Words under which it keeps the origins that may call.
const ORIGINS: &[&str] = &["alloworigins", "allowedorigins", "alloworigin", "origins", "corsorigins"];

/// Words for what watches a gateway.
const WATCHES: &[&str] = &["health", "probe", "metrics", "telemetry", "tracing", "pprof", "debug", "stats"];

impl Seen<'_> {
    fn look(&mut self, node: &Node, at: &Pointer, way: &Way) {
        if way.depth > MAX_SEARCH || self.routes.len() >= MAX_TARGETS {
            return;
        }
        if let Some(name) = self.known.get(at) {
            self.routes.push(((*name).clone(), way.covered || login::in_holders(node) == Login::Asked));
            return;
        }
        let login = login::of(node);
        let mut way = Way { covered: way.covered || login == Login::Asked, depth: way.depth + 1, ..way.clone() };
        let before = self.routes.len();
        for (index, item) in node.items().iter().enumerate() {
            self.look(item, &at.index(index), &way);
        }
        if node.is_map() {
            // A port without an address beside it is open on every interface of most gateways.
            let names = |word: fn(&str) -> bool| node.members().iter().any(|member| word(&normal(&member.key.text)));
            if names(|key| key == "port") && !names(|key| key != "port" && LISTENS.contains(&key)) {
                self.at_others += 1;
            }
            let own = node.first(&["name", "id", "path", "prefix", "pathPrefix"]);
            way.name = own.and_then(|(key, name)| name.located(at.key(key))).map(Arc::new).or(way.name);
            self.target(node, at, &way);
        }
        let upstream = |member: &&Member| {
            login::is_login(&normal(&member.key.text)) && !login::is_for_callers(node, &member.value)
        };
        for member in node.effective().filter(|member| !upstream(member)) {
            self.member(&member.key.text, member.key.span, &member.value, &at.key(&member.key.text), &way);
        }
        if self.routes.len() == before {
            self.loose |= login == Login::Asked && !way.inherited;
            if login::names_issuer(node) {
                acceptances(node, at, &mut self.acceptances);
                self.blocks.push(at.clone());
                self.logins = true;
            }
        }
    }

    fn target(&mut self, node: &Node, at: &Pointer, way: &Way) {
        let place = way.name.as_deref().cloned().unwrap_or_else(|| Located {
            text: format!("#{}", self.routes.len() + 1),
            span: Span { end: node.span.start.saturating_add(1), ..node.span },
            pointer: at.clone(),
        });
        for target in target::of(node, at, way) {
            self.sure |= target.sure;
            self.routes.push((place.clone(), way.covered));
            self.made.push(Made::whole(place.clone(), target.at, target.node));
        }
    }

    fn member(&mut self, written: &str, span: Span, value: &Node, own: &Pointer, way: &Way) {
        let key = normal(written);
        if login::is_login(&key) {
            self.blocks.push(own.clone());
            if !login::is_on(value) {
                return;
            }
            self.logins = true;
            acceptances(value, own, &mut self.acceptances);
            login::values(written, value, own, 0, &mut self.gateway.logins);
            self.gateway.optional = self.gateway.optional.take().or_else(|| login::optional(value, own));
            return;
        }
        let nested = value.is_map() || value.items().iter().any(Node::is_map);
        let routes = ROUTES.contains(&key.as_str()) && nested;
        let mut below = Way { routed: way.routed || routes, ..way.clone() };
        // `"/tides": { … }` below the routes names itself.
        if way.routed && value.is_map() && written.starts_with('/') {
            below.name = Some(Arc::new(Located { text: written.to_owned(), span, pointer: own.clone() }));
        }
        below.serving |= speaks_of_servers(written);
        below.inherited |= login::is_holder(&key);
        self.fronts = self.fronts.max(front(&key, value, way.depth));
        // Nor does what watches the gateway say where servers are, or where it lets callers in.
        if target::is_address(&key, value, way) || WATCHES.iter().any(|word| key.contains(word)) {
            return;
        }
        if LISTENS.contains(&key.as_str()) {
            self.listens(value, own, &key, way);
        }
        if ORIGINS.contains(&key.as_str()) {
            let all = value.items().iter().enumerate().find(|(_, item)| item.text() == Some("*"));
            let one = all.and_then(|(index, item)| item.located(own.index(index)));
            let one = one.or_else(|| value.located(own.clone()).filter(|one| one.text == "*"));
            self.gateway.any_origin = self.gateway.any_origin.take().or(one);
        }
        self.look(value, own, &below);
    }

    fn listens(&mut self, value: &Node, own: &Pointer, key: &str, way: &Way) {
        let items = value.items().iter().enumerate().filter_map(|(index, item)| item.located(own.index(index)));
        for text in value.located(own.clone()).into_iter().chain(items) {
            self.listens_somewhere = true;
            // Below the routes an address may be that of a target. A port alone says nothing of where.
            if key != "port" && !way.routed {
                if is_loopback(&text.text) {
                    self.at_loopback += 1;
                } else {
                    self.at_others += 1;
                }
            }
            if is_everywhere(&text.text) {
                self.gateway.listens = self.gateway.listens.take().or(Some(text));
            }
        }
    }

    fn gate(self) -> Option<Gate> {
        let Self { known, object, fronts, listens_somewhere, sure, made, routes, logins, loose, .. } = self;
        let local = self.at_loopback > 0 && self.at_others == 0;
        let mut gateway = self.gateway;
        let routes_itself = sure && (listens_somewhere || logins);
        let publishes = !known.is_empty() && fronts.is_some();
        let of_cluster = object && !self.acceptances.is_empty();
        if !(routes_itself || publishes || of_cluster) {
            return None;
        }
        let open: Vec<Located> = routes.iter().filter(|(_, covered)| !covered).map(|(name, _)| name.clone()).collect();
        let all = open.len() == routes.len();
        // What stands apart from every route may be meant for each of them, and so may what another object of the cluster says.
        gateway.local = local && gateway.listens.is_none();
        gateway.certain = listens_somewhere && (routes_itself || fronts == Some(Front::Routes));
        gateway.authenticated = loose || of_cluster || !all || (logins && open.is_empty());
        if !loose && !all {
            gateway.open_routes = open;
        }
        let made = if known.is_empty() { made } else { Vec::new() };
        Some(Gate { gateway, acceptances: self.acceptances, made, blocks: self.blocks })
    }
}

/// `0.0.0.0:80`, `:80`, `[::]:80`, `*:80`.
fn is_everywhere(text: &str) -> bool {
    ["0.0.0.0", "[::]", ":", "*:"].iter().any(|start| text.starts_with(start)) && text != "::1"
}

/// What says that servers are published.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Front {
    /// Something listens beside them.
    Listens,
    /// A gateway is named, or paths lead to them.
    Routes,
}

/// Does a setting say that the servers beside it are published?
fn front(key: &str, value: &Node, depth: usize) -> Option<Front> {
    let listens_below = || value.members().iter().any(|member| normal(&member.key.text).starts_with("listen"));
    let gate = names_gateway(key) || key == "gateway" && depth <= 1 && listens_below();
    let listens = depth <= 1
        && matches!(key, "listen" | "listenaddress" | "listenaddr" | "addr" | "bind" | "bindaddress")
        && value.text().is_some_and(|text| text.rsplit_once(':').is_some_and(|(_, port)| port.parse::<u16>().is_ok()));
    let leads = |item: &Node| {
        let from = item.first(&["path", "prefix", "pathPrefix", "rule", "match"]).is_some();
        from && item.first(&["server", "service", "servers", "target", "backend"]).is_some()
    };
    let mut all = value.items().iter().chain(value.members().iter().map(|member| &member.value));
    let routes = matches!(key, "routers" | "routes") && all.any(leads);
    let surely = (gate && value.is_map()) || routes;
    surely.then_some(Front::Routes).or(listens.then_some(Front::Listens))
}

#[cfg(test)]
mod tests;
