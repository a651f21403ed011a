//! Containers that the system keeps running: `[Container]` sections of unit files (podman-systemd.unit(5)).

use super::{Made, Running, unit};
use crate::prelude::*;
use crate::read::{Document, Node};
use crate::text::{Located, Pointer};

/// Keys with a value that an option of the engine says, each any number of times.
const OPTIONS: &[(&str, &str)] = &[
    ("AddCapability", "--cap-add"),
    ("AddDevice", "--device"),
    ("EnvironmentFile", "--env-file"),
    ("Mount", "--mount"),
    ("Network", "--network"),
    ("PublishPort", "--publish"),
    ("User", "--user"),
    ("UserNS", "--userns"),
    ("Volume", "--volume"),
];

/// The container of a unit, where it runs a tool server.
pub(super) fn made(document: &Document, root: &Node) -> Option<Made> {
    let container = root.get("Container")?;
    let at = Pointer::root().key("Container");
    let image = container.get("Image").filter(|image| image.text().is_some())?;
    let file = document.path.rsplit(['/', '\\']).next().unwrap_or_default();
    let own = file.strip_suffix(".container").unwrap_or(file);
    let name = Located { text: own.to_owned(), span: image.span, pointer: at.key("Image") };
    let mut running = Running::new(name, at.clone(), container.span);
    for member in container.members() {
        let place = at.key(&member.key.text);
        let Some(text) = member.value.text() else { continue };
        if let Some((_, option)) = OPTIONS.iter().find(|(key, _)| *key == member.key.text) {
            running.option(option, text, member.value.span, &place);
        }
        // Words for the engine as they are.
        if member.key.text == "PodmanArgs" {
            let words = member.value.located(place).map(|line| unit::split(document, &line)).unwrap_or_default();
            running
                .options
                .extend(words.iter().map(|found| super::word(found.text.clone(), found.span, &found.pointer)));
        }
    }
    if let Some(line) = container.get("Exec").and_then(|exec| exec.located(at.key("Exec"))) {
        let words = unit::split(document, &line);
        running.command.extend(words.iter().map(|found| super::word(found.text.clone(), found.span, &found.pointer)));
    }
    running.image = Some(image.clone().placed(&at.key("Image")));
    running.env = Some(unit::environment(document, container, &at));
    let described = root.get("Unit").and_then(|unit| unit.get("Description")).and_then(Node::text);
    running.about.extend(described.map(str::to_owned));
    running.made()
}
