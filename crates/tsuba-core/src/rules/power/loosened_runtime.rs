use crate::judge::{Check, Circumstance, Entries, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "power/loosened-runtime",
    title: "runtime protections disabled",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "{setting} {what}",
    why: "The runtime no longer bounds the server, or loads other code into it before its own first line runs.",
    fix: "Leave it out; grant single permissions, and start the program by its full path.",
    before: r#"{ "mcpServers": { "tide-table": { "command": "deno", "args": ["run", "-A", "npm:@saltmarsh/tide-table@2.4.1"] } } }"#,
    after: r#"{ "mcpServers": { "tide-table": { "command": "deno", "args": ["run", "--allow-net=tides.saltmarsh-line.example", "npm:@saltmarsh/tide-table@2.4.1"] } } }"#,
    references: &["CWE-426", "CWE-250"],
    ways: Ways::PLAIN,
    check: Check::Entry(check),
};

/// Variables that load code into every program started with them.
const PRELOADS: &[&str] = &[
    "LD_PRELOAD",
    "LD_LIBRARY_PATH",
    "LD_AUDIT",
    "DYLD_INSERT_LIBRARIES",
    "DYLD_LIBRARY_PATH",
    "PYTHONSTARTUP",
    "BASH_ENV",
    "PERL5OPT",
    "RUBYOPT",
    "JAVA_TOOL_OPTIONS",
    "NODE_REPL_EXTERNAL_MODULE",
];

fn check(entries: &Entries<'_>, out: &mut Out<'_>) {
    let entry = entries.entry;
    for variable in entry.variables.iter().filter(|v| !v.header && !v.passed_on && !v.value.text.trim().is_empty()) {
        let (name, value) = (variable.name.to_ascii_uppercase(), variable.value.text.as_str());
        let loads =
            ["--require", "-r ", "--import", "--loader", "--experimental-loader"].iter().any(|o| value.contains(o));
        let front = value.split([':', ';']).next().unwrap_or_default();
        if PRELOADS.contains(&name.as_str()) || (name == "NODE_OPTIONS" && loads) {
            out.hit(&variable.value).arg("setting", name).arg("what", "loads other code into the server");
        } else if matches!(name.as_str(), "PYTHONPATH" | "NODE_PATH" | "PERL5LIB" | "RUBYLIB" | "CLASSPATH")
            && value
                .split([':', ';'])
                .any(|part| ["/tmp", "/var/tmp", "/dev/shm"].iter().any(|shared| part.starts_with(shared)))
        {
            out.hit(&variable.value)
                .arg("setting", name)
                .arg("what", "loads code from a folder that everybody can write to");
        } else if name == "PATH" && (front.is_empty() || front.starts_with('.') || front.starts_with("/tmp")) {
            out.hit(&variable.value)
                .arg("setting", "PATH")
                .arg("what", "looks for programs in a folder that others can write to first");
        } else if matches!(name.as_str(), "PIP_TRUSTED_HOST" | "UV_INSECURE_HOST") {
            out.hit(&variable.value)
                .arg("setting", name)
                .arg("what", "takes packages from a host without checking who it is");
        }
    }
    let steps = entry.plan.iter().flat_map(|plan| &plan.steps);
    for word in steps.flat_map(|step| &step.options) {
        let what = match word.text.as_str() {
            "-A" | "--allow-all" => "grants every permission",
            "--allow-run" | "--allow-ffi" => "lets it start any program, outside of every other permission",
            "--unsafe-perm" | "--allow-scripts" | "--ignore-scripts=false" => {
                "runs the install scripts of every package"
            }
            "--allow-insecure-host" | "--trusted-host" => "takes packages from a host without checking who it is",
            _ => continue,
        };
        out.hit(word).arg("setting", &word.text).arg("what", what);
    }
    for container in entry.plan.iter().flat_map(|plan| plan.containers()).map(|(_, container)| container) {
        let options = container.values(&["--security-opt"]);
        for option in
            options.filter(|o| matches!(o.text.as_str(), "no-new-privileges=false" | "no-new-privileges:false"))
        {
            // It only takes away a bound that a program with more rights would need.
            out.hit(option)
                .arg("setting", entries.quoted(option, || format!("--security-opt {}", option.text)))
                .arg("what", "lets what runs in the container gain more rights than it was started with")
                .circumstance(Circumstance::Weak)
                .advice("Switch it off: `allowPrivilegeEscalation: false`, or `--security-opt no-new-privileges`.");
        }
    }
    let contained = entry.plan.as_ref().is_some_and(|plan| plan.containers().next().is_some());
    for word in entry.plan.iter().filter_map(|plan| plan.server()).flat_map(|step| &step.args) {
        let name = word.text.split('=').next().unwrap_or(&word.text);
        let what = match name {
            "--no-sandbox" | "--disable-setuid-sandbox" => "takes the wall between web pages and this account away",
            "--disable-web-security" => "lets every web page read every other",
            // What calls itself so needs no list.
            name if name.starts_with("--dangerously") || name == "--yolo" => {
                "switches off a check that its makers thought needed"
            }
            _ => continue,
        };
        if !word.text.ends_with("=false") {
            out.hit(word).arg("setting", name).arg("what", what).circumstance_if(contained, Circumstance::Weak);
        }
    }
}
