//! A second reader: a language model that the company runs reads what servers say, and its reading is kept beside the evidence.
//!
//! What it is asked is data between random marks, and what it answers is held against what is known: every request carries texts that are
//! known to be hostile and to be honest, and an answer that misjudges one of them is thrown away. Every text is read twice, in another order.

mod answer;
mod kept;
mod probes;
mod prompt;

pub use kept::{Finding, Kept};

use crate::net::{Client, Reachable, Trust, Why, is_loopback};
use answer::{Read, answer};
use fastrand::Rng;
use prompt::{Asked, request};
use std::fmt;
use std::io::Read as _;
use std::time::Duration;
use ureq::http::header;
use url::Url;

/// The version of what a reader is asked: readings of another one are made anew.
pub const PROMPT: u32 = 1;
/// So many texts are asked about in one request, besides those that are known,
const MAX_TEXTS: usize = 24;
/// of so many bytes together. A longer text is cut to that.
const MAX_TEXT_BYTES: usize = 16 << 10;
/// Of one server so many bytes are read in all.
const MAX_SERVER_BYTES: usize = 1 << 20;
/// An answer is no longer (bytes).
const MAX_ANSWER_BYTES: u64 = 2 << 20;

/// A language model behind the chat-completions interface that many programs offer.
#[derive(Debug)]
pub struct Reader {
    client: Client,
    url: Url,
    model: String,
    token: Option<String>,
    patience: Duration,
}

/// A text to be read.
#[derive(Clone, Debug)]
pub struct Text {
    /// What it is called in the reading.
    pub key: String,
    /// Where it stands, for people and for the model: `the description of the tool weather`.
    pub place: String,
    /// The text, without secrets.
    pub text: String,
}

/// What came of reading the texts of one server.
#[derive(Clone, Debug, Default)]
pub struct Reading {
    /// The texts that were read, by their keys.
    pub texts: Vec<String>,
    /// What was found in them.
    pub findings: Vec<Finding>,
    /// Findings that quoted words that do not stand in their text: left out.
    pub misquoted: usize,
    /// Texts that are over the bound of one server.
    pub over: usize,
    /// Why some were not read.
    pub unread: Vec<Unread>,
}

/// Why texts were not read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Unread {
    /// There was no answer in time.
    Timeout,
    /// The address may not be asked.
    Forbidden(String),
    /// There was no connection, or it broke off.
    Network(&'static str),
    /// The answer had another status than 200.
    Status(u16),
    /// The answer is over the bound.
    TooLong,
    /// The answer is not what the interface has.
    NoChat,
    /// What the model said is not the JSON that was asked for.
    NoFindings,
    /// It found nothing in a text that is known to be hostile.
    MissedHostile,
    /// It found something in a text that is known to be honest.
    BlamedHonest,
}

impl fmt::Display for Unread {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Timeout => f.write_str("no answer in time"),
            Self::Forbidden(why) => f.write_str(why),
            Self::Network(why) => write!(f, "no connection: {why}"),
            Self::Status(401 | 403) => f.write_str("the reader wants a token: set TSUBA_READER_TOKEN"),
            Self::Status(404) => f.write_str("no chat interface there (404): give the address up to /v1, or in full"),
            Self::Status(status) => write!(f, "the reader answers with status {status}"),
            Self::TooLong => f.write_str("the answer is over 2 MiB"),
            Self::NoChat => f.write_str("the answer has no choices[0].message.content"),
            Self::NoFindings => f.write_str("the model did not answer with the JSON that was asked for"),
            Self::MissedHostile => {
                f.write_str("answer thrown away: it found nothing in a text that is known to be hostile")
            }
            Self::BlamedHonest => f.write_str("answer thrown away: it blamed a text that is known to be honest"),
        }
    }
}

impl Reader {
    /// A model at an address: of the whole interface, or of its part before `/chat/completions`.
    pub fn new(mut url: Url, model: String, token: Option<String>, patience: Duration, trust: &Trust) -> Self {
        if !url.path().ends_with("/chat/completions") {
            let path = format!("{}/chat/completions", url.path().trim_end_matches('/'));
            url.set_path(&path);
        }
        // The company runs it: it may be on a private network, and on this machine at the port that is named.
        let loopback = url.port_or_known_default().filter(|_| is_loopback(&url));
        let reachable = Reachable { private: true, loopback: loopback.into_iter().collect() };
        let client = Client::new(reachable, trust, concat!("tsuba/", env!("CARGO_PKG_VERSION")));
        Self { client, url, model, token, patience }
    }

    /// May a token be sent there? Without TLS everyone on the path would read it.
    pub fn is_safe(&self) -> bool {
        self.url.scheme() == "https" || is_loopback(&self.url)
    }

    /// Reads the texts of one server.
    pub fn read(&self, texts: &[Text], rng: &mut Rng) -> Reading {
        let mut out = Reading::default();
        let mut left = MAX_SERVER_BYTES;
        let fits = |text: &&Text| {
            left = left.saturating_sub(text.text.len().min(MAX_TEXT_BYTES));
            left > 0
        };
        let fitting: Vec<&Text> = texts.iter().take_while(fits).collect();
        out.over = texts.len() - fitting.len();
        for piece in pieces(&fitting) {
            match self.twice(piece, rng) {
                Ok((findings, misquoted)) => {
                    out.texts.extend(piece.iter().map(|text| text.key.clone()));
                    out.findings.extend(findings);
                    out.misquoted += misquoted;
                }
                Err(why) => {
                    let connected =
                        !matches!(why, Unread::Network(_) | Unread::Forbidden(_) | Unread::Timeout | Unread::Status(_));
                    if !out.unread.contains(&why) {
                        out.unread.push(why);
                    }
                    // Who does not answer is not asked twenty times more.
                    if !connected {
                        break;
                    }
                }
            }
        }
        out
    }

    /// Twice, in another order, with other known texts: what only one of the two readings finds is not agreed.
    fn twice(&self, texts: &[&Text], rng: &mut Rng) -> Result<(Vec<Finding>, usize), Unread> {
        let (first, one) = self.once(texts, rng)?;
        let (second, two) = self.once(texts, rng)?;
        let mut out: Vec<Finding> = Vec::new();
        for (mine, other) in [(&first, &second), (&second, &first)] {
            for read in mine {
                let Some(text) = texts.get(read.text) else { continue };
                let same = |known: &Finding| known.text == text.key && known.class == read.class.name();
                if out.iter().any(same) {
                    continue;
                }
                let agreed = other.iter().any(|other| other.text == read.text && other.class == read.class);
                out.push(Finding {
                    text: text.key.clone(),
                    class: read.class.name().to_owned(),
                    quote: read.quote.clone(),
                    reason: read.reason.clone(),
                    agreed,
                });
            }
        }
        Ok((out, one + two))
    }

    fn once(&self, texts: &[&Text], rng: &mut Rng) -> Result<(Vec<Read>, usize), Unread> {
        let asked = Asked::new(texts, rng);
        let said = self.say(&request(&self.model, &asked))?;
        answer(&said, &asked)
    }

    /// What the model says to a request.
    fn say(&self, body: &serde_json::Value) -> Result<String, Unread> {
        let mut request = self
            .client
            .agent
            .post(self.url.as_str())
            .header(header::CONTENT_TYPE, "application/json")
            .header(header::ACCEPT, "application/json");
        if let Some(token) = &self.token {
            request = request.header(header::AUTHORIZATION, format!("Bearer {token}"));
        }
        let request = request.config().timeout_global(Some(self.patience)).build();
        let failed = |error: &ureq::Error| match self.client.why(error) {
            Why::Timeout => Unread::Timeout,
            Why::Forbidden(why) => Unread::Forbidden(why),
            Why::Network(why) => Unread::Network(why),
        };
        let response = request.send(body.to_string()).map_err(|error| failed(&error))?;
        if response.status() != 200 {
            return Err(Unread::Status(response.status().as_u16()));
        }
        let mut bytes = Vec::new();
        let read = response.into_body().into_reader().take(MAX_ANSWER_BYTES + 1).read_to_end(&mut bytes);
        read.map_err(|error| {
            let inner = error.get_ref().and_then(|inner| inner.downcast_ref::<ureq::Error>());
            inner.map_or(Unread::Network("broken off"), failed)
        })?;
        if bytes.len() as u64 > MAX_ANSWER_BYTES {
            return Err(Unread::TooLong);
        }
        let value: serde_json::Value = serde_json::from_slice(&bytes).map_err(|_| Unread::NoChat)?;
        let content = value.pointer("/choices/0/message/content").and_then(serde_json::Value::as_str);
        content.map(str::to_owned).ok_or(Unread::NoChat)
    }
}

/// Texts in pieces that fit into one request.
fn pieces<'p, 't>(texts: &'p [&'t Text]) -> Vec<&'p [&'t Text]> {
    let (mut out, mut start, mut bytes) = (Vec::new(), 0, 0);
    for (index, text) in texts.iter().enumerate() {
        let length = text.text.len().min(MAX_TEXT_BYTES);
        if index > start && (index - start >= MAX_TEXTS || bytes + length > MAX_TEXT_BYTES) {
            out.extend(texts.get(start..index));
            (start, bytes) = (index, 0);
        }
        bytes += length;
    }
    out.extend(texts.get(start..).filter(|rest| !rest.is_empty()));
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn texts_go_in_pieces_within_bounds() {
        let text = |length: usize| Text { key: String::new(), place: String::new(), text: "x".repeat(length) };
        for (lengths, want) in [
            (vec![], vec![]),
            (vec![10; MAX_TEXTS], vec![MAX_TEXTS]),
            (vec![10; MAX_TEXTS + 1], vec![MAX_TEXTS, 1]),
            (vec![MAX_TEXT_BYTES, 1], vec![1, 1]),
            (vec![1, 5 * MAX_TEXT_BYTES, 1], vec![1, 1, 1]),
        ] {
            let texts: Vec<Text> = lengths.into_iter().map(text).collect();
            let all: Vec<&Text> = texts.iter().collect();
            let got: Vec<usize> = pieces(&all).iter().map(|piece| piece.len()).collect();
            assert_eq!(got, want);
        }
    }

    #[test]
    fn the_address_is_of_the_interface_and_a_token_goes_only_where_nobody_listens() {
        for (url, want, safe) in [
            ("https://reader.example/v1", "https://reader.example/v1/chat/completions", true),
            ("https://reader.example/v1/", "https://reader.example/v1/chat/completions", true),
            ("http://127.0.0.1:8080", "http://127.0.0.1:8080/chat/completions", true),
            ("http://reader.example/own/chat/completions", "http://reader.example/own/chat/completions", false),
        ] {
            let reader =
                Reader::new(url.parse().unwrap(), "m".to_owned(), None, Duration::from_secs(1), &Trust::none());
            assert_eq!((reader.url.as_str(), reader.is_safe()), (want, safe));
        }
    }
}
