//! Other registries than the usual one that an entry has its packages fetched from.

use super::Entry;
use super::launch::StepKind;
use crate::prelude::*;
use crate::text::Located;

/// Options that make another registry answer.
const INDEXES: &[&str] = &[
    "--registry",
    "--index-url",
    "-i",
    "--extra-index-url",
    "--index",
    "--default-index",
    "--find-links",
    "--source",
    "--add-source",
];

/// Variables that do the same.
const VARIABLES: &[&str] = &[
    "npm_config_registry",
    "UV_INDEX_URL",
    "UV_EXTRA_INDEX_URL",
    "UV_DEFAULT_INDEX",
    "UV_INDEX",
    "PIP_INDEX_URL",
    "PIP_EXTRA_INDEX_URL",
];

/// The addresses of other registries: of options before the server's own arguments, and of variables. An option's word may hold its name, too.
pub fn indexes(entry: &Entry) -> Vec<&Located> {
    let steps = entry.plan.iter().flat_map(|plan| &plan.steps);
    let steps = steps.filter(|step| matches!(step.kind, StepKind::Package(_) | StepKind::Wrapper));
    let options =
        steps.flat_map(|step| step.options.iter().enumerate().filter_map(|(at, word)| index(&step.options, at, word)));
    let is_index = |name: &str| VARIABLES.iter().any(|variable| name.eq_ignore_ascii_case(variable));
    let variables = entry.variables.iter().filter(|variable| is_index(&variable.name));
    options.chain(variables.map(|variable| &variable.value)).filter(|address| address.text.contains("://")).collect()
}

/// The address of another registry: `--index-url ADDRESS` or `--index-url=ADDRESS`.
fn index<'o>(options: &'o [Located], at: usize, word: &'o Located) -> Option<&'o Located> {
    if INDEXES.contains(&word.text.as_str()) {
        return options.get(at + 1);
    }
    word.text.split_once('=').filter(|(name, _)| INDEXES.contains(name)).map(|_| word)
}
