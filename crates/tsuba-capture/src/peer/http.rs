//! A server over streamable HTTP (`protocol.md`, 1.6 and 1.7).

use super::{Failure, Outgoing, Peer};
use crate::evidence::Era;
use crate::net::{Client, Why};
use crate::wire::{Events, Message, messages};
use std::collections::VecDeque;
use std::io::Read;
use std::time::{Duration, Instant};
use ureq::http::{Response, header};
use ureq::{Body, BodyReader};
use url::Url;

/// A conversation over HTTP: each message is a request of its own.
pub(crate) struct Http {
    client: Client,
    url: Url,
    era: Era,
    /// Headers that every request carries, as the setup or the person gives them.
    given: Vec<(String, String)>,
    session: Option<String>,
    version: Option<String>,
    longest: usize,
    stream: Option<(BodyReader<'static>, Events)>,
    /// The last event of the stream, from which it may be resumed, and after how long.
    last: Option<(String, Duration)>,
    /// How many times it has been.
    resumed: usize,
    /// When its answer is given up on.
    until: Instant,
    ready: VecDeque<Vec<u8>>,
}

/// A stream that breaks off before its answer is resumed so many times.
const RESUMES: usize = 3;
/// No server is waited for longer before that, whatever it asks for.
const LONGEST_PAUSE: Duration = Duration::from_secs(5);

/// Answers that lead on are followed so many times.
const REDIRECTS: usize = 3;

impl Http {
    pub(crate) fn new(client: Client, url: Url, era: Era, given: Vec<(String, String)>, longest: usize) -> Self {
        let ready = VecDeque::new();
        Self {
            client,
            url,
            era,
            given,
            session: None,
            version: None,
            longest,
            stream: None,
            last: None,
            resumed: 0,
            until: Instant::now(),
            ready,
        }
    }

    fn post(&self, message: Outgoing<'_>, url: &Url) -> Result<Response<Body>, Failure> {
        let left = message.until.saturating_duration_since(Instant::now());
        let mut request = self
            .client
            .agent
            .post(url.as_str())
            .header(header::CONTENT_TYPE, "application/json")
            .header(header::ACCEPT, "application/json, text/event-stream");
        for (name, value) in &self.given {
            request = request.header(name, value);
        }
        if let Some(session) = &self.session {
            request = request.header("Mcp-Session-Id", session);
        }
        if let Some(version) = &self.version {
            request = request.header("MCP-Protocol-Version", version);
        }
        if self.era == Era::Stateless && !message.method.is_empty() {
            request = request.header("Mcp-Method", message.method);
        }
        let request = request.config().timeout_global(Some(left.max(Duration::from_millis(1)))).build();
        request.send(message.text).map_err(|error| failed(&self.client, &error))
    }

    /// Sends, and goes where the answer leads as long as that is the same server (RFC 9110, 15.4.8 and 15.4.9).
    fn follow(&mut self, message: Outgoing<'_>) -> Result<Response<Body>, Failure> {
        for _ in 0..REDIRECTS {
            let response = self.post(message, &self.url)?;
            let status = response.status().as_u16();
            let onward = text(&response, header::LOCATION).and_then(|location| self.url.join(&location).ok());
            match onward.filter(|url| matches!(status, 307 | 308) && url.origin() == self.url.origin()) {
                Some(url) => self.url = url,
                None => return Ok(response),
            }
        }
        Err(Failure::Network("too many redirects".to_owned()))
    }

    /// Takes a stream up again behind its last event (`protocol.md`, 1.7).
    fn resume(&mut self, until: Instant) -> Result<(), Failure> {
        let over = || Failure::Ended(" the stream without an answer".to_owned());
        let (last, pause) = self.last.clone().filter(|_| self.era == Era::Handshake).ok_or_else(over)?;
        if self.resumed >= RESUMES || Instant::now() + pause >= until {
            return Err(over());
        }
        self.resumed += 1;
        std::thread::sleep(pause);
        let mut request = self.client.agent.get(self.url.as_str()).header(header::ACCEPT, "text/event-stream");
        request = request.header("Last-Event-ID", last);
        for (name, value) in &self.given {
            request = request.header(name, value);
        }
        for (name, value) in [("Mcp-Session-Id", &self.session), ("MCP-Protocol-Version", &self.version)] {
            if let Some(value) = value {
                request = request.header(name, value);
            }
        }
        let left = until.saturating_duration_since(Instant::now()).max(Duration::from_millis(1));
        let response = request.config().timeout_global(Some(left)).build().call();
        let response = response.map_err(|error| failed(&self.client, &error))?;
        let kind = text(&response, header::CONTENT_TYPE).unwrap_or_default().to_ascii_lowercase();
        if response.status() != 200 || !kind.starts_with("text/event-stream") {
            return Err(over());
        }
        self.stream = Some((response.into_body().into_reader(), Events::new(self.longest)));
        Ok(())
    }

    fn whole(&self, body: Body) -> Result<Vec<u8>, Failure> {
        let mut bytes = Vec::new();
        let limit = self.longest as u64 + 1;
        let read = body.into_reader().take(limit).read_to_end(&mut bytes);
        read.map_err(|error| broken(&error))?;
        if bytes.len() > self.longest { Err(Failure::TooLong(bytes.len())) } else { Ok(bytes) }
    }
}

pub(super) fn failed(client: &Client, error: &ureq::Error) -> Failure {
    match client.why(error) {
        Why::Timeout => Failure::Timeout,
        Why::Forbidden(why) => Failure::Forbidden(why),
        Why::Network(why) => Failure::Network(why.to_owned()),
    }
}

/// A body that could not be read to its end.
pub(super) fn broken(error: &std::io::Error) -> Failure {
    let inner = error.get_ref().and_then(|inner| inner.downcast_ref::<ureq::Error>());
    if error.kind() == std::io::ErrorKind::TimedOut || matches!(inner, Some(ureq::Error::Timeout(_))) {
        Failure::Timeout
    } else {
        Failure::Network("broken off".to_owned())
    }
}

/// A header as text.
pub(super) fn text(response: &Response<Body>, name: impl header::AsHeaderName) -> Option<String> {
    response.headers().get(name).and_then(|value| value.to_str().ok()).map(str::to_owned)
}

impl Peer for Http {
    fn send(&mut self, message: Outgoing<'_>) -> Result<(), Failure> {
        let response = self.follow(message)?;
        if !message.answered {
            return Ok(());
        }
        let status = response.status().as_u16();
        let kind = text(&response, header::CONTENT_TYPE).unwrap_or_default().to_ascii_lowercase();
        if message.method == "initialize" {
            self.session = text(&response, "mcp-session-id");
        }
        if (200..300).contains(&status) && kind.starts_with("text/event-stream") {
            self.stream = Some((response.into_body().into_reader(), Events::new(self.longest)));
            (self.last, self.resumed, self.until) = (None, 0, message.until);
            return Ok(());
        }
        let bytes = match status {
            401 | 403 => return Err(Failure::Refused(status)),
            200..300 => self.whole(response.into_body())?,
            // An error of the protocol comes with a status of its own.
            _ => match self.whole(response.into_body()) {
                Ok(bytes) if messages(&bytes).iter().any(|m| matches!(m, Message::Error { .. })) => bytes,
                Ok(_) | Err(_) => return Err(Failure::Refused(status)),
            },
        };
        self.ready.push_back(bytes);
        Ok(())
    }

    fn receive(&mut self, _until: Instant) -> Result<Vec<u8>, Failure> {
        loop {
            if let Some(ready) = self.ready.pop_front() {
                return Ok(ready);
            }
            let Some((reader, events)) = &mut self.stream else { return Err(Failure::Ended(String::new())) };
            let mut piece = vec![0; 16 * 1024];
            match reader.read(&mut piece) {
                Ok(0) => {
                    self.stream = None;
                    self.resume(self.until)?;
                }
                Ok(length) => {
                    for event in events.push(piece.get(..length).unwrap_or_default()) {
                        if event.cut {
                            return Err(Failure::TooLong(self.longest));
                        }
                        if let Some(id) = event.id {
                            let pause = event.retry.map_or(Duration::ZERO, Duration::from_millis);
                            let known = self.last.take().map_or(Duration::ZERO, |(_, pause)| pause);
                            self.last = Some((id, pause.max(known).min(LONGEST_PAUSE)));
                        }
                        // An event without data only opens the stream.
                        if event.kind == "message" && !event.data.is_empty() {
                            self.ready.push_back(event.data.into_bytes());
                        }
                    }
                }
                Err(error) => {
                    self.stream = None;
                    return Err(broken(&error));
                }
            }
        }
    }

    fn agreed(&mut self, version: &str) {
        self.version = Some(version.to_owned());
    }

    fn close(&mut self) {
        self.stream = None;
        if let Some(session) = self.session.take() {
            // A server need not offer to end a session; it is asked once.
            let mut request = self.client.agent.delete(self.url.as_str()).header("Mcp-Session-Id", session);
            for (name, value) in &self.given {
                request = request.header(name, value);
            }
            let _answer = request.config().timeout_global(Some(Duration::from_secs(2))).build().call();
        }
    }
}
