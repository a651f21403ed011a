//! Runners of the JavaScript registry.

use super::unwrap::Unwrapper;
use super::{Package, Pin, StepKind, options, spec};
use crate::prelude::*;
use crate::text::Located;

const WITH_VALUE: &[&str] = &[
    "-p",
    "--package",
    "-c",
    "--call",
    "-w",
    "--workspace",
    "--registry",
    "--cache",
    "--prefix",
    "--userconfig",
    "--node-options",
    "--loglevel",
    "--script-shell",
    "-n",
    "--node-arg",
    "--shell",
    "--npm",
    "-C",
    "--dir",
    "--filter",
    "--cwd",
    "--otp",
    "--tag",
    "--config",
];

/// `npx`, `npm exec`, `pnpm dlx`, `yarn dlx`, `bunx`, and the local starts of the same programs.
pub(super) fn run(unwrapper: &mut Unwrapper<'_>, program: &Located, name: &str, args: &[Located]) {
    if name == "corepack" {
        unwrapper.wrapper(program, &[]);
        return unwrapper.run(args);
    }
    if matches!(name, "npx" | "pnpx" | "bunx") {
        return execute(unwrapper, program, name, args, &[]);
    }
    let parsed = options::parse(unwrapper.source, args, WITH_VALUE);
    let Some((verb, rest)) = parsed.rest.split_first() else {
        return unwrapper.server(program, StepKind::Program, args, &[]);
    };
    match (name, verb.text.as_str()) {
        ("npm", "exec" | "x") | ("pnpm" | "yarn", "dlx") => {
            execute(unwrapper, program, &format!("{name} {}", verb.text), rest, parsed.consumed)
        }
        // What is installed first is what runs afterwards.
        ("npm" | "pnpm", "install" | "i" | "add") | ("yarn", "add") | ("yarn", "global")
            if rest.iter().any(|w| !w.text.starts_with('-') && w.text != "add") =>
        {
            let inner = options::parse(unwrapper.source, rest, WITH_VALUE);
            let words = inner.rest.iter().filter(|w| !w.text.starts_with('-') && w.text != "add");
            unwrapper.installed(program, words.map(|word| spec::npm(&format!("{name} {}", verb.text), word)));
        }
        // `npm create NAME` runs the package `create-NAME`.
        ("npm" | "pnpm" | "yarn", "create" | "init") if rest.first().is_some_and(|w| !w.text.starts_with('-')) => {
            let Some((spec, args)) = rest.split_first() else { return };
            let package = spec::npm(&format!("{name} {}", verb.text), &spec.with_text(initializer(&spec.text)));
            unwrapper.server(program, StepKind::Package(package), args, parsed.consumed);
        }
        ("pnpm" | "yarn", "exec") => {
            unwrapper.wrapper(program, args.get(..=parsed.consumed.len()).unwrap_or_default());
            unwrapper.run(rest);
        }
        _ => {
            // `npm run server`, `npm start`, `yarn server`: a script of the project's own manifest.
            let folder = parsed.values(&["--prefix", "-C", "--dir", "--cwd"]).next();
            let script = folder.cloned().unwrap_or_else(|| {
                verb.with_text(format!(
                    "{name} {}",
                    parsed.rest.iter().take(2).map(|w| w.text.as_str()).collect::<Vec<_>>().join(" ")
                ))
            });
            let skip = usize::from(matches!(verb.text.as_str(), "run" | "run-script"));
            unwrapper.server(program, StepKind::Script(script), rest.get(skip..).unwrap_or_default(), parsed.consumed);
        }
    }
}

/// `@scope/name` → `@scope/create-name`, `name` → `create-name`.
fn initializer(spec: &str) -> String {
    match spec.split_once('/').filter(|_| spec.starts_with('@')) {
        Some((scope, name)) => format!("{scope}/create-{name}"),
        None => format!("create-{spec}"),
    }
}

/// A package that may not be downloaded (npm-exec(1), `--no` and `--offline`): what the project has installed runs, and its lockfile says which.
fn installed(mut package: Package, options: &[Located]) -> Package {
    let never = |word: &Located| matches!(word.text.as_str(), "--no-install" | "--no" | "--yes=false" | "--offline");
    if package.pin == Pin::None && options.iter().any(never) {
        package.pin = Pin::Local;
    }
    package
}

fn execute(unwrapper: &mut Unwrapper<'_>, program: &Located, runner: &str, args: &[Located], before: &[Located]) {
    let parsed = options::parse(unwrapper.source, args, WITH_VALUE);
    let options: Vec<Located> = before.iter().chain(parsed.consumed).cloned().collect();
    // `pnpm --package NAME dlx …`: the option may stand before the verb.
    let outer = options::parse(unwrapper.source, before, WITH_VALUE);
    let named = |from: &options::Parsed<'_>| from.values(&["-p", "--package"]).cloned().collect::<Vec<Located>>();
    let packages = [named(&outer), named(&parsed)].concat();
    let line = parsed.values(&["-c", "--call"]).next().cloned();
    if packages.is_empty() {
        match (line, parsed.rest.split_first()) {
            (Some(line), _) => {
                unwrapper.wrapper(program, &options);
                unwrapper.line(&line);
            }
            (None, Some((spec, args))) => {
                let args = match args {
                    [end, rest @ ..] if end.text == "--" => rest,
                    all => all,
                };
                unwrapper.package(program, installed(spec::npm(runner, spec), &options), args, &options);
            }
            (None, None) => unwrapper.server(program, StepKind::Program, args, &[]),
        }
        return;
    }
    // The command comes from the package that is called like it, else from the first.
    let words = match (&line, parsed.rest.first()) {
        (Some(line), _) => line.text.split_whitespace().next().unwrap_or_default().to_owned(),
        (None, Some(command)) => command.text.clone(),
        (None, None) => String::new(),
    };
    let specs: Vec<_> = packages.iter().map(|word| spec::npm(runner, word)).collect();
    let main = specs.iter().position(|p| p.name.rsplit('/').next() == Some(words.as_str())).unwrap_or(0);
    for (at, mut package) in specs.into_iter().enumerate() {
        if at != main {
            package.beside = true;
            unwrapper.plan.steps.push(super::Step::new(program, StepKind::Package(package)));
        }
    }
    let main = packages.get(main).or(packages.first()).map(|word| installed(spec::npm(runner, word), &options));
    let Some(mut main) = main else { return };
    main.command = line.as_ref().or(parsed.rest.first()).map(|word| word.text.clone());
    // The arguments of a called line are followed by the words behind its command.
    let args: Vec<Located> = match line {
        Some(line) => vec![line],
        None => parsed.rest.iter().skip(1).cloned().collect(),
    };
    unwrapper.package(program, main, &args, &options);
}
