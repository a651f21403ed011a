//! What deployment files run, with the place of what is judged; and what is nobody's tool server.

use crate::judge::{Options, Sequential, audit};
use crate::prelude::*;
use crate::read::Input;
use crate::understand::credential::Lexicon;
use crate::understand::{Outcome, analyze};

/// The kind, the entries, and the findings as `rule line:column pointer`.
fn found(path: &str, text: &str) -> String {
    let input = Input { path: path.into(), bytes: text.into(), ..Input::default() };
    let Outcome::Setup(analysis) = analyze(input, &Lexicon::default()) else { return "other".to_owned() };
    let kind = analysis.kind.name();
    let options = Options::on(jiff::civil::date(2026, 11, 24));
    let audit = audit(vec![*analysis], Vec::new(), &crate::rules::all(), &options, &Sequential);
    let entries: Vec<&str> = audit.analyses[0].entries.iter().map(|entry| entry.name.text.as_str()).collect();
    let mut message: Vec<String> = audit
        .findings
        .iter()
        .map(|f| format!("{} {}:{} {}", f.rule.id, f.start.line, f.start.column, f.pointer))
        .collect();
    message.sort();
    format!("{kind} {}: {}", entries.join(","), message.join("; "))
}

const COMPOSE: &str = "services:
  tide-mcp:
    image: saltmarsh/tide-mcp
    privileged: true
    network_mode: host
    environment:
      TIDE_TOKEN: q8ZkXv2LmPw0TyRbN4sJ7dHf
      MODE: read
    ports:
      - \"8080:8080\"
    volumes:
      - /var/run/docker.sock:/var/run/docker.sock
      - ./notes:/notes:ro
";

#[test]
fn compose_files() {
    assert_eq!(
        found("compose.yaml", COMPOSE),
        "compose tide-mcp: exposure/all-interfaces 10:9 /services/tide-mcp/ports/0; exposure/host-network 5:19 /services/tide-mcp/network_mode; \
         power/container-escape 12:9 /services/tide-mcp/volumes/0; power/container-escape 4:17 /services/tide-mcp/privileged; \
         secret/plaintext 7:19 /services/tide-mcp/environment/TIDE_TOKEN; \
         supply/moving-tag 3:12 /services/tide-mcp/image"
    );
    let clean = "services:\n  tide-mcp:\n    image: saltmarsh/tide-mcp@sha256:0123456789abcdef0123456789abcdef0123456789abcdef0123456789abcdef\n    environment:\n      - TIDE_TOKEN=${TIDE_TOKEN}\n    ports: [\"127.0.0.1:8080:8080\"]\n    command: [\"--mcp\"]\n";
    assert_eq!(found("compose.yaml", clean), "compose tide-mcp: ");
    // What the image is built with stays in it.
    let built = "services:\n  tide-mcp:\n    build:\n      context: .\n      args:\n        TIDE_TOKEN: q8ZkXv2LmPw0TyRbN4sJ7dHf\n        VERSION: 1.2.0\n  crew-mcp:\n    build: { args: [ CREW_TOKEN=q8ZkXv2LmPw0TyRbN4sJ7dHg, OTHER ] }\n";
    assert_eq!(
        found("compose.yaml", built),
        "compose tide-mcp,crew-mcp: secret/plaintext 6:21 /services/tide-mcp/build/args/TIDE_TOKEN; \
         secret/plaintext 9:33 /services/crew-mcp/build/args/0"
    );
    // A bridge is known by what it does, whatever it is called.
    let bridged = "services:\n  gate:\n    image: node:22.1.0\n    command: npx -y @saltmarsh/gateway@1.0.0 --stdio \"npx -y @saltmarsh/tide-table\" --port 8000\n";
    assert!(found("compose.yml", bridged).starts_with("compose gate: "), "{}", found("compose.yml", bridged));
    for (path, text) in [
        ("compose.yaml", "services:\n  web:\n    image: saltmarsh/web\n    privileged: true\n    ports: [\"80:80\"]\n"),
        (
            "compose.yaml",
            "services:\n  db:\n    image: postgres\n    environment:\n      POSTGRES_PASSWORD: q8ZkXv2LmPw0TyRb\n",
        ),
        ("x.yaml", "services:\n  - name: mcp\n    port: 80\n"),
        ("x.json", "{\"services\": {\"mcp\": {\"url\": \"x\"}}}"),
    ] {
        assert_eq!(found(path, text), "other", "{text}");
    }
}

const CLUSTER: &str = "apiVersion: apps/v1
kind: Deployment
metadata:
  name: tide-mcp
spec:
  template:
    metadata:
      labels: { app: tide }
    spec:
      hostPID: true
      volumes:
        - name: root
          hostPath: { path: / }
      containers:
        - name: server
          image: saltmarsh/tide:1.0.0
          securityContext: { privileged: true }
          env:
            - name: TIDE_TOKEN
              value: q8ZkXv2LmPw0TyRbN4sJ7dHf
            - name: CREW_TOKEN
              valueFrom: { secretKeyRef: { name: crew, key: token } }
          volumeMounts:
            - { name: root, mountPath: /host }
---
apiVersion: v1
kind: Service
metadata: { name: tide }
spec:
  type: LoadBalancer
  selector: { app: tide }
  ports: [ { port: 80 } ]
";

#[test]
fn what_is_built_here_has_no_registry() {
    let built = "services:\n  tide-mcp:\n    build: .\n    privileged: true\n";
    assert_eq!(
        found("compose.yaml", built),
        "compose tide-mcp: power/container-escape 4:17 /services/tide-mcp/privileged"
    );
    // Lines that are handed to an instruction are none of their own.
    let credential = "FROM saltmarsh/base:1.0.0\nRUN <<EOF\nFROM nobody\ncurl https://get.tides.example/run.sh | sh\nEOF\nUSER crew\nCMD [\"mcp\"]\n";
    let message = found("tide/Dockerfile", credential);
    assert!(
        message.contains("supply/no-digest 1:6") && !message.contains("nobody") && !message.contains("moving-tag"),
        "{message}"
    );
}

#[test]
fn kubernetes_manifests() {
    assert_eq!(
        found("deploy.yaml", CLUSTER),
        "kubernetes server: exposure/all-interfaces 30:9 /1/spec/type; \
         power/container-escape 10:16 /0/spec/template/spec/hostPID; \
         power/container-escape 17:42 /0/spec/template/spec/containers/0/securityContext/privileged; \
         power/wide-path 13:29 /0/spec/template/spec/volumes/0/hostPath/path; \
         secret/plaintext 20:22 /0/spec/template/spec/containers/0/env/0/value; \
         supply/no-digest 16:18 /0/spec/template/spec/containers/0/image"
    );
    let web = CLUSTER.replace("tide-mcp", "tide-web");
    assert_eq!(found("deploy.yaml", &web), "other");
    let inside = CLUSTER.replace("LoadBalancer", "ClusterIP");
    assert!(!found("deploy.yaml", &inside).contains("all-interfaces"));
    let another = CLUSTER.replace("selector: { app: tide }", "selector: { app: web }");
    assert!(!found("deploy.yaml", &another).contains("all-interfaces"));
}

/// The credentials that the first entry is handed, as `name kind line:column pointer`.
fn credential(text: &str) -> Vec<String> {
    let input = Input { path: "deploy.yaml".into(), bytes: text.into(), ..Input::default() };
    let Outcome::Setup(analysis) = analyze(input, &Lexicon::default()) else { return Vec::new() };
    let of_entries = analysis.entries.first().map(|entry| entry.credentials.as_slice()).unwrap_or_default();
    let message = of_entries.iter().chain(&analysis.credentials).map(|one| {
        let at = analysis.document.lines.position(&analysis.document.text, one.value.span.range().start);
        format!("{} {} {}:{} {}", one.name, one.kind.name(), at.line, at.column, one.value.pointer)
    });
    message.collect()
}

#[test]
fn ports_of_the_host_and_the_pods_user() {
    let pod = |pod: &str, container: &str| {
        let digest = "0123456789abcdef".repeat(4);
        format!(
            "apiVersion: v1\nkind: Pod\nmetadata: {{ name: tide-mcp }}\nspec:\n  {pod}\n  containers:\n    - name: tide\n      image: a@sha256:{digest}\n      {container}\n"
        )
    };
    for (of_pod, of_container, want) in [
        (
            "x: y",
            "ports: [ { containerPort: 80, hostPort: 8080 } ]",
            "exposure/all-interfaces 9:47 /spec/containers/0/ports/0/hostPort",
        ),
        ("x: y", "ports: [ { containerPort: 80, hostPort: 8080, hostIP: 127.0.0.1 } ]", ""),
        ("x: y", "ports: [ { containerPort: 80 } ]", ""),
        ("securityContext: { runAsUser: 0 }", "x: y", "power/elevated 5:33 /spec/securityContext/runAsUser"),
        ("securityContext: { runAsUser: 0 }", "securityContext: { runAsUser: 1000 }", ""),
        ("securityContext: { runAsUser: 1000 }", "x: y", ""),
    ] {
        assert_eq!(
            found("pod.yaml", &pod(of_pod, of_container)),
            format!("kubernetes tide: {want}"),
            "{of_pod} {of_container}"
        );
    }
}

#[test]
fn variables_that_a_cluster_keeps_elsewhere() {
    let pod = |env: &str, kept: &str| {
        format!(
            "apiVersion: v1\nkind: Pod\nmetadata: {{ name: tide-mcp }}\nspec:\n  containers:\n    - name: tide\n      image: a\n{env}---\n{kept}"
        )
    };
    let from = "      envFrom: [ { secretRef: { name: tides } } ]\n";
    let one = "      env: [ { name: TIDE_KEY, valueFrom: { secretKeyRef: { name: tides, key: k } } } ]\n";
    let plain = "apiVersion: v1\nkind: Secret\nmetadata: { name: tides }\nstringData:\n  k: q8ZkXv2LmPw0TyRbN4sJ7dHf\n  TIDE_TOKEN: q8ZkXv2LmPw0TyRbN4sJ7dHg\n";
    let packed = "apiVersion: v1\nkind: Secret\nmetadata: { name: tides }\ndata:\n  TIDE_TOKEN: cThaa1h2MkxtUHcwVHlSYk40c0o3ZEhmCg==\n";
    let map = plain.replace("Secret", "ConfigMap").replace("stringData", "data");
    let config = from.replace("secretRef", "configMapRef");
    for (env, kept, want) in [
        (from, plain, &["TIDE_TOKEN plaintext 15:15 /1/stringData/TIDE_TOKEN"][..]),
        (from, packed, &["TIDE_TOKEN plaintext 14:15 /1/data/TIDE_TOKEN"]),
        (config.as_str(), map.as_str(), &["TIDE_TOKEN plaintext 15:15 /1/data/TIDE_TOKEN"]),
        (one, plain, &["TIDE_KEY plaintext 14:6 /1/stringData/k"]),
        // Kept in another file, or by another tool.
        (one, "", &["TIDE_KEY reference 8:79 /0/spec/containers/0/env/0/valueFrom/secretKeyRef/key"]),
        (from, "", &["secret tides reference 8:39 /0/spec/containers/0/envFrom/0/secretRef/name"]),
        (config.as_str(), plain, &[]),
        (from, &packed.replace("cThaa1h2MkxtUHcwVHlSYk40c0o3ZEhmCg==", "'!'"), &[]),
    ] {
        assert_eq!(credential(&pod(env, kept)), want, "{env}{kept}");
    }
    // A secret alone counts where it is a tool server's by its name.
    assert_eq!(credential(plain), Vec::<String>::new());
    assert_eq!(
        credential(&plain.replace("name: tides", "name: tide-mcp")),
        ["TIDE_TOKEN plaintext 6:15 /stringData/TIDE_TOKEN"]
    );
}

#[test]
fn who_is_handed_what_a_cluster_keeps() {
    let input = |path: &str, text: &str| Input { path: path.into(), bytes: text.into(), ..Input::default() };
    let pod = "apiVersion: v1\nkind: Pod\nmetadata: { name: tide-mcp }\nspec: { containers: [ { name: tide, image: a, envFrom: [ { secretRef: { name: mcp-keys } } ] } ] }\n";
    let secret = "apiVersion: v1\nkind: Secret\nmetadata: { name: mcp-keys }\nstringData: { TIDE_TOKEN: q8ZkXv2LmPw0TyRbN4sJ7dHf }\n";
    let given = |folder: &str| {
        let analyses = [input("a/pod.yaml", pod), input(&format!("{folder}/secret.yaml"), secret)].map(|input| {
            match analyze(input, &Lexicon::default()) {
                Outcome::Setup(analysis) => *analysis,
                Outcome::Other | Outcome::Unread(..) => panic!("no setup"),
            }
        });
        let options = Options::on(jiff::civil::date(2026, 11, 24));
        let audit = audit(analyses.into(), Vec::new(), &crate::rules::all(), &options, &Sequential);
        audit.analyses.iter().flat_map(|analysis| analysis.given_to.clone()).collect::<Vec<_>>()
    };
    assert_eq!(given("a"), ["tide"]);
    assert_eq!(given("b"), Vec::<String>::new());
}

#[test]
fn templates_of_deployment_files() {
    let chart = "{{- if .Values.enabled }}
apiVersion: apps/v1
kind: Deployment
metadata:
  name: {{ include \"tide-mcp.fullname\" . }}
  labels:
    {{- include \"tide-mcp.labels\" . | nindent 4 }}
spec:
  template:
    spec:
      hostPID: true
      containers:
        - name: {{ .Chart.Name }}
          image: \"{{ .Values.image.repository }}:{{ .Values.image.tag | default \"latest\" }}\"
          env:
            - name: TIDE_TOKEN
              value: q8ZkXv2LmPw0TyRbN4sJ7dHf
            - name: CREW_TOKEN
              value: {{ .Values.token | quote }}
{{- end }}
";
    assert_eq!(
        found("templates/deploy.yaml", chart),
        "kubernetes {{ .Chart.Name }}: power/container-escape 11:16 /spec/template/spec/hostPID; \
         secret/plaintext 17:22 /spec/template/spec/containers/0/env/0/value; \
         supply/moving-tag 14:18 /spec/template/spec/containers/0/image"
    );
    let web = chart.replace("tide-mcp", "tide-web");
    assert_eq!(found("templates/deploy.yaml", &web), "other");
}

const IMAGE: &str = "# syntax=docker/dockerfile:1
FROM node:22 AS build
ARG CREW_KEY=q8ZkXv2LmPw0TyRbN4sJ7dHf
RUN curl -fsSL https://get.tides.example/run.sh | sh
FROM node
ENV TIDE_TOKEN=hB7kQ2mZx9LwVr4Ts8nJ MODE=read
USER root
EXPOSE 8080
CMD [\"npx\", \"-y\", \"@saltmarsh/tide-mcp\"]
";

#[test]
fn image_build_files() {
    assert_eq!(
        found("tide/Dockerfile", IMAGE),
        "image tide: power/elevated 7:6 /USER; secret/plaintext 3:14 /ARG/CREW_KEY; secret/plaintext 6:16 /ENV/TIDE_TOKEN; \
         supply/moving-tag 2:6 /FROM; supply/moving-tag 5:6 /FROM; supply/remote-script 4:16 /RUN; \
         supply/unpinned 9:19 /CMD/2"
    );
    let clean = "FROM node:22.1.0@sha256:0123456789abcdef0123456789abcdef0123456789abcdef0123456789abcdef\nRUN npm install --ignore-scripts\nUSER crew\nENV TIDE_TOKEN=\"\"\nCMD [\"node\", \"mcp.js\"]\n";
    assert_eq!(found("tide/Dockerfile", clean), "image tide: ");
    let web =
        "FROM node\nENV KEY=q8ZkXv2LmPw0TyRbN4sJ7dHf\nRUN curl https://x.example/a | sh\nUSER root\nCMD npm start\n";
    assert_eq!(found("web/Dockerfile", web), "other");
    // Tools that are copied from other images, and servers that are installed while it is built; what else is installed is not theirs.
    let built = "FROM saltmarsh/base:1.0.0 AS base\nCOPY --from=saltmarsh/tools:latest /x /bin/\nFROM base\nCOPY --from=base /a /b\nCOPY --from=0 /a /b\nRUN pip install --no-cache-dir tide-mcp wheel && npm i -g @saltmarsh/berths eslint\nCMD [\"berths\"]\n";
    assert_eq!(
        found("tide/Dockerfile", built),
        "image tide: supply/moving-tag 2:13 /COPY; supply/no-digest 1:6 /FROM; supply/unpinned 6:32 /RUN; supply/unpinned 6:59 /RUN"
    );
    // What the image is named with stands before it.
    let named = "ARG BASE=saltmarsh/base\nARG TAG=latest\nARG OTHER\nFROM ${BASE}:${TAG}\nCMD [\"mcp\"]\n";
    assert_eq!(found("tide/Dockerfile", named), "image tide: supply/moving-tag 4:6 /FROM");
    let exact = named.replace("=latest", "=1.4.2");
    assert_eq!(found("tide/Dockerfile", &exact), "image tide: supply/no-digest 4:6 /FROM");
    // The last stage is begun from an earlier one: that one's image counts.
    let staged = "FROM saltmarsh/base AS base\nFROM base\nCMD [\"mcp\"]\n";
    assert_eq!(found("Dockerfile", staged), "image Dockerfile: supply/moving-tag 1:6 /FROM");
    let around = "FROM a AS b\nFROM b AS a\nCMD mcp\n";
    assert!(found("Dockerfile", around).starts_with("image "));
}

#[test]
fn unit_files() {
    let unit = "[Unit]\nDescription=Tide table over MCP\n[Service]\nUser=root\nEnvironment=\"TIDE_TOKEN=q8ZkXv2LmPw0TyRbN4sJ7dHf\" MODE=read\nEnvironmentFile=-/etc/tide.env\nExecStart=/usr/bin/npx -y @saltmarsh/tide-table --host 0.0.0.0\n";
    assert_eq!(
        found("etc/tide.service", unit),
        "unit tide: exposure/all-interfaces 7:56 /Service/ExecStart; power/elevated 4:6 /Service/User; \
         secret/plaintext 5:25 /Service/Environment; supply/unpinned 7:27 /Service/ExecStart"
    );
    let clean = "[Service]\nUser=crew\nExecStart=/opt/saltmarsh/bin/tide-mcp --host 127.0.0.1\n";
    assert_eq!(found("tide.service", clean), "unit tide: ");
    for text in [
        "[Service]\nExecStart=/usr/sbin/sshd -D\nUser=root\n",
        "[Unit]\nDescription=MCP\n",
        "[Service]\nRestart=always\n",
    ] {
        assert_eq!(found("x.service", text), "other", "{text}");
    }
}

#[test]
fn containers_known_by_their_shape() {
    const TOKEN: &str = "q8ZkXv2LmPw0TyRbN4sJ7dHf";
    for (path, text, want) in [
        (
            "task.json",
            format!(
                "{{\"containerDefinitions\": [{{\"name\": \"tide-mcp\", \"image\": \"saltmarsh/tide-mcp:1.0\", \"environment\": [{{\"name\": \"TIDE_TOKEN\", \"value\": \"{TOKEN}\"}}]}}]}}"
            ),
            "workload tide-mcp: secret/plaintext 1:131 /containerDefinitions/0/environment/0/value; supply/no-digest 1:57 /containerDefinitions/0/image",
        ),
        (
            "main.tf",
            format!(
                "resource \"task\" \"tide\" {{\n  definitions = jsonencode([{{ name = \"tide-mcp\", image = \"saltmarsh/tide-mcp:1.0\", environment = [{{ name = \"TIDE_TOKEN\", value = \"{TOKEN}\" }}] }}])\n}}\n"
            ),
            "workload tide-mcp: secret/plaintext 2:130 /resource/task/tide/definitions/0/environment/0/value; \
             supply/no-digest 2:58 /resource/task/tide/definitions/0/image",
        ),
        (
            "tide.nomad",
            format!(
                "job \"tide\" {{\n  task \"tide-mcp\" {{\n    config {{\n      image = \"saltmarsh/tide-mcp\"\n      privileged = true\n    }}\n    env {{\n      TIDE_TOKEN = \"{TOKEN}\"\n    }}\n  }}\n}}\n"
            ),
            "workload tide-mcp: power/container-escape 5:20 /job/tide/task/tide-mcp/config/privileged; secret/plaintext 8:20 /job/tide/task/tide-mcp/env/TIDE_TOKEN; \
             supply/moving-tag 4:15 /job/tide/task/tide-mcp/config/image",
        ),
        (
            "tide-mcp/values.yaml",
            format!("image:\n  repository: saltmarsh/tide-mcp\n  tag: latest\ntide:\n  apiToken: {TOKEN}\n"),
            "workload tide-mcp: secret/plaintext 5:13 /tide/apiToken; supply/moving-tag 2:15 /image/repository",
        ),
        (
            "launch.json",
            format!(
                "{{\"configurations\": [{{\"type\": \"node\", \"name\": \"tide\", \"program\": \"node_modules/tide-mcp/a.js\", \"args\": [\"--token\", \"{TOKEN}\"]}}]}}"
            ),
            "workload tide: secret/plaintext 1:115 /configurations/0/args/1",
        ),
        (
            "prod.tfvars",
            format!("region = \"north\"\ntide_mcp_token = \"{TOKEN}\"\n"),
            "workload : secret/plaintext 2:18 /tide_mcp_token",
        ),
        (
            "kustomization.yaml",
            format!("secretGenerator:\n  - name: tide-mcp\n    literals:\n      - TIDE_TOKEN={TOKEN}\n"),
            "kubernetes : secret/plaintext 4:9 /secretGenerator/0/literals/0",
        ),
        ("kustomization.yaml", format!("secretGenerator:\n  - name: web\n    literals: [TOKEN={TOKEN}]\n"), "other"),
        // Look-alikes: another service, a picture, a variable, values of another chart.
        (
            "task.json",
            "{\"containerDefinitions\": [{\"name\": \"web\", \"image\": \"saltmarsh/web:1.0\", \"environment\": []}]}"
                .to_owned(),
            "other",
        ),
        ("main.tf", "locals {\n  image = \"mcp.png\"\n  ports = [1]\n}\n".to_owned(), "other"),
        ("values.yaml", format!("image:\n  repository: saltmarsh/web\n  tag: latest\napiToken: {TOKEN}\n"), "other"),
        ("main.tf", "variable \"tide_mcp_token\" {\n  sensitive = true\n}\n".to_owned(), "other"),
    ] {
        assert_eq!(found(path, &text), want, "{text}");
    }
}

#[test]
fn services_of_other_systems() {
    const TOKEN: &str = "q8ZkXv2LmPw0TyRbN4sJ7dHf";
    for (path, text, want) in [
        (
            "supervisord.conf",
            format!("[program:tide-mcp]\ncommand=/usr/bin/npx -y @saltmarsh/tide-mcp\nenvironment=MODE=\"a,b\",TIDE_TOKEN=\"{TOKEN}\"\nuser=root\n"),
            "unit tide-mcp: power/elevated 4:6 /program:tide-mcp/user; secret/plaintext 3:36 /program:tide-mcp/environment; supply/unpinned 2:25 /program:tide-mcp/command",
        ),
        (
            "a.plist",
            format!("<plist><dict><key>Label</key><string>tide</string>\n<key>ProgramArguments</key><array><string>npx</string><string>@saltmarsh/tide-mcp</string></array>\n<key>EnvironmentVariables</key><dict><key>TIDE_TOKEN</key><string>{TOKEN}</string></dict></dict></plist>"),
            "unit tide: secret/plaintext 3:67 /EnvironmentVariables/TIDE_TOKEN; supply/unpinned 2:63 /ProgramArguments/1",
        ),
        (
            "a.mobileconfig",
            "<plist><dict><key>mcpServers</key><dict><key>tide</key><dict><key>url</key><string>http://tides.example/mcp</string></dict></dict></dict></plist>".to_owned(),
            "client tide: exposure/plain-http 1:84 /mcpServers/tide/url",
        ),
        (
            "tide-mcp.container",
            format!("[Container]\nImage=saltmarsh/tide-mcp\nEnvironment=TIDE_TOKEN={TOKEN}\nPublishPort=8080:8080\nVolume=/:/host\nPodmanArgs=--privileged\n"),
            "unit tide-mcp: exposure/all-interfaces 4:13 /Container/PublishPort; power/container-escape 6:12 /Container/PodmanArgs; power/wide-path 5:8 /Container/Volume; secret/plaintext 3:24 /Container/Environment; supply/moving-tag 2:7 /Container/Image",
        ),
        // Look-alikes.
        ("web.container", "[Container]\nImage=web:1.0.0\nPublishPort=8080:8080\n".to_owned(), "other"),
        ("supervisord.conf", "[program:web]\ncommand=/usr/bin/web\nenvironment=TOKEN=\"a\"\n".to_owned(), "other"),
        ("a.plist", "<plist><dict><key>Label</key><string>web</string><key>Program</key><string>/usr/bin/web</string></dict></plist>".to_owned(), "other"),
    ] {
        assert_eq!(found(path, &text), want, "{text}");
    }
}

#[test]
fn whatever_is_in_them_they_are_read() {
    for text in [
        "FROM",
        "FROM \\",
        "FROM a\nENV",
        "FROM a\nENV =\nCMD [",
        "\u{feff}FROM a\nENV ä=ö\\",
        "[Service]\nExecStart=\"",
        "[Service\nExecStart",
        "services:\n  a: 1\n",
        "kind: List\napiVersion: v1\nitems: [1, {kind: Pod}]\n",
    ] {
        for path in ["Dockerfile", "a.service", "a.yaml", "a"] {
            let _read = found(path, text);
        }
    }
}

#[test]
fn broken_ones_are_told() {
    let unread = |path: &str, text: &str| {
        let input = Input { path: path.into(), bytes: text.into(), ..Input::default() };
        matches!(analyze(input, &Lexicon::default()), Outcome::Unread(..))
    };
    assert!(unread("compose.yaml", "services:\n  tide-mcp:\n    image: [a\n"));
    assert!(unread("server.json", "{ \"name\": \"a/tide-mcp\", \"packages\": [ { \"registryType\": \"npm\", }"));
    assert!(!unread("compose.yaml", "services:\n  web:\n    image: [a\n"));
    assert!(!unread("notes.yaml", "mcp: [a\n"));
}

#[test]
fn what_is_never_ended_costs_no_more_than_its_lines() {
    // Each of many lines would look through the whole rest, were the ends not looked up.
    let lines: String = (0..60_000).map(|at| format!("RUN <<E{at}\n")).collect();
    assert_eq!(found("Dockerfile", &format!("FROM a\n{lines}")), "other");
    let keys: String = (0..3_000).map(|at| format!("  K{at}: v\n")).collect();
    let containers: String = (0..3_000)
        .map(|at| format!("    - {{ name: c{at}, image: a, envFrom: [ {{ secretRef: {{ name: k }} }} ] }}\n"))
        .collect();
    let many = format!(
        "apiVersion: v1\nkind: Secret\nmetadata: {{ name: k }}\nstringData:\n{keys}---\napiVersion: v1\nkind: Pod\nmetadata: {{ name: mcp }}\nspec:\n  containers:\n{containers}"
    );
    assert!(found("deploy.yaml", &many).starts_with("kubernetes c0,c1,"));
    let services: String = (0..3_000)
        .map(|at| {
            format!("---\napiVersion: v1\nkind: Service\nspec: {{ type: NodePort, selector: {{ app: x{at} }} }}\n")
        })
        .collect();
    assert!(
        found("deploy.yaml", &(CLUSTER.to_owned() + &services))
            .starts_with("kubernetes server: exposure/all-interfaces")
    );
}
