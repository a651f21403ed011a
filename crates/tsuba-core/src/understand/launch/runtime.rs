//! Other runtimes: `node FILE`, `deno run`, `dnx`, `dotnet`, `go run`, `cargo run`, `java -jar`; and programs of this machine.

use super::unwrap::Unwrapper;
use super::{StepKind, options, program_name, spec};
use crate::prelude::*;
use crate::text::Located;

/// Follows a runtime's command line; an unknown program is a program of this machine.
pub(super) fn run(unwrapper: &mut Unwrapper<'_>, program: &Located, name: &str, args: &[Located]) {
    match name {
        "node" | "nodejs" | "tsx" | "ts-node" | "bun" | "ts-node-esm" | "electron" => {
            javascript(unwrapper, program, args)
        }
        "deno" => deno(unwrapper, program, args),
        "dnx" => dotnet_tool(unwrapper, program, "dnx", args, &[]),
        "dotnet" => dotnet(unwrapper, program, args),
        "go" => go(unwrapper, program, args),
        "cargo" => cargo(unwrapper, program, args),
        "nix" => nix(unwrapper, program, args),
        "mcp" | "fastmcp" => match args {
            [verb, file_, rest @ ..] if matches!(verb.text.as_str(), "run" | "dev") => {
                let verb = core::slice::from_ref(verb);
                file(unwrapper, program, Some(file_.clone()), rest, verb);
            }
            _ => unwrapper.server(program, StepKind::Program, args, &[]),
        },
        "java" => {
            let parsed = options::parse(unwrapper.source, args, &["-jar", "-cp", "-classpath", "--class-path", "-m"]);
            let script = parsed.values(&["-jar"]).next().or(parsed.rest.first()).cloned();
            let skip = usize::from(parsed.values(&["-jar"]).next().is_none());
            file(unwrapper, program, script, parsed.rest.get(skip..).unwrap_or_default(), parsed.consumed);
        }
        "ruby" | "php" | "perl" | "lua" | "rscript" => {
            let parsed = options::parse(unwrapper.source, args, &["-e", "-r", "-I"]);
            if let Some(text) = parsed.values(&["-e"]).next() {
                return unwrapper.server(program, StepKind::Inline(text.clone()), parsed.rest, parsed.consumed);
            }
            file(
                unwrapper,
                program,
                parsed.rest.first().cloned(),
                parsed.rest.get(1..).unwrap_or_default(),
                parsed.consumed,
            );
        }
        _ => unwrapper.server(program, StepKind::Program, args, &[]),
    }
}

fn file(
    unwrapper: &mut Unwrapper<'_>,
    program: &Located,
    script: Option<Located>,
    args: &[Located],
    options: &[Located],
) {
    match script {
        Some(script) => unwrapper.server(program, StepKind::Script(script), args, options),
        None => unwrapper.server(program, StepKind::Program, options, &[]),
    }
}

fn javascript(unwrapper: &mut Unwrapper<'_>, program: &Located, args: &[Located]) {
    let with_value = [
        "-r",
        "--require",
        "--import",
        "--loader",
        "--experimental-loader",
        "-e",
        "--eval",
        "-p",
        "--print",
        "-C",
        "--conditions",
        "--env-file",
        "--env-file-if-exists",
        "--tsconfig",
        "--cwd",
        "--preload",
    ];
    let mut parsed = options::parse(unwrapper.source, args, &with_value);
    unwrapper.plan.env_files.extend(parsed.values(&["--env-file", "--env-file-if-exists"]).cloned());
    if let Some(text) = parsed.values(&["-e", "--eval", "-p", "--print"]).next().cloned() {
        return unwrapper.server(program, StepKind::Inline(text), parsed.rest, parsed.consumed);
    }
    if parsed.rest.first().is_some_and(|w| matches!(w.text.as_str(), "run" | "watch")) {
        let behind = options::parse(unwrapper.source, parsed.rest.get(1..).unwrap_or_default(), &with_value);
        let taken = parsed.consumed.len() + 1 + behind.consumed.len();
        parsed.consumed = args.get(..taken).unwrap_or_default();
        parsed.rest = behind.rest;
    }
    let Some((script, rest)) = parsed.rest.split_first() else {
        return unwrapper.server(program, StepKind::Program, args, &[]);
    };
    // The runners' own start files, as an installer on another system writes them out.
    let stem = program_name(&script.text);
    for (start, runner) in [("npx-cli.js", "npx"), ("npm-cli.js", "npm")] {
        if stem == start {
            unwrapper.wrapper(program, parsed.consumed);
            let words: Vec<Located> = core::iter::once(script.with_text(runner)).chain(rest.iter().cloned()).collect();
            return unwrapper.run(&words);
        }
    }
    file(unwrapper, program, Some(script.clone()), rest, parsed.consumed);
}

fn deno(unwrapper: &mut Unwrapper<'_>, program: &Located, args: &[Located]) {
    let with_value = [
        "-c",
        "--config",
        "--import-map",
        "--lock",
        "--location",
        "--env-file",
        "--cert",
        "--seed",
        "-L",
        "--log-level",
        "--v8-flags",
    ];
    let Some(rest) = args
        .split_first()
        .filter(|(verb, _)| matches!(verb.text.as_str(), "run" | "serve" | "x"))
        .map(|(_, rest)| rest)
    else {
        return unwrapper.server(program, StepKind::Program, args, &[]);
    };
    let parsed = options::parse(unwrapper.source, rest, &with_value);
    let options = args.get(..=parsed.consumed.len()).unwrap_or_default();
    let Some((word, rest)) = parsed.rest.split_first() else {
        return unwrapper.server(program, StepKind::Program, args, &[]);
    };
    let kind = match spec::deno("deno run", word) {
        Some(package) => StepKind::Package(package),
        None if word.text.starts_with("https://") || word.text.starts_with("http://") => {
            StepKind::RemoteScript(word.clone())
        }
        None => StepKind::Script(word.clone()),
    };
    unwrapper.server(program, kind, rest, options);
}

fn dotnet_tool(unwrapper: &mut Unwrapper<'_>, program: &Located, runner: &str, args: &[Located], before: &[Located]) {
    let with_value =
        ["--version", "--source", "--add-source", "--configfile", "--framework", "-f", "--verbosity", "-v"];
    let parsed = options::parse(unwrapper.source, args, &with_value);
    let Some((word, rest)) = parsed.rest.split_first() else {
        return unwrapper.server(program, StepKind::Program, args, &[]);
    };
    // The runner's options may follow the package, up to `--`.
    let behind = options::parse(unwrapper.source, rest, &with_value);
    let separated = rest.iter().any(|w| w.text == "--");
    let version = parsed.values(&["--version"]).next().or_else(|| behind.values(&["--version"]).next());
    let package = spec::nuget(runner, word, version);
    let options: Vec<Located> =
        before.iter().chain(parsed.consumed).chain(if separated { behind.consumed } else { &[] }).cloned().collect();
    let args = if separated { behind.rest } else { rest };
    unwrapper.server(program, StepKind::Package(package), args, &options);
}

fn dotnet(unwrapper: &mut Unwrapper<'_>, program: &Located, args: &[Located]) {
    let words: Vec<&str> = args.iter().take(2).map(|w| w.text.as_str()).collect();
    match words.as_slice() {
        ["tool", "exec" | "execute"] => dotnet_tool(
            unwrapper,
            program,
            "dotnet tool exec",
            args.get(2..).unwrap_or_default(),
            args.get(..2).unwrap_or_default(),
        ),
        ["tool", "run"] => file(unwrapper, program, args.get(2).cloned(), args.get(3..).unwrap_or_default(), &[]),
        ["run", ..] => {
            let rest = args.get(1..).unwrap_or_default();
            let parsed = options::parse(
                unwrapper.source,
                rest,
                &["--project", "-p", "-c", "--configuration", "-f", "--framework", "--launch-profile", "-r", "--file"],
            );
            let script =
                parsed.values(&["--project", "-p", "--file"]).next().cloned().or_else(|| args.first().cloned());
            file(unwrapper, program, script, parsed.rest, parsed.consumed);
        }
        [first, ..] if !first.starts_with('-') => {
            file(unwrapper, program, args.first().cloned(), args.get(1..).unwrap_or_default(), &[])
        }
        _ => unwrapper.server(program, StepKind::Program, args, &[]),
    }
}

fn nix(unwrapper: &mut Unwrapper<'_>, program: &Located, args: &[Located]) {
    let parsed = options::parse(unwrapper.source, args, NIX_VALUE);
    let run = parsed.rest.split_first().filter(|(verb, _)| verb.text == "run").map(|(_, rest)| rest);
    let Some(rest) = run else { return unwrapper.server(program, StepKind::Program, args, &[]) };
    let behind = options::parse(unwrapper.source, rest, NIX_VALUE);
    let Some((word, rest)) = behind.rest.split_first() else {
        return unwrapper.server(program, StepKind::Program, args, &[]);
    };
    let rest = match rest {
        [end, rest @ ..] if end.text == "--" => rest,
        all => all,
    };
    unwrapper.server(program, StepKind::Package(spec::flake("nix run", word)), rest, behind.consumed);
}

const NIX_VALUE: &[&str] = &["--extra-experimental-features", "--experimental-features", "-I", "--option"];

fn go(unwrapper: &mut Unwrapper<'_>, program: &Located, args: &[Located]) {
    if let [verb, rest @ ..] = args
        && verb.text == "install"
    {
        let words = rest.iter().filter(|word| !word.text.starts_with('-'));
        return unwrapper.installed(program, words.map(|word| spec::go("go install", word)));
    }
    let Some(rest) = args.split_first().filter(|(verb, _)| verb.text == "run").map(|(_, rest)| rest) else {
        return unwrapper.server(program, StepKind::Program, args, &[]);
    };
    let parsed = options::parse(
        unwrapper.source,
        rest,
        &["-C", "-mod", "-modfile", "-tags", "-ldflags", "-gcflags", "-exec", "-p", "-o", "-overlay"],
    );
    let Some((word, behind)) = parsed.rest.split_first() else {
        return unwrapper.server(program, StepKind::Program, args, &[]);
    };
    let package = spec::go("go run", word);
    let kind =
        if package.source == super::Source::Path { StepKind::Script(word.clone()) } else { StepKind::Package(package) };
    unwrapper.server(program, kind, behind, parsed.consumed);
}

fn cargo(unwrapper: &mut Unwrapper<'_>, program: &Located, args: &[Located]) {
    let at = args.iter().position(|w| w.text == "run" || w.text == "r");
    let Some(at) = at else { return unwrapper.server(program, StepKind::Program, args, &[]) };
    let rest = args.get(at + 1..).unwrap_or_default();
    let parsed = options::parse(
        unwrapper.source,
        rest,
        &[
            "--manifest-path",
            "-p",
            "--package",
            "--bin",
            "--example",
            "-F",
            "--features",
            "--profile",
            "--target",
            "--target-dir",
            "-j",
        ],
    );
    let script = parsed
        .values(&["--manifest-path"])
        .next()
        .or_else(|| parsed.values(&["-p", "--package", "--bin"]).next())
        .cloned()
        .or_else(|| args.get(at).cloned());
    file(unwrapper, program, script, parsed.rest, parsed.consumed);
}
