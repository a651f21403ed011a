//! Everything that is set for a server: its environment, its headers, its other settings.

use super::credential::Place;
use super::launch::Plan;
use crate::prelude::*;
use crate::read::Node;
use crate::text::{Located, Pointer};

/// A variable or header with its value.
#[derive(Clone, Debug)]
pub struct Variable {
    /// Its name.
    pub name: String,
    /// Its value.
    pub value: Located,
    /// Where it is set.
    pub place: Place,
    /// Is it an HTTP header?
    pub header: bool,
    /// Only its name is passed on.
    pub passed_on: bool,
}

/// The environment and headers of an entry.
pub(super) fn variables(node: &Node, pointer: &Pointer) -> Vec<Variable> {
    let mut out = Vec::new();
    for key in ["env", "environment", "envs"] {
        let Some(map) = node.get(key) else { continue };
        let at = pointer.key(key);
        for member in map.effective() {
            if let Some(value) = member.value.located(at.key(&member.key.text)) {
                out.push(Variable {
                    name: member.key.text.clone(),
                    value,
                    place: Place::Env,
                    header: false,
                    passed_on: false,
                });
            }
        }
        // `["NAME=value"]` or `[{name, value}]`, as container files have them.
        for (index, item) in map.items().iter().enumerate() {
            let named = item.get("name").and_then(Node::text).zip(item.get("value"));
            if let Some((name, value)) =
                named.and_then(|(n, v)| v.located(at.index(index).key("value")).map(|v| (n.to_owned(), v)))
            {
                out.push(Variable { name, value, place: Place::Env, header: false, passed_on: false });
            }
            if let Some((word, (name, _))) = item
                .located(at.index(index))
                .and_then(|w| w.text.clone().split_once('=').map(|(n, v)| (w, (n.to_owned(), v.len()))))
            {
                let value = Located { text: word.text.get(name.len() + 1..).unwrap_or_default().to_owned(), ..word };
                out.push(Variable { name, value, place: Place::Env, header: false, passed_on: false });
            }
        }
    }
    let request = node.first(&["requestOptions", "request_options", "requestInit"]);
    let holders = [
        (Some(node), pointer.clone()),
        (request.map(|(_, n)| n), request.map_or(Pointer::root(), |(key, _)| pointer.key(key))),
    ];
    for (holder, at) in holders {
        for key in ["headers", "http_headers", "httpHeaders", "requestHeaders"] {
            let Some(map) = holder.and_then(|h| h.get(key)) else { continue };
            for member in map.effective() {
                if let Some(value) = member.value.located(at.key(key).key(&member.key.text)) {
                    out.push(Variable {
                        name: member.key.text.clone(),
                        value,
                        place: Place::Header,
                        header: true,
                        passed_on: false,
                    });
                }
            }
        }
    }
    out
}

/// Variables set by the command line itself.
pub(super) fn of_plan(plan: &Plan) -> impl Iterator<Item = Variable> {
    plan.variables.iter().map(|v| Variable {
        name: v.name.clone(),
        value: v.value.clone(),
        place: if v.in_shell { Place::ShellLine } else { Place::Argument },
        header: false,
        passed_on: v.passed_on,
    })
}

/// Keys of an entry that are judged by their own means.
pub(super) const KNOWN: &[&str] = &[
    "env",
    "environment",
    "envs",
    "headers",
    "http_headers",
    "httpHeaders",
    "requestHeaders",
    "args",
    "command",
    "cmd",
    "url",
    "serverUrl",
    "httpUrl",
    "uri",
    "endpoint",
    "server_url",
    "server_label",
    "type",
    "transport",
    "name",
    "id",
    "title",
    "description",
    "autoApprove",
    "alwaysAllow",
    "env_vars",
    "env_http_headers",
    "bearer_token_env_var",
    "env_keys",
    "envFile",
    "cwd",
    "tools",
    "available_tools",
    "enabled_tools",
    "disabled_tools",
    "includeTools",
    "excludeTools",
    "disabledTools",
];

/// Settings nested deeper than this are not looked at.
const MAX_NESTED: usize = 4;

/// The other settings of an entry that are one value each (`"verify": false`), under their own keys.
pub(super) fn settings(node: &Node, pointer: &Pointer) -> Vec<Variable> {
    let mut out = Vec::new();
    collect(node, pointer, 0, &mut out);
    out
}

fn collect(node: &Node, pointer: &Pointer, depth: usize, out: &mut Vec<Variable>) {
    if depth > MAX_NESTED {
        return;
    }
    for member in node.effective().filter(|m| depth > 0 || !KNOWN.contains(&m.key.text.as_str())) {
        let at = pointer.key(&member.key.text);
        if member.value.is_map() {
            collect(&member.value, &at, depth + 1, out);
        } else if let Some(value) = member.value.located(at) {
            let name = member.key.text.clone();
            out.push(Variable { name, value, place: Place::Setting, header: false, passed_on: false });
        }
    }
}
