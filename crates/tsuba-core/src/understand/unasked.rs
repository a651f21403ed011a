//! Which tools run without anybody being asked, as far as a setup says.

use super::setup::Server;
use crate::prelude::*;
use crate::read::{Node, Value};
use crate::text::{Located, Pointer, normal};

/// What runs without asking.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Unasked {
    /// The setting that lets everything run.
    pub all: Option<Box<Located>>,
    /// The tools that are listed.
    pub tools: Vec<Located>,
    /// Is asking switched on in so many words (an empty list, `trust: false`)?
    pub asked: bool,
    /// Does another file let every tool run, or some of them?
    pub all_elsewhere: bool,
    /// Likewise, for some.
    pub some_elsewhere: bool,
}

/// A setting that speaks of asking: does a yes mean that nobody is asked, or that somebody is?
fn speaks(key: &str) -> Option<bool> {
    let plain = normal(key);
    match plain.as_str() {
        "autoapprove" | "autoapproved" | "autoapprovetools" | "autoapproveall" | "autoallow" | "alwaysallow"
        | "alwaysallowed" | "autorun" | "autoexecute" | "autoconfirm" | "trust" | "trusted" | "trustedtools"
        | "skipapproval" | "skipconfirmation" => Some(true),
        "requireapproval"
        | "requiresapproval"
        | "approval"
        | "approvalmode"
        | "approvalpolicy"
        | "askbeforeuse"
        | "confirm"
        | "requireconfirmation" => Some(false),
        _ => None,
    }
}

/// What the entry, and the permission lists around it, let run unasked.
pub(super) fn unasked(node: &Node, server: &Server<'_>) -> Unasked {
    let mut out = Unasked::default();
    for member in node.effective() {
        if let Some(yes_means_unasked) = speaks(&member.key.text) {
            setting(&member.value, server.pointer.key(&member.key.text), yes_means_unasked, &mut out);
        }
    }
    // `permissions: {allow: […]}`, and `tools: {NAME: {approval: never}}`.
    if let Some(allow) = node.get("permissions").and_then(|p| p.get("allow")) {
        setting(allow, server.pointer.key("permissions").key("allow"), true, &mut out);
    }
    for tool in node.get("tools").into_iter().flat_map(Node::effective) {
        let mut of_tool = Unasked::default();
        for member in tool.value.effective() {
            if let Some(yes_means_unasked) = speaks(&member.key.text) {
                let at = server.pointer.key("tools").key(&tool.key.text).key(&member.key.text);
                setting(&member.value, at, yes_means_unasked, &mut of_tool);
            }
        }
        if let Some(all) = of_tool.all {
            if tool.key.text == "*" { out.all = Some(all) } else { out.tools.push(all.with_text(&tool.key.text)) }
        }
    }
    around(server, &mut out);
    out
}

fn setting(value: &Node, at: Pointer, yes_means_unasked: bool, out: &mut Unasked) {
    // `require_approval: {never: {tool_names: […]}}`
    if let Some(tools) = value.get("never").filter(|_| !yes_means_unasked) {
        let names = tools.get("tool_names").unwrap_or(tools);
        return setting(names, at.key("never").key("tool_names"), true, out);
    }
    let word = || value.scalar().map(Cow::into_owned).unwrap_or_default();
    if let Value::List(items) = &value.value {
        let tools: Vec<Located> = items.iter().enumerate().filter_map(|(i, item)| item.located(at.index(i))).collect();
        out.asked |= tools.is_empty();
        return match tools.iter().find(|tool| tool.text == "*") {
            Some(star) => out.all = Some(star.clone().into()),
            None => out.tools.extend(tools),
        };
    }
    // Written out, it means the same under every key.
    if matches!(word().to_ascii_lowercase().as_str(), "auto" | "allow" | "approve" | "autoapprove" | "auto-approve") {
        return out.all = Some(Box::new(Located { text: word(), span: value.span, pointer: at }));
    }
    let says = value.truth().or_else(|| match word().to_ascii_lowercase().as_str() {
        "*" | "all" | "always" | "on" => Some(true),
        "never" | "none" | "off" => Some(false),
        _ => None,
    });
    match says {
        Some(yes) if yes == yes_means_unasked => {
            out.all = Some(Box::new(Located { text: word(), span: value.span, pointer: at }));
        }
        Some(_) => out.asked = true,
        None => {}
    }
}

/// Permission lists beside the servers name tools as `mcp__SERVER__TOOL`; without a tool they mean all of them.
fn around(server: &Server<'_>, out: &mut Unasked) {
    for listed in server.allowed.of(&server.name.text) {
        let here =
            |text: &str| Located { text: text.to_owned(), span: listed.item.span, pointer: server.pointer.clone() };
        match listed.tool {
            None => out.all = Some(here("mcp__*").into()),
            Some(tool) => out.tools.push(here(tool)),
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::prelude::*;
    use crate::read::Input;
    use crate::understand::credential::Lexicon;
    use crate::understand::{Asks, Outcome, analyze};

    /// What a server with these settings lets run: `asks: tools`.
    fn describe(settings: &str, around: &str) -> String {
        let text = format!(r#"{{ {around} "mcpServers": {{ "t": {{ "command": "t", {settings} }} }} }}"#);
        let input = Input { path: "a.json".into(), bytes: text.into_bytes(), ..Input::default() };
        let Outcome::Setup(analysis) = analyze(input, &Lexicon::default()) else { panic!("not a setup") };
        let entry = &analysis.entries[0];
        let tools: Vec<&str> = entry.unasked.tools.iter().map(|t| t.text.as_str()).collect();
        format!("{}: {}", entry.asks().name(), tools.join(" ")).trim_end_matches([':', ' ']).to_owned()
    }

    #[test]
    fn every_way_of_saying_it_is_understood() {
        for (settings, want) in [
            (r#""autoApprove": true"#, "never"),
            (r#""autoApprove": "all""#, "never"),
            (r#""alwaysAllow": ["*"]"#, "never"),
            (r#""alwaysAllow": ["a", "b"]"#, "some: a b"),
            (r#""always_allow": []"#, "always"),
            (r#""auto_approve_tools": ["a"]"#, "some: a"),
            (r#""trust": true"#, "never"),
            (r#""trust": false"#, "always"),
            (r#""requireApproval": "never""#, "never"),
            (r#""requireApproval": "always""#, "always"),
            (r#""require_approval": false"#, "never"),
            (r#""approval": "auto""#, "never"),
            (r#""approvalMode": "never""#, "never"),
            (r#""permissions": { "allow": ["a"] }"#, "some: a"),
            (r#""tools": { "a": { "approval": "never" }, "b": { "approval": "always" } }"#, "some: a"),
            (r#""tools": { "*": { "autoApprove": true } }"#, "never"),
            (r#""disabledTools": ["a"]"#, "unknown"),
            (r#""trust": "sometimes""#, "unknown"),
            (r#""timeout": 3"#, "unknown"),
        ] {
            assert_eq!(describe(settings, ""), want, "{settings}");
        }
        assert_eq!(Asks::Some.name(), "some");
    }

    #[test]
    fn however_a_server_is_called_its_tools_are_known() {
        let name = "a__b__".repeat(9);
        let text = format!(
            r#"{{ "allowedTools": ["mcp__{name}__c"], "mcpServers": {{ "{name}": {{ "command": "t" }}, "a": {{ "command": "t" }} }} }}"#
        );
        let input = Input { path: "a.json".into(), bytes: text.into_bytes(), ..Input::default() };
        let Outcome::Setup(analysis) = analyze(input, &Lexicon::default()) else { panic!("not a setup") };
        let asks: Vec<Asks> = analysis.entries.iter().map(|entry| entry.asks()).collect();
        // It could be a tool of the second server that is called so, too.
        assert_eq!(asks, [Asks::Some, Asks::Some]);
    }

    #[test]
    fn lists_beside_the_servers_name_server_and_tool() {
        for (around, want) in [
            (r#""allowedTools": ["mcp__t__read", "mcp__other__x", "Bash"],"#, "some: read"),
            (r#""permissions": { "allow": ["mcp__t"] },"#, "never"),
            (r#""permissions": { "allow": ["mcp__t__*"] },"#, "never"),
            (r#""permissions": { "allow": ["mcp__tide__x"] },"#, "unknown"),
            (r#""permissions": { "allow": ["mcp__t__"] },"#, "some"),
            (r#""permissions": { "allow": ["mcp__t__b__a", "mcp__t___c", "mcp__t__a"] },"#, "some: b__a _c a"),
            (r#""allowedTools": ["mcp__tide__x", "mcp__t_x", "mcp__tt"],"#, "unknown"),
        ] {
            assert_eq!(describe(r#""timeout": 3"#, around), want, "{around}");
        }
    }
}
