//! The manifest that a package has of itself (`package.json`, `pyproject.toml`, `METADATA` of what was built of it), where the package is a tool server: what runs when it is installed,
//! and what comes with it.

use super::launch::{Package, npm_package, python_package};
use super::manifest::{Manifest, Published, unfilled};
use crate::prelude::*;
use crate::read::{Document, Member, Node, Notation};
use crate::text::{Located, Pointer, Span, speaks_of_servers};

/// More dependencies of one package are not looked at.
const MAX_DEPENDENCIES: usize = 1_000;

/// What npm runs at everybody who installs a package from the registry. `prepare` runs for those who build it.
const SCRIPTS: &[&str] = &["preinstall", "install", "postinstall"];

pub(super) fn manifest(document: &Document, root: &Node) -> Option<Manifest> {
    let file = document.file();
    let (folder, name) = file.rsplit_once(['/', '\\']).unwrap_or(("", file));
    // What is piped in has no name. A copy that was put aside speaks for nothing.
    let is = |own: &str| name == own || file == "-";
    // In a packed package its own manifest stands in the topmost folder; further in lie examples and what is only built.
    let packed = folder.rsplit_once(".tgz!/").is_some_and(|(_, inner)| inner.contains('/'));
    match document.notation {
        Notation::Json if is("package.json") && !packed => of_npm(root),
        Notation::Toml if is("pyproject.toml") => of_python(root),
        Notation::Fields => of_built(root),
        _ => None,
    }
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
    let mut dependency = |(at, member): (Pointer, &Member)| {
        let value = member.value.located(at)?;
        let needed = npm_package("npm", &value.with_text(format!("{}@{}", member.key.text, value.text.trim())));
        addresses.extend(Some(value).filter(|value| value.text.contains("://")));
        Some(needed)
    };
    let dependencies = members.take(MAX_DEPENDENCIES).filter_map(&mut dependency).collect();
    let bundled = bundled(root, &at);
    let scripts = SCRIPTS.iter().filter_map(script).collect();
    Some(Manifest { name, scripts, dependencies, bundled, addresses, ..of_itself(root, &at, "npm")? })
}

/// What is packed with a package: a list of names, or all that it depends on.
fn bundled(root: &Node, at: &Pointer) -> Vec<Located> {
    let Some((key, list)) = root.first(&["bundleDependencies", "bundledDependencies"]) else { return Vec::new() };
    let at_key = at.key(key);
    if list.truth() == Some(true) {
        let all = root.get("dependencies").into_iter().flat_map(Node::effective);
        let name = |member: &Member| Located {
            text: member.key.text.clone(),
            span: member.key.span,
            pointer: at.key("dependencies").key(&member.key.text),
        };
        return all.take(MAX_DEPENDENCIES).map(name).collect();
    }
    let names = list.items().iter().take(MAX_DEPENDENCIES).enumerate();
    names.filter_map(|(index, name)| name.located(at_key.index(index))).collect()
}

/// Does a script do nothing but print something?
fn is_idle(script: &str) -> bool {
    let script = script.trim();
    let prints = script.strip_prefix("echo").is_some_and(|rest| rest.is_empty() || rest.starts_with(' '));
    matches!(script, "" | "true" | ":" | "exit 0") || (prints && !script.contains([';', '|', '&', '`', '$', '<', '>']))
}

/// Core metadata of a Python distribution that is called like a server, or says in its description which one it is (`mcp-name:`). What it needs
/// for some purpose only (an extra) is not installed with it.
fn of_built(root: &Node) -> Option<Manifest> {
    let at = Pointer::root();
    let all = |key: &'static str| root.members().iter().filter(move |member| member.key.text.eq_ignore_ascii_case(key));
    let field = |key: &'static str| all(key).next()?.value.located(at.key(key));
    let body = field("Description");
    let named = body.as_ref().and_then(|body| {
        let from = body.text.find(NAMED)? + NAMED.len();
        let rest = body.text.get(from..)?;
        let name = rest.trim_start_matches(' ').split(|c: char| c.is_whitespace() || c == '<').next()?;
        let start = body.span.start as usize + from + (rest.len() - rest.trim_start_matches(' ').len());
        let span = Span::new(start, start + name.len());
        (!name.is_empty()).then(|| Located { text: name.to_owned(), span, pointer: body.pointer.clone() })
    });
    let package = Published { kind: "pypi".to_owned(), name: field("Name")?, version: field("Version"), hashed: true };
    let keywords = all("Keywords").filter_map(|member| member.value.text());
    if named.is_none() && !keywords.chain([package.name.text.as_str()]).any(speaks_of_servers) {
        return None;
    }
    let mut addresses = Vec::new();
    let mut dependency = |(index, member): (usize, &Member)| -> Option<Package> {
        let item: Located = member.value.located(at.key("Requires-Dist").index(index))?;
        let (spec, condition) = item.text.split_once(';').unwrap_or((&item.text, ""));
        if condition.contains("extra") {
            return None;
        }
        if let Some((_, address)) = spec.split_once(" @ ") {
            addresses.push(item.with_text(address.trim()));
        }
        // Older ones write `name (>=1.0)`.
        let spec = item.with_text(spec.replace(['(', ')'], "").trim());
        Some(python_package("pip", &spec))
    };
    let listed = all("Requires-Dist").enumerate().take(MAX_DEPENDENCIES);
    let dependencies = listed.filter_map(&mut dependency).collect();
    Some(Manifest { name: named, packages: vec![package], dependencies, addresses, ..Manifest::default() })
}

/// How a package says in its description which server of the registry it is.
const NAMED: &str = "mcp-name:";

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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::read::{Input, read};

    #[test]
    fn a_package_speaks_for_itself_in_its_own_file() {
        const NPM: &str = r#"{ "name": "@saltmarsh/tide-mcp", "bin": "index.js" }"#;
        const BUILT: &str = "Metadata-Version: 2.4\nName: tides\nVersion: 2.4.1\nRequires-Dist: bell (>=1.0) ; extra == 'x'\nRequires-Dist: rope (>=1.0)\n\n# Tides\n";
        let named = format!("{BUILT}<!-- mcp-name: example.saltmarsh-line/tides -->\n");
        let pinned = named.replace("rope (>=1.0)", "rope (==1.0)");
        for (path, text, want) in [
            ("tide/package.json", NPM, Some("@saltmarsh/tide-mcp ")),
            ("-", NPM, Some("@saltmarsh/tide-mcp ")),
            ("tide.tgz!/package/package.json", NPM, Some("@saltmarsh/tide-mcp ")),
            ("site-packages/tides.dist-info/METADATA", &named, Some("tides example.saltmarsh-line/tides rope")),
            ("tides-2.4.1/PKG-INFO", &pinned, Some("tides example.saltmarsh-line/tides rope")),
            (
                "METADATA",
                &named.replace("Name: tides", "Name: tide-mcp"),
                Some("tide-mcp example.saltmarsh-line/tides rope"),
            ),
            // Copies, what lies further in, and packages of other things.
            ("tide/package.json.bak", NPM, None),
            ("tide/package.orig.json", NPM, None),
            ("tide.tgz!/package/examples/package.json", NPM, None),
            ("METADATA", BUILT, None),
        ] {
            let document =
                read(Input { path: path.to_owned(), bytes: text.as_bytes().to_vec(), ..Input::default() }).unwrap();
            let told = manifest(&document, &document.roots[0]).map(|manifest| {
                let name = manifest.name.map(|name| document.written(name.span).to_owned()).unwrap_or_default();
                let needed: String = manifest.dependencies.iter().map(|package| format!(" {}", package.name)).collect();
                format!("{} {name}{needed}", manifest.packages[0].name.text)
            });
            assert_eq!(told.as_deref(), want, "{path}");
        }
    }
}
