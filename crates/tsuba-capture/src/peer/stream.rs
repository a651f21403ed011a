//! A server over HTTP with server-sent events, as protocol 2024-11-05 has it (`protocol.md`, 1.8).

use super::http::{broken, failed, text};
use super::{Failure, Outgoing, Peer};
use crate::net::Client;
use crate::wire::Events;
use std::io::Read;
use std::sync::mpsc::{Receiver, RecvTimeoutError, sync_channel};
use std::thread;
use std::time::{Duration, Instant};
use ureq::http::header;
use url::Url;

/// A conversation: what comes, comes over one stream; what goes, goes to the address that the stream names first.
pub(crate) struct Stream {
    client: Client,
    given: Vec<(String, String)>,
    endpoint: Url,
    from: Receiver<Result<String, Failure>>,
}

impl Stream {
    /// Opens the stream.
    pub(crate) fn open(
        client: Client,
        url: &Url,
        given: Vec<(String, String)>,
        longest: usize,
        until: Instant,
        whole: Duration,
    ) -> Result<Self, Failure> {
        let mut request = client.agent.get(url.as_str()).header(header::ACCEPT, "text/event-stream");
        for (name, value) in &given {
            request = request.header(name, value);
        }
        let response = request
            .config()
            .timeout_global(Some(whole))
            .timeout_recv_response(Some(until.saturating_duration_since(Instant::now())))
            .build()
            .call()
            .map_err(|error| failed(&client, &error))?;
        let status = response.status().as_u16();
        let kind = text(&response, header::CONTENT_TYPE).unwrap_or_default();
        if status != 200 || !kind.to_ascii_lowercase().starts_with("text/event-stream") {
            return Err(Failure::Refused(status));
        }
        let (to, from) = sync_channel(64);
        let mut reader = response.into_body().into_reader();
        thread::spawn(move || {
            let mut events = Events::new(longest);
            let mut piece = vec![0; 16 * 1024];
            loop {
                let read = match reader.read(&mut piece) {
                    Ok(0) => Err(Failure::Ended(" the stream".to_owned())),
                    Ok(length) => Ok(length),
                    Err(error) => Err(broken(&error)),
                };
                let length = match read {
                    Ok(length) => length,
                    Err(failure) => {
                        let _gone = to.send(Err(failure));
                        return;
                    }
                };
                for event in events.push(piece.get(..length).unwrap_or_default()) {
                    let item = match (event.cut, event.kind.as_str()) {
                        (true, _) => Err(Failure::TooLong(longest)),
                        (false, "endpoint") => Ok(format!("\u{1}{}", event.data)),
                        (false, "message") if !event.data.is_empty() => Ok(event.data),
                        (false, _) => continue,
                    };
                    if to.send(item).is_err() {
                        return;
                    }
                }
            }
        });
        let first = wait(&from, until)?;
        let named = first.strip_prefix('\u{1}').and_then(|endpoint| url.join(endpoint).ok());
        // An address elsewhere would be sent everything that is said.
        match named.filter(|endpoint| endpoint.origin() == url.origin()) {
            Some(endpoint) => Ok(Self { client, given, endpoint, from }),
            None => Err(Failure::Ended(": it names no address of its own to send to".to_owned())),
        }
    }
}

fn wait(from: &Receiver<Result<String, Failure>>, until: Instant) -> Result<String, Failure> {
    match from.recv_timeout(until.saturating_duration_since(Instant::now())) {
        Ok(item) => item,
        Err(RecvTimeoutError::Timeout) => Err(Failure::Timeout),
        Err(RecvTimeoutError::Disconnected) => Err(Failure::Ended(" the stream".to_owned())),
    }
}

impl Peer for Stream {
    fn send(&mut self, message: Outgoing<'_>) -> Result<(), Failure> {
        let left = message.until.saturating_duration_since(Instant::now());
        let mut request =
            self.client.agent.post(self.endpoint.as_str()).header(header::CONTENT_TYPE, "application/json");
        for (name, value) in &self.given {
            request = request.header(name, value);
        }
        let request = request.config().timeout_global(Some(left.max(Duration::from_millis(1)))).build();
        let response = request.send(message.text).map_err(|error| failed(&self.client, &error))?;
        let status = response.status().as_u16();
        if (200..300).contains(&status) { Ok(()) } else { Err(Failure::Refused(status)) }
    }

    fn receive(&mut self, until: Instant) -> Result<Vec<u8>, Failure> {
        // A second address to send to is not followed.
        loop {
            let item = wait(&self.from, until)?;
            if !item.starts_with('\u{1}') {
                return Ok(item.into_bytes());
            }
        }
    }
}
