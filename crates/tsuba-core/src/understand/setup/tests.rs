//! What is a setup, with the place of each server; and what only looks like one.

use super::*;
use crate::read::{Input, read};

fn names(path: &str, text: &str) -> Vec<String> {
    let document = read(Input { path: path.into(), bytes: text.into(), ..Input::default() }).unwrap();
    recognise(&document)
        .map(|f| f.servers.iter().map(|s| format!("{} {}", s.name.text, s.pointer)).collect())
        .unwrap_or_default()
}

#[test]
fn setups_of_every_shape_are_recognised() {
    for (path, text, want) in [
        (
            "a.json",
            r#"{"toolServers": {"t": {"command": "npx", "args": ["-y", "t-mcp"]}}, "webServers": {"w": {"command": "w", "args": ["x"]}}}"#,
            vec!["t /toolServers/t"],
        ),
        (
            "a.json",
            r#"{"mcpServers": {"t": {"command": "x"}, "u": {"url": "https://u.example"}}}"#,
            vec!["t /mcpServers/t", "u /mcpServers/u"],
        ),
        (
            "a.json",
            r#"{"projects": {"/p": {"mcpServers": {"t": {"command": "x"}}}}}"#,
            vec!["t /projects/~1p/mcpServers/t"],
        ),
        ("a.json", r#"{"agent.mcpServers": {"t": {"command": "x"}}}"#, vec!["t /agent.mcpServers/t"]),
        (
            "a.yaml",
            "servers:\n  - name: t\n    transport: { type: http, url: https://t.example/x }\n",
            vec!["t /servers/0"],
        ),
        (
            "a.json",
            r#"{"tools": [{"type": "mcp", "server_label": "t", "server_url": "https://t.example"}, {"type": "function", "name": "u"}]}"#,
            vec!["t /tools/0"],
        ),
        ("a.json", r#"{"agent.mcp.servers": {"t": {"command": "x"}}}"#, vec!["t /agent.mcp.servers/t"]),
        ("a.json", r#"{"servers": {"t": {"type": "stdio", "command": "x"}}, "inputs": []}"#, vec!["t /servers/t"]),
        ("a.json", r#"{"servers": {"t": {"command": "npx", "args": ["-y", "t"]}}}"#, vec!["t /servers/t"]),
        ("a.json", r#"{"servers": {"t": {"url": "https://t.example/mcp"}}}"#, vec!["t /servers/t"]),
        (
            "a.json",
            r#"{"mcp": {"servers": {"t": {"type": "http", "url": "https://t.example"}}}}"#,
            vec!["t /mcp/servers/t"],
        ),
        (
            "a.json",
            r#"{"mcp": {"t": {"type": "local", "command": ["npx", "t"]}, "u": {"type": "remote", "url": "https://u.example"}}}"#,
            vec!["t /mcp/t", "u /mcp/u"],
        ),
        (
            "a.json",
            r#"{"context_servers": {"t": {"command": {"path": "x", "args": []}}}}"#,
            vec!["t /context_servers/t"],
        ),
        ("c.toml", "[mcp_servers.t]\ncommand = \"x\"\n", vec!["t /mcp_servers/t"]),
        (
            "c.yaml",
            "mcpServers:\n  - name: t\n    command: x\n  - url: https://u.example\n",
            vec!["t /mcpServers/0", "#2 /mcpServers/1"],
        ),
        (
            "c.yaml",
            "extensions:\n  t: {enabled: true, type: stdio, cmd: x}\n  b: {type: builtin}\n",
            vec!["t /extensions/t"],
        ),
        ("a.json", r#"{"t": {"command": "npx", "args": ["mcp-tide"]}}"#, vec!["t /t"]),
        ("a.json", r#"{"name": "t", "command": "npx", "args": ["tide-mcp"]}"#, vec!["t "]),
        ("a.json", r#"[{"mcpServers": {"t": {"command": "x"}}}]"#, vec!["t /0/mcpServers/t"]),
        ("a.yaml", "a: 1\n---\nmcpServers: {t: {command: x}}\n", vec!["t /1/mcpServers/t"]),
    ] {
        assert_eq!(names(path, text), want, "{text}");
    }
}

#[test]
fn look_alikes_are_no_setups() {
    for (path, text) in [
        (
            "a.yaml",
            "servers:\n  - name: quay\n    transport: { type: tcp, host: quay.example }\n  - transport: { kind: rail, command: stop }\n",
        ),
        (
            "a.json",
            r#"{"mcp": 1, "tools": [{"type": "function", "server_url": "https://t.example"}, {"type": "mcp", "server_label": "t"}]}"#,
        ),
        ("a.json", r#"{"servers": [{"url": "https://api.example/v1", "description": "main"}], "openapi": "3.1.0"}"#),
        ("a.json", r#"{"servers": [{"url": "https://api.example/v1"}]}"#),
        ("a.json", r#"{"agent.lsp.servers": {"t": {"command": "x"}}}"#),
        ("a.json", r#"{"agent.mcpServers.enabled": true}"#),
        ("a.json", r#"{"asyncapi": "3.0.0", "servers": {"p": {"url": "kafka.example", "type": "http"}}}"#),
        ("a.json", r#"{"servers": [{"host": "a.example", "port": 80, "root": "/srv"}]}"#),
        (
            "a.json",
            r#"{"servers": {"rust": {"command": "rust-analyzer", "args": ["--stdio"], "filetypes": ["rust"]}}}"#,
        ),
        ("a.json", r#"{"servers": {"pyright": {"command": "pyright-langserver", "args": ["--stdio"]}}}"#),
        ("a.json", r#"{"languageserver": {"go": {"command": "gopls", "rootPatterns": ["go.mod"]}}}"#),
        ("a.json", r#"{"lsp": {"go": {"command": "gopls", "args": ["serve"]}}}"#),
        ("a.toml", "[language-server.x]\ncommand = \"x\"\nargs = [\"a\"]\n"),
        ("a.yaml", "services:\n  web:\n    image: web:1.0\n    command: serve\n    environment: {A: b}\n"),
        ("a.yaml", "servers:\n  - name: web1\n    url: https://w.example\n"),
        ("a.json", r#"{"extensions": {"recommendations": ["a.b"]}}"#),
        ("a.json", r#"{"name": "tide-mcp", "scripts": {"start": "node mcp.js"}, "bin": "x"}"#),
        ("a.json", r#"{"tasks": [{"command": "npx", "args": ["tsc"]}]}"#),
        ("a.json", r#"{"mcp": {"enabled": true, "timeout": 3}}"#),
        ("a.json", r#"{"mcpServers": "./servers.json"}"#),
        ("a.json", r#"{"mcpServers": {}}"#),
    ] {
        assert_eq!(names(path, text), Vec::<String>::new(), "{text}");
    }
}

#[test]
fn duplicate_keys_are_told_with_the_place_that_does_not_count() {
    let text = r#"{"mcpServers": {"t": {"command": "a"}, "t": {"command": "b", "env": {"K": "1", "K": "2"}}}}"#;
    let document = read(Input { path: "a.json".into(), bytes: text.into(), ..Input::default() }).unwrap();
    let found = recognise(&document).unwrap();
    assert_eq!(found.servers.len(), 1);
    let places: Vec<_> = found.duplicates.iter().map(|d| format!("{} {}", d.pointer, d.span.start)).collect();
    assert_eq!(places, ["/mcpServers/t 16", "/mcpServers/t/env/K 69"]);
}
