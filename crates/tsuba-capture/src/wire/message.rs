//! Messages: JSON-RPC 2.0, kept as they were written.

use serde::Deserialize;
use serde_json::value::RawValue;
use std::borrow::Cow;

/// JSON as it was written, to the letter.
pub type Raw = Box<RawValue>;

/// A message that came.
#[derive(Clone, Debug)]
pub enum Message {
    /// The result of a request.
    Result {
        /// The request's id, as written.
        id: String,
        /// The result.
        result: Raw,
    },
    /// An error in answer to a request.
    Error {
        /// The request's id, as written; `null` where the server knew none.
        id: String,
        /// The error.
        error: Raw,
        /// Its code; 0 where it has none.
        code: i64,
    },
    /// A request of the server.
    Request {
        /// Its id, as written.
        id: String,
        /// Its method.
        method: String,
        /// Its parameters.
        params: Option<Raw>,
    },
    /// A notification.
    Notification {
        /// Its method.
        method: String,
        /// Its parameters.
        params: Option<Raw>,
    },
    /// Something else, and why it is none of these.
    Invalid(&'static str),
}

/// What is nested deeper is not read: whoever reads evidence reads no deeper either.
const MAX_DEPTH: usize = 120;

#[derive(Deserialize)]
struct Envelope<'m> {
    #[serde(borrow, default)]
    id: Option<&'m RawValue>,
    #[serde(borrow, default)]
    method: Option<Cow<'m, str>>,
    #[serde(borrow, default)]
    params: Option<&'m RawValue>,
    #[serde(borrow, default)]
    result: Option<&'m RawValue>,
    #[serde(borrow, default)]
    error: Option<&'m RawValue>,
}

#[derive(Deserialize)]
struct Code {
    #[serde(default)]
    code: i64,
}

/// The messages in a text: one, or several in an array (protocol 2025-03-26).
pub fn messages(text: &[u8]) -> Vec<Message> {
    if is_too_deep(text) {
        return vec![Message::Invalid("nested too deep")];
    }
    if text.iter().find(|byte| !byte.is_ascii_whitespace()) == Some(&b'[') {
        return match serde_json::from_slice::<Vec<&RawValue>>(text) {
            Ok(list) => list.into_iter().map(|item| message(item.get().as_bytes())).collect(),
            Err(_) => vec![Message::Invalid("not JSON")],
        };
    }
    vec![message(text)]
}

fn message(text: &[u8]) -> Message {
    let Ok(envelope) = serde_json::from_slice::<Envelope<'_>>(text) else {
        let json = serde_json::from_slice::<&RawValue>(text).is_ok();
        return Message::Invalid(if json { "no JSON-RPC message" } else { "not JSON" });
    };
    let owned = |raw: &RawValue| raw.to_owned();
    let id = envelope.id.map(|id| id.get().to_owned());
    match (envelope.method, id, envelope.result, envelope.error) {
        (Some(method), Some(id), ..) => {
            Message::Request { id, method: method.into_owned(), params: envelope.params.map(owned) }
        }
        (Some(method), None, ..) => {
            Message::Notification { method: method.into_owned(), params: envelope.params.map(owned) }
        }
        (None, _, Some(_), Some(_)) => Message::Invalid("an answer with a result and an error"),
        (None, Some(id), Some(result), None) => Message::Result { id, result: result.to_owned() },
        (None, None, Some(_), None) => Message::Invalid("a result without an id"),
        (None, id, None, Some(error)) => Message::Error {
            id: id.unwrap_or_else(|| "null".to_owned()),
            code: serde_json::from_str::<Code>(error.get()).map_or(0, |code| code.code),
            error: error.to_owned(),
        },
        (None, _, None, None) => Message::Invalid("no JSON-RPC message"),
    }
}

/// Is JSON nested deeper than is read?
pub fn is_too_deep(text: &[u8]) -> bool {
    depth(text) > MAX_DEPTH
}

/// How deep a text is nested; brackets in strings do not count.
fn depth(text: &[u8]) -> usize {
    let (mut depth, mut most, mut quoted, mut escaped) = (0usize, 0, false, false);
    for byte in text {
        match byte {
            _ if escaped => escaped = false,
            b'\\' if quoted => escaped = true,
            b'"' => quoted = !quoted,
            b'{' | b'[' if !quoted => {
                depth += 1;
                most = most.max(depth);
            }
            b'}' | b']' if !quoted => depth = depth.saturating_sub(1),
            _ => {}
        }
    }
    most
}

#[cfg(test)]
mod tests {
    use super::*;

    fn kind(text: &str) -> String {
        let all: Vec<String> = messages(text.as_bytes())
            .into_iter()
            .map(|message| match message {
                Message::Result { id, result } => format!("result {id} {result}"),
                Message::Error { id, code, .. } => format!("error {id} {code}"),
                Message::Request { id, method, .. } => format!("request {id} {method}"),
                Message::Notification { method, .. } => format!("notification {method}"),
                Message::Invalid(why) => format!("invalid: {why}"),
            })
            .collect();
        all.join("; ")
    }

    #[test]
    fn messages_are_told_apart() {
        for (text, want) in [
            (r#"{"jsonrpc":"2.0","id":1,"result":{"b":1, "a":[ 1.0 ]}}"#, r#"result 1 {"b":1, "a":[ 1.0 ]}"#),
            (r#"{"id":"x","error":{"code":-32601,"message":"no"}}"#, r#"error "x" -32601"#),
            (r#"{"id":null,"error":{}}"#, "error null 0"),
            (r#"{"id":3,"method":"ping"}"#, "request 3 ping"),
            (r#"{"method":"notifications/message","params":{}}"#, "notification notifications/message"),
            (r#"[{"id":1,"result":1},{"id":2,"result":2}]"#, "result 1 1; result 2 2"),
            (r#"{"result":{}}"#, "invalid: a result without an id"),
            (r#"{"id":1,"result":1,"error":{}}"#, "invalid: an answer with a result and an error"),
            (r#"{"id":1,"id":2,"result":1}"#, "invalid: no JSON-RPC message"),
            ("{}", "invalid: no JSON-RPC message"),
            ("listening on port 8000", "invalid: not JSON"),
            ("7", "invalid: no JSON-RPC message"),
            ("[1]", "invalid: no JSON-RPC message"),
            ("[]", ""),
        ] {
            assert_eq!(kind(text), want, "{text}");
        }
    }

    #[test]
    fn what_is_nested_too_deep_is_not_read() {
        let deep = format!(r#"{{"id":1,"result":{}{}}}"#, "[".repeat(MAX_DEPTH), "]".repeat(MAX_DEPTH));
        assert_eq!(kind(&deep), "invalid: nested too deep");
        let quoted = format!(r#"{{"id":1,"result":"{}"}}"#, "[".repeat(500));
        assert!(kind(&quoted).starts_with("result 1"));
    }
}
