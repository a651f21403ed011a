use super::*;
use crate::read::Input;
use crate::understand::{Analysis, Outcome, SetupKind, analyze, credential::Lexicon};

fn studied(path: &str, text: &str) -> Option<Box<Analysis>> {
    match analyze(Input { path: path.into(), bytes: text.into(), ..Input::default() }, &Lexicon::default()) {
        Outcome::Setup(analysis) => Some(analysis),
        Outcome::Other | Outcome::Unread(..) => None,
    }
}

/// What is understood of a gateway, in short: each server with what it leads to and where that is written, then whom it lets in.
fn describe(path: &str, text: &str) -> Vec<String> {
    let Some(analysis) = studied(path, text) else { return Vec::new() };
    let Some(gateway) = &analysis.exposure.gateway else { return Vec::new() };
    assert!(matches!(analysis.kind, SetupKind::Gateway), "{text}");
    let lines = analysis.document.lines.clone();
    let place = |at: &Located| {
        let position = lines.position(&analysis.document.text, at.span.range().start);
        format!("{}:{}", position.line, position.column)
    };
    let mut out: Vec<String> = analysis
        .entries
        .iter()
        .map(|entry| {
            let words: Vec<&str> = entry.command.iter().map(|word| word.text.as_str()).collect();
            let leads = entry.remote.as_ref().map_or_else(|| words.join(" "), |remote| remote.url.text.clone());
            let at = entry.remote.as_ref().map(|remote| &remote.url).or(entry.command.first());
            let at = at.map(|at| format!("{} {}", place(at), at.pointer)).unwrap_or_default();
            format!("{} = {leads} @ {at}", entry.name.text)
        })
        .collect();
    out.push(match (gateway.authenticated, gateway.open_routes.len(), &gateway.optional) {
        (_, _, Some(at)) => format!("optional {}", place(at)),
        (true, 0, _) => "login".to_owned(),
        (true, _, _) => {
            let open: Vec<&str> = gateway.open_routes.iter().map(|open| open.text.as_str()).collect();
            format!("open: {}", open.join(" "))
        }
        (false, ..) => "no login".to_owned(),
    });
    out
}

const NESTED: &str = "\
binds:
- port: 3000
  listeners:
  - routes:
    - matches: [{ path: { pathPrefix: /mcp } }]
      policies:
        jwtAuth: { issuer: 'https://id.example', audiences: [gate], jwks: { url: 'https://id.example/keys' } }
      backends:
      - mcp:
          targets:
          - name: tide
            mcp: { host: https://tides.example/mcp }
          - name: berth
            sse: { host: berth.example, port: 8080, path: /sse }
          - name: ledger
            stdio: { cmd: npx, args: ['-y', '@saltmarsh/ledger'] }
    - matches: [{ path: { pathPrefix: /open } }]
      backends:
      - mcp: { targets: [{ name: quay, stdio: { cmd: quay-files } }] }
";

#[test]
fn what_a_gateway_routes_to_are_entries() {
    for (path, text, want) in [
        (
            "g.yaml",
            NESTED,
            &[
                "tide = https://tides.example/mcp @ 12:26 /binds/0/listeners/0/routes/0/backends/0/mcp/targets/0/mcp/host",
                "berth = http://berth.example:8080/sse @ 14:26 /binds/0/listeners/0/routes/0/backends/0/mcp/targets/1/sse/host",
                "ledger = npx -y @saltmarsh/ledger @ 16:27 /binds/0/listeners/0/routes/0/backends/0/mcp/targets/2/stdio/cmd",
                "quay = quay-files @ 19:54 /binds/0/listeners/0/routes/1/backends/0/mcp/targets/0/stdio/cmd",
                "open: quay",
            ][..],
        ),
        (
            "g.yaml",
            "listen: 0.0.0.0:8080\nroutes:\n- path: /tides\n  target: https://tides.example/mcp\n- path: /berth\n  command: npx -y @saltmarsh/berth\n- path: /shop\n  target: https://shop.example\n",
            &[
                "/tides = https://tides.example/mcp @ 4:11 /routes/0/target",
                "/berth = npx -y @saltmarsh/berth @ 6:12 /routes/1/command",
                "no login",
            ],
        ),
        (
            "g.yaml",
            "server: { host: 0.0.0.0, port: 8000 }\nroutes:\n  /tides: { stdio: 'npx -y @saltmarsh/tides' }\nauth: { type: oauth, issuer: 'https://id.example', audience: gate }\n",
            &["/tides = npx -y @saltmarsh/tides @ 3:20 /routes/~1tides/stdio", "login"],
        ),
        (
            "g.json",
            r#"{"mcpProxy": {"addr": ":9090", "options": {"authTokens": ["x"]}}, "mcpServers": {"tide": {"command": "npx", "args": ["t"]}}}"#,
            &["tide = npx t @ 1:102 /mcpServers/tide/command", "login"],
        ),
        (
            "g.json",
            r#"{"mcpProxy": {"addr": ":9090"}, "mcpServers": {"a": {"command": "a", "options": {"authTokens": ["x"]}}, "b": {"url": "https://b.example", "headers": {}, "auth": {"token": "$T"}}}}"#,
            &["a = a @ 1:65 /mcpServers/a/command", "b = https://b.example @ 1:118 /mcpServers/b/url", "open: b"],
        ),
        (
            "g.toml",
            "listen = '127.0.0.1:80'\n[[routes]]\npath = '/a'\ntransport = 'stdio'\ncommand = 'tide'\nargs = ['--slow']\n",
            &["/a = tide --slow @ 5:11 /routes/0/command", "no login"],
        ),
        (
            "g.yaml",
            "routers:\n- server: tides\n  prefix: /gateway/tides\nmcpServers:\n- name: tides\n  type: stdio\n  command: tide\n  args: []\n",
            &["tides = tide @ 7:12 /mcpServers/0/command", "no login"],
        ),
        (
            "g.yaml",
            "apiVersion: gate.example/v1\nkind: MCPRoute\nspec:\n  path: /mcp\n  securityPolicy: { oauth: { issuer: 'https://id.example', audiences: [] } }\n",
            &["login"],
        ),
    ] {
        assert_eq!(describe(path, text), want, "{text}");
    }
}

#[test]
fn how_callers_are_known() {
    let with = |login: &str| format!("listen: ':80'\n{login}\nroutes: [{{ path: /a, stdio: {{ cmd: a }} }}]\n");
    for (login, want) in [
        ("auth: { type: oidc, issuer: 'https://id.example' }", "login"),
        ("security: { issuer: 'https://id.example' }", "login"),
        ("apiKeys: [$KEY]", "login"),
        ("middlewares: [company-auth]", "login"),
        ("plugins: [{ name: jwt-authn }]", "login"),
        // At another place than the routes: it may be meant for them all.
        ("frontend: { jwt: { issuer: 'https://id.example' } }", "login"),
        ("auth: { mode: optional, issuer: 'https://id.example' }", "optional 2:15"),
        ("jwt: { requires: { allow_missing: {} } }", "optional 2:20"),
        ("auth: { required: false, issuer: 'https://id.example' }", "optional 2:19"),
        ("auth: { required: true, issuer: 'https://id.example' }", "login"),
        // How the gateway logs in at a server, and how much callers may take.
        ("routers: [{ path: /b, url: 'https://b.example/mcp', auth: { bearer: $TOKEN } }]", "no login"),
        ("policies: { rateLimit: { tokens: 10 } }", "no login"),
        ("auth: none", "no login"),
        ("auth: { type: none }", "no login"),
        ("auth: { enabled: false, issuer: 'https://id.example' }", "no login"),
        ("tokens: []", "no login"),
        ("middlewares: [strip-prefix]", "no login"),
        ("tls: { issuer: our-certificates }", "no login"),
        ("server: { name: oauth-gateway }", "no login"),
    ] {
        let message = describe("g.yaml", &with(login));
        assert_eq!(message.last().map(String::as_str), Some(want), "{login}");
    }
}

#[test]
fn other_gateways_and_settings_are_none() {
    for (path, text) in [
        ("g.yaml", "listen: ':80'\nroutes: [{ path: /shop, target: 'https://shop.example' }]\n"),
        (
            "g.yaml",
            "listen: ':80'\nauth: { issuer: 'https://id.example' }\nroutes: [{ path: /shop, target: 'https://shop.example' }]\n",
        ),
        ("hooks.yaml", "listen: ':80'\nroutes: [{ path: /deploy, command: /opt/deploy.sh }]\n"),
        ("g.yaml", "routes: [{ path: /a, stdio: null }]\nlisten: ':80'\n"),
        (
            "router.yaml",
            "http: { routers: { a: { rule: 'PathPrefix(`/`)', service: a } }, services: { a: { loadBalancer: { servers: [{ url: 'http://a' }] } } } }\n",
        ),
        (
            "s.json",
            r#"{"port": 3000, "listeners": [], "mcp": {"servers": {"tide": {"type": "stdio", "command": "tide", "args": []}}}}"#,
        ),
        (
            "s.json",
            r#"{"proxy": {"host": "proxy.example", "port": 3128}, "mcpServers": {"tide": {"command": "tide"}}}"#,
        ),
        (
            "s.json",
            r#"{"gateway": {"url": "https://models.example", "auth": {"token": "$T"}}, "mcpServers": {"tide": {"command": "tide"}}}"#,
        ),
        ("s.json", r#"{"bind": "vim:keys", "mcpServers": {"tide": {"command": "tide"}}}"#),
        ("app.yaml", "listen: ':80'\nroutes: [{ path: /a, healthcheck: { command: 'curl localhost/mcp' } }]\n"),
    ] {
        assert_eq!(describe(path, text), Vec::<String>::new(), "{text}");
    }
}

#[test]
fn broken_ones_are_told() {
    let unread = |text: &str| {
        let input = Input { path: "g.yaml".into(), bytes: text.into(), ..Input::default() };
        matches!(analyze(input, &Lexicon::default()), Outcome::Unread(..))
    };
    assert!(unread("listen: ':80'\nroutes: [ { path: /a, stdio: { cmd: a }\n"));
    assert!(!unread("listen: ':80'\nroutes: [ { path: /shop, target: 'https://shop.example'\n"));
    assert!(!unread("notes: [ about mcp: and more\n"));
}

#[test]
fn a_gateway_of_many_routes_costs_their_number() {
    let routes: String = (0..20_000).map(|n| format!("- {{ path: /r{n}, stdio: {{ cmd: a }} }}\n")).collect();
    let analysis = studied("g.yaml", &format!("listen: ':80'\nroutes:\n{routes}")).unwrap();
    assert_eq!(analysis.entries.len(), MAX_TARGETS);
}

proptest::proptest! {
    #[test]
    fn whatever_is_in_them_they_are_read(
        parts in proptest::collection::vec(proptest::sample::select(vec![
            "listen: ':80'", "routes:", "- path: /a", "  stdio: { cmd: a }", "  stdio: a b", "  mcp: { host: 1, port: x }",
            "  mcp: { host: h, path: p }", "  target: https://a/mcp", "auth:", "  issuer: https://i", "  mode: optional",
            "  audiences: [", "]", "  jwks: { a: [1, null] }", "mcpServers: { a: { command: a } }", "routers: [{ prefix: /, server: a }]",
            "  auth: null", "apiVersion: 1", "kind: MCPRoute", "cors: { origins: '*' }", "- 1", "  - []",
        ]), 0..14)
    ) {
        let text = parts.join("\n");
        if let Some(analysis) = studied("g.yaml", &text) {
            for entry in &analysis.entries {
                proptest::prop_assert!(text.get(entry.span.range()).is_some() && text.get(entry.name.span.range()).is_some());
            }
        }
    }
}
