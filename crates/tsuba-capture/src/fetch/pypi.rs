//! The Python registry, by pip. Only wheels are taken: what has to be built would run while it is fetched.

use super::client::Work;
use super::{Start, Wanted, is_word};
use crate::evidence::Package;
use serde_json::Value;
use std::fs;
use std::path::PathBuf;
use tsuba_core::understand::launch::Package as Named;

/// A requirement as pip takes it (PEP 508); `None` for what may be something else.
pub(super) fn spec(package: &Named) -> Option<String> {
    if !is_word(&package.name, "._-") {
        return None;
    }
    let extras = package.spec.text.split_once('[').and_then(|(_, rest)| rest.split_once(']')).map(|(extras, _)| extras);
    let extras = match extras {
        Some(extras) if extras.chars().all(|c| c.is_ascii_alphanumeric() || "._-, ".contains(c)) => {
            format!("[{extras}]")
        }
        Some(_) => return None,
        None => String::new(),
    };
    let version = package.version.as_deref().map(str::trim).unwrap_or_default();
    if !version.chars().all(|c| c.is_ascii_alphanumeric() || ".*+!<>=~,-_ ".contains(c)) {
        return None;
    }
    let version = match version {
        "" | "latest" => String::new(),
        plain if plain.starts_with(|c: char| c.is_ascii_alphanumeric()) => format!("=={plain}"),
        range => range.to_owned(),
    };
    Some(format!("{}{extras}{version}", package.name))
}

/// Starts pip so that it starts nothing: a requirement that is an address is built whatever its options say, and a build runs what the package
/// brings. Only the keyring, by which a machine may be set up to log in, is let through. A hook cannot be taken away again (PEP 578).
const START: &str = r#"
import os, runpy, sys

def hook(event, args):
    starts = event == "subprocess.Popen" or event in ("os.system", "os.exec", "os.posix_spawn", "os.spawn", "os.fork", "os.forkpty")
    if starts and os.path.basename(os.fsdecode(args[0]) if args and args[0] else "") != "keyring":
        raise PermissionError("nothing is built or run while a package is fetched")

sys.addaudithook(hook)
sys.argv[0] = "pip"
runpy.run_module("pip", run_name="__main__", alter_sys=True)
"#;

pub(super) fn fetch(wanted: &Wanted, work: &Work<'_>, package: &mut Package) -> Result<Start, String> {
    let python = work.run("python3", &["-I", "-c", "import sys; print(sys.executable)"])?;
    let python = python.out.trim().to_owned();
    if python.is_empty() {
        return Err("python3 does not start".to_owned());
    }
    let mut args = vec!["-c", START, "install", "--target=lib", "--only-binary=:all:", "--report=report.json"];
    args.extend(["--no-input", "--no-cache-dir", "--no-compile", "--disable-pip-version-check", "--quiet", "--"]);
    args.extend(wanted.specs.iter().map(String::as_str));
    let said = work.run(&python, &args)?;
    if !said.success {
        let none =
            ["No matching distribution", "nothing is built or run"].iter().any(|message| said.err.contains(message));
        let why = if none { ": it has no such version as a wheel, and what must be built is not fetched" } else { "" };
        return Err(format!("pip could not fetch it{why}"));
    }
    let report = fs::read(work.folder.join("report.json")).ok();
    let report: Value = report.and_then(|bytes| serde_json::from_slice(&bytes).ok()).unwrap_or_default();
    read_report(&report, &wanted.name, package);
    let lib = work.folder.join("lib");
    let command = wanted.command.as_deref().unwrap_or(&wanted.name);
    let script = lib.join("bin").join(command);
    if !script.is_file() {
        return Err(format!("{} has no program called {command}", wanted.name));
    }
    let env = vec![("PYTHONPATH".into(), lib.clone().into())];
    Ok((PathBuf::from(python).into(), vec![script.into()], env, vec![lib]))
}

/// pip's installation report says what was resolved.
fn read_report(report: &Value, name: &str, package: &mut Package) {
    let Some(all) = report.get("install").and_then(Value::as_array) else { return };
    package.packages = Some(all.len());
    let called =
        |item: &&Value| item.pointer("/metadata/name").and_then(Value::as_str).is_some_and(|n| plain(n) == plain(name));
    let Some(own) = all.iter().find(called) else { return };
    package.version = own.pointer("/metadata/version").and_then(Value::as_str).map(str::to_owned);
    let hash = own.pointer("/download_info/archive_info/hashes/sha256").and_then(Value::as_str);
    package.integrity = hash.map(|hash| format!("sha256:{hash}"));
    if own.get("is_yanked").and_then(Value::as_bool) == Some(true) {
        package.deprecated = Some("taken back by its publisher (yanked)".to_owned());
    }
}

/// A name as the registry compares it (PEP 503).
fn plain(name: &str) -> String {
    name.to_ascii_lowercase().replace(['_', '.'], "-")
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn a_report_tells_what_was_resolved() {
        let item = |name: &str, yanked: bool| {
            json!({ "metadata": { "name": name, "version": "1.2.0" }, "is_yanked": yanked,
                "download_info": { "archive_info": { "hashes": { "sha256": "ab" } } } })
        };
        for (yanked, message) in [(true, Some("taken back by its publisher (yanked)")), (false, None)] {
            let mut package = Package::default();
            read_report(
                &json!({ "install": [item("bell", !yanked), item("Saltmarsh_Tides", yanked)] }),
                "saltmarsh-tides",
                &mut package,
            );
            assert_eq!((package.version.as_deref(), package.integrity.as_deref()), (Some("1.2.0"), Some("sha256:ab")));
            assert_eq!((package.deprecated.as_deref(), package.packages), (message, Some(2)));
        }
    }
}
