use crate::judge::{Check, Circumstance, Listings, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;
use crate::understand::Analysis;

pub(super) static RULE: Rule = Rule {
    id: "supply/install-script",
    title: "package runs an install script",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "{package} runs an install script{more}",
    why: "Whoever starts the entry runs it, outside of any cage and before the server says a word: it is where hostile versions do their work.",
    fix: "Read the script; where it is not needed, install with scripts switched off.",
    before: r##"{"schema": "tsuba-evidence/1", "setup": "setup.json", "entry": "tide-table", "package": {"client": "npm", "name": "@saltmarsh/tide-table", "asked": "@saltmarsh/tide-table@^2", "version": "2.4.1", "scripts": ["@saltmarsh/tide-table@2.4.1"]}, "sessions": []}"##,
    after: r##"{"schema": "tsuba-evidence/1", "setup": "setup.json", "entry": "tide-table", "package": {"client": "npm", "name": "@saltmarsh/tide-table", "asked": "@saltmarsh/tide-table@^2", "version": "2.4.1"}, "sessions": []}"##,
    references: &["CWE-829", "CWE-506"],
    ways: Ways::PLAIN,
    check: Check::Each(&[Check::Listing(check), Check::Setup(own)]),
};

fn check(listings: &Listings<'_>, out: &mut Out<'_>) {
    let Some(package) = listings.listing.captured.as_ref().and_then(|captured| captured.package.as_ref()) else {
        return;
    };
    let own = |script: &str| script.rsplit_once('@').is_some_and(|(name, _)| name == package.name.text);
    let Some(first) = package.scripts.first() else { return };
    let more = match package.scripts.len() - 1 {
        0 => String::new(),
        1 => ", and one more that comes with it".to_owned(),
        count => format!(", and {count} more that come with it"),
    };
    // What comes with it is often a program that is built for the machine.
    out.hit(first)
        .arg("package", first.text.clone())
        .arg("more", more)
        .circumstance_if(!own(&first.text), Circumstance::Beside);
}

/// A package that lies here with its own manifest.
fn own(analysis: &Analysis, out: &mut Out<'_>) {
    let Some(manifest) = &analysis.manifest else { return };
    let package = manifest.packages.first().map(|package| package.name.text.as_str()).unwrap_or_default();
    for (name, script) in &manifest.scripts {
        out.hit(script).arg("package", package).arg("more", format!(" ({name})"));
    }
}
