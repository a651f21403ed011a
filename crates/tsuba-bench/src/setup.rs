//! Setups in every notation, with what people do wrong in them, and what lies beside them.

use crate::listing::{listing, metadata};
use crate::words::Words;
use fastrand::Rng;
use serde_json::{Map, Value, json};

/// A setup and the files beside it: name and text of each.
pub(crate) fn with_surroundings(rng: &mut Rng, number: usize) -> Vec<(String, String)> {
    let count = 1 + rng.usize(0..7);
    let servers: Map<String, Value> =
        (0..count).map(|at| (format!("{}-{}-{at}", rng.word(), rng.word()), server(rng))).collect();
    let mut out = match number % 6 {
        0..=2 => vec![(".mcp.json".to_owned(), pretty(&json!({ "mcpServers": servers })))],
        3 => vec![("tides.toml".to_owned(), toml(&servers))],
        4 => vec![("agents.yaml".to_owned(), yaml(&servers))],
        _ => {
            let editor = json!({ "editor.tabSize": 4, "files.exclude": { "**/target": true }, "mcp": { "servers": servers, "inputs": [] } });
            vec![("settings.json".to_owned(), pretty(&editor))]
        }
    };
    match rng.usize(0..8) {
        0 | 1 => out.push((".env".to_owned(), dotenv(rng))),
        2 => out.push(("compose.yaml".to_owned(), compose(rng))),
        3 => out.push((format!("{}-listing.json", rng.word()), listing(rng))),
        4 => out.push(("metadata.json".to_owned(), metadata(rng))),
        5 => {
            let snippet = pretty(&json!({ "mcpServers": { rng.word(): server(rng) } }));
            out.push((
                "README.md".to_owned(),
                format!("# {}\n\n{}\n\n```json\n{snippet}\n```\n", rng.word(), rng.sentence(80)),
            ));
        }
        _ => {}
    }
    out
}

fn pretty(value: &Value) -> String {
    serde_json::to_string_pretty(value).unwrap_or_default()
}

/// One server: four in ten are sound.
fn server(rng: &mut Rng) -> Value {
    let (word, version) = (rng.word(), rng.version());
    let sound = rng.usize(0..10) < 4;
    if rng.usize(0..4) == 0 {
        let scheme = if sound || rng.bool() { "https" } else { "http" };
        let header = if sound { "Bearer ${TIDE_TOKEN}".to_owned() } else { format!("Bearer {}", token(rng)) };
        return json!({ "type": "http", "url": format!("{scheme}://{word}.saltmarsh-line.example/mcp"), "headers": { "Authorization": header } });
    }
    if rng.usize(0..5) == 0 {
        let image = format!("images.saltmarsh-line.example/{word}:{}", if sound { version.as_str() } else { "latest" });
        let mount = if sound { "./data:/data:ro" } else { "/:/host" };
        let secret = format!("TIDE_TOKEN={}", token(rng));
        let variable = if sound { "TIDE_TOKEN" } else { secret.as_str() };
        return json!({ "command": "docker", "args": ["run", "-i", "--rm", "-v", mount, "-e", variable, image] });
    }
    let pin = if sound { format!("@{version}") } else { rng.one(&["", "@latest", ""]).to_owned() };
    let mut args = vec!["-y".to_owned(), format!("@saltmarsh/{word}-tools{pin}")];
    if !sound && rng.bool() {
        args.extend(["--root".to_owned(), rng.one(&["/", "/home", "~"]).to_owned()]);
    }
    let value = if sound { "${TIDE_TOKEN}".to_owned() } else { token(rng) };
    let database = format!("postgresql://{}:{}@db.saltmarsh-line.example:5432/{word}", rng.person(), rng.base64(14));
    let mut env = Map::new();
    env.insert("TIDE_TOKEN".to_owned(), value.into());
    env.insert("LOG_LEVEL".to_owned(), "info".into());
    if !sound && rng.usize(0..3) == 0 {
        env.insert("DATABASE_URL".to_owned(), database.into());
    }
    let command = rng.one(&["npx", "npx", "npx", "bunx", "pnpm"]);
    if command == "pnpm" {
        args.insert(0, "dlx".to_owned());
    }
    let unasked = !sound && rng.usize(0..4) == 0;
    let tools = if unasked { json!(["delete_berth", "read_tide"]) } else { json!([]) };
    json!({ "command": command, "args": args, "env": env, "autoApprove": tools })
}

/// A token as issuers hand them out, one of several public forms.
fn token(rng: &mut Rng) -> String {
    match rng.usize(0..5) {
        0 => format!("ghp_{}", rng.base64(36)),
        1 => format!("glpat-{}", rng.base64(20)),
        2 => format!("sk-proj-{}", rng.base64(48)),
        3 => format!("xoxb-{}-{}-{}", rng.letters(b"123456789", 12), rng.letters(b"123456789", 12), rng.base64(24)),
        _ => rng.base64(40),
    }
}

fn toml(servers: &Map<String, Value>) -> String {
    let mut out = String::from("model = \"tides\"\n");
    let quoted = |value: &Value| value.to_string();
    for (name, server) in servers {
        out.push_str(&format!("\n[mcp_servers.{name}]\n"));
        for (key, value) in server.as_object().into_iter().flatten() {
            match value {
                Value::Object(inner) => {
                    let pairs: Vec<String> =
                        inner.iter().map(|(key, value)| format!("{key} = {}", quoted(value))).collect();
                    out.push_str(&format!("{key} = {{ {} }}\n", pairs.join(", ")));
                }
                value => out.push_str(&format!("{key} = {}\n", quoted(value))),
            }
        }
    }
    out
}

fn yaml(servers: &Map<String, Value>) -> String {
    let mut out = String::from("mcpServers:\n");
    for (name, server) in servers {
        out.push_str(&format!("  {name}:\n"));
        for (key, value) in server.as_object().into_iter().flatten() {
            match value {
                Value::Object(inner) => {
                    out.push_str(&format!("    {key}:\n"));
                    inner.iter().for_each(|(key, value)| out.push_str(&format!("      {key}: {value}\n")));
                }
                value => out.push_str(&format!("    {key}: {value}\n")),
            }
        }
    }
    out
}

fn dotenv(rng: &mut Rng) -> String {
    format!(
        "# {}\nTIDE_TOKEN={}\nLOG_LEVEL=debug\nDATABASE_PASSWORD={}\nREGION=north\n",
        rng.sentence(5),
        token(rng),
        rng.base64(16)
    )
}

fn compose(rng: &mut Rng) -> String {
    let (one, other) = (rng.word(), rng.word());
    format!(
        "services:\n  {one}:\n    image: saltmarsh/mcp-{one}:latest\n    ports: [\"8080:8080\"]\n    environment:\n      TIDE_TOKEN: {}\n  {other}-db:\n    image: postgres:16\n    environment:\n      POSTGRES_PASSWORD: {}\n",
        token(rng),
        rng.base64(12)
    )
}
