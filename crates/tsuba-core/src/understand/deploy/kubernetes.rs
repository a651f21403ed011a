//! Kubernetes manifests: the containers of workloads, and the services that publish them.

use super::cluster::stays_inside;
use super::kept::Kept;
use super::{Made, Running};
use crate::prelude::*;
use crate::read::Node;
use crate::text::{Located, Pointer, Span};

/// Workloads and where their pod's specification stands.
pub(super) const WORKLOADS: &[(&str, &[&str])] = &[
    ("Pod", &["spec"]),
    ("Deployment", &["spec", "template", "spec"]),
    ("StatefulSet", &["spec", "template", "spec"]),
    ("DaemonSet", &["spec", "template", "spec"]),
    ("ReplicaSet", &["spec", "template", "spec"]),
    ("Job", &["spec", "template", "spec"]),
    ("CronJob", &["spec", "jobTemplate", "spec", "template", "spec"]),
];

pub(super) fn made(roots: &[(Pointer, &Node)]) -> Vec<Made> {
    let objects: Vec<(Pointer, &Node)> = roots.iter().flat_map(|(at, root)| objects(root, at)).collect();
    let open = published(&objects);
    let kept = Kept::of(&objects);
    let mut out = Vec::new();
    for (at, object) in &objects {
        let kind = object.get("kind").and_then(Node::text).unwrap_or_default();
        let Some((_, path)) = WORKLOADS.iter().find(|(known, _)| *known == kind) else { continue };
        let Some((spec, spec_at)) = below(object, at, path) else { continue };
        let labels = labels(object, path);
        let containers = spec.get("containers").map(Node::items).unwrap_or_default();
        for (index, container) in containers.iter().enumerate() {
            let own = spec_at.key("containers").index(index);
            let mut running = running(container, &own, &kept);
            of_pod(spec, &spec_at, container, &mut running);
            running.about.extend(labels.iter().flat_map(|(name, value)| [name.clone(), value.clone()]));
            let name = object.get("metadata").and_then(|meta| meta.get("name")).and_then(Node::text);
            running.about.extend(name.map(str::to_owned));
            let selects = |service: &&Open| service.selector.iter().all(|label| labels.contains(label));
            if let Some(service) = open.iter().find(selects) {
                running.option("--publish", format!("{0}:{0}", service.port), service.span, &service.at);
            }
            out.extend(running.made());
        }
    }
    out
}

/// The objects of a document; a `List` holds several.
pub(super) fn objects<'n>(root: &'n Node, at: &Pointer) -> Vec<(Pointer, &'n Node)> {
    if root.get("apiVersion").is_none() || root.get("kind").is_none() {
        return Vec::new();
    }
    match root.get("items").filter(|items| items.is_list()) {
        Some(items) => items.items().iter().enumerate().map(|(i, item)| (at.key("items").index(i), item)).collect(),
        None => vec![(at.clone(), root)],
    }
}

pub(super) fn below<'n>(node: &'n Node, at: &Pointer, path: &[&str]) -> Option<(&'n Node, Pointer)> {
    path.iter().try_fold((node, at.clone()), |(node, at), key| Some((node.get(key)?, at.key(key))))
}

/// The labels of the pods.
pub(super) fn labels(object: &Node, path: &[&str]) -> Vec<(String, String)> {
    let holder = path.split_last().map(|(_, above)| above).unwrap_or_default();
    let holder = holder.iter().try_fold(object, |node, key| node.get(key));
    let labels = holder.and_then(|node| node.get("metadata")?.get("labels"));
    labels.map(super::variables).unwrap_or_default()
}

fn running(container: &Node, at: &Pointer, kept: &Kept<'_>) -> Running {
    let named = container.get("name").and_then(|name| name.located(at.key("name")));
    let name =
        named.unwrap_or_else(|| Located { text: "container".to_owned(), span: container.span, pointer: at.clone() });
    let mut running = Running::new(Located { pointer: at.clone(), ..name }, at.clone(), container.span);
    running.image = container.get("image").filter(|i| i.text().is_some()).map(|i| i.clone().placed(&at.key("image")));
    for key in ["command", "args"] {
        if let Some(words) = container.get(key) {
            running.command.extend(super::command(words, &at.key(key), false));
        }
    }
    running.env = kept.env(container, at);
    // A port of the host is open to whoever reaches that.
    for (index, port) in container.get("ports").map(Node::items).unwrap_or_default().iter().enumerate() {
        let text = |key: &str| port.get(key).and_then(Node::scalar).map(Cow::into_owned);
        if let (Some(host), Some(node)) = (text("hostPort"), port.get("hostPort")) {
            let address = text("hostIP").map(|ip| format!("{ip}:")).unwrap_or_default();
            let inside = text("containerPort").unwrap_or_else(|| host.clone());
            let place = at.key("ports").index(index).key("hostPort");
            running.option("--publish", format!("{address}{host}:{inside}"), node.span, &place);
        }
    }
    if let Some(security) = container.get("securityContext") {
        security_context(security, &at.key("securityContext"), &mut running);
    }
    running
}

fn security_context(security: &Node, at: &Pointer, running: &mut Running) {
    if let Some(privileged) = security.get("privileged").filter(|node| node.truth() == Some(true)) {
        running.switch("--privileged", privileged.span, &at.key("privileged"));
    }
    if let Some(user) = security.get("runAsUser").and_then(|user| Some((user.scalar()?.into_owned(), user.span))) {
        running.option("--user", user.0, user.1, &at.key("runAsUser"));
    }
    confinement(security, at, running);
    let added = security.get("capabilities").and_then(|capabilities| capabilities.get("add"));
    let place = at.key("capabilities").key("add");
    for (index, item) in added.map(Node::items).unwrap_or_default().iter().enumerate() {
        if let Some(text) = item.text() {
            running.option("--cap-add", text, item.span, &place.index(index));
        }
    }
}

/// Switched off confinements of the kernel.
fn confinement(security: &Node, at: &Pointer, running: &mut Running) {
    for (key, name) in [("seccompProfile", "seccomp"), ("appArmorProfile", "apparmor")] {
        if let Some(kind) = security.get(key).and_then(|profile| profile.get("type"))
            && kind.text() == Some("Unconfined")
        {
            running.option("--security-opt", format!("{name}=unconfined"), kind.span, &at.key(key).key("type"));
        }
    }
    if let Some(mount) = security.get("procMount").filter(|mount| mount.text() == Some("Unmasked")) {
        running.option("--security-opt", "systempaths=unconfined", mount.span, &at.key("procMount"));
    }
    if let Some(may) = security.get("allowPrivilegeEscalation").filter(|node| node.truth() == Some(true)) {
        running.option("--security-opt", "no-new-privileges=false", may.span, &at.key("allowPrivilegeEscalation"));
    }
}

/// What a container has from its pod: the host's namespaces, and folders of the host that it mounts.
fn of_pod(spec: &Node, at: &Pointer, container: &Node, running: &mut Running) {
    for (key, option) in [("hostNetwork", "--network"), ("hostPID", "--pid"), ("hostIPC", "--ipc")] {
        if let Some(host) = spec.get(key).filter(|node| node.truth() == Some(true)) {
            running.option(option, "host", host.span, &at.key(key));
        }
    }
    // A container's own user goes before the pod's.
    let user = |node: &Node| node.get("securityContext").and_then(|security| security.get("runAsUser")).cloned();
    if let (None, Some(user)) = (user(container), user(spec))
        && let Some(text) = user.scalar()
    {
        running.option("--user", text, user.span, &at.key("securityContext").key("runAsUser"));
    }
    // Likewise with confinements: those of the pod count where the container has none of its own.
    if let Some(security) = spec.get("securityContext") {
        let own = container.get("securityContext");
        if own.is_none_or(|own| own.first(&["seccompProfile", "appArmorProfile"]).is_none()) {
            confinement(security, &at.key("securityContext"), running);
        }
    }
    let volumes = spec.get("volumes").map(Node::items).unwrap_or_default();
    for mount in container.get("volumeMounts").map(Node::items).unwrap_or_default() {
        let (Some(name), Some(inside)) =
            (mount.get("name").and_then(Node::text), mount.get("mountPath").and_then(Node::text))
        else {
            continue;
        };
        let Some((index, volume)) =
            volumes.iter().enumerate().find(|(_, v)| v.get("name").and_then(Node::text) == Some(name))
        else {
            continue;
        };
        if let Some(path) = volume.get("hostPath").and_then(|host| host.get("path"))
            && let Some(host) = path.text()
        {
            let read_only = if mount.get("readOnly").and_then(Node::truth) == Some(true) { ":ro" } else { "" };
            let place = at.key("volumes").index(index).key("hostPath").key("path");
            running.option("--volume", format!("{host}:{inside}{read_only}"), path.span, &place);
        }
    }
}

/// A service that is published beyond the cluster.
struct Open {
    /// The pods that it leads to, by their labels.
    selector: Vec<(String, String)>,
    port: String,
    /// Where it says so.
    at: Pointer,
    span: Span,
}

/// More published services of one file are not looked at.
const MAX_SERVICES: usize = 1000;

/// The services of a file that are published.
fn published(objects: &[(Pointer, &Node)]) -> Vec<Open> {
    let services = objects.iter().filter(|(_, object)| object.get("kind").and_then(Node::text) == Some("Service"));
    let services = services.filter(|(_, service)| !stays_inside(service));
    let open = services.filter_map(|(at, service)| {
        let spec = service.get("spec")?;
        let kind = spec.get("type").filter(|kind| matches!(kind.text(), Some("LoadBalancer" | "NodePort")))?;
        let selector = spec.get("selector").map(super::variables).filter(|selector| !selector.is_empty())?;
        let ports = spec.get("ports").map(Node::items).unwrap_or_default();
        let port = ports.iter().find_map(|port| port.get("port").and_then(Node::scalar)).unwrap_or(Cow::Borrowed("80"));
        Some(Open { selector, port: port.into_owned(), at: at.key("spec").key("type"), span: kind.span })
    });
    open.take(MAX_SERVICES).collect()
}
