use crate::judge::{All, Check, EntryRef, Out, Rule, Verdict, Ways};
use crate::prelude::*;
use crate::severity::Severity;
use crate::text::Located;
use crate::understand::{Manifest, Published};

pub(super) static RULE: Rule = Rule {
    id: "supply/manifest-mismatch",
    title: "manifest and package disagree",
    severity: Severity::Medium,
    verdict: Verdict::FixFirst,
    message: "the manifest says {says}, and {other} says {found}",
    why: "Whoever reviews the manifest reviews something else than what is started. Such a difference is how a package is swapped, and how a forgotten one is left behind.",
    fix: "Publish manifest and package together, with one name and one version.",
    before: r##"--- server.json
{ "name": "example.saltmarsh-line/tide-table", "version": "2.4.0", "packages": [{ "registryType": "npm", "identifier": "@saltmarsh/tide-table", "version": "2.4.1" }] }"##,
    after: r##"--- server.json
{ "name": "example.saltmarsh-line/tide-table", "version": "2.4.1", "packages": [{ "registryType": "npm", "identifier": "@saltmarsh/tide-table", "version": "2.4.1" }] }"##,
    references: &["CWE-345", "CWE-1357"],
    ways: Ways::PLAIN,
    check: Check::All(check),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    let manifests: Vec<(usize, &str, &Manifest)> = all
        .analyses
        .iter()
        .enumerate()
        .filter_map(|(index, analysis)| Some((index, folder(&analysis.document.path), analysis.manifest.as_ref()?)))
        .collect();
    for (index, _, manifest) in &manifests {
        for package in &manifest.packages {
            if let (Some(version), Some(own)) = (&manifest.version, &package.version)
                && version.text != own.text
            {
                tell(
                    out,
                    *index,
                    version,
                    (&format!("version {}", version.text), "its package", &format!("version {}", own.text)),
                );
            }
        }
    }
    // The package's own manifest lies beside the one that publishes it.
    let mut folders: BTreeMap<&str, Vec<(usize, &Manifest)>> = BTreeMap::new();
    for (index, place, manifest) in manifests.iter().filter(|(_, _, manifest)| manifest.version.is_none()) {
        folders.entry(place).or_default().push((*index, manifest));
    }
    for (index, place, manifest) in manifests.iter().filter(|(_, _, manifest)| !manifest.packages.is_empty()) {
        let beside = folders.get(place).into_iter().flatten().filter(|(other, _)| other != index);
        for (own, published) in beside.filter_map(|(_, other)| pair(manifest, other)) {
            if own.name.text != published.name.text {
                let says = (&*published.name.text, "the package's own manifest", &*own.name.text);
                tell(out, *index, &published.name, says);
            } else if let (Some(is), Some(said)) = (&own.version, &published.version)
                && is.text != said.text
            {
                let says = (
                    &*format!("version {}", said.text),
                    "the package's own manifest",
                    &*format!("version {}", is.text),
                );
                tell(out, *index, said, says);
            }
        }
    }
}

/// What a package says of itself, and what a manifest of the same server says of it.
fn pair<'m>(manifest: &'m Manifest, other: &'m Manifest) -> Option<(&'m Published, &'m Published)> {
    // Without the server's name it is the same where the package is.
    let package = |own: &Published| manifest.packages.iter().any(|package| package.name.text == own.name.text);
    let same = match &other.name {
        Some(name) => manifest.name.as_ref()?.text == name.text,
        None => other.packages.first().is_some_and(package),
    };
    // The package's own manifest has no version beside the package's.
    let own = other.packages.first().filter(|_| same && other.version.is_none() && manifest.version.is_some())?;
    Some((own, manifest.packages.iter().find(|package| package.kind == own.kind)?))
}

fn tell(out: &mut Out<'_>, index: usize, at: &Located, (says, other, found): (&str, &str, &str)) {
    let entry_ref = EntryRef { analysis: index, entry: None };
    out.hit_in(entry_ref, at).arg("says", says).arg("other", other).arg("found", found);
}

fn folder(path: &str) -> &str {
    path.rsplit_once(['/', '\\']).map_or("", |(folder, _)| folder)
}
