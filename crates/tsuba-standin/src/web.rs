//! A stand-in over HTTP on loopback: the tool server at `/mcp`, and the identity provider beside it.

use crate::provider;
use crate::reader::{READER_TOKEN, Reader, ReaderKind};
use crate::server::Server;
use crate::weakness::Weakness;
use axum::Router;
use axum::body::{Body, Bytes};
use axum::extract::State;
use axum::http::{HeaderMap, Method, StatusCode, Uri, header};
use axum::response::{IntoResponse, Response};
use serde_json::Value;
use std::collections::BTreeMap;
use std::net::SocketAddr;
use std::sync::{Arc, Mutex, PoisonError};
use std::thread;
use tokio::net::TcpListener;
use tokio::runtime;
use tokio::sync::{mpsc, oneshot};

/// Stand-ins that are running; they end when this is dropped.
#[derive(Debug)]
pub struct Web {
    /// Where each of them is, in the order asked for: `http://127.0.0.1:PORT`.
    pub origins: Vec<String>,
    end: Option<oneshot::Sender<()>>,
    thread: Option<thread::JoinHandle<()>>,
}

impl Drop for Web {
    fn drop(&mut self) {
        drop(self.end.take());
        if let Some(thread) = self.thread.take() {
            let _ended = thread.join();
        }
    }
}

/// What a stand-in remembers.
struct Running {
    server: Server,
    origin: String,
    /// Who has opened which session.
    sessions: Mutex<BTreeMap<String, String>>,
    /// What streams that broke off still had to say, by their last event.
    broken: Mutex<BTreeMap<String, String>>,
    /// The open streams of the older transport.
    streams: Mutex<BTreeMap<String, mpsc::UnboundedSender<String>>>,
}

/// Serves stand-ins, each on a port of its own.
///
/// # Errors
/// Where the system gives no port.
pub fn serve(servers: Vec<Server>) -> std::io::Result<Web> {
    let app = |server: Server, origin: &str| {
        let running = Running {
            server,
            origin: origin.to_owned(),
            sessions: Mutex::default(),
            broken: Mutex::default(),
            streams: Mutex::default(),
        };
        Router::new().fallback(answer).with_state(Arc::new(running))
    };
    serve_each(servers.into_iter().map(|server| move |origin: &str| app(server, origin)))
}

/// Serves a reader of texts, on a port of its own.
///
/// # Errors
/// Where the system gives no port.
pub fn serve_reader(kind: ReaderKind) -> std::io::Result<Web> {
    let app = move |_: &str| Router::new().fallback(read).with_state(Arc::new(Reader::new(kind)));
    serve_each(std::iter::once(app))
}

/// Serves what each makes of its address.
fn serve_each(apps: impl Iterator<Item = impl FnOnce(&str) -> Router>) -> std::io::Result<Web> {
    let (mut listeners, mut origins) = (Vec::new(), Vec::new());
    for app in apps {
        let listener = std::net::TcpListener::bind(SocketAddr::from(([127, 0, 0, 1], 0)))?;
        listener.set_nonblocking(true)?;
        let origin = format!("http://{}", listener.local_addr()?);
        listeners.push((app(&origin), listener));
        origins.push(origin);
    }
    let runtime = runtime::Builder::new_current_thread().enable_all().build()?;
    let (end, ended) = oneshot::channel();
    let thread = thread::spawn(move || {
        runtime.block_on(async move {
            for (app, listener) in listeners {
                if let Ok(listener) = TcpListener::from_std(listener) {
                    tokio::spawn(async move { axum::serve(listener, app).await });
                }
            }
            // An error only says that the sender is gone: the time to end.
            let _over = ended.await;
        });
    });
    Ok(Web { origins, end: Some(end), thread: Some(thread) })
}

/// A reader answers at any address that ends as the interface does.
async fn read(State(reader): State<Arc<Reader>>, uri: Uri, headers: HeaderMap, body: Bytes) -> Response {
    if !uri.path().ends_with("/chat/completions") {
        return StatusCode::NOT_FOUND.into_response();
    }
    let token = format!("Bearer {READER_TOKEN}");
    if reader.kind == ReaderKind::Locked && headers.get(header::AUTHORIZATION).is_none_or(|value| *value != token) {
        return StatusCode::UNAUTHORIZED.into_response();
    }
    tokio::time::sleep(reader.thinks()).await;
    reader.answer(&body).map_or_else(|| StatusCode::BAD_REQUEST.into_response(), |value| document(&value))
}

async fn answer(
    State(running): State<Arc<Running>>,
    method: Method,
    uri: Uri,
    headers: HeaderMap,
    body: Bytes,
) -> Response {
    let path = uri.path();
    let (server, origin) = (&running.server, running.origin.as_str());
    match path {
        "/mcp" => {}
        "/messages" => return running.message(&uri, &body),
        "/.well-known/oauth-protected-resource/mcp" if server.is(Weakness::PageForMetadata) => return page(),
        "/.well-known/oauth-protected-resource/mcp" if has_metadata(server) => {
            return document(&provider::resource(server, origin));
        }
        "/.well-known/oauth-authorization-server" if has_metadata(server) => {
            return document(&provider::metadata(server, origin));
        }
        "/keys" => return document(&provider::keys(server)),
        "/introspect" if has_token(&headers) => return document(&provider::introspection(server, origin)),
        "/introspect" => return StatusCode::UNAUTHORIZED.into_response(),
        "/register" if server.is(Weakness::OpenRegistration) => {
            return (StatusCode::BAD_REQUEST, r#"{"error":"invalid_client_metadata"}"#).into_response();
        }
        "/register" => return StatusCode::UNAUTHORIZED.into_response(),
        _ => return StatusCode::NOT_FOUND.into_response(),
    }
    if server.is(Weakness::LeadsAway) {
        return (StatusCode::TEMPORARY_REDIRECT, [(header::LOCATION, "http://169.254.169.254/latest")]).into_response();
    }
    let named = |name: header::HeaderName| headers.get(name).and_then(|value| value.to_str().ok()).unwrap_or_default();
    if server.is(Weakness::ReflectsOrigin) {
        let origin = headers.get(header::ORIGIN).cloned().unwrap_or(header::HeaderValue::from_static("null"));
        let allowed = header::HeaderValue::from_static("true");
        let headers =
            [(header::ACCESS_CONTROL_ALLOW_ORIGIN, origin), (header::ACCESS_CONTROL_ALLOW_CREDENTIALS, allowed)];
        return (StatusCode::UNAUTHORIZED, headers).into_response();
    }
    if !server.is(Weakness::AnyOrigin) {
        let own = |text: &str| text.is_empty() || text == origin || format!("http://{text}") == origin;
        if !own(named(header::HOST)) || !own(named(header::ORIGIN)) {
            return StatusCode::FORBIDDEN.into_response();
        }
    }
    let any = server.is(Weakness::AnyToken) && headers.contains_key(header::AUTHORIZATION);
    if server.is(Weakness::WantsToken) && !any && !has_token(&headers) {
        if server.is(Weakness::LoginPage) {
            return (StatusCode::FOUND, [(header::LOCATION, "/login?next=/mcp")]).into_response();
        }
        if server.is(Weakness::RefusesWith200) {
            return document(&serde_json::json!({ "error": "unauthorized" }));
        }
        let place = match () {
            () if server.is(Weakness::BadChallenge) => "Bearer resource_metadata=\"never closed".to_owned(),
            () if server.is(Weakness::ChallengeInside) => {
                "Bearer resource_metadata=\"http://169.254.169.254/latest/meta-data\"".to_owned()
            }
            () => format!("Bearer resource_metadata=\"{origin}/.well-known/oauth-protected-resource/mcp\""),
        };
        let challenge = (!server.is(Weakness::NoChallenge)).then_some([(header::WWW_AUTHENTICATE, place)]);
        return (StatusCode::UNAUTHORIZED, challenge.map_or_else(|| ().into_response(), IntoResponse::into_response))
            .into_response();
    }
    match method {
        Method::GET if server.is(Weakness::BreaksOff) => running.resume(&headers),
        Method::POST if !server.is(Weakness::OlderEvents) => running.post(&headers, &body),
        Method::GET if server.is(Weakness::OlderEvents) => running.stream(),
        Method::DELETE => StatusCode::OK.into_response(),
        _ => StatusCode::METHOD_NOT_ALLOWED.into_response(),
    }
}

/// The one token that a stand-in accepts.
fn has_token(headers: &HeaderMap) -> bool {
    headers.get(header::AUTHORIZATION).is_some_and(|value| value == "Bearer made-up-token-of-the-stand-in")
}

fn has_metadata(server: &Server) -> bool {
    server.is(Weakness::WantsToken) && !server.is(Weakness::NoMetadata)
}

fn page() -> Response {
    ([(header::CONTENT_TYPE, "text/html; charset=utf-8")], "<!doctype html><title>Harbour</title>").into_response()
}

fn document(value: &Value) -> Response {
    ([(header::CONTENT_TYPE, "application/json")], value.to_string()).into_response()
}

impl Running {
    /// Streamable HTTP: one answer as JSON, several as events.
    fn post(&self, headers: &HeaderMap, body: &Bytes) -> Response {
        let Ok(message) = serde_json::from_slice::<Value>(body) else { return StatusCode::BAD_REQUEST.into_response() };
        let session = headers.get("mcp-session-id").and_then(|id| id.to_str().ok()).unwrap_or_default().to_owned();
        let mut sessions = self.sessions.lock().unwrap_or_else(PoisonError::into_inner);
        let mut client = sessions.get(&session).cloned().unwrap_or_default();
        let answers = self.server.answer(&message, &mut client);
        if message.get("id").is_none() {
            return StatusCode::ACCEPTED.into_response();
        }
        if message.get("method").and_then(Value::as_str) == Some("initialize") {
            let id = format!("session-{}", sessions.len() + 1);
            sessions.insert(id.clone(), client);
            let text = answers.first().map(Value::to_string).unwrap_or_default();
            let headers = [(header::CONTENT_TYPE.as_str(), "application/json"), ("mcp-session-id", &id)];
            return (headers, text).into_response();
        }
        match answers.as_slice() {
            [one] if self.server.is(Weakness::BreaksOff) => {
                let mut streams = self.broken.lock().unwrap_or_else(PoisonError::into_inner);
                let id = format!("event-{}", streams.len() + 1);
                streams.insert(id.clone(), one.to_string());
                ([(header::CONTENT_TYPE, "text/event-stream")], format!("id: {id}\nretry: 50\ndata:\n\n"))
                    .into_response()
            }
            [one] => {
                let code = one.pointer("/error/code").and_then(Value::as_i64);
                let status = match code {
                    Some(-32601) => StatusCode::NOT_FOUND,
                    Some(_) => StatusCode::BAD_REQUEST,
                    None => StatusCode::OK,
                };
                (status, document(one)).into_response()
            }
            several => {
                let events: String = several.iter().map(|answer| format!("data: {answer}\n\n")).collect();
                if several.is_empty() && self.server.is(Weakness::Silent) {
                    // Opened and never ended.
                    let (keep, events) = mpsc::unbounded_channel();
                    self.streams.lock().unwrap_or_else(PoisonError::into_inner).insert(session, keep);
                    return open_stream(events);
                }
                ([(header::CONTENT_TYPE, "text/event-stream")], events).into_response()
            }
        }
    }

    /// The rest of a stream that broke off, once.
    fn resume(&self, headers: &HeaderMap) -> Response {
        let id = headers.get("last-event-id").and_then(|id| id.to_str().ok()).unwrap_or_default();
        match self.broken.lock().unwrap_or_else(PoisonError::into_inner).remove(id) {
            Some(answer) => {
                ([(header::CONTENT_TYPE, "text/event-stream")], format!("data: {answer}\n\n")).into_response()
            }
            None => StatusCode::METHOD_NOT_ALLOWED.into_response(),
        }
    }

    /// The older transport: the stream first names the address to send to.
    fn stream(&self) -> Response {
        let mut streams = self.streams.lock().unwrap_or_else(PoisonError::into_inner);
        let id = (streams.len() + 1).to_string();
        let (to, events) = mpsc::unbounded_channel();
        let place = if self.server.is(Weakness::EventsElsewhere) { "http://169.254.169.254" } else { "" };
        let _open = to.send(format!("event: endpoint\ndata: {place}/messages?session={id}\n\n"));
        streams.insert(id, to);
        open_stream(events)
    }

    fn message(&self, uri: &Uri, body: &Bytes) -> Response {
        let session = uri.query().and_then(|query| query.strip_prefix("session=")).unwrap_or_default();
        let streams = self.streams.lock().unwrap_or_else(PoisonError::into_inner);
        let Some(to) = streams.get(session) else { return StatusCode::NOT_FOUND.into_response() };
        let Ok(message) = serde_json::from_slice::<Value>(body) else { return StatusCode::BAD_REQUEST.into_response() };
        for answer in self.server.answer(&message, &mut String::new()) {
            let _open = to.send(format!("event: message\ndata: {answer}\n\n"));
        }
        StatusCode::ACCEPTED.into_response()
    }
}

/// A stream that goes on as long as something may still come.
fn open_stream(events: mpsc::UnboundedReceiver<String>) -> Response {
    let stream = tokio_stream::wrappers::UnboundedReceiverStream::new(events);
    let body = Body::from_stream(tokio_stream::StreamExt::map(stream, Ok::<_, std::convert::Infallible>));
    ([(header::CONTENT_TYPE, "text/event-stream")], body).into_response()
}
