//! Does a server answer one client otherwise than another?

use crate::evidence::{Difference, Session};
use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};

/// More differences than this are not told one by one.
const MAX_DIFFERENCES: usize = 64;

/// Compares all that was answered in two sessions, by the names of the items; the order of items and of keys makes no difference.
pub(crate) fn differences(sessions: &[Session], first: usize, second: usize) -> Vec<Difference> {
    let (Some(one), Some(other)) = (sessions.get(first), sessions.get(second)) else { return Vec::new() };
    let mut out = Vec::new();
    let methods: BTreeSet<&'static str> = one.answers.keys().chain(other.answers.keys()).copied().collect();
    for method in methods.into_iter().filter(|method| method.ends_with("/list")) {
        let (left, right) = (items(one, method), items(other, method));
        let names: BTreeSet<&String> = left.keys().chain(right.keys()).collect();
        for name in names {
            let what = match (left.get(name), right.get(name)) {
                (Some(_), None) => "only in the first",
                (None, Some(_)) => "only in the second",
                (Some(left), Some(right)) if left != right => "not the same",
                _ => continue,
            };
            let item = Some(name.chars().take(128).collect());
            out.push(Difference { sessions: [first, second], method: method.to_owned(), item, what });
        }
    }
    let message = |session: &Session| {
        let answer =
            ["initialize", "server/discover"].iter().find_map(|method| session.answers.get(*method)?.first())?;
        serde_json::from_str::<Value>(answer.get()).ok()?.get("instructions").cloned()
    };
    if message(one) != message(other) {
        let method = "instructions".to_owned();
        out.push(Difference { sessions: [first, second], method, item: None, what: "not the same" });
    }
    out.truncate(MAX_DIFFERENCES);
    out
}

/// The items of a list by name, without what only one era has (`protocol.md`, 1.2 and 2.1).
fn items(session: &Session, method: &str) -> BTreeMap<String, Vec<Value>> {
    let mut out: BTreeMap<String, Vec<Value>> = BTreeMap::new();
    for page in session.answers.get(method).into_iter().flatten() {
        let page: Value = serde_json::from_str(page.get()).unwrap_or_default();
        let lists = page.as_object().into_iter().flatten().filter_map(|(key, value)| Some((key, value.as_array()?)));
        for mut item in lists.filter(|(key, _)| *key != "_meta").flat_map(|(_, list)| list.iter().cloned()) {
            let name = ["name", "uri", "uriTemplate"].iter().find_map(|key| item.get(*key)?.as_str());
            let name = name.unwrap_or_default().to_owned();
            if let Some(fields) = item.as_object_mut() {
                fields.remove("execution");
            }
            out.entry(name).or_default().push(item);
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::evidence::Era;
    use serde_json::value::RawValue;

    fn session(tools: &str) -> Session {
        let raw = |text: &str| RawValue::from_string(text.to_owned()).unwrap();
        Session {
            era: Era::Handshake,
            profile: "tsuba",
            protocol: None,
            answers: BTreeMap::from([("tools/list", vec![raw(tools)])]),
            errors: BTreeMap::new(),
            asked: Vec::new(),
            notices: BTreeMap::new(),
            ended: String::new(),
            troubles: Vec::new(),
        }
    }

    #[test]
    fn only_what_differs_is_told() {
        let tide = r#"{"name":"tide","description":"a","inputSchema":{"type":"object","x":1}}"#;
        for (left, right, want) in [
            (format!("[{tide}]"), format!("[{tide}]"), vec![]),
            (
                format!("[{tide}]"),
                r#"[{"inputSchema":{"x":1,"type":"object"},"description":"a","execution":{"taskSupport":"forbidden"},"name":"tide"}]"#.to_owned(),
                vec![],
            ),
            (format!("[{tide}]"), "[]".to_owned(), vec![("tide", "only in the first")]),
            (
                format!("[{tide}]"),
                format!("[{}]", tide.replace("\"a\"", "\"b\"")),
                vec![("tide", "not the same")],
            ),
        ] {
            let all = [session(&format!(r#"{{"tools":{left}}}"#)), session(&format!(r#"{{"tools":{right}}}"#))];
            let found = differences(&all, 0, 1);
            let found: Vec<(&str, &str)> =
                found.iter().map(|d| (d.item.as_deref().unwrap_or_default(), d.what)).collect();
            assert_eq!(found, want, "{left} {right}");
        }
    }
}
