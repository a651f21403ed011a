//! Reads a policy, and tells every mistake in it with its place and what would be right.

use super::folders::Folders;
use super::lists::{List, Lists, PackagePattern, Versions};
use super::own::Expression;
use super::{Line, OwnRule, Pinned, Policy, PolicyError, Require, Weighed};
use crate::prelude::*;
use crate::read::{Document, Input, Node, read};
use crate::severity::Severity;
use crate::text::{Position, Span, head, nearest, unknown_key, words_of};
use crate::understand::credential::{OwnFormat, Vocabulary};
use crate::understand::registry_name;
use globset::{Glob, GlobMatcher};

/// The sources of packages.
const SOURCES: &[&str] = &["npm", "jsr", "pypi", "nuget", "go", "crates", "image", "git", "url"];
/// More rules of the company's own are not read.
const MOST_RULES: usize = 200;
/// What was written is quoted up to so many bytes.
const MAX_QUOTED_BYTES: usize = 60;
/// The lists of what is allowed or refused.
const LISTS: &[&str] = &["packages", "sources", "hosts", "scopes", "identity_providers"];

impl Policy {
    /// The tables and keys of a policy; what else a configuration holds is none of its business.
    pub const KEYS: &[&str] =
        &["gate", "severity", "allow", "refuse", "folders", "require", "rule", "token", "words", "evidence"];

    /// Reads the policy from the text of a configuration; `rules` are the rules there are, by their names.
    ///
    /// # Errors
    /// Every mistake in it, with its place. A text that is no TOML is told by whoever reads the rest of it.
    pub fn read(text: &str, rules: &[&str]) -> Result<Self, Vec<PolicyError>> {
        let input = Input { path: "tsuba.toml".into(), bytes: text.into(), ..Input::default() };
        let Ok(document) = read(input) else { return Ok(Self::default()) };
        let Some(root) = document.roots.first() else { return Ok(Self::default()) };
        let mut reading = Reading { document: &document, known: rules, errors: Vec::new() };
        let policy = reading.policy(root);
        if reading.errors.is_empty() { Ok(policy) } else { Err(reading.errors) }
    }
}

struct Reading<'d> {
    document: &'d Document,
    known: &'d [&'d str],
    errors: Vec<PolicyError>,
}

impl Reading<'_> {
    fn policy(&mut self, root: &Node) -> Policy {
        let gate = root.get("gate");
        let lists =
            |reading: &mut Self, key: &str| root.get(key).map(|node| reading.lists(key, node)).unwrap_or_default();
        let mut policy = Policy {
            gate: gate.and_then(|node| self.severity(node)),
            gate_line: gate.map(|node| self.line(node, "gate = ")),
            severities: self.tables(root, "severity", Self::weighed),
            allow: lists(self, "allow"),
            refuse: lists(self, "refuse"),
            folders: self.tables(root, "folders", Self::folders),
            require: root.get("require").map(|node| self.require(node)).unwrap_or_default(),
            rules: self.tables(root, "rule", Self::own_rule),
            evidence_days: root.get("evidence").and_then(|node| self.evidence(node)),
            ..Policy::default()
        };
        if let (Some(node), true) = (root.get("rule"), policy.rules.len() > MOST_RULES) {
            self.wrong(node.span, format!("more than {MOST_RULES} rules"));
        }
        let tokens = self.tables(root, "token", Self::token);
        let mut vocabulary = root.get("words").map(|node| self.words(node)).unwrap_or_default();
        vocabulary.tokens = tokens;
        policy.vocabulary = vocabulary;
        policy
    }

    fn wrong(&mut self, at: Span, why: impl Into<String>) {
        self.wrong_at(at.start as usize, why);
    }

    fn wrong_at(&mut self, offset: usize, why: impl Into<String>) {
        let Position { line, column } = self.document.lines.position(&self.document.text, offset);
        self.errors.push(PolicyError { line, column, why: why.into() });
    }

    /// Where something stands, with what it is in short.
    fn line(&self, node: &Node, before: &str) -> Line {
        let at = node.span.start as usize;
        let line = self.document.lines.position(&self.document.text, at).line;
        let written = self.document.text.get(node.span.range()).unwrap_or_default();
        let first = written.lines().next().unwrap_or_default();
        Line { line, text: format!("{before}{first}").chars().take(120).collect() }
    }

    fn severity(&mut self, node: &Node) -> Option<Severity> {
        let found = node.text().and_then(Severity::from_name);
        if found.is_none() {
            let written = self.document.text.get(node.span.range()).unwrap_or_default().trim_matches(['"', '\'']);
            let names = Severity::ALL.map(Severity::name);
            let meant =
                nearest(written, names).map_or_else(|| ";".to_owned(), |meant| format!("; did you mean {meant}?"));
            let written = head(written, MAX_QUOTED_BYTES);
            self.wrong(
                node.span,
                format!("invalid severity `{written}`{meant} expected critical, high, medium, low or note"),
            );
        }
        found
    }

    fn known(&mut self, node: &Node, keys: &[&str]) {
        for member in node.members().iter().filter(|member| !keys.contains(&member.key.text.as_str())) {
            self.wrong(member.key.span, unknown_key(&member.key.text, keys));
        }
    }

    fn glob(&mut self, node: &Node) -> Option<GlobMatcher> {
        let found = node.text().filter(|text| !text.is_empty()).and_then(|text| Glob::new(text).ok());
        if found.is_none() {
            self.wrong(node.span, "not a pattern; write for example \"*.saltmarsh-line.example\"");
        }
        found.map(|glob| glob.compile_matcher())
    }

    /// The tables of a name, each read.
    fn tables<T>(&mut self, root: &Node, key: &str, one: impl Fn(&mut Self, &Node) -> Option<T>) -> Vec<T> {
        let nodes = root.get(key).map(|node| self.list(node, &format!("[[{key}]]"))).unwrap_or_default();
        nodes.iter().filter_map(|node| one(self, node)).collect()
    }

    /// The items of what must be a list: of anything else it would seem that nothing was said.
    fn list<'n>(&mut self, node: &'n Node, written: &str) -> &'n [Node] {
        if !node.is_list() {
            self.wrong(node.span, format!("not a list; write {written}"));
        }
        node.items()
    }

    /// The patterns of a list of paths.
    fn paths(&mut self, node: &Node) -> Vec<GlobMatcher> {
        let paths = node.get("paths").map(|node| self.list(node, "paths = [\"sandbox/**\"]")).unwrap_or_default();
        paths.iter().filter_map(|path| self.glob(path)).collect()
    }

    fn text(&mut self, node: &Node, key: &str, example: &str) -> Option<String> {
        let found = node.get(key).and_then(Node::text).map(str::trim).filter(|text| !text.is_empty());
        if found.is_none() {
            let at = node.get(key).map_or(node.span, |node| node.span);
            self.wrong(at, format!("{key} is missing; write {key} = {example}"));
        }
        found.map(str::to_owned)
    }

    fn weighed(&mut self, node: &Node) -> Option<Weighed> {
        self.known(node, &["rule", "paths", "severity"]);
        let (Some(rule), Some(severity)) = (node.get("rule"), node.get("severity")) else {
            self.wrong(node.span, "a [[severity]] has a rule, as \"supply/*\", and a severity; it may have paths");
            return None;
        };
        let rules = self.glob(rule);
        let meant = rules.as_ref().is_some_and(|glob| self.known.iter().any(|rule| glob.is_match(rule)));
        if rules.is_some() && !meant {
            self.wrong(rule.span, {
                let written = rule.text().unwrap_or_default();
                let meant = nearest(written, self.known.iter().copied());
                let meant = meant
                    .map_or_else(|| "`tsuba explain` lists them".to_owned(), |meant| format!("did you mean {meant}?"));
                format!("unknown rule `{}`; {meant}", head(written, MAX_QUOTED_BYTES))
            });
        }
        let paths = self.paths(node);
        let line = self.line(rule, "[[severity]] rule = ");
        let severity = self.severity(severity)?;
        Some(Weighed { rule: rules?, paths, severity, line })
    }

    fn evidence(&mut self, node: &Node) -> Option<i64> {
        self.known(node, &["max_age_days"]);
        let days = node.get("max_age_days");
        let found =
            days.and_then(Node::scalar).and_then(|days| days.parse().ok()).filter(|days| (1..=3650).contains(days));
        if found.is_none() {
            self.wrong(days.unwrap_or(node).span, "evidence holds for 1 to 3650 days; write max_age_days = 90");
        }
        found
    }

    fn lists(&mut self, name: &str, node: &Node) -> Lists {
        if !node.is_map() {
            let keys = LISTS.join(", ");
            self.wrong(node.span, format!("not a table; write [allow] or [refuse], and below it {keys}"));
        }
        self.known(node, LISTS);
        let message = |key: &str| format!("[{name}] {key} ");
        Lists {
            packages: self.list_of(node, "packages", &message("packages"), Self::package),
            hosts: self.list_of(node, "hosts", &message("hosts"), Self::glob),
            sources: self.list_of(node, "sources", &message("sources"), Self::source),
            scopes: self.list_of(node, "scopes", &message("scopes"), Self::glob),
            identity_providers: self.list_of(node, "identity_providers", &message("identity_providers"), Self::glob),
        }
    }

    fn list_of<T>(
        &mut self,
        node: &Node,
        key: &str,
        message: &str,
        one: impl Fn(&mut Self, &Node) -> Option<T>,
    ) -> Option<List<T>> {
        let list = node.get(key)?;
        let nodes = self.list(list, &format!("{key} = [\"…\"]"));
        let items = nodes.iter().filter_map(|item| Some((one(self, item)?, self.line(item, message)))).collect();
        Some(List { line: self.line(list, message), items })
    }

    fn source(&mut self, node: &Node) -> Option<String> {
        let source = node.text().filter(|text| SOURCES.contains(text));
        if source.is_none() {
            self.wrong(node.span, format!("unknown source; expected one of {}", SOURCES.join(", ")));
        }
        source.map(str::to_owned)
    }

    fn package(&mut self, node: &Node) -> Option<PackagePattern> {
        let message = "a package is written as \"npm:@saltmarsh/*\" or \"npm:@saltmarsh/tide-table@^2.4\"";
        let Some((source, rest)) =
            node.text().and_then(|text| text.split_once(':')).filter(|(s, _)| SOURCES.contains(s))
        else {
            self.wrong(node.span, format!("{message}; known sources are {}", SOURCES.join(", ")));
            return None;
        };
        let from = usize::from(rest.starts_with('@'));
        let (name, wanted) = match rest.get(from..).and_then(|tail| tail.find('@')) {
            Some(at) => (rest.get(..from + at).unwrap_or(rest), rest.get(from + at + 1..)),
            None => (rest, None),
        };
        let Some(name) = Glob::new(&registry_name(source, name)).ok().filter(|_| !name.is_empty()) else {
            self.wrong(node.span, message);
            return None;
        };
        let versions = match (source, wanted) {
            (_, None) => None,
            ("npm" | "jsr" | "crates", Some(text)) => semver::VersionReq::parse(text).ok().map(Versions::Npm),
            ("pypi", Some(text)) => {
                let wanted =
                    if text.starts_with(|c: char| c.is_ascii_digit()) { format!("=={text}") } else { text.to_owned() };
                wanted.parse().ok().map(Versions::Python)
            }
            (_, Some(text)) => Some(Versions::Exactly(text.to_owned())),
        };
        if wanted.is_some() && versions.is_none() {
            self.wrong(node.span, "no range of versions as this source writes them");
            return None;
        }
        Some(PackagePattern { source: source.to_owned(), name: name.compile_matcher(), versions })
    }

    fn folders(&mut self, node: &Node) -> Option<Folders> {
        self.known(node, &["teams", "allow", "refuse"]);
        if node.get("allow").is_none() && node.get("refuse").is_none() {
            self.wrong(node.span, "a [[folders]] has allow or refuse, as allow = [\"./**\"]; it may have teams");
        }
        let teams = node.get("teams").map(|node| self.list(node, "teams = [\"Harbour\"]")).unwrap_or_default();
        let teams = teams.iter().filter_map(Node::text).map(str::to_owned).collect();
        let allow = self.list_of(node, "allow", "[[folders]] allow ", Self::glob);
        let refuse = self.list_of(node, "refuse", "[[folders]] refuse ", Self::glob);
        Some(Folders {
            teams,
            allow: allow.map(|list| (list.line, list.items)),
            refuse: refuse.map(|list| list.items).unwrap_or_default(),
        })
    }

    fn require(&mut self, node: &Node) -> Require {
        if !node.is_map() {
            self.wrong(node.span, "not a table; write [require], and below it pin, tls or token_days");
        }
        self.known(node, &["pin", "tls", "token_days"]);
        let mut require = Require::default();
        if let Some(pin) = node.get("pin") {
            let line = self.line(pin, "[require] pin = ");
            match pin.text() {
                Some("exact") => require.pin = Some((Pinned::Exact, line)),
                Some("digest") => require.pin = Some((Pinned::Digest, line)),
                _ => self.wrong(pin.span, "pin is \"exact\", or \"digest\" for images too"),
            }
        }
        if let Some(tls) = node.get("tls") {
            match tls.truth() {
                Some(true) => require.tls = Some(self.line(tls, "[require] tls = ")),
                _ => self.wrong(tls.span, "write tls = true, or leave it out"),
            }
        }
        if let Some(days) = node.get("token_days") {
            match days.scalar().and_then(|text| text.parse::<i64>().ok()).filter(|days| (1..=3650).contains(days)) {
                Some(count) => require.token_days = Some((count, self.line(days, "[require] token_days = "))),
                None => self.wrong(days.span, "token_days is a number of days from 1 to 3650"),
            }
        }
        require
    }

    fn own_rule(&mut self, node: &Node) -> Option<OwnRule> {
        self.known(node, &["name", "when", "says", "fix", "severity", "paths"]);
        let name = self.text(node, "name", "\"no-betas\"");
        let says = self.text(node, "says", "\"a version before 1.0\"");
        let paths = self.paths(node);
        let severity = node.get("severity").map_or(Some(Severity::Medium), |node| self.severity(node));
        let when = self.text(node, "when", "'entry.launch.version.startsWith(\"0.\")'");
        let when = when.and_then(|_| self.expression(node.get("when")?));
        let line = self.line(node.get("name").unwrap_or(node), "[[rule]] name = ");
        let fix = node.get("fix").and_then(Node::text).map(str::to_owned);
        Some(OwnRule { name: name?, says: says?, fix, severity: severity?, paths, when: when?, line })
    }

    fn expression(&mut self, node: &Node) -> Option<Expression> {
        let text = node.text()?;
        match Expression::read(text) {
            Ok(expression) => Some(expression),
            Err(mistake) => {
                let written = self.document.written(node.span);
                // In quotes that know no escapes a place in the text is one in the file.
                let inner = written.find(text).filter(|_| !written.contains('\\'));
                let offset = mistake.at.zip(inner).map_or(0, |((line, column), inner)| {
                    let before: usize = text.split_inclusive('\n').take(line - 1).map(str::len).sum();
                    let rest = text.get(before..).unwrap_or_default();
                    inner + before + rest.chars().take(column - 1).map(char::len_utf8).sum::<usize>()
                });
                self.wrong_at(node.span.start as usize + offset, mistake.why);
                None
            }
        }
    }

    fn token(&mut self, node: &Node) -> Option<OwnFormat> {
        self.known(node, &["name", "form", "public"]);
        let name = self.text(node, "name", "\"a harbour key\"");
        let form = self.text(node, "form", "'hbk_[A-Za-z0-9]{32}'");
        let public = match node.get("public").map(|node| (node, node.truth())) {
            None => Some(false),
            Some((_, Some(public))) => Some(public),
            Some((node, None)) => {
                self.wrong(node.span, "public is true or false");
                None
            }
        };
        match OwnFormat::new(&name?, &form?, public?) {
            Ok(format) => Some(format),
            Err(why) => {
                self.wrong(node.get("form").unwrap_or(node).span, why);
                None
            }
        }
    }

    fn words(&mut self, node: &Node) -> Vocabulary {
        const KEYS: &[&str] = &["secret_names", "public_names", "placeholders", "packages"];
        if !node.is_map() {
            self.wrong(node.span, format!("not a table; write [words], and below it {}", KEYS.join(", ")));
        }
        self.known(node, KEYS);
        let mut texts = |key: &str| -> Vec<String> {
            let list = self.list_of(node, key, &format!("[words] {key} "), |reading, item| {
                let text = item.text().map(str::trim).filter(|text| !text.is_empty());
                if text.is_none() {
                    reading.wrong(item.span, "not a text");
                }
                text.map(str::to_owned)
            });
            list.into_iter().flat_map(|list| list.items).map(|(text, _)| text).collect()
        };
        let words = |names: Vec<String>| names.iter().map(|name| words_of(name)).filter(|w| !w.is_empty()).collect();
        Vocabulary {
            tokens: Vec::new(),
            secret_names: words(texts("secret_names")),
            public_names: words(texts("public_names")),
            placeholders: texts("placeholders").iter().map(|text| text.to_lowercase()).collect(),
            packages: texts("packages").iter().map(|text| text.to_lowercase()).collect(),
        }
    }
}
