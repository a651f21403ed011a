//! Compose files: `services`, each an image or a build with what it is given.

use super::{Made, Running, command};
use crate::prelude::*;
use crate::read::Node;
use crate::text::{Located, Pointer};

pub(super) fn made(root: &Node, pointer: &Pointer) -> Vec<Made> {
    let Some(services) = root.get("services").filter(|services| services.is_map()) else { return Vec::new() };
    let at = pointer.key("services");
    let is_service = |node: &&Node| node.get("image").is_some() || node.get("build").is_some();
    let members = services.effective().filter(|member| is_service(&&member.value));
    members
        .filter_map(|member| {
            let own = at.key(&member.key.text);
            let name = Located { text: member.key.text.clone(), span: member.key.span, pointer: own.clone() };
            service(&member.value, Running::new(name, own.clone(), member.value.span), &own).made()
        })
        .collect()
}

fn service(node: &Node, mut running: Running, at: &Pointer) -> Running {
    let scalar =
        |key: &str| node.get(key).and_then(|value| Some((value.scalar()?.into_owned(), value.span, at.key(key))));
    for (key, option) in [
        ("user", "--user"),
        ("network_mode", "--network"),
        ("pid", "--pid"),
        ("ipc", "--ipc"),
        ("userns_mode", "--userns"),
        ("env_file", "--env-file"),
    ] {
        if let Some((text, span, place)) = scalar(key) {
            running.option(option, text, span, &place);
        }
    }
    if let Some(privileged) = node.get("privileged").filter(|node| node.truth() == Some(true)) {
        running.switch("--privileged", privileged.span, &at.key("privileged"));
    }
    for (key, option) in [
        ("cap_add", "--cap-add"),
        ("security_opt", "--security-opt"),
        ("devices", "--device"),
        ("env_file", "--env-file"),
        ("ports", "--publish"),
        ("volumes", "--volume"),
    ] {
        let items = node.get(key).map(Node::items).unwrap_or_default();
        for (index, item) in items.iter().enumerate() {
            let place = at.key(key).index(index);
            match item.scalar() {
                Some(text) => running.option(option, text, item.span, &place),
                None => long_form(key, item, &mut running, &place),
            }
        }
    }
    if let Some(image) = node.get("image").filter(|image| image.text().is_some()) {
        running.image = Some(image.clone().placed(&at.key("image")));
    }
    if let Some(entrypoint) = node.get("entrypoint") {
        running.command.extend(command(entrypoint, &at.key("entrypoint"), false));
    }
    if let Some(inside) = node.get("command") {
        running.command.extend(command(inside, &at.key("command"), false));
    }
    build_args(node, &mut running, at);
    running.env = node.get("environment").map(|env| env.clone().placed(&at.key("environment")));
    running
        .about
        .extend(node.get("labels").into_iter().flat_map(super::variables).flat_map(|(name, value)| [name, value]));
    running
}

/// What the image is built with stays in it, as what it is started with does.
fn build_args(node: &Node, running: &mut Running, at: &Pointer) {
    let Some(args) = node.get("build").and_then(|build| build.get("args")) else { return };
    let own = at.key("build").key("args");
    for member in args.effective() {
        if let Some(text) = member.value.scalar() {
            let word = format!("{}={text}", member.key.text);
            running.option("--env", word, member.value.span, &own.key(&member.key.text));
        }
    }
    for (index, item) in args.items().iter().enumerate() {
        if let Some(text) = item.scalar() {
            running.option("--env", text, item.span, &own.index(index));
        }
    }
}

/// `{type: bind, source, target, read_only}` and `{target, published, host_ip}`.
fn long_form(key: &str, item: &Node, running: &mut Running, at: &Pointer) {
    let text = |key: &str| item.get(key).and_then(Node::scalar).map(Cow::into_owned);
    match key {
        "volumes" if text("type").as_deref() == Some("bind") => {
            if let (Some(source), Some(target), Some(node)) = (text("source"), text("target"), item.get("source")) {
                let read_only = if item.get("read_only").and_then(Node::truth) == Some(true) { ":ro" } else { "" };
                running.option("--volume", format!("{source}:{target}{read_only}"), node.span, &at.key("source"));
            }
        }
        "ports" => {
            if let (Some(target), Some(published)) = (text("target"), text("published")) {
                let address = text("host_ip").map(|ip| format!("{ip}:")).unwrap_or_default();
                running.option("--publish", format!("{address}{published}:{target}"), item.span, at);
            }
        }
        "env_file" => {
            if let Some((text, node)) = text("path").zip(item.get("path")) {
                running.option("--env-file", text, node.span, &at.key("path"));
            }
        }
        _ => {}
    }
}
