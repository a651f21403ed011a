//! What a cluster's objects say beside its workloads: the ways in to their pods, and the rights of the accounts that these run as. Services,
//! routes and bindings mostly lie in files of their own, beside the workload's.

use super::annotations::{
    annotations, asks_callers, bounds_networks, brings_tls, is_everybody, is_inside, says_login, speaks_of_login,
};
use super::kubernetes::{WORKLOADS, below, labels, objects};
use super::{Made, proxied};
use crate::prelude::*;
use crate::read::{Document, Node};
use crate::text::{Located, Pointer, speaks_of_servers, words_of};

/// More objects of one document are not looked at.
const MAX_OBJECTS: usize = 2_000;

/// What the objects of a document say.
#[derive(Clone, Debug, Default)]
pub struct Cluster {
    /// Pods, by the objects that make them.
    pub(crate) workloads: Vec<Workload>,
    /// Services.
    pub services: Vec<Service>,
    /// Ingresses and their like.
    pub routes: Vec<Route>,
    /// What routes may listen on, by name.
    pub(crate) listeners: Vec<Listener>,
    /// Bindings of roles for the whole cluster.
    pub bindings: Vec<Binding>,
    /// Roles for the whole cluster that allow much.
    pub(crate) roles: Vec<(String, Grant)>,
}

impl Cluster {
    /// Is it of a compose file?
    pub(in crate::understand) fn is_compose(&self) -> bool {
        self.routes.iter().any(|route| route.proxied)
            || self.services.iter().any(|service| proxied::is_of_compose(&service.name))
    }
}

/// What makes pods.
#[derive(Clone, Debug)]
pub(crate) struct Workload {
    /// The object; entries of its containers stand below.
    pub(crate) at: Pointer,
    pub(crate) namespace: String,
    pub(crate) labels: Vec<(String, String)>,
    /// The service account; `default` where none is named.
    pub(crate) account: String,
    /// Does it say that callers are asked who they are?
    pub(crate) asks: bool,
}

/// A service: a name for pods.
#[derive(Clone, Debug)]
pub struct Service {
    pub(crate) at: Pointer,
    pub(crate) namespace: String,
    pub(crate) name: String,
    pub(crate) selector: Vec<(String, String)>,
    /// What publishes it beyond the cluster, and the port.
    pub open: Option<(Located, String)>,
    /// Does it lead to a tool server of another document, as far as is known?
    pub leads: bool,
}

/// A route from outside to services.
#[derive(Clone, Debug)]
pub struct Route {
    pub(crate) at: Pointer,
    pub(crate) namespace: String,
    /// The host it is for, or its name.
    pub host: Located,
    pub(crate) services: BTreeSet<String>,
    /// The gateway's listener, where one decides.
    pub(crate) listener: Option<(String, Option<String>)>,
    /// Is it only, or also, reached without TLS?
    pub plain: bool,
    /// Does it say that callers are asked who they are, or bound to few networks?
    pub asks: bool,
    /// Is it a reverse proxy's beside a container, not a cluster's?
    pub proxied: bool,
    /// Does it lead to a tool server?
    pub leads: bool,
}

/// A gateway's listener.
#[derive(Clone, Debug)]
pub(crate) struct Listener {
    pub(crate) gateway: String,
    pub(crate) name: String,
    pub(crate) plain: bool,
}

/// A role that is bound for the whole cluster.
#[derive(Clone, Debug)]
pub struct Binding {
    pub(crate) at: Pointer,
    /// The role's name.
    pub role: Located,
    /// Service accounts: namespace and name.
    pub(crate) accounts: Vec<(String, String)>,
    /// What it allows, where that is much; known once every document is read.
    pub grant: Option<Grant>,
    /// The service account of a tool server that has it.
    pub account: Option<String>,
}

/// What a role allows, where that is much.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Grant {
    /// Reading the secrets of every namespace.
    Secrets,
    /// Changing whatever runs, and so becoming whatever runs.
    Changes,
    /// Everything.
    Everything,
}

impl Grant {
    /// Of the roles that every cluster has.
    pub(crate) fn of_known(role: &str) -> Option<Self> {
        match role {
            "cluster-admin" | "system:masters" => Some(Self::Everything),
            "admin" | "edit" => Some(Self::Changes),
            _ => None,
        }
    }
}

/// What of a document counts here; `None` where it neither runs a tool server nor speaks of one.
/// `made` are the servers that it runs.
pub(in crate::understand) fn cluster(document: &Document, made: Option<&[Made]>) -> Option<Cluster> {
    let mut out = Cluster::default();
    let mut speaks = made.is_some();
    let objects = document.rooted().flat_map(|(at, root)| objects(root, &at)).take(MAX_OBJECTS);
    for (at, object) in objects {
        let Some(kind) = object.get("kind").and_then(Node::text) else { continue };
        let named = |key: &str| object.get("metadata").and_then(|meta| meta.get(key)).and_then(Node::text);
        let name = named("name").unwrap_or_default().to_owned();
        let namespace = named("namespace").unwrap_or_default().to_owned();
        let own = speaks_of_servers(&name);
        match kind {
            "Service" => {
                let mut service = service(object, &at, namespace, name);
                service.leads = own || service.selector.iter().any(|(_, value)| speaks_of_servers(value));
                speaks |= service.leads;
                out.services.push(service);
            }
            "Ingress" | "Route" | "IngressRoute" | "HTTPRoute" => {
                let Some(mut route) = route(kind, object, &at) else { continue };
                let said = route.services.iter().chain([&route.host.text]).any(|text| speaks_of_servers(text));
                route.leads = own || said;
                route.namespace = namespace;
                speaks |= route.leads;
                out.routes.push(route);
            }
            "Gateway" => out.listeners.extend(listeners(object, &name)),
            "ClusterRoleBinding" => {
                let Some(binding) = binding(object, &at) else { continue };
                speaks |= own || binding.accounts.iter().any(|(_, name)| speaks_of_servers(name));
                out.bindings.push(binding);
            }
            "ClusterRole" => {
                speaks |= own;
                out.roles.extend(grant(object).map(|grant| (name, grant)));
            }
            _ => {
                let Some((_, path)) = WORKLOADS.iter().find(|(known, _)| *known == kind) else { continue };
                let Some((spec, _)) = below(object, &at, path) else { continue };
                out.workloads.push(workload(object, spec, at, (namespace, labels(object, path))));
            }
        }
    }
    for (at, root) in document.rooted() {
        speaks |= proxied::services(root, &at, made.unwrap_or_default(), &mut out);
    }
    let empty = out.workloads.is_empty()
        && out.services.is_empty()
        && out.routes.is_empty()
        && out.bindings.is_empty()
        && out.roles.is_empty();
    (speaks && !empty).then_some(out)
}

fn workload(object: &Node, spec: &Node, at: Pointer, (namespace, labels): (String, Vec<(String, String)>)) -> Workload {
    let account = spec.first(&["serviceAccountName", "serviceAccount"]).and_then(|(_, name)| name.text());
    let containers = spec.get("containers").map(Node::items).unwrap_or_default();
    let asks = containers.iter().any(|container| {
        let name = container.get("name").and_then(Node::text).unwrap_or_default();
        let image = container.get("image").and_then(Node::text).unwrap_or_default();
        let env = container.get("env").map(Node::items).unwrap_or_default();
        let env = env.iter();
        let env = env.filter_map(|node| Some((node.get("name")?.text()?, node.get("value").and_then(Node::scalar))));
        let words = ["command", "args"].into_iter().filter_map(|key| container.get(key)).flat_map(Node::items);
        speaks_of_login(name) || speaks_of_login(image) || says_login(env, words.filter_map(Node::text))
    });
    let asks = asks || annotations(object).any(|(name, value)| asks_callers(name, &value));
    Workload { at, namespace, labels, account: account.unwrap_or("default").to_owned(), asks }
}

fn service(object: &Node, at: &Pointer, namespace: String, name: String) -> Service {
    let spec = object.get("spec");
    let get = |key: &str| spec.and_then(|spec| spec.get(key));
    let kind = get("type").filter(|kind| matches!(kind.text(), Some("LoadBalancer" | "NodePort")));
    let ports = get("ports").map(Node::items).unwrap_or_default();
    let port = ports.iter().find_map(|port| port.get("port").and_then(Node::scalar)).unwrap_or(Cow::Borrowed("80"));
    let open = kind.filter(|_| !stays_inside(object)).and_then(|kind| kind.located(at.key("spec").key("type")));
    let selector = get("selector").map(super::variables).unwrap_or_default();
    Service {
        at: at.clone(),
        namespace,
        name,
        selector,
        open: open.map(|open| (open, port.into_owned())),
        leads: false,
    }
}

/// A balancer inside of one's own network, or for few networks, says so.
pub(super) fn stays_inside(service: &Node) -> bool {
    let ranges = service.get("spec").and_then(|spec| spec.get("loadBalancerSourceRanges")).map(Node::items);
    let few = |ranges: &[Node]| !ranges.is_empty() && !ranges.iter().filter_map(Node::text).any(is_everybody);
    let keeps = |name: &str, value: &str| is_inside(name, value) || (bounds_networks(name) && !is_everybody(value));
    ranges.is_some_and(few) || annotations(service).any(|(name, value)| keeps(name, &value))
}

fn route(kind: &str, object: &Node, at: &Pointer) -> Option<Route> {
    let spec = object.get("spec")?;
    let spec_at = at.key("spec");
    let rules = spec.first(&["rules", "routes"]).map(|(key, rules)| (spec_at.key(key), rules.items()));
    let (rules_at, rules) = rules.unwrap_or((spec_at.clone(), &[]));
    let mut services: BTreeSet<String> = BTreeSet::new();
    let mut host = spec.get("host").and_then(|host| host.located(spec_at.key("host")));
    let mut put = |service: Option<&Node>| services.extend(service.and_then(Node::text).map(str::to_owned));
    put(spec.get("to").and_then(|to| to.get("name")));
    let default = spec.get("defaultBackend");
    put(default.and_then(|backend| backend.get("service")?.get("name")));
    let mut middlewares = String::new();
    for (index, rule) in rules.iter().enumerate() {
        let own = rules_at.index(index);
        for path in rule.get("http").and_then(|http| http.get("paths")).map(Node::items).unwrap_or_default() {
            let backend = path.get("backend");
            put(backend.and_then(|backend| backend.get("service")?.get("name")));
            put(backend.and_then(|backend| backend.get("serviceName")));
        }
        for key in ["backendRefs", "services"] {
            rule.get(key).map(Node::items).unwrap_or_default().iter().for_each(|to| put(to.get("name")));
        }
        for middleware in rule.get("middlewares").map(Node::items).unwrap_or_default() {
            middlewares.push_str(middleware.get("name").and_then(Node::text).unwrap_or_default());
            middlewares.push(' ');
        }
        let named = rule.first(&["host", "match"]).and_then(|(key, host)| host.located(own.key(key)));
        host = host.or(named);
    }
    if let Some(first) = spec.get("hostnames").and_then(|all| all.items().first()) {
        host = host.or(first.located(spec_at.key("hostnames").index(0)));
    }
    let name = object.get("metadata").and_then(|meta| meta.get("name"));
    let host = host.or_else(|| name.and_then(|name| name.located(at.key("metadata").key("name"))))?;
    let says = |key: &str| {
        let all = spec.get(key).map(Node::items).unwrap_or_default();
        all.iter().filter_map(Node::text).map(str::to_owned).collect::<Vec<_>>()
    };
    // An empty list is none; what a template fills in is something.
    let has_tls = spec.get("tls").is_some_and(|tls| !tls.is_list() || !tls.items().is_empty());
    let not_redirected = annotations(object).any(|(name, value)| name.ends_with("ssl-redirect") && value == "false");
    let insecure = spec.get("tls").and_then(|tls| tls.get("insecureEdgeTerminationPolicy")).and_then(Node::text);
    let by_annotation = annotations(object).any(|(name, value)| brings_tls(name, &value));
    let plain = match kind {
        "Ingress" => (!has_tls && !by_annotation) || (has_tls && not_redirected),
        "Route" => !has_tls || insecure == Some("Allow"),
        "IngressRoute" => {
            let entries = says("entryPoints");
            let secure = |entry: &String| {
                words_of(entry).iter().any(|word| matches!(word.as_str(), "websecure" | "https" | "tls" | "secure"))
            };
            !has_tls && !entries.is_empty() && !entries.iter().any(secure)
        }
        // Its gateway's listener decides.
        _ => false,
    };
    let parent = spec.get("parentRefs").and_then(|parents| parents.items().first());
    let parent =
        parent.and_then(|parent| Some((parent.get("name")?.text()?, parent.get("sectionName").and_then(Node::text))));
    let asks = annotations(object).any(|(name, value)| asks_callers(name, &value))
        || speaks_of_login(&middlewares)
        || bounds_networks(&middlewares)
        // What asks callers there is attached from elsewhere.
        || kind == "HTTPRoute";
    Some(Route {
        at: at.clone(),
        namespace: String::new(),
        host,
        services,
        listener: parent.map(|(gateway, section)| (gateway.to_owned(), section.map(str::to_owned))),
        plain,
        asks,
        proxied: false,
        leads: false,
    })
}

fn listeners<'o>(object: &'o Node, gateway: &'o str) -> impl Iterator<Item = Listener> + 'o {
    let all = object.get("spec").and_then(|spec| spec.get("listeners")).map(Node::items).unwrap_or_default();
    all.iter().map(move |listener| {
        let text = |key: &str| listener.get(key).and_then(Node::text).unwrap_or_default();
        Listener { gateway: gateway.to_owned(), name: text("name").to_owned(), plain: text("protocol") == "HTTP" }
    })
}

fn binding(object: &Node, at: &Pointer) -> Option<Binding> {
    let reference = object.get("roleRef")?;
    let role = reference.get("name")?.located(at.key("roleRef").key("name"))?;
    let subjects = object.get("subjects").map(Node::items).unwrap_or_default();
    let accounts = subjects.iter().filter(|subject| subject.get("kind").and_then(Node::text) == Some("ServiceAccount"));
    let accounts = accounts.filter_map(|subject| {
        let namespace = subject.get("namespace").and_then(Node::text).unwrap_or_default();
        Some((namespace.to_owned(), subject.get("name")?.text()?.to_owned()))
    });
    let grant = Grant::of_known(&role.text);
    Some(Binding { at: at.clone(), role, accounts: accounts.collect(), grant, account: None })
}

/// The most that a role allows, where that is much.
fn grant(object: &Node) -> Option<Grant> {
    let rules = object.get("rules").map(Node::items).unwrap_or_default();
    let of_rule = |rule: &Node| {
        let texts = |key: &str| rule.get(key).map(Node::items).unwrap_or_default();
        let has = |key: &str, words: &[&str]| {
            texts(key).iter().filter_map(Node::text).any(|text| words.contains(&text) || text == "*")
        };
        // Named ones are few.
        if rule.get("resourceNames").is_some_and(|names| !names.items().is_empty()) {
            return None;
        }
        let (any_verb, any_resource) = (has("verbs", &[]), has("resources", &[]));
        let groups = texts("apiGroups");
        // All resources of one group of one's own are not all.
        let any_group = groups.iter().filter_map(Node::text).any(|group| group == "*" || group.is_empty());
        let changes = has("verbs", &["create", "update", "patch", "impersonate", "bind", "escalate"]);
        let runs = [
            "pods",
            "pods/exec",
            "pods/attach",
            "deployments",
            "daemonsets",
            "statefulsets",
            "jobs",
            "cronjobs",
            "clusterroles",
            "clusterrolebindings",
            "serviceaccounts/token",
            "nodes/proxy",
        ];
        let reads = has("verbs", &["get", "list", "watch"]);
        if any_verb && any_resource && any_group {
            Some(Grant::Everything)
        } else if changes && has("resources", &runs) && (any_group || !any_resource) {
            Some(Grant::Changes)
        } else if reads && any_group && has("resources", &["secrets"]) {
            Some(Grant::Secrets)
        } else {
            None
        }
    };
    rules.iter().filter_map(of_rule).max()
}
