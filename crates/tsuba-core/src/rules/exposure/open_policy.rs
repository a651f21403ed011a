use crate::judge::{Check, Out, Rule, Verdict, Ways};
use crate::severity::Severity;
use crate::understand::Analysis;

pub(super) static RULE: Rule = Rule {
    id: "exposure/open-policy",
    title: "policy admits every identity",
    severity: Severity::High,
    verdict: Verdict::FixFirst,
    message: "{role} may dial or host: that is every identity",
    why: "An overlay network hides a server from everybody but those who may dial it. A role that everybody has takes that away, and whoever may host can stand in for the server.",
    fix: "Name the roles of those who need it.",
    before: r##"{ "type": "Dial", "name": "tide-table", "identityRoles": ["#all"], "serviceRoles": ["#mcp"] }"##,
    after: r##"{ "type": "Dial", "name": "tide-table", "identityRoles": ["#harbour-desk"], "serviceRoles": ["#mcp"] }"##,
    references: &["CWE-284", "NIST SP 800-207, 3.1"],
    ways: Ways::OF_CALLERS,
    check: Check::Setup(check),
};

fn check(analysis: &Analysis, out: &mut Out<'_>) {
    for role in &analysis.exposure.open_roles {
        out.hit(role).arg("role", &role.text);
    }
}
