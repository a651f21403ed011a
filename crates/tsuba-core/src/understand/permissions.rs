//! What runs without asking, in a file of its own: lists of tools that are allowed, modes that skip every question, sandboxes that are switched
//! off, commands that run when a tool is called. Recognised by shape; which program reads it is not known here.

use crate::prelude::*;
use crate::read::{Document, Member, Node, Notation, Value};
use crate::text::{Located, Pointer, normal};
use core::cell::LazyCell;

/// What a file of settings lets run.
#[derive(Clone, Debug, Default)]
pub struct Permissions {
    /// Settings after which nobody is asked about any tool.
    pub modes: Vec<Located>,
    /// Tools of servers that are allowed by name.
    pub tools: Vec<AllowedTool>,
    /// Settings that switch the sandbox of what an agent runs off.
    pub unboxed: Vec<Located>,
    /// Commands that run by themselves when a tool is called.
    pub hooks: Vec<Hook>,
}

/// A tool of a server that a list allows.
#[derive(Clone, Debug)]
pub struct AllowedTool {
    /// The server's name; `None` where it is every server's.
    pub server: Option<String>,
    /// The tool's name; `None` where it is every tool.
    pub tool: Option<String>,
    /// The item of the list.
    pub at: Located,
}

/// A command that runs when something happens.
#[derive(Clone, Debug)]
pub struct Hook {
    /// What happens, as the file calls it.
    pub event: String,
    /// The command.
    pub command: Located,
}

impl Permissions {
    /// Is nothing allowed by it?
    pub fn is_empty(&self) -> bool {
        self.modes.is_empty() && self.tools.is_empty() && self.unboxed.is_empty() && self.hooks.is_empty()
    }
}

/// Settings nest such lists at most this deep.
const MAX_SEARCH: usize = 6;
/// More of a kind are not looked at in one document.
const MAX_FOUND: usize = 1000;

/// Keys with the values under which nobody is asked.
const MODES: &[(&str, &[&str])] = &[
    ("defaultmode", &["bypasspermissions", "bypass", "dontask", "yolo", "autoapprove"]),
    ("permissionmode", &["bypasspermissions", "bypass", "dontask", "yolo", "autoapprove"]),
    ("approvalpolicy", &["never"]),
    ("approvalmode", &["never", "yolo", "fullauto"]),
    ("askforapproval", &["never"]),
];
/// Switches that mean it when they are on.
const SWITCHES: &[&str] = &[
    "dangerouslyskippermissions",
    "skippermissions",
    "bypasspermissions",
    "yolo",
    "yolomode",
    "toolsautoapprove",
    "globalautoapprove",
    "autoapproveall",
    "autoapprovealltools",
    "alwaysallowalltools",
];
/// Lists whose items are allowed.
const LISTS: &[&str] = &[
    "allow",
    "allowed",
    "allowedtools",
    "alwaysallow",
    "alwaysallowed",
    "alwaysallowtools",
    "autoapprove",
    "autoapproved",
    "autoapprovedtools",
    "approvedtools",
    "trustedtools",
    "allowlist",
    "coretools",
];

/// What a server is let do stands with it, and is told of its entry.
const SERVERS: &[&str] = &["mcpservers", "servers", "contextservers", "extensions"];

/// What a document lets run; of the lists only what speaks of servers that it does not set up itself.
pub(super) fn permissions(document: &Document, own: &[&str]) -> Permissions {
    let mut out = Permissions::default();
    if matches!(document.notation, Notation::Json | Notation::Yaml | Notation::Toml) {
        for (pointer, root) in document.rooted().filter(|(_, root)| root.is_map()) {
            search(root, &pointer, 0, &mut out);
        }
    }
    out.tools.retain(|tool| tool.server.as_deref().is_none_or(|server| !own.contains(&server)));
    out
}

fn search(node: &Node, pointer: &Pointer, depth: usize, out: &mut Permissions) {
    // Pages and test runners have sandboxes, too: what an agent's stand beside is looked for once.
    let of_agent = LazyCell::new(|| {
        node.effective().any(|member| {
            matches!(normal(&member.key.text).as_str(), "permissions" | "hooks" | "approvalpolicy" | "mcpservers")
        })
    });
    for member in node.effective() {
        let at = pointer.key(&member.key.text);
        let key = normal(&member.key.text);
        let last = member.key.text.rsplit_once('.').map_or_else(|| key.clone(), |(_, last)| normal(last));
        if let Some(setting) = mode(member, &key, &last, &at) {
            out.modes.push(setting);
        } else if let Some(setting) =
            unboxed(member, &last, &at).or_else(|| switched_off(member, &last, &at).filter(|_| *of_agent))
        {
            out.unboxed.push(setting);
        } else if LISTS.contains(&last.as_str()) && member.value.is_list() {
            let items = member.value.items().iter().enumerate();
            let tools = items.filter_map(|(index, item)| allowed(&item.located(at.index(index))?));
            out.tools.extend(tools.take(MAX_FOUND.saturating_sub(out.tools.len())));
        } else if last == "hooks" && member.value.is_map() {
            hooks(&member.value, &at, out);
        } else if member.value.is_map() && depth < MAX_SEARCH && !SERVERS.contains(&last.as_str()) {
            search(&member.value, &at, depth + 1, out);
        }
    }
}

/// The setting as it is written, at its value.
fn quoted(member: &Member, at: &Pointer) -> Option<Located> {
    let value = member.value.scalar()?;
    let text = format!("{} = {value}", member.key.text);
    Some(Located { text, span: member.value.span, pointer: at.clone() })
}

fn mode(member: &Member, key: &str, last: &str, at: &Pointer) -> Option<Located> {
    let on = member.value.truth() == Some(true);
    // `tools: {autoApprove: true}`, with a point or in a map.
    let of_tools = key.ends_with("toolsautoapprove")
        || (last == "autoapprove" && at.as_str().rsplit('/').nth(1).is_some_and(|above| normal(above) == "tools"));
    let switched = on && (of_tools || SWITCHES.contains(&last) || SWITCHES.contains(&key));
    let word = member.value.text().map(normal);
    let named = || {
        MODES
            .iter()
            .find(|(name, _)| *name == last)
            .is_some_and(|(_, values)| word.as_deref().is_some_and(|word| values.contains(&word)))
    };
    if switched || named() { quoted(member, at) } else { None }
}

fn unboxed(member: &Member, last: &str, at: &Pointer) -> Option<Located> {
    let word = member.value.scalar().map(|word| normal(&word))?;
    let off = match last {
        "sandboxmode" => matches!(word.as_str(), "dangerfullaccess" | "off" | "none" | "disabled" | "false"),
        "dangerouslydisablesandbox" | "disablesandbox" | "allowunsandboxedcommands" => word == "true",
        _ => false,
    };
    if off { quoted(member, at) } else { None }
}

/// `sandbox: {enabled: false}`.
fn switched_off(member: &Member, last: &str, at: &Pointer) -> Option<Located> {
    if last != "sandbox" {
        return None;
    }
    let enabled = member.value.effective().find(|inner| normal(&inner.key.text) == "enabled")?;
    let off = enabled.value.truth() == Some(false);
    off.then(|| Located {
        text: format!("{}.{} = false", member.key.text, enabled.key.text),
        span: enabled.value.span,
        pointer: at.key(&enabled.key.text),
    })
}

/// An item of a list that names a server's tool: `mcp__tides__read`, `mcp__tides`, `mcp__*`, `tides__read`.
fn allowed(item: &Located) -> Option<AllowedTool> {
    let bare = item.text.split_once('(').map_or(item.text.as_str(), |(name, _)| name).trim();
    let rest = match bare.strip_prefix("mcp__") {
        Some(rest) => rest,
        // Without the prefix, both names have to be there.
        None if bare
            .split_once("__")
            .is_some_and(|(server, tool)| is_name(server) && (is_name(tool) || tool == "*")) =>
        {
            bare
        }
        None if matches!(bare, "mcp" | "mcp*") => "*",
        None => return None,
    };
    let (server, tool) = rest.split_once("__").map_or((rest, None), |(server, tool)| (server, Some(tool)));
    let wild = |name: &str| name == "*" || name.is_empty();
    Some(AllowedTool {
        server: (!wild(server)).then(|| server.to_owned()),
        tool: tool.filter(|tool| !wild(tool)).map(str::to_owned),
        at: item.clone(),
    })
}

fn is_name(text: &str) -> bool {
    !text.is_empty()
        && text.chars().all(|c| c.is_ascii_alphanumeric() || "_-.".contains(c))
        && text.starts_with(|c: char| c.is_ascii_alphanumeric())
}

/// `hooks: {EVENT: [{matcher, hooks: [{type: command, command}]}]}`, also without the inner list. Events are those of an agent: of a tool's call, of a
/// session, of a prompt.
fn hooks(node: &Node, pointer: &Pointer, out: &mut Permissions) {
    for member in node.effective() {
        let event = normal(&member.key.text);
        let of_agent = ["tool", "prompt", "session", "mcp", "agent", "subagent", "stop", "response", "shellexecution"]
            .iter()
            .any(|word| event.contains(word));
        if !of_agent || !member.value.is_list() {
            continue;
        }
        let at = pointer.key(&member.key.text);
        for (index, item) in member.value.items().iter().enumerate() {
            let at = at.index(index);
            command(item, &at, &member.key.text, out);
            for (index, inner) in item.get("hooks").map(Node::items).unwrap_or_default().iter().enumerate() {
                command(inner, &at.key("hooks").index(index), &member.key.text, out);
            }
        }
    }
}

fn command(node: &Node, at: &Pointer, event: &str, out: &mut Permissions) {
    let typed = node.get("type").is_none_or(|kind| kind.text() == Some("command"));
    let words = node.first(&["command", "bash", "run"]).filter(|_| typed && out.hooks.len() < MAX_FOUND);
    let Some((key, value)) = words else { return };
    let located = match &value.value {
        Value::List(items) => items.first().and_then(|item| item.located(at.key(key).index(0))),
        _ => value.located(at.key(key)),
    };
    out.hooks.extend(located.map(|command| Hook { event: event.to_owned(), command }));
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::read::{Input, read};

    fn told(path: &str, text: &str) -> String {
        let input = Input { path: path.into(), bytes: text.into(), ..Input::default() };
        let Permissions { modes, tools, unboxed, hooks } = permissions(&read(input).unwrap(), &["own"]);
        let mut out: Vec<String> = modes.iter().chain(&unboxed).map(|setting| setting.text.clone()).collect();
        let tool = |tool: &AllowedTool| {
            format!("{}/{}", tool.server.as_deref().unwrap_or("*"), tool.tool.as_deref().unwrap_or("*"))
        };
        out.extend(tools.iter().map(tool));
        out.extend(hooks.iter().map(|hook| format!("{}: {}", hook.event, hook.command.text)));
        out.join("; ")
    }

    #[test]
    fn every_way_of_not_asking_is_known() {
        for (path, text, want) in [
            (
                "a.json",
                r#"{"permissions": {"allow": ["mcp__tides", "mcp__tides__set_tide", "mcp__*", "Bash(ls)", "mcp__own__x"], "defaultMode": "bypassPermissions"}}"#,
                "defaultMode = bypassPermissions; tides/*; tides/set_tide; */*",
            ),
            (
                "a.toml",
                "approval_policy = \"never\"\nsandbox_mode = \"danger-full-access\"\n",
                "approval_policy = never; sandbox_mode = danger-full-access",
            ),
            (
                "a.json",
                r#"{"chat.tools.autoApprove": true, "x": {"autoApprovedTools": ["tides__read_tide", "read__"]}}"#,
                "chat.tools.autoApprove = true; tides/read_tide",
            ),
            (
                "a.json",
                r#"{"hooks": {"PreToolUse": [{"matcher": "mcp__.*", "hooks": [{"type": "command", "command": "sh x.sh"}]}]}}"#,
                "PreToolUse: sh x.sh",
            ),
            ("a.yaml", "hooks:\n  beforeMcpExecution:\n    - command: ./x\n", "beforeMcpExecution: ./x"),
            (
                "a.json",
                r#"{"permissions": {}, "sandbox": {"enabled": false}, "yoloMode": true}"#,
                "yoloMode = true; sandbox.enabled = false",
            ),
            ("a.json", r#"{"tools": {"autoApprove": true}}"#, "autoApprove = true"),
            ("a.yaml", "agent:\n  tools:\n    auto_approve: true\n", "auto_approve = true"),
            // Look-alikes.
            ("a.json", r#"{"pulls": {"autoApprove": true}, "tools": {"autoApprove": false}}"#, ""),
            ("a.json", r#"{"preview": {"sandbox": {"enabled": false}}, "permissions": {}}"#, ""),
            ("a.json", r#"{"permissions": {}, "sandbox": {"enabled": true}}"#, ""),
            ("a.json", r#"{"title": "pages", "sandbox": {"enabled": false}}"#, ""),
            (
                "a.json",
                r#"{"permissions": {"allow": ["read", "Bash(ls)"], "deny": ["mcp__tides__set"], "defaultMode": "plan"}}"#,
                "",
            ),
            ("a.toml", "approval_policy = \"on-request\"\nsandbox_mode = \"workspace-write\"\n", ""),
            ("a.yaml", "hooks:\n  pre-commit:\n    - command: fmt\nrepos:\n  - hooks: [{id: x}]\n", ""),
            (
                "a.json",
                r#"{"autoApprove": false, "allow": ["__init__", "a__", "x"], "chat.tools.autoApprove": false}"#,
                "",
            ),
        ] {
            assert_eq!(told(path, text), want, "{text}");
        }
    }
}
