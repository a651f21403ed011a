//! The manifest that a package has of itself (`package.json`, `pyproject.toml`), where the package is a tool server: what runs when it is installed,
//! and what comes with it.

use super::deploy::speaks_of_servers;
use super::launch::{Package, npm_package, python_package};
use super::manifest::{Manifest, Published, unfilled};
use crate::prelude::*;
use crate::read::Node;
use crate::text::{Located, Pointer};

/// More dependencies of one package are not looked at.
const MAX_DEPENDENCIES: usize = 1_000;

/// What npm runs at everybody who installs a package from the registry. `prepare` runs for those who build it.
const SCRIPTS: &[&str] = &["preinstall", "install", "postinstall"];

pub(super) fn manifest(root: &Node) -> Option<Manifest> {
    of_npm(root).or_else(|| of_python(root))
}

/// Is it called or described by words like those of a tool server?
fn speaks(table: &Node) -> bool {
    let words = table.get("keywords").map(Node::items).unwrap_or_default().iter().filter_map(Node::text);
    table.get("name").and_then(Node::text).into_iter().chain(words).any(speaks_of_servers)
}

/// What a table with `name`, `version` and `description` says of the package itself.
fn of_itself(table: &Node, at: &Pointer, kind: &str) -> Option<Manifest> {
    let field = |key: &str| table.get(key).and_then(|node| node.located(at.key(key)));
    let package = Published { kind: kind.to_owned(), name: field("name")?, version: field("version"), hashed: true };
    let unfilled = unfilled(table, at, &["name", "version", "description"]);
    Some(Manifest { packages: vec![package], unfilled, ..Manifest::default() })
}

/// Where it says that it is a server's, or speaks like one and can be started.
fn of_npm(root: &Node) -> Option<Manifest> {
    let at = Pointer::root();
    let name = root.get("mcpName").and_then(|name| name.located(at.key("mcpName")));
    if name.is_none() && !(root.get("bin").is_some() && speaks(root)) {
        return None;
    }
    // What is not published is installed by nobody but its authors.
    let published = root.get("private").and_then(Node::truth) != Some(true);
    let scripts = root.get("scripts").filter(|_| published);
    let script = |key: &&str| {
        let value = scripts?.get(key)?.located(at.key("scripts").key(key))?;
        (!is_idle(&value.text)).then(|| ((*key).to_owned(), value))
    };
    let lists = ["dependencies", "optionalDependencies"].into_iter();
    let members = lists.filter_map(|key| Some((at.key(key), root.get(key)?)));
    let members = members.flat_map(|(at, list)| list.effective().map(move |member| (at.key(&member.key.text), member)));
    let mut addresses = Vec::new();
    let mut dependency = |(at, member): (Pointer, &crate::read::Member)| {
        let value = member.value.located(at)?;
        let needed = npm_package("npm", &value.with_text(format!("{}@{}", member.key.text, value.text.trim())));
        addresses.extend(Some(value).filter(|value| value.text.contains("://")));
        Some(needed)
    };
    let dependencies = members.take(MAX_DEPENDENCIES).filter_map(&mut dependency).collect();
    let scripts = SCRIPTS.iter().filter_map(script).collect();
    Some(Manifest { name, scripts, dependencies, addresses, ..of_itself(root, &at, "npm")? })
}

/// Does a script do nothing but print something?
fn is_idle(script: &str) -> bool {
    let script = script.trim();
    let prints = script.strip_prefix("echo").is_some_and(|rest| rest.is_empty() || rest.starts_with(' '));
    matches!(script, "" | "true" | ":" | "exit 0") || (prints && !script.contains([';', '|', '&', '`', '$', '<', '>']))
}

/// `[project]` (PEP 621) of a package that is called like a server and can be started.
fn of_python(root: &Node) -> Option<Manifest> {
    let project = root.get("project").filter(|project| project.is_map())?;
    let at = Pointer::root().key("project");
    if project.get("scripts").is_none() || !speaks(project) {
        return None;
    }
    let listed = project.get("dependencies").map(Node::items).unwrap_or_default().iter().enumerate();
    let mut addresses = Vec::new();
    let mut dependency = |(index, item): (usize, &Node)| -> Option<Package> {
        let item: Located = item.located(at.key("dependencies").index(index))?;
        let needed = python_package("pip", &item);
        // `name @ address` (PEP 508, direct reference).
        if let Some((_, address)) = item.text.split_once(" @ ") {
            addresses.push(item.with_text(address.trim()));
        }
        Some(needed)
    };
    let dependencies = listed.take(MAX_DEPENDENCIES).filter_map(&mut dependency).collect();
    Some(Manifest { dependencies, addresses, ..of_itself(project, &at, "pypi")? })
}
