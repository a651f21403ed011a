//! The content of a register in one form only: what is signed. Comments, order and the way of writing do not matter to it.

use super::{Decision, FindingPlace, Past, Register, Scope, Signing};
use crate::prelude::*;
use serde_json::{Map, Value, json};

impl Register {
    /// Its content: which signing it is, and a line of JSON for each decision, in the order of names, keys in order.
    pub fn canonical(&self) -> String {
        let mut out = format!("{}\n", super::SCHEMA);
        if let Some(Signing { register, serial, on }) = &self.signing {
            let signing = json!({ "on": on.to_string(), "register": register, "serial": serial });
            out.push_str(&format!("signing {signing}\n"));
        }
        for decision in &self.decisions {
            out.push_str(&Value::Object(content(decision)).to_string());
            out.push('\n');
        }
        out
    }
}

/// Everything that a decision says.
fn content(decision: &Decision) -> Map<String, Value> {
    let Decision { kind, scope, team, by, on, reason, until, conditions, launch, prints, place, history } = decision;
    let mut all = BTreeMap::new();
    all.insert("kind", json!(kind.name()));
    match scope {
        Scope::Entry { setup, entry } => {
            all.insert("setup", json!(setup));
            all.insert("entry", json!(entry));
        }
        Scope::Package { source, package, version } => {
            all.insert("source", json!(source));
            all.insert("package", json!(package));
            all.insert("version", json!(version));
        }
        Scope::Host { host } => {
            all.insert("host", json!(host));
        }
        Scope::Finding { rule, finding } => {
            all.insert("rule", json!(rule));
            all.insert("finding", json!(finding));
        }
    }
    all.insert("team", json!(team));
    all.insert("by", json!(by));
    all.insert("on", json!(on.to_string()));
    all.insert("reason", json!(reason));
    all.insert("until", json!(until.map(|until| until.to_string())));
    all.insert("conditions", json!(conditions));
    all.insert("launch", json!(launch));
    all.insert(
        "listed",
        json!(prints.as_ref().map(|prints| json!({ "server": prints.server, "items": prints.items }))),
    );
    if let Some(FindingPlace { setup, entry, pointer }) = place {
        all.insert("place", json!({ "setup": setup, "entry": entry, "pointer": pointer }));
    }
    if !history.is_empty() {
        all.insert("history", history.iter().map(Past::content).collect());
    }
    all.into_iter().filter(|(_, value)| !value.is_null()).map(|(key, value)| (key.to_owned(), value)).collect()
}
