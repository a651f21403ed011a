use super::*;
use std::collections::VecDeque;

/// A server that answers from a list: each question gets the next answer, its id filled in.
struct Scripted {
    answers: VecDeque<&'static str>,
    ready: VecDeque<Vec<u8>>,
    sent: Vec<String>,
}

impl Scripted {
    fn new(answers: &[&'static str]) -> Self {
        Self { answers: answers.iter().copied().collect(), ready: VecDeque::new(), sent: Vec::new() }
    }
}

impl Peer for Scripted {
    fn send(&mut self, message: Outgoing<'_>) -> Result<(), Failure> {
        self.sent.push(message.text.to_owned());
        if !message.answered {
            return Ok(());
        }
        let sent: Value = serde_json::from_str(message.text).unwrap();
        let id = sent["id"].to_string();
        for line in self.answers.pop_front().unwrap_or_default().lines() {
            self.ready.push_back(line.replace("ID", &id).into_bytes());
        }
        Ok(())
    }

    fn receive(&mut self, _until: Instant) -> Result<Vec<u8>, Failure> {
        self.ready.pop_front().ok_or(Failure::Ended(String::new()))
    }
}

const HELLO: &str =
    r#"{"id":ID,"result":{"protocolVersion":"2025-11-25","capabilities":{"tools":{}},"serverInfo":{"name":"tide"}}}"#;
const EMPTY: &str = r#"{"id":ID,"result":{"tools":[]}}"#;

fn held(era: Era, answers: &[&'static str], bounds: Bounds) -> (Session, Vec<String>) {
    let mut peer = Scripted::new(answers);
    let (stop, mut left) = (AtomicBool::new(false), bounds.total);
    let session = Conversation::new(&mut peer, &bounds, &stop, &mut left, (era, ClientProfile::Minimal))
        .run(ClientProfile::Minimal);
    (session, peer.sent)
}

fn describe(answers: &[&'static str]) -> (String, Vec<String>) {
    let bounds = Bounds { pages: 3, unasked: 5, total: 4000, ..Bounds::default() };
    let (session, _) = held(Era::Handshake, answers, bounds);
    (session.ended, session.troubles)
}

#[test]
fn a_conversation_is_held_and_kept_as_written() {
    let list = r#"{"id":ID,"result":{"tools":[ {"name":"moor","x":1.0} ]}}"#;
    let (session, sent) = held(Era::Handshake, &[HELLO, list], Bounds::default());
    assert_eq!((session.ended.as_str(), session.protocol.as_deref()), ("complete", Some("2025-11-25")));
    assert_eq!(session.answers["tools/list"][0].get(), r#"{"tools":[ {"name":"moor","x":1.0} ]}"#);
    let methods: Vec<Value> =
        sent.iter().map(|text| serde_json::from_str::<Value>(text).unwrap()["method"].clone()).collect();
    assert_eq!(methods, ["initialize", "notifications/initialized", "tools/list"]);
}

#[test]
fn the_stateless_era_carries_everything_in_each_request() {
    let discover = r#"{"id":ID,"result":{"supportedVersions":["2026-07-28"],"capabilities":{}}}"#;
    let (session, sent) = held(Era::Stateless, &[discover, EMPTY], Bounds::default());
    assert_eq!(session.ended, "complete");
    for text in &sent {
        let meta = &serde_json::from_str::<Value>(text).unwrap()["params"]["_meta"];
        assert_eq!(meta["io.modelcontextprotocol/protocolVersion"], "2026-07-28");
    }
    for (answer, want) in [
        (r#"{"id":ID,"error":{"code":-32601,"message":"no"}}"#, "the server ended the question with error -32601"),
        (
            r#"{"id":ID,"result":{"supportedVersions":["2025-11-25"]}}"#,
            "the server ended: it does not support 2026-07-28",
        ),
        ("", "the server ended"),
    ] {
        assert_eq!(held(Era::Stateless, &[answer], Bounds::default()).0.ended, want);
    }
}

#[test]
fn hostile_servers_end_in_evidence() {
    const PAGE: &str = r#"{"id":ID,"result":{"tools":[],"nextCursor":"a"}}"#;
    const PAGE_B: &str = r#"{"id":ID,"result":{"tools":[],"nextCursor":"b"}}"#;
    const FLOOD: &str = "{\"method\":\"notifications/message\"}\n{\"method\":\"notifications/message\"}\n{\"method\":\"n\"}\n{\"method\":\"n\"}\n{\"method\":\"n\"}\n{\"method\":\"n\"}\n{\"id\":ID,\"result\":{}}";
    for (answers, ended, trouble) in [
        (vec![HELLO, PAGE, PAGE], "complete", Some("tools/list: pagination cursor repeats")),
        (vec![HELLO, PAGE, PAGE_B, PAGE], "complete", Some("tools/list: more than 3 pages, the rest was left there")),
        (vec![HELLO, FLOOD], "too many messages that nobody asked for", None),
        (vec![HELLO], "the server ended", None),
        (
            vec![HELLO, "{\"id\":99,\"result\":{}}\n{\"id\":ID,\"result\":{\"tools\":[]}}"],
            "complete",
            Some("an answer to a question that was not asked (id 99)"),
        ),
        (
            vec![HELLO, "starting up…\n{\"id\":ID,\"result\":{\"tools\":[]}}"],
            "complete",
            Some("malformed message: not JSON"),
        ),
        (
            vec![r#"{"id":ID,"result":{"protocolVersion":"2099-01-01","capabilities":{}}}"#, EMPTY],
            "complete",
            Some("negotiated revision \"2099-01-01\", which defines no handshake"),
        ),
        (vec![r#"{"id":null,"error":{"code":-32000}}"#], "the server ended the handshake with error -32000", None),
    ] {
        let (got, troubles) = describe(&answers);
        assert_eq!((got.as_str(), troubles.first().map(String::as_str)), (ended, trouble), "{answers:?}");
    }
}

#[test]
fn too_many_bytes_end_it() {
    let bounds = Bounds { total: HELLO.len() + 20, ..Bounds::default() };
    let long = r#"{"id":ID,"result":{"tools":[{"name":"a long one, over what is left of the bound"}]}}"#;
    assert_eq!(held(Era::Handshake, &[HELLO, long], bounds).0.ended, "more bytes than are taken from one server");
}

#[test]
fn what_the_server_asks_is_refused_and_kept() {
    let asks = "{\"id\":7,\"method\":\"sampling/createMessage\",\"params\":{\"maxTokens\":9}}\n{\"id\":8,\"method\":\"ping\"}\n{\"id\":ID,\"result\":{\"tools\":[]}}";
    let (session, sent) = held(Era::Handshake, &[HELLO, asks], Bounds::default());
    assert_eq!(session.asked.len(), 1);
    assert_eq!(session.asked[0].params.as_ref().unwrap().get(), r#"{"maxTokens":9}"#);
    assert!(sent.iter().any(|text| text.contains(r#""id":7,"error""#) && text.contains("-32601")), "{sent:?}");
    assert!(sent.iter().any(|text| text.contains(r#""id":8,"result":{}"#)), "{sent:?}");
}

#[test]
fn a_stop_is_heeded() {
    let mut peer = Scripted::new(&[HELLO]);
    let (stop, mut left, bounds) = (AtomicBool::new(true), 1000, Bounds::default());
    let session = Conversation::new(&mut peer, &bounds, &stop, &mut left, (Era::Handshake, ClientProfile::Minimal))
        .run(ClientProfile::Minimal);
    assert_eq!(session.ended, "interrupted");
}
