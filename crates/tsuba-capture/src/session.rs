//! One conversation with a server: what is asked, in which order, and what is kept of the answers.

use crate::bounds::Bounds;
use crate::evidence::{Asked, Era, Session};
use crate::peer::{Failure, Outgoing, Peer};
use crate::wire::{Message, Raw, messages};
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// The revisions that begin with a handshake, oldest first (`protocol.md`, 1.1).
const HANDSHAKE: &[&str] = &["2024-10-07", "2024-11-05", "2025-03-26", "2025-06-18", "2025-11-25"];
/// The newest of them: it is offered.
const OFFERED: &str = "2025-11-25";
/// The stateless revision.
const STATELESS: &str = "2026-07-28";
/// A method is not there (JSON-RPC 2.0, 5.1).
const NO_METHOD: i64 = -32601;

/// Which client asks.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum ClientProfile {
    /// This program, which can nothing but ask.
    Minimal,
    /// The same by another name: a server that looks at who asks may answer it otherwise.
    Renamed,
    /// This program once more: some servers never answer twice alike.
    Repeat,
    /// This program as though it could what other clients can: some tools are only for those.
    FullCapabilities,
}

impl ClientProfile {
    fn name(self) -> &'static str {
        match self {
            Self::Minimal => "tsuba",
            Self::Repeat => "tsuba again",
            Self::Renamed => "another client",
            Self::FullCapabilities => "a client with more capabilities",
        }
    }

    fn info(self) -> Value {
        match self {
            Self::Minimal | Self::Repeat | Self::FullCapabilities => {
                json!({ "name": "tsuba", "version": env!("CARGO_PKG_VERSION") })
            }
            Self::Renamed => json!({ "name": "desk-client", "title": "Desk", "version": "3.2.0" }),
        }
    }

    /// What a handshake begins with.
    fn introduction(self) -> Value {
        json!({
            "protocolVersion": OFFERED, "capabilities": self.capabilities(Era::Handshake), "clientInfo": self.info()
        })
    }

    /// What every request of the stateless era carries (`protocol.md`, 1.3).
    fn envelope(self) -> Value {
        json!({ "_meta": {
            "io.modelcontextprotocol/protocolVersion": STATELESS,
            "io.modelcontextprotocol/clientInfo": self.info(),
            "io.modelcontextprotocol/clientCapabilities": self.capabilities(Era::Stateless),
        } })
    }

    fn capabilities(self, era: Era) -> Value {
        match (self, era) {
            (Self::Minimal | Self::Renamed | Self::Repeat, _) => json!({}),
            (Self::FullCapabilities, Era::Handshake) => {
                json!({ "roots": { "listChanged": true }, "sampling": {}, "elicitation": {} })
            }
            (Self::FullCapabilities, Era::Stateless) => json!({
                "roots": {}, "sampling": {}, "elicitation": { "form": {}, "url": {} },
                "extensions": { "io.modelcontextprotocol/ui": { "mimeTypes": ["text/html;profile=mcp-app"] } }
            }),
        }
    }
}

/// The first message of a conversation, which asks for nothing but who is there.
pub(crate) fn initial_request(era: Era) -> String {
    let profile = ClientProfile::Minimal;
    let (method, params) = match era {
        Era::Handshake => ("initialize", profile.introduction()),
        Era::Stateless => ("server/discover", profile.envelope()),
    };
    format!(r#"{{"jsonrpc":"2.0","id":"tsuba-0","method":"{method}","params":{params}}}"#)
}

/// The headers that it needs over HTTP (`protocol.md`, 1.6).
pub(crate) fn hello_headers(era: Era) -> &'static [(&'static str, &'static str)] {
    match era {
        Era::Handshake => &[],
        Era::Stateless => &[("MCP-Protocol-Version", STATELESS), ("Mcp-Method", "server/discover")],
    }
}

/// A conversation.
pub(crate) struct Conversation<'t> {
    peer: &'t mut dyn Peer,
    bounds: &'t Bounds,
    stop: &'t AtomicBool,
    /// How many bytes may still be taken from this server, over all conversations.
    left: &'t mut usize,
    until: Instant,
    next: u32,
    unasked: usize,
    session: Session,
}

/// Why a question was not answered.
enum Unanswered {
    /// By an error of the protocol: its code.
    Error(i64),
    /// Not at all; the conversation is over.
    Over(Failure),
}

impl<'t> Conversation<'t> {
    pub(crate) fn new(
        peer: &'t mut dyn Peer,
        bounds: &'t Bounds,
        stop: &'t AtomicBool,
        left: &'t mut usize,
        (era, profile): (Era, ClientProfile),
    ) -> Self {
        let session = Session {
            era,
            profile: profile.name(),
            protocol: None,
            answers: BTreeMap::new(),
            errors: BTreeMap::new(),
            asked: Vec::new(),
            notices: BTreeMap::new(),
            ended: String::new(),
            troubles: Vec::new(),
        };
        Self { peer, bounds, stop, left, until: Instant::now() + bounds.session, next: 0, unasked: 0, session }
    }

    /// Holds it. What is not of the era answers nothing and ends early.
    pub(crate) fn run(mut self, profile: ClientProfile) -> Session {
        let outcome = match self.session.era {
            Era::Handshake => self.handshake(profile),
            Era::Stateless => self.stateless(profile),
        };
        self.peer.close();
        self.session.ended = match outcome {
            Ok(()) => "complete".to_owned(),
            Err(failure) => failure.to_string(),
        };
        self.session
    }

    fn handshake(&mut self, profile: ClientProfile) -> Result<(), Failure> {
        let result = match self.ask("initialize", profile.introduction(), self.bounds.answer) {
            Ok(result) => result,
            Err(Unanswered::Error(code)) => return Err(Failure::Ended(format!(" the handshake with error {code}"))),
            Err(Unanswered::Over(failure)) => return Err(failure),
        };
        let result: Value = serde_json::from_str(result.get()).unwrap_or_default();
        let version = result.get("protocolVersion").and_then(Value::as_str).unwrap_or_default();
        if !HANDSHAKE.contains(&version) {
            self.trouble(format!("negotiated revision {:?}, which defines no handshake", short(version)));
        }
        self.session.protocol = Some(short(version));
        self.peer.agreed(version);
        self.notify("notifications/initialized")?;
        self.lists(profile, result.get("capabilities"))
    }

    fn stateless(&mut self, profile: ClientProfile) -> Result<(), Failure> {
        self.peer.agreed(STATELESS);
        let result = match self.ask("server/discover", profile.envelope(), self.bounds.probe) {
            Ok(result) => result,
            Err(Unanswered::Error(code)) => return Err(Failure::Ended(format!(" the question with error {code}"))),
            Err(Unanswered::Over(failure)) => return Err(failure),
        };
        let result: Value = serde_json::from_str(result.get()).unwrap_or_default();
        let supported = result.get("supportedVersions").and_then(Value::as_array);
        if !supported.is_some_and(|all| all.iter().any(|version| version == STATELESS)) {
            return Err(Failure::Ended(format!(": it does not support {STATELESS}")));
        }
        self.session.protocol = Some(STATELESS.to_owned());
        self.lists(profile, result.get("capabilities"))
    }

    /// Everything that is listed. Tools are asked for even where the server says it has none.
    fn lists(&mut self, profile: ClientProfile, capabilities: Option<&Value>) -> Result<(), Failure> {
        let can = |name: &str| capabilities.and_then(|all| all.get(name)).is_some_and(|can| !can.is_null());
        let skills = "io.modelcontextprotocol/skills";
        let extends = |name: &str| {
            let lists = ["extensions", "experimental"].iter().filter_map(|list| capabilities?.get(*list));
            lists.filter_map(|list| list.get(name)).next().is_some()
        };
        for (method, wanted) in [
            ("tools/list", true),
            ("prompts/list", can("prompts")),
            ("resources/list", can("resources")),
            ("resources/templates/list", can("resources")),
            ("skills/list", extends(skills)),
        ] {
            if wanted {
                self.list(method, profile, can(method.split('/').next().unwrap_or_default()))?;
            }
        }
        Ok(())
    }

    /// All pages of a list.
    fn list(&mut self, method: &'static str, profile: ClientProfile, promised: bool) -> Result<(), Failure> {
        let mut cursor: Option<Value> = None;
        for page in 0.. {
            if page >= self.bounds.pages {
                self.trouble(format!("{method}: more than {} pages, the rest was left there", self.bounds.pages));
                break;
            }
            let mut params = if self.session.era == Era::Stateless { profile.envelope() } else { json!({}) };
            if let (Some(cursor), Some(params)) = (&cursor, params.as_object_mut()) {
                params.insert("cursor".to_owned(), cursor.clone());
            }
            let result = match self.ask(method, params, self.bounds.answer) {
                Ok(result) => result,
                Err(Unanswered::Error(code)) => {
                    if promised && code == NO_METHOD {
                        self.trouble(format!("{method}: advertised, but the server answers 'method not found'"));
                    }
                    break;
                }
                Err(Unanswered::Over(failure)) => return Err(failure),
            };
            let result: Value = serde_json::from_str(result.get()).unwrap_or_default();
            let next = result.get("nextCursor").filter(|next| !next.is_null()).cloned();
            if next.is_some() && next == cursor {
                self.trouble(format!("{method}: pagination cursor repeats"));
                break;
            }
            cursor = next;
            if cursor.is_none() {
                break;
            }
        }
        Ok(())
    }

    /// Asks, and keeps what is answered.
    fn ask(&mut self, method: &'static str, params: Value, within: Duration) -> Result<Raw, Unanswered> {
        self.next += 1;
        let id = format!("\"tsuba-{}\"", self.next);
        let text = format!(r#"{{"jsonrpc":"2.0","id":{id},"method":"{method}","params":{params}}}"#);
        let until = self.until.min(Instant::now() + within);
        let over = Unanswered::Over;
        self.peer.send(Outgoing { text: &text, method, answered: true, until }).map_err(over)?;
        loop {
            let bytes = self.receive(until).map_err(over)?;
            let mut answered = None;
            for message in messages(&bytes) {
                match message {
                    Message::Result { id: of, result } if of == id => answered = Some(Ok(result)),
                    // Whoever has not understood a request answers without its id.
                    Message::Error { id: of, error, code } if of == id || of == "null" => {
                        answered = Some(Err(Unanswered::Error(code)));
                        self.session.errors.insert(method, error);
                    }
                    other => self.unasked(other).map_err(over)?,
                }
            }
            match answered {
                Some(Ok(result)) => {
                    self.session.answers.entry(method).or_default().push(result.clone());
                    return Ok(result);
                }
                Some(Err(error)) => return Err(error),
                None => {}
            }
        }
    }

    fn receive(&mut self, until: Instant) -> Result<Vec<u8>, Failure> {
        let bytes = loop {
            if self.stop.load(Ordering::Relaxed) {
                return Err(Failure::Stopped);
            }
            // In short steps, so that a stop is heeded soon.
            let step = until.min(Instant::now() + STEP);
            match self.peer.receive(step) {
                Err(Failure::Timeout) if Instant::now() < until => {}
                other => break other?,
            }
        };
        *self.left = self.left.checked_sub(bytes.len()).ok_or(Failure::TooMuch)?;
        Ok(bytes)
    }

    fn notify(&mut self, method: &str) -> Result<(), Failure> {
        let text = format!(r#"{{"jsonrpc":"2.0","method":"{method}"}}"#);
        let until = self.until.min(Instant::now() + self.bounds.answer);
        self.peer.send(Outgoing { text: &text, method, answered: false, until })
    }

    /// A message that answers nothing that was asked.
    fn unasked(&mut self, message: Message) -> Result<(), Failure> {
        self.unasked += 1;
        if self.unasked > self.bounds.unasked {
            return Err(Failure::Flood);
        }
        match message {
            Message::Result { id, .. } | Message::Error { id, .. } => {
                self.trouble(format!("an answer to a question that was not asked (id {})", short(&id)));
            }
            Message::Notification { method, .. } => {
                let known = self.session.notices.len() < KEPT || self.session.notices.contains_key(&method);
                let method = if known { short(&method) } else { "others".to_owned() };
                *self.session.notices.entry(method).or_default() += 1;
            }
            Message::Request { id, method, params } => self.refuse(&id, method, params)?,
            Message::Invalid(why) => self.trouble(format!("malformed message: {why}")),
        }
        Ok(())
    }

    /// Whatever a server asks of its client is refused, except for a sign of life.
    fn refuse(&mut self, id: &str, method: String, params: Option<Raw>) -> Result<(), Failure> {
        let answer = if method == "ping" {
            r#""result":{}"#.to_owned()
        } else {
            format!(r#""error":{{"code":{NO_METHOD},"message":"this client only lists"}}"#)
        };
        if self.session.era == Era::Stateless {
            self.trouble(format!(
                "asks something of its client, which this revision does not allow: {}",
                short(&method)
            ));
        }
        if self.session.asked.len() < KEPT && method != "ping" {
            self.session.asked.push(Asked { method: short(&method), params });
        }
        let text = format!(r#"{{"jsonrpc":"2.0","id":{id},{answer}}}"#);
        let until = self.until.min(Instant::now() + self.bounds.answer);
        self.peer.send(Outgoing { text: &text, method: "", answered: false, until })
    }

    fn trouble(&mut self, what: String) {
        if self.session.troubles.len() < KEPT && !self.session.troubles.contains(&what) {
            self.session.troubles.push(what);
        }
    }
}

/// A wait is cut into steps of so long.
const STEP: Duration = Duration::from_millis(200);

/// More of one kind are not kept one by one.
const KEPT: usize = 64;

/// The beginning of a name that a server chose.
fn short(name: &str) -> String {
    name.chars().take(80).collect()
}

#[cfg(test)]
#[path = "session_tests.rs"]
mod tests;
