//! The manifest that a package has of itself (`package.json`, `pyproject.toml`), where the package is a tool server: what runs when it is installed,
//! and what comes with it.

use super::deploy::speaks_of_servers;
use super::launch::{Package, required_by};
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

/// Where it says that it is a server's, or is called or described by words like one and can be started.
fn of_npm(root: &Node) -> Option<Manifest> {
    let at = Pointer::root();
    let field = |key: &str| root.get(key).and_then(|node| node.located(at.key(key)));
    let name = field("mcpName");
    let words = root.get("keywords").map(Node::items).unwrap_or_default().iter().filter_map(Node::text);
    let mut said = root.get("name").and_then(Node::text).into_iter().chain(words);
    if name.is_none() && !(root.get("bin").is_some() && said.any(speaks_of_servers)) {
        return None;
    }
    let package = Published { kind: "npm".to_owned(), name: field("name")?, version: field("version"), hashed: true };
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
        let needed = required_by::npm(&value.with_text(format!("{}@{}", member.key.text, value.text.trim())));
        addresses.extend(Some(value).filter(|value| value.text.contains("://")));
        Some(needed)
    };
    let dependencies = members.take(MAX_DEPENDENCIES).filter_map(&mut dependency).collect();
    Some(Manifest {
        name,
        version: None,
        packages: vec![package],
        unmarked: Vec::new(),
        unfilled: unfilled(root, &["name", "version", "description"]),
        scripts: SCRIPTS.iter().filter_map(script).collect(),
        dependencies,
        addresses,
    })
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
    let field = |key: &str| project.get(key).and_then(|node| node.located(at.key(key)));
    let words = project.get("keywords").map(Node::items).unwrap_or_default().iter().filter_map(Node::text);
    let mut said = project.get("name").and_then(Node::text).into_iter().chain(words);
    if project.get("scripts").is_none() || !said.any(speaks_of_servers) {
        return None;
    }
    let package = Published { kind: "pypi".to_owned(), name: field("name")?, version: field("version"), hashed: true };
    let listed = project.get("dependencies").map(Node::items).unwrap_or_default().iter().enumerate();
    let mut addresses = Vec::new();
    let mut dependency = |(index, item): (usize, &Node)| -> Option<Package> {
        let item: Located = item.located(at.key("dependencies").index(index))?;
        let needed = required_by::python(&item);
        // `name @ address` (PEP 508, direct reference).
        if let Some((_, address)) = item.text.split_once(" @ ") {
            addresses.push(item.with_text(address.trim()));
        }
        Some(needed)
    };
    let dependencies = listed.take(MAX_DEPENDENCIES).filter_map(&mut dependency).collect();
    Some(Manifest {
        name: None,
        version: None,
        packages: vec![package],
        unmarked: Vec::new(),
        unfilled: unfilled(project, &["name", "version", "description"]),
        scripts: Vec::new(),
        dependencies,
        addresses,
    })
}
