use super::shared;
use crate::judge::{All, Check, Circumstance, Out, Rule, Verdict, Ways};
use crate::policy::Ruling;
use crate::prelude::*;
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "scope/not-allowed",
    title: "scope not allowed by policy",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "{what} has {scopes}, which the policy {how}",
    why: "The company has decided which scopes tool servers may be granted, so that not each of them is a question of its own.",
    fix: "Have the token issued anew without them, or have the policy (tsuba.toml) changed.",
    before: r##"--- tsuba.toml
[allow]
scopes = ["*.read"]
--- grants.csv
app,user,scopes
tide-table,mira,tides.read tides.write"##,
    after: r##"--- tsuba.toml
[allow]
scopes = ["*.read"]
--- grants.csv
app,user,scopes
tide-table,mira,tides.read"##,
    references: &["RFC 9700, 2.3", "NIST SP 800-53, AC-6"],
    ways: Ways::PLAIN,
    check: Check::All(check),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    for held in shared::held(all) {
        let against = |wanted: &str| -> Vec<&str> {
            let is_against = |scope: &&String| all.policy.scope(scope).against() == Some(wanted);
            held.scopes.iter().filter(is_against).map(String::as_str).collect()
        };
        for how in ["refuses", "does not allow"] {
            let scopes = against(how);
            if !scopes.is_empty() {
                let refused = scopes.iter().any(|scope| matches!(all.policy.scope(scope), Ruling::Refused(_)));
                out.hit_in(held.entry_ref, &held.at)
                    .arg("what", held.what.clone())
                    .arg("scopes", scopes.join(", "))
                    .arg("how", how)
                    .circumstance_if(refused, Circumstance::Grave);
            }
        }
    }
}
