//! Every case of every rule is a test of its own.

mod support;

use libtest_mimic::{Arguments, Failed, Trial};
use tsuba_core::rules;

fn main() {
    let mut trials = Vec::new();
    for (family, name) in support::rule_files() {
        let id = format!("{family}/{}", name.replace('_', "-"));
        let file = support::rules_folder().join(&family).join(format!("{name}.case"));
        let text = std::fs::read_to_string(&file).unwrap_or_default();
        let cases = support::parse(&text);
        let (firing, silent) = (
            cases.iter().filter(|c| !c.expect.is_empty()).count(),
            cases.iter().filter(|c| c.expect.is_empty()).count(),
        );
        trials.push(Trial::test(format!("{id}: has cases"), move || {
            if firing >= 1 && silent >= 2 {
                Ok(())
            } else {
                Err(Failed::from(format!("{firing} firing and {silent} silent cases; wanted 1 and 2")))
            }
        }));
        for case in cases {
            let id = id.clone();
            trials.push(Trial::test(format!("{id}: {}", case.name), move || {
                let rule = rules::find(&id).ok_or("the rule is not in its family's list")?;
                let found = support::run(rule, case.files);
                let (found, expect) = (found.join("\n"), case.expect.join("\n"));
                if found == expect {
                    Ok(())
                } else {
                    Err(Failed::from(format!("expected:\n{expect}\nfound:\n{found}")))
                }
            }));
        }
    }
    // A case file without a rule tests nothing.
    for (family, name) in support::case_files() {
        let known = support::rule_files().contains(&(family.clone(), name.clone()));
        trials.push(Trial::test(format!("{family}/{name}.case: has a rule"), move || {
            if known { Ok(()) } else { Err("no such rule".into()) }
        }));
    }
    libtest_mimic::run(&Arguments::from_args(), trials).exit();
}
