//! Runners of the Python registry, and the interpreter.

use super::unwrap::Unwrapper;
use super::{Step, StepKind, options, spec};
use crate::prelude::*;
use crate::text::Located;

const UV_VALUE: &[&str] = &[
    "--from",
    "--with",
    "--with-editable",
    "--with-requirements",
    "-w",
    "--python",
    "-p",
    "--index",
    "--index-url",
    "--default-index",
    "--extra-index-url",
    "-i",
    "--find-links",
    "-f",
    "--refresh-package",
    "--constraints",
    "--constraint",
    "-c",
    "--overrides",
    "--env-file",
    "--cache-dir",
    "--directory",
    "--project",
    "--config-file",
    "--extra",
    "--group",
    "--package",
    "--index-strategy",
    "--keyring-provider",
    "--resolution",
    "--prerelease",
    "--exclude-newer",
    "--link-mode",
    "--python-platform",
    "--color",
    "-P",
    "--upgrade-package",
    "--allow-insecure-host",
    "--build-constraints",
    "-b",
    "--script",
];

/// `uvx`, `uv tool run`, `uv run`, `pipx run`.
pub(super) fn run(unwrapper: &mut Unwrapper<'_>, program: &Located, name: &str, args: &[Located]) {
    let parsed = options::parse(unwrapper.source, args, UV_VALUE);
    let words: Vec<&str> = parsed.rest.iter().take(2).map(|w| w.text.as_str()).collect();
    match (name, words.as_slice()) {
        ("pip", ["install", ..]) => {
            install(unwrapper, program, "pip install", parsed.rest.get(1..).unwrap_or_default())
        }
        ("uvx", _) => tool(unwrapper, program, "uvx", args, &[]),
        ("uv", ["tool", "run"]) => {
            tool(unwrapper, program, "uv tool run", parsed.rest.get(2..).unwrap_or_default(), parsed.consumed)
        }
        ("uv", ["x", ..]) => {
            tool(unwrapper, program, "uv x", parsed.rest.get(1..).unwrap_or_default(), parsed.consumed)
        }
        ("uv", ["run", ..]) => project(unwrapper, program, parsed.rest.get(1..).unwrap_or_default(), parsed.consumed),
        ("uv", ["tool" | "pip", "install"]) | ("pipx", ["install", ..]) => {
            let skip = if name == "uv" { 2 } else { 1 };
            install(unwrapper, program, &format!("{name} install"), parsed.rest.get(skip..).unwrap_or_default());
        }
        ("pipx", ["run", ..]) => pipx(unwrapper, program, parsed.rest.get(1..).unwrap_or_default()),
        _ => unwrapper.server(program, StepKind::Program, args, &[]),
    }
}

/// `pip install NAME …`: what is installed first is what runs afterwards.
fn install(unwrapper: &mut Unwrapper<'_>, program: &Located, runner: &str, args: &[Located]) {
    let mut with_value: Vec<&str> = UV_VALUE.to_vec();
    with_value.extend(["-r", "--requirement", "-t", "--target", "-e", "--editable"]);
    let parsed = options::parse(unwrapper.source, args, &with_value);
    let words = parsed.rest.iter().filter(|word| !word.text.starts_with('-'));
    unwrapper.installed(program, words.map(|word| spec::pypi(runner, word)));
}

fn beside(unwrapper: &mut Unwrapper<'_>, program: &Located, runner: &str, specs: &[Located]) {
    for word in specs.iter().flat_map(|word| split_list(unwrapper.source, word)) {
        let mut package = spec::pypi(runner, &word);
        package.beside = true;
        let kind = StepKind::Package(package);
        unwrapper.plan.steps.push(Step::new(program, kind));
    }
}

/// `--with a,b` names two packages; a comma inside a version range does not separate.
fn split_list(source: &str, word: &Located) -> Vec<Located> {
    if word.text.contains(['<', '>', '=', '[', '@']) || !word.text.contains(',') {
        return vec![word.clone()];
    }
    let mut at = 0;
    word.text
        .split(',')
        .map(|part| {
            let found = word.part(source, at..at + part.len());
            at += part.len() + 1;
            found
        })
        .collect()
}

fn tool(unwrapper: &mut Unwrapper<'_>, program: &Located, runner: &str, args: &[Located], before: &[Located]) {
    let parsed = options::parse(unwrapper.source, args, UV_VALUE);
    unwrapper.plan.env_files.extend(parsed.values(&["--env-file"]).cloned());
    let with: Vec<Located> = parsed.values(&["--with", "-w"]).cloned().collect();
    beside(unwrapper, program, runner, &with);
    let options: Vec<Located> = before.iter().chain(parsed.consumed).cloned().collect();
    let from = parsed.values(&["--from"]).next().cloned();
    match (from, parsed.rest.split_first()) {
        (Some(from), rest) => {
            let args = rest.map_or(&[][..], |(_, args)| args);
            let mut package = spec::pypi(runner, &from);
            package.command = rest.map(|(command, _)| command.text.clone());
            unwrapper.server(program, StepKind::Package(package), args, &options);
        }
        (None, Some((word, args))) => unwrapper.package(program, spec::pypi(runner, word), args, &options),
        (None, None) => unwrapper.server(program, StepKind::Program, args, &[]),
    }
}

/// `uv run`: a script, a module, or a command of the project in a folder.
fn project(unwrapper: &mut Unwrapper<'_>, program: &Located, args: &[Located], before: &[Located]) {
    let mut with_value: Vec<&str> = UV_VALUE.iter().copied().filter(|o| *o != "--script").collect();
    with_value.extend(["-m", "--module"]);
    let outer = options::parse(unwrapper.source, before, UV_VALUE);
    let parsed = options::parse(unwrapper.source, args, &with_value);
    unwrapper.plan.env_files.extend(parsed.values(&["--env-file"]).cloned());
    let with: Vec<Located> = parsed.values(&["--with", "-w"]).cloned().collect();
    let module = parsed.values(&["-m", "--module"]).next();
    // The protocol's own tool, and one like it, start the server in a file that is named to them.
    let hosts = |word: &Located| matches!(word.text.as_str(), "mcp" | "fastmcp");
    let wraps = |word: &Located| hosts(word) || super::wrappers::is_starter(&super::program_name(&word.text));
    // `uv run --with tide-mcp tide-mcp`: what is asked for beside the project is what is started.
    let command = parsed.rest.first().filter(|word| module.is_none() && !wraps(word));
    let started = |word: &Located| command.is_some_and(|command| spec::pypi("", word).name == command.text);
    let (own, with): (Vec<Located>, Vec<Located>) =
        with.iter().flat_map(|word| split_list(unwrapper.source, word)).partition(started);
    beside(unwrapper, program, "uv run", &with);
    let options: Vec<Located> = before.iter().chain(parsed.consumed).cloned().collect();
    let folder = parsed
        .values(&["--directory", "--project"])
        .next()
        .or_else(|| outer.values(&["--directory", "--project"]).next())
        .cloned();
    if let Some(module) = module {
        let script = folder.unwrap_or_else(|| module.with_text(format!("-m {}", module.text)));
        return unwrapper.server(program, StepKind::Script(script), parsed.rest, &options);
    }
    let Some((word, rest)) = parsed.rest.split_first() else {
        return unwrapper.server(program, StepKind::Program, args, &[]);
    };
    if word.text.starts_with("https://") || word.text.starts_with("http://") {
        return unwrapper.server(program, StepKind::RemoteScript(word.clone()), rest, &options);
    }
    if wraps(word) {
        unwrapper.wrapper(program, &options);
        return unwrapper.run(parsed.rest);
    }
    if let Some(own) = own.first() {
        return unwrapper.package(program, spec::pypi("uv run", own), rest, &options);
    }
    // A file is the script; a bare command belongs to the project in the folder.
    let is_file = word.text.ends_with(".py") || word.text.contains('/');
    let script = if is_file { word.clone() } else { folder.unwrap_or_else(|| word.clone()) };
    unwrapper.server(program, StepKind::Script(script), rest, &options);
}

fn pipx(unwrapper: &mut Unwrapper<'_>, program: &Located, args: &[Located]) {
    let with_value = ["--spec", "--python", "--pip-args", "--index-url", "-i", "--fetch-missing-python", "--with"];
    let parsed = options::parse(unwrapper.source, args, &with_value);
    let with: Vec<Located> = parsed.values(&["--with"]).cloned().collect();
    beside(unwrapper, program, "pipx run", &with);
    let named = parsed.values(&["--spec"]).next();
    let command = named.and(parsed.rest.first()).map(|word| word.text.clone());
    let spec = named.or(parsed.rest.first()).cloned();
    let args = parsed.rest.get(1..).unwrap_or_default();
    match spec {
        Some(word) => {
            let package = super::Package { command, ..spec::pypi("pipx run", &word) };
            unwrapper.server(program, StepKind::Package(package), args, parsed.consumed)
        }
        None => unwrapper.server(program, StepKind::Program, args, &[]),
    }
}

/// `python -m MODULE`, `python FILE`, `python -c TEXT`.
pub(super) fn interpreter(unwrapper: &mut Unwrapper<'_>, program: &Located, args: &[Located]) {
    let parsed = options::parse(unwrapper.source, args, &["-X", "-W", "--check-hash-based-pycs", "-m", "-c"]);
    let at = args.iter().position(|w| matches!(w.text.as_str(), "-m" | "-c")).filter(|at| *at <= parsed.consumed.len());
    let behind = |at: usize| args.get(at + 2..).unwrap_or_default();
    if let (Some(module), Some(at)) = (parsed.values(&["-m"]).next(), at) {
        let options = args.get(..=at).unwrap_or_default();
        // A runner started as a module is that runner.
        if matches!(module.text.as_str(), "uv" | "pipx") {
            unwrapper.wrapper(program, options);
            return unwrapper.run(args.get(at + 1..).unwrap_or_default());
        }
        if let ("pip", [verb, rest @ ..]) = (module.text.as_str(), behind(at))
            && verb.text == "install"
        {
            return install(unwrapper, program, "pip install", rest);
        }
        let script = module.with_text(format!("-m {}", module.text));
        return unwrapper.server(program, StepKind::Script(script), behind(at), options);
    }
    if let (Some(text), Some(at)) = (parsed.values(&["-c"]).next(), at) {
        return unwrapper.server(
            program,
            StepKind::Inline(text.clone()),
            behind(at),
            args.get(..=at).unwrap_or_default(),
        );
    }
    match parsed.rest.split_first() {
        Some((file, rest)) => unwrapper.server(program, StepKind::Script(file.clone()), rest, parsed.consumed),
        None => unwrapper.server(program, StepKind::Program, args, &[]),
    }
}
