//! Compose files that put a service behind a reverse proxy: the proxy reads its routes from the labels and variables of the containers. No port is
//! published, and the server is reached all the same.

use super::Made;
use super::annotations::{bounds_networks, is_off, says_login, speaks_of_login};
use super::cluster::{Cluster, Route, Service, Workload};
use crate::prelude::*;
use crate::read::Node;
use crate::text::{Located, Pointer, speaks_of_servers, words_of};

/// More routes of one service, and more middlewares of one route, are not looked at.
const MAX_ROUTES: usize = 16;
/// What the names of services here begin with: no object of a cluster is called so.
const COMPOSE: &str = "compose/";
/// More services of one file are not looked at.
const MAX_SERVICES: usize = 1_000;

/// Is this the name of a compose file's service?
pub(super) fn is_of_compose(name: &str) -> bool {
    name.starts_with(COMPOSE)
}

/// Notes what the services of a compose file are, and what leads to them; answers whether one of them speaks of tool servers.
/// `made` are those that run tool servers.
pub(super) fn services(root: &Node, pointer: &Pointer, made: &[Made], out: &mut Cluster) -> bool {
    let Some(services) = root.get("services").filter(|services| services.is_map()) else { return false };
    let servers: BTreeSet<&Pointer> = made.iter().map(|made| &made.pointer).collect();
    let at = pointer.key("services");
    let mut speaks = false;
    for member in services.effective().filter(|member| member.value.is_map()).take(MAX_SERVICES) {
        let own = at.key(&member.key.text);
        let name = format!("{COMPOSE}{}", member.key.text);
        let routes = routes(&member.value, &own, &name);
        let is_server = servers.contains(&own);
        speaks |= speaks_of_servers(&member.key.text) && !routes.is_empty();
        out.routes.extend(routes);
        if is_server {
            let label = vec![("service".to_owned(), name.clone())];
            out.workloads.push(Workload {
                at: own.clone(),
                namespace: String::new(),
                labels: label.clone(),
                account: String::new(),
                asks: asks(&member.value),
            });
            out.services.push(Service {
                at: own,
                namespace: String::new(),
                name,
                selector: label,
                open: None,
                leads: false,
            });
        }
    }
    speaks
}

/// Does the server itself say how callers log in?
fn asks(service: &Node) -> bool {
    let env = service.get("environment");
    let of_map = env.into_iter().flat_map(Node::effective);
    let of_map = of_map.map(|member| (member.key.text.as_str(), member.value.scalar()));
    let items = env.map(Node::items).unwrap_or_default().iter().filter_map(Node::text);
    // Without a value it is passed on.
    let of_list = items.map(|item| {
        let value = item.split_once('=').map(|(name, value)| (name, Some(Cow::Borrowed(value))));
        value.unwrap_or((item, None))
    });
    let command = service.get("command");
    let line = command.and_then(Node::text).into_iter().flat_map(str::split_whitespace);
    let listed = command.map(Node::items).unwrap_or_default().iter().filter_map(Node::text);
    says_login(of_map.chain(of_list), line.chain(listed))
}

/// A label or variable with the place of its value.
struct Label {
    name: String,
    value: Located,
}

/// As a map, or as a list of `name=value`.
fn labels(node: &Node, at: &Pointer) -> Vec<Label> {
    let of_map = node.effective().filter_map(|member| {
        let value = member.value.located(at.key(&member.key.text))?;
        Some(Label { name: member.key.text.to_ascii_lowercase(), value })
    });
    let of_list = node.items().iter().enumerate().filter_map(|(index, item)| {
        let whole = item.located(at.index(index))?;
        let (name, value) = whole.text.split_once('=')?;
        Some(Label { name: name.trim().to_ascii_lowercase(), value: whole.with_text(value) })
    });
    of_map.chain(of_list).collect()
}

fn routes(service: &Node, at: &Pointer, name: &str) -> Vec<Route> {
    // For a swarm the labels stand one level below.
    let deployed = service.get("deploy").and_then(|deploy| deploy.get("labels")).map(|node| (node, at.key("deploy")));
    let own = service.get("labels").map(|node| (node, at.clone()));
    let labels: Vec<Label> =
        own.into_iter().chain(deployed).flat_map(|(node, at)| labels(node, &at.key("labels"))).collect();
    let found = if labels.iter().any(|label| label.name == "traefik.enable" && is_off(&label.value.text)) {
        Vec::new()
    } else {
        by_router(&labels)
    };
    let named = service.get("environment").map(|env| self::labels(env, &at.key("environment"))).unwrap_or_default();
    let found = found.into_iter().chain(by_site(&labels)).chain(by_variable(&named)).take(MAX_ROUTES);
    let route = |(host, plain, asks): (Located, bool, bool)| Route {
        at: host.pointer.clone(),
        namespace: String::new(),
        host,
        services: BTreeSet::from([name.to_owned()]),
        listener: None,
        plain,
        asks,
        proxied: true,
        leads: false,
    };
    found.map(route).collect()
}

/// `traefik.http.routers.NAME.rule`, with its entry points, TLS and middlewares.
fn by_router(labels: &[Label]) -> Vec<(Located, bool, bool)> {
    let of = |router: &str, key: &str| {
        let name = format!("traefik.http.routers.{router}.{key}");
        labels.iter().find(|label| label.name == name).map(|label| label.value.text.as_str())
    };
    let rules = labels.iter().filter_map(|label| {
        let router = label.name.strip_prefix("traefik.http.routers.")?.strip_suffix(".rule")?;
        Some((router, &label.value))
    });
    rules
        .take(MAX_ROUTES)
        .map(|(router, rule)| {
            let below = format!("traefik.http.routers.{router}.tls");
            let tls = labels.iter().any(|label| {
                label.name.strip_prefix(&below).is_some_and(|rest| rest.is_empty() || rest.starts_with('.'))
                    && !is_off(&label.value.text)
            });
            let middlewares = of(router, "middlewares").unwrap_or_default();
            // Where no entry point is named, the proxy's own settings decide.
            let insecure = of(router, "entrypoints").is_some_and(|entries| {
                let secure = |word: &String| matches!(word.as_str(), "websecure" | "https" | "tls" | "secure");
                !words_of(entries).iter().any(secure)
            });
            let redirects = middlewares.to_ascii_lowercase();
            let plain = insecure && !tls && !redirects.contains("redirect");
            (rule.clone(), plain, middlewares.split(',').take(MAX_ROUTES).any(|name| may_ask(name.trim(), labels)))
        })
        .collect()
}

/// Does a middleware ask callers who they are, or bound them to few networks, as far as can be seen?
fn may_ask(name: &str, labels: &[Label]) -> bool {
    if name.is_empty() {
        return false;
    }
    let below = format!("traefik.http.middlewares.{}.", name.split('@').next().unwrap_or(name).to_ascii_lowercase());
    let mut kinds = labels.iter().filter_map(|label| label.name.strip_prefix(&below)).peekable();
    let guards = |text: &str| speaks_of_login(text) || bounds_networks(text);
    if kinds.peek().is_some() {
        return kinds.any(guards);
    }
    // What it does stands elsewhere: its name says it, or nothing does, and then it is not told as if nobody asked.
    let harmless =
        ["compress", "header", "redirect", "strip", "rate", "retry", "cors", "buffer", "cache", "gzip", "path"];
    let lower = name.to_ascii_lowercase();
    guards(name) || !harmless.iter().any(|word| lower.contains(word))
}

/// `caddy: HOST`, with what stands below it.
fn by_site(labels: &[Label]) -> Vec<(Located, bool, bool)> {
    let is_site = |name: &str| {
        name.strip_prefix("caddy").is_some_and(|rest| {
            rest.is_empty() || rest.strip_prefix('_').is_some_and(|n| n.bytes().all(|byte| byte.is_ascii_digit()))
        })
    };
    let sites = labels.iter().filter(|label| is_site(&label.name));
    sites
        .take(MAX_ROUTES)
        .map(|site| {
            let below = format!("{}.", site.name);
            let asks = labels.iter().any(|label| {
                label.name.strip_prefix(&below).is_some_and(|own| speaks_of_login(own) || own.contains("remote_ip"))
            });
            (site.value.clone(), site.value.text.starts_with("http://"), asks)
        })
        .collect()
}

/// `VIRTUAL_HOST`: whether it has TLS, and asks, is up to the proxy's files.
fn by_variable(variables: &[Label]) -> Vec<(Located, bool, bool)> {
    let hosts = variables.iter().filter(|variable| variable.name == "virtual_host" && !variable.value.text.is_empty());
    hosts.map(|host| (host.value.clone(), false, false)).collect()
}
