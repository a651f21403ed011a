use crate::judge::{All, Check, EntryRef, Out, Rule, Verdict, Ways};
use crate::severity::Severity;

pub(super) static RULE: Rule = Rule {
    id: "review/template-leftover",
    title: "template placeholder left in a manifest",
    severity: Severity::Low,
    verdict: Verdict::FixFirst,
    message: "{field} still has the value of its template",
    why: "Whoever looks for the server, or checks who has published it, finds the template's words. What was not filled in was not looked at either.",
    fix: "Fill it in before it is published.",
    before: r##"--- server.json
{ "name": "example.saltmarsh-line/tide-table", "description": "{{description}}", "version": "2.4.1", "remotes": [{ "type": "sse", "url": "https://tides.saltmarsh-line.example/sse" }] }"##,
    after: r##"--- server.json
{ "name": "example.saltmarsh-line/tide-table", "description": "Tides of harbours.", "version": "2.4.1", "remotes": [{ "type": "sse", "url": "https://tides.saltmarsh-line.example/sse" }] }"##,
    references: &["CWE-1188"],
    ways: Ways::PLAIN.formerly("review/unfilled"),
    check: Check::All(check),
};

fn check(all: &All<'_>, out: &mut Out<'_>) {
    for (analysis, manifest) in all.analyses.iter().enumerate().filter_map(|(at, s)| Some((at, s.manifest.as_ref()?))) {
        for field in &manifest.unfilled {
            let name = field.pointer.as_str().trim_start_matches('/');
            out.hit_in(EntryRef { analysis, entry: None }, field).arg("field", name);
        }
    }
}
