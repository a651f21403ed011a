//! Questions about the login of a remote server, asked without logging in: how it refuses, and what its metadata say. No client is
//! registered and no login is begun.

use crate::answered::{FIRST_EVENT, first_event, kind};
use crate::evidence::{Era, Evidence, HttpAnswer};
use crate::job::Options;
use crate::net::{Client, Why, is_loopback};
use crate::session::{hello_headers, initial_request};
use crate::wire::{Raw, is_too_deep};
use serde_json::Value;
use std::collections::BTreeMap;
use std::io::Read;
use std::time::{Duration, Instant};
use ureq::Body;
use ureq::http::{Request, Response, header};
use url::Url;

/// Metadata and keys of more bytes are not read.
const MAX_METADATA_BYTES: u64 = 256 << 10;
/// A resource that names more authorization servers is not asked for all of them.
const SERVERS: usize = 3;
/// So many times a metadata address may lead on at its own server.
const REDIRECTS: usize = 3;
/// The headers that are kept.
const KEPT: &[&str] = &[
    "www-authenticate",
    "location",
    "content-type",
    "access-control-allow-origin",
    "access-control-allow-credentials",
    "strict-transport-security",
];

/// Asks; `false` where nobody is there to be asked.
pub(crate) fn ask(client: &Client, url: &Url, options: &Options, evidence: &mut Evidence) -> bool {
    let era = if options.eras.contains(&Era::Handshake) { Era::Handshake } else { Era::Stateless };
    let until = Instant::now() + options.bounds.session;
    let asking = Asking { client, within: options.bounds.answer, until, era, token: options.token.as_deref() };
    let first = asking.initial_request("no-token", url, &[]);
    let (status, challenge) = (first.status, first.headers.get("www-authenticate").cloned());
    if status.is_none() {
        evidence.troubles.extend(first.failed.clone());
        evidence.http.push(first);
        return false;
    }
    evidence.http.push(first);
    evidence.http.push(asking.initial_request("wrong-token", url, &[("Authorization", "Bearer tsuba-has-no-token")]));
    evidence.http.push(asking.initial_request("foreign-origin", url, &[("Origin", "https://foreign.example")]));
    evidence.http.push(asking.initial_request("foreign-host", url, &[("Host", "foreign.example")]));
    evidence.http.push(asking.get("get", url, "text/event-stream"));
    if let Some(url) = with_tls(url) {
        evidence.http.push(asking.initial_request("over-tls", &url, &[]));
    }
    if matches!(status, Some(401 | 403)) {
        asking.metadata(url, challenge.as_deref(), evidence);
    }
    true
}

/// The address with TLS of one that is written without; on a port of its own an address says nothing of where that would be.
fn with_tls(url: &Url) -> Option<Url> {
    let plain = url.scheme() == "http" && url.port().is_none() && !is_loopback(url);
    let mut url = url.clone();
    (plain && url.set_scheme("https").is_ok()).then_some(url)
}

/// What is kept of an answer's body.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Keeps {
    Nothing,
    /// All of it, where it is JSON.
    Body,
    /// What it is.
    Kind,
    /// The address that its first event names.
    Endpoint,
}

struct Asking<'a> {
    client: &'a Client,
    within: Duration,
    /// When all questions together have taken long enough.
    until: Instant,
    era: Era,
    /// The token in use.
    token: Option<&'a str>,
}

impl Asking<'_> {
    /// The protocol's first message, with some headers.
    fn initial_request(&self, ask: &'static str, url: &Url, headers: &[(&str, &str)]) -> HttpAnswer {
        let mut request = Request::post(url.as_str())
            .header(header::CONTENT_TYPE, "application/json")
            .header(header::ACCEPT, "application/json, text/event-stream");
        for (name, value) in hello_headers(self.era).iter().chain(headers) {
            request = request.header(*name, *value);
        }
        let keeps = if matches!(ask, "no-token" | "wrong-token") { Keeps::Kind } else { Keeps::Nothing };
        self.answer(ask, url, request.body(initial_request(self.era)), keeps)
    }

    fn get(&self, ask: &'static str, url: &Url, accept: &str) -> HttpAnswer {
        let request = Request::get(url.as_str()).header(header::ACCEPT, accept);
        self.answer(ask, url, request.body(()), Keeps::Endpoint)
    }

    /// A JSON document; where its address leads on at the same server, it is followed.
    fn document(&self, ask: &'static str, url: &Url) -> HttpAnswer {
        let mut url = url.clone();
        for _ in 0..REDIRECTS {
            let request = Request::get(url.as_str()).header(header::ACCEPT, "application/json");
            let request = request.header("MCP-Protocol-Version", "2025-11-25");
            let answer = self.answer(ask, &url, request.body(()), Keeps::Body);
            let onward = answer.headers.get("location").and_then(|location| url.join(location).ok());
            let leads = matches!(answer.status, Some(301 | 302 | 303 | 307 | 308));
            match onward.filter(|next| leads && next.origin() == url.origin()) {
                Some(next) => url = next,
                None => return answer,
            }
        }
        HttpAnswer { ask, url: url.to_string(), failed: Some("too many redirects".to_owned()), ..HttpAnswer::default() }
    }

    fn answer<B: ureq::AsSendBody>(
        &self,
        ask: &'static str,
        url: &Url,
        request: Result<Request<B>, ureq::http::Error>,
        keeps: Keeps,
    ) -> HttpAnswer {
        let mut answer = HttpAnswer { ask, url: url.to_string(), ..HttpAnswer::default() };
        let Ok(request) = request else {
            answer.failed = Some("the address cannot be asked".to_owned());
            return answer;
        };
        let left = self.until.saturating_duration_since(Instant::now());
        if left.is_zero() {
            answer.failed = Some("not asked: the questions before took too long".to_owned());
            return answer;
        }
        let agent = &self.client.agent;
        let mut request = agent.configure_request(request).timeout_global(Some(self.within.min(left)));
        if keeps == Keeps::Endpoint {
            // A stream of the newer transport says nothing until something happens.
            request = request.timeout_recv_body(Some(FIRST_EVENT.min(left)));
        }
        let request = request.build();
        match agent.run(request) {
            Ok(response) => {
                answer.status = Some(response.status().as_u16());
                answer.headers = headers(&response);
                let success = response.status().is_success();
                match keeps {
                    Keeps::Body => answer.body = body(response),
                    Keeps::Kind if success => answer.answered = kind(response),
                    Keeps::Endpoint if success => answer.endpoint = first_event(response, url),
                    Keeps::Kind | Keeps::Endpoint | Keeps::Nothing => {}
                }
            }
            Err(error) => {
                answer.failed = Some(match self.client.why(&error) {
                    Why::Timeout => "no answer in time".to_owned(),
                    Why::Forbidden(why) => why,
                    Why::Network(why) => format!("no connection: {why}"),
                });
            }
        }
        answer
    }

    /// Metadata of the resource, then of the authorization servers that it names.
    fn metadata(&self, url: &Url, challenge: Option<&str>, evidence: &mut Evidence) {
        let mut resource = None;
        for place in resource_places(url, challenge) {
            let answer = self.document("resource-metadata", &place);
            resource = value(&answer)
                .filter(|value| value.get("resource").is_some() || value.get("authorization_servers").is_some());
            evidence.http.push(answer);
            if resource.is_some() {
                break;
            }
        }
        let named = resource.as_ref().and_then(|r| r.get("authorization_servers")).and_then(Value::as_array);
        let issuers: Vec<Url> = named
            .into_iter()
            .flatten()
            .filter_map(|issuer| Url::parse(issuer.as_str()?).ok())
            .filter(|issuer| is_safe(issuer, url))
            .take(SERVERS)
            .collect();
        for issuer in issuers {
            self.server(&issuer, url, evidence);
        }
    }

    fn server(&self, issuer: &Url, url: &Url, evidence: &mut Evidence) {
        for place in server_places(issuer) {
            let mut answer = self.document("server-metadata", &place);
            // As the resource has it: a slash that a library adds makes another issuer of it.
            answer.issuer = Some(named(issuer));
            let metadata =
                value(&answer).filter(|value| value.get("issuer").is_some() || value.get("token_endpoint").is_some());
            evidence.http.push(answer);
            let Some(metadata) = metadata else { continue };
            let address = |key: &str| {
                let address = metadata.get(key).and_then(Value::as_str).and_then(|text| Url::parse(text).ok());
                address.filter(|address| is_safe(address, url))
            };
            if let Some(keys) = address("jwks_uri") {
                evidence.http.push(self.document("keys", &keys));
            }
            if let Some(endpoint) = address("registration_endpoint") {
                // An empty body registers nothing: what comes back shows whether anybody may ask.
                let request = Request::post(endpoint.as_str()).header(header::CONTENT_TYPE, "application/json");
                let answer = self.answer("registration", &endpoint, request.body(String::new()), Keeps::Nothing);
                evidence.http.push(answer);
            }
            let is_issuer = metadata.get("issuer").and_then(Value::as_str) == Some(named(issuer).as_str());
            if let Some((token, endpoint)) = self.token.zip(address("introspection_endpoint"))
                && is_issuer
                && endpoint.origin() == issuer.origin()
            {
                evidence.http.push(self.introspect(token, &endpoint));
            }
            return;
        }
    }

    /// Asks an authorization server about the token, which is also what allows to ask (RFC 7662, 2.1). Only the issuer that the server named is
    /// asked, at its own origin: nobody gets the token who could not have had it from the server.
    fn introspect(&self, token: &str, endpoint: &Url) -> HttpAnswer {
        let form = url::form_urlencoded::Serializer::new(String::new())
            .extend_pairs([("token", token), ("token_type_hint", "access_token")])
            .finish();
        let request = Request::post(endpoint.as_str())
            .header(header::CONTENT_TYPE, "application/x-www-form-urlencoded")
            .header(header::ACCEPT, "application/json")
            .header(header::AUTHORIZATION, format!("Bearer {token}"));
        self.answer("introspection", endpoint, request.body(form), Keeps::Body)
    }
}

/// An issuer as its resource writes it: an address without a path has no slash at its end.
fn named(issuer: &Url) -> String {
    let text = issuer.as_str();
    if issuer.path() == "/" && issuer.query().is_none() {
        text.trim_end_matches('/').to_owned()
    } else {
        text.to_owned()
    }
}

/// Only what is under TLS is asked further, or what is on this machine as the server itself is.
fn is_safe(address: &Url, server: &Url) -> bool {
    address.scheme() == "https" || (address.scheme() == "http" && is_loopback(address) && is_loopback(server))
}

/// Where a resource's metadata may be, in their order (RFC 9728, 3 and 5.1; protocol 2025-11-25, authorization).
fn resource_places(url: &Url, challenge: Option<&str>) -> Vec<Url> {
    let pointed = challenge.and_then(pointer).and_then(|text| url.join(&text).ok()).filter(|place| is_safe(place, url));
    let path = url.path().trim_end_matches('/');
    let mut places: Vec<Url> = pointed.into_iter().collect();
    for suffix in [path, ""] {
        places.extend(url.join(&format!("/.well-known/oauth-protected-resource{suffix}")));
    }
    once(places)
}

/// Where an authorization server's metadata may be, in their order (RFC 8414, 3.1; OpenID Connect Discovery 1.0, 4).
fn server_places(issuer: &Url) -> Vec<Url> {
    let path = issuer.path().trim_end_matches('/');
    let places = [
        format!("/.well-known/oauth-authorization-server{path}"),
        format!("/.well-known/openid-configuration{path}"),
        format!("{path}/.well-known/openid-configuration"),
    ];
    once(places.iter().filter_map(|place| issuer.join(place).ok()).collect())
}

fn once(places: Vec<Url>) -> Vec<Url> {
    let mut out: Vec<Url> = Vec::new();
    for place in places {
        if !out.contains(&place) {
            out.push(place);
        }
    }
    out
}

/// Where a challenge says that the metadata are (RFC 9728, 5.1).
fn pointer(challenge: &str) -> Option<String> {
    let (_, rest) = challenge.split_once("resource_metadata=")?;
    let (value, _) = match rest.strip_prefix('"') {
        Some(quoted) => quoted.split_once('"')?,
        None => rest.split_once([',', ' ']).unwrap_or((rest, "")),
    };
    Some(value.to_owned())
}

fn headers(response: &Response<Body>) -> BTreeMap<String, String> {
    let all = KEPT.iter().filter_map(|name| Some(((*name).to_owned(), response.headers().get(*name)?)));
    all.map(|(name, value)| (name, String::from_utf8_lossy(value.as_bytes()).chars().take(4096).collect())).collect()
}

/// The body, where it is JSON within the bound. What is compressed was not asked for, and is not read.
pub(crate) fn body(response: Response<Body>) -> Option<Raw> {
    if response.headers().contains_key(header::CONTENT_ENCODING) {
        return None;
    }
    let mut bytes = Vec::new();
    response.into_body().into_reader().take(MAX_METADATA_BYTES + 1).read_to_end(&mut bytes).ok()?;
    // Evidence that nobody can read would hide what else was answered.
    if bytes.len() as u64 > MAX_METADATA_BYTES || is_too_deep(&bytes) {
        return None;
    }
    serde_json::from_slice(&bytes).ok()
}

fn value(answer: &HttpAnswer) -> Option<Value> {
    let body = answer.body.as_ref().filter(|_| answer.status == Some(200))?;
    serde_json::from_str(body.get()).ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn texts(places: Vec<Url>) -> Vec<String> {
        places.iter().map(|place| place.as_str().replace("https://tide.example", "")).collect()
    }

    #[test]
    fn places_are_asked_in_their_order() {
        let url = |text: &str| Url::parse(text).unwrap();
        let challenge = r#"Bearer scope="a", resource_metadata="https://tide.example/meta""#;
        for (server, challenge, want) in [
            (
                "https://tide.example/mcp/",
                None,
                vec!["/.well-known/oauth-protected-resource/mcp", "/.well-known/oauth-protected-resource"],
            ),
            ("https://tide.example", None, vec!["/.well-known/oauth-protected-resource"]),
            (
                "https://tide.example/mcp",
                Some(challenge),
                vec!["/meta", "/.well-known/oauth-protected-resource/mcp", "/.well-known/oauth-protected-resource"],
            ),
            // A pointer that leaves TLS, or leads to this machine, is not followed.
            (
                "https://tide.example",
                Some("Bearer resource_metadata=http://tide.example/m"),
                vec!["/.well-known/oauth-protected-resource"],
            ),
            (
                "https://tide.example",
                Some("Bearer resource_metadata=http://127.0.0.1/m"),
                vec!["/.well-known/oauth-protected-resource"],
            ),
        ] {
            assert_eq!(texts(resource_places(&url(server), challenge)), want, "{server}");
        }
        assert_eq!(
            texts(server_places(&url("https://tide.example/t1"))),
            [
                "/.well-known/oauth-authorization-server/t1",
                "/.well-known/openid-configuration/t1",
                "/t1/.well-known/openid-configuration"
            ]
        );
        assert_eq!(
            texts(server_places(&url("https://tide.example"))),
            ["/.well-known/oauth-authorization-server", "/.well-known/openid-configuration"]
        );
    }

    #[test]
    fn an_issuer_is_named_as_its_resource_names_it() {
        for (text, want) in
            [("https://id.example", "https://id.example"), ("https://id.example/t1/", "https://id.example/t1/")]
        {
            assert_eq!(named(&Url::parse(text).unwrap()), want);
        }
    }

    #[test]
    fn only_an_address_without_tls_and_port_is_asked_with_it() {
        for (written, want) in [
            ("http://tides.example/mcp?a=b", Some("https://tides.example/mcp?a=b")),
            ("http://tides.example:80/mcp", Some("https://tides.example/mcp")),
            ("http://tides.example:8080/mcp", None),
            ("https://tides.example/mcp", None),
            ("http://127.0.0.1/mcp", None),
            ("http://localhost/mcp", None),
        ] {
            let found = with_tls(&Url::parse(written).unwrap()).map(String::from);
            assert_eq!(found.as_deref(), want, "{written}");
        }
    }
}
