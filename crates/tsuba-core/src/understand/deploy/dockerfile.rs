//! Image build files: the base image of the last stage, what it starts, what is baked into it, and what is run while it is built.

use super::{Made, Running};
use crate::prelude::*;
use crate::read::{Document, Key, Member, Node, Value};
use crate::text::{Located, Pointer};
use crate::understand::launch::varied::filled;

pub(super) fn made(document: &Document) -> Vec<Made> {
    let Some(root) = document.roots.first() else { return Vec::new() };
    let steps = root.members();
    let from = steps.iter().rposition(|step| step.key.text == "FROM");
    let Some(base) = from.and_then(|at| steps.get(at)) else { return Vec::new() };
    let stages = stages(steps);
    // The image of an earlier stage is that stage's own.
    let defaults = defaults(steps);
    let image_of = |step: &Member| image_of(document, step, &defaults);
    let mut image = image_of(base);
    // Stages may name each other in a circle: none is passed twice.
    for _ in 0..stages.len() {
        let earlier = image.as_ref().and_then(|image| stages.get(&image.text)).and_then(|at| steps.get(*at));
        image = earlier.map_or(image, image_of);
    }
    let at = Pointer::root().key("FROM");
    let name = Located { text: name(document), span: base.key.span, pointer: at.clone() };
    let mut running = Running::new(name, at, root.span);
    running.builds = true;
    running.image = image.map(|image| super::word(image.text.clone(), image.span, &image.pointer));
    let own = || steps.iter().skip(from.unwrap_or_default());
    if let Some(user) = own().rev().find(|step| step.key.text == "USER").map(|step| &step.value)
        && let Some(text) = user.text()
    {
        running.option("--user", text.trim(), user.span, &Pointer::root().key("USER"));
    }
    for key in ["ENTRYPOINT", "CMD"] {
        if let Some(step) = own().rev().find(|step| step.key.text == key) {
            running.command.extend(super::command(&step.value, &Pointer::root().key(key), true));
        }
    }
    let mut env = Vec::new();
    for step in steps.iter().filter(|step| matches!(step.key.text.as_str(), "ENV" | "ARG")) {
        let place = Pointer::root().key(&step.key.text);
        env.extend(step.value.members().iter().map(|member| Member {
            key: Key { text: member.key.text.clone(), span: member.key.span },
            value: member.value.clone().placed(&place.key(&member.key.text)),
        }));
    }
    running.env = Some(Node::new(root.span, Value::Map(env)));
    let runs = steps.iter().filter(|step| step.key.text == "RUN");
    running.lines = runs.filter_map(|step| step.value.located(Pointer::root().key("RUN"))).collect();
    running.images = taken_from(document, steps, (&stages, &defaults), running.image.as_ref());
    let message =
        steps.iter().filter(|step| matches!(step.key.text.as_str(), "RUN" | "COPY" | "ADD" | "LABEL" | "WORKDIR"));
    running.about = message.filter_map(|step| step.value.text().map(str::to_owned)).collect();
    running.made().into_iter().collect()
}

/// Names of stages, with the step that begins each.
fn stages(steps: &[Member]) -> BTreeMap<String, usize> {
    let named = steps.iter().enumerate().filter(|(_, step)| step.key.text == "FROM").filter_map(|(at, step)| {
        let words: Vec<&str> = step.value.text()?.split_whitespace().collect();
        let name = words.iter().position(|word| word.eq_ignore_ascii_case("as")).and_then(|as_at| words.get(as_at + 1));
        Some(((*name?).to_owned(), at))
    });
    named.collect()
}

/// Images besides the last stage's own that something is taken from: what other stages begin with, and `COPY --from` (a stage's name or
/// number is no image).
fn taken_from(
    document: &Document,
    steps: &[Member],
    (stages, defaults): (&BTreeMap<String, usize>, &BTreeMap<&str, &str>),
    own: Option<&Node>,
) -> Vec<Located> {
    /// More of one file are not looked at.
    const MAX_IMAGES: usize = 100;
    let is_image = |image: &Located| {
        let text = image.text.as_str();
        !stages.contains_key(text) && text != "scratch" && text.parse::<usize>().is_err()
    };
    let found = steps.iter().filter_map(|step| match step.key.text.as_str() {
        "FROM" => image_of(document, step, defaults),
        "COPY" => {
            let line = step.value.located(Pointer::root().key("COPY"))?;
            let option = line.text.split_whitespace().find(|word| word.starts_with("--from="))?;
            let start = line.text.find(option)? + "--from=".len();
            let end = start + option.len() - "--from=".len();
            Some(line.part(&document.text, start..end))
        }
        _ => None,
    });
    let mut seen: BTreeSet<String> = own.and_then(Node::text).map(str::to_owned).into_iter().collect();
    found.filter(is_image).filter(|image| seen.insert(image.text.clone())).take(MAX_IMAGES).collect()
}

/// What stands before the first stage for the images to be named with (`ARG TAG=1.4.2`).
fn defaults(steps: &[Member]) -> BTreeMap<&str, &str> {
    let before = steps.iter().take_while(|step| step.key.text != "FROM").filter(|step| step.key.text == "ARG");
    let set = before.flat_map(|step| step.value.members());
    set.filter_map(|member| Some((member.key.text.as_str(), member.value.text().filter(|text| !text.is_empty())?)))
        .collect()
}

/// The image that a stage begins with.
fn image_of(document: &Document, step: &Member, defaults: &BTreeMap<&str, &str>) -> Option<Located> {
    let line = step.value.located(Pointer::root().key("FROM"))?;
    let image = line.text.split_whitespace().find(|word| !word.starts_with("--"))?;
    let start = line.text.find(image)?;
    let written = line.part(&document.text, start..start + image.len());
    let named = filled(image, |name| defaults.get(name).copied());
    Some(written.with_text(named))
}

/// What the image is for: the folder that the file lies in.
fn name(document: &Document) -> String {
    let mut parts = document.path.rsplit(['/', '\\']);
    let file = parts.next().unwrap_or_default();
    parts.next().filter(|folder| !folder.is_empty() && *folder != ".").unwrap_or(file).to_owned()
}
