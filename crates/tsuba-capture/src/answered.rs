//! What an answer is that is not kept: a result, a refusal under another name, a page; and where an older event stream has messages sent.

use crate::login::body;
use serde_json::Value;
use std::io::Read;
use std::time::Duration;
use ureq::Body;
use ureq::http::{Response, header};
use url::Url;

/// So long is waited for the first event of a stream.
pub(crate) const FIRST_EVENT: Duration = Duration::from_secs(2);
/// A first event of more bytes is not read.
const MAX_EVENT_BYTES: u64 = 16 << 10;

fn is_of(response: &Response<Body>, kind: &str) -> bool {
    let written = response.headers().get(header::CONTENT_TYPE).and_then(|value| value.to_str().ok());
    written.is_some_and(|written| written.to_ascii_lowercase().contains(kind))
}

/// What a successful answer is; of a stream that is not known.
pub(crate) fn kind(response: Response<Body>) -> Option<&'static str> {
    if is_of(&response, "html") {
        return Some("page");
    }
    if !is_of(&response, "json") {
        return None;
    }
    let body = body(response)?;
    Some(kind_of(&serde_json::from_str(body.get()).ok()?))
}

/// Words by which an error says that a login is missing.
const REFUSING: &[&str] = &[
    "unauthorized",
    "unauthorised",
    "unauthenticated",
    "not authenticated",
    "authentication",
    "authorization",
    "access denied",
    "forbidden",
    "invalid_token",
    "missing token",
    "token required",
    "api key",
    "log in",
    "login",
    "sign in",
    "401",
    "403",
];

fn kind_of(body: &Value) -> &'static str {
    if body.get("result").is_some() {
        return "result";
    }
    let error = ["error", "errors", "message", "detail", "error_description", "title", "status", "code"]
        .iter()
        .filter_map(|key| body.get(key));
    let text = error.map(Value::to_string).collect::<Vec<_>>().join(" ").to_ascii_lowercase();
    match text.is_empty() {
        true => "other",
        false if REFUSING.iter().any(|word| text.contains(word)) => "refusal",
        false => "error",
    }
}

/// The address that the first event of a stream names, as the protocol of 2024-11-05 has it.
pub(crate) fn first_event(response: Response<Body>, url: &Url) -> Option<String> {
    if !is_of(&response, "event-stream") {
        return None;
    }
    let mut reader = response.into_body().into_reader().take(MAX_EVENT_BYTES);
    let mut text = Vec::new();
    let mut piece = [0; 1024];
    // An error is the end of waiting.
    while let Ok(count @ 1..) = reader.read(&mut piece) {
        text.extend(piece.get(..count).unwrap_or_default());
        let so_far = String::from_utf8_lossy(&text).replace('\r', "\n");
        if let Some((event, _)) = so_far.split_once("\n\n") {
            return endpoint_of(event, url);
        }
    }
    None
}

fn endpoint_of(event: &str, url: &Url) -> Option<String> {
    let field = |name: &str| {
        let line = event.lines().find_map(|line| line.strip_prefix(name)?.strip_prefix(':'));
        line.map(|value| value.trim().to_owned())
    };
    let named = field("data").filter(|_| field("event").as_deref() == Some("endpoint"))?;
    let mut address = url.join(&named).ok()?;
    // What follows says which conversation is meant, and opens it.
    address.set_query(None);
    Some(address.to_string())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_call_was_answered_is_told_by_its_body() {
        for (body, want) in [
            (r#"{"jsonrpc": "2.0", "id": 1, "result": {}}"#, "result"),
            (r#"{"jsonrpc": "2.0", "id": 1, "error": {"code": -32001, "message": "Unauthorized"}}"#, "refusal"),
            (r#"{"error": "invalid_token"}"#, "refusal"),
            (r#"{"status": 401}"#, "refusal"),
            (r#"{"message": "Please log in first"}"#, "refusal"),
            (
                r#"{"jsonrpc": "2.0", "id": 1, "error": {"code": -32602, "message": "Unsupported protocol version"}}"#,
                "error",
            ),
            (r#"{"hello": "there"}"#, "other"),
            ("[]", "other"),
        ] {
            assert_eq!(kind_of(&serde_json::from_str(body).unwrap()), want, "{body}");
        }
    }

    #[test]
    fn the_first_event_names_where_messages_go() {
        let url = Url::parse("https://tide.example/sse").unwrap();
        for (event, want) in [
            ("event: endpoint\ndata: /messages?session=1", Some("https://tide.example/messages")),
            ("event:endpoint\ndata:https://other.example/m", Some("https://other.example/m")),
            ("event: message\ndata: {}", None),
            ("data: /messages", None),
            (": a comment", None),
        ] {
            assert_eq!(endpoint_of(event, &url).as_deref(), want, "{event}");
        }
    }
}
