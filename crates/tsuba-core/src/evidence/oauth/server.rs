//! Authorization-server metadata (RFC 8414; OpenID Connect Discovery 1.0).

use super::fields::Fields;
use super::{Asked, SignedMetadata};
use crate::prelude::*;
use crate::read::Node;
use crate::text::{Located, Remote, Scheme};

/// What an authorization server says of itself (RFC 8414, 2).
#[derive(Clone, Debug)]
pub struct ServerMetadata {
    /// The whole of it.
    pub start: Located,
    /// `issuer`; it must be there and be an address (RFC 8414, 2).
    pub issuer: Option<Located>,
    /// The issuer that it should be of, where that is known.
    pub asked: Option<Asked>,
    /// Is the document one of OpenID Connect Discovery, by what only those have?
    pub openid: bool,
    /// Every address at which it is spoken to, those of the mutual-TLS aliases too (RFC 8705, 5).
    pub endpoints: Vec<Endpoint>,
    /// `response_types_supported`.
    pub response_types: Option<Vec<Located>>,
    /// `grant_types_supported`.
    pub grants: Option<Vec<Located>>,
    /// `token_endpoint_auth_methods_supported`.
    pub client_logins: Option<Vec<Located>>,
    /// `code_challenge_methods_supported`.
    pub challenges: Option<Vec<Located>>,
    /// The algorithms that something is signed with, by the name of the list.
    pub algorithms: Vec<(String, Located)>,
    /// `authorization_response_iss_parameter_supported` (RFC 9207, 3).
    pub names_itself: bool,
    /// `none` among `introspection_endpoint_auth_methods_supported`: everybody may ask about tokens (RFC 7662, 2.1).
    pub open_introspection: Option<Located>,
    /// `signed_metadata`.
    pub signed: Option<SignedMetadata>,
    /// Does a resource name other authorization servers beside it? Known once everything is read.
    pub beside_others: bool,
    /// Endpoints that another document of the same issuer has at another address: name and address; known once everything is read.
    pub elsewhere: Vec<(String, String)>,
}

/// An address of an authorization server.
#[derive(Clone, Debug)]
pub struct Endpoint {
    /// The key, as `token_endpoint`.
    pub name: String,
    /// The address.
    pub address: Located,
}

impl Endpoint {
    /// Is it without TLS, and not on this machine? Or of a scheme under which nothing is fetched (`javascript:`)?
    pub fn is_insecure(&self) -> bool {
        is_insecure(&self.address)
    }
}

/// Addresses must be of `https`; on this machine `http` will do (RFC 8252, 8.3; RFC 8414, 2).
pub(crate) fn is_insecure(address: &Located) -> bool {
    let remote = Remote::parse(address);
    match remote.scheme {
        Scheme::Tls => false,
        Scheme::Plain => !remote.loopback,
        // A variable may stand for the whole address.
        Scheme::Other => address.text.split_once(':').is_some_and(|(scheme, _)| is_scheme(scheme)),
    }
}

fn is_scheme(text: &str) -> bool {
    text.starts_with(|c: char| c.is_ascii_alphabetic())
        && text.chars().all(|c| c.is_ascii_alphanumeric() || "+-.".contains(c))
}

impl ServerMetadata {
    pub(super) fn read(fields: &Fields<'_>, asked: Option<String>) -> Option<Self> {
        let issuer = fields.text("issuer").filter(|text| text.text.contains("://"));
        let addressed = |key: &&str| fields.address(key).is_some();
        let lists = |member: &&str| fields.has(member);
        let known = match &issuer {
            Some(_) => ["authorization_endpoint", "token_endpoint", "jwks_uri"].iter().any(addressed),
            // A client's settings name endpoints too; what is supported is said by the server alone.
            None => {
                ["token_endpoint"].iter().all(addressed)
                    && ["authorization_endpoint", "jwks_uri"].iter().any(addressed)
                    && ["response_types_supported", "grant_types_supported", "code_challenge_methods_supported"]
                        .iter()
                        .any(lists)
            }
        };
        if !known {
            return None;
        }
        let mut endpoints = endpoints(fields);
        if let Some(aliases) = fields.node.get("mtls_endpoint_aliases") {
            let pointer = fields.pointer.key("mtls_endpoint_aliases");
            endpoints.extend(self::endpoints(&Fields { node: aliases, pointer: &pointer }));
        }
        Some(Self {
            start: fields.start(),
            asked: asked.map(Asked::at),
            openid: ["subject_types_supported", "userinfo_endpoint", "id_token_signing_alg_values_supported"]
                .iter()
                .any(lists),
            endpoints,
            response_types: fields.texts("response_types_supported"),
            grants: fields.texts("grant_types_supported"),
            client_logins: fields.texts("token_endpoint_auth_methods_supported"),
            challenges: fields.texts("code_challenge_methods_supported"),
            algorithms: algorithms(fields),
            names_itself: fields.truth("authorization_response_iss_parameter_supported") == Some(true),
            open_introspection: fields
                .texts("introspection_endpoint_auth_methods_supported")
                .and_then(|methods| methods.into_iter().find(|method| method.text.eq_ignore_ascii_case("none"))),
            signed: SignedMetadata::read(fields),
            beside_others: false,
            elsewhere: Vec::new(),
            issuer,
        })
    }

    /// What it calls itself; nothing where it does not.
    pub fn name(&self) -> &str {
        self.issuer.as_ref().map_or("the authorization server", |issuer| issuer.text.as_str())
    }

    /// Where it says who it is; its beginning where it does not.
    pub fn at(&self) -> &Located {
        self.issuer.as_ref().unwrap_or(&self.start)
    }

    /// An address by its key; that of a mutual-TLS alias only where there is no other.
    pub fn endpoint(&self, name: &str) -> Option<&Located> {
        self.endpoints.iter().find(|endpoint| endpoint.name == name).map(|endpoint| &endpoint.address)
    }

    /// Does it offer this grant? Where it does not say, the code and the implicit grant (RFC 8414, 2): of those the list of response types
    /// tells which are meant.
    pub fn grants(&self, grant: &str) -> bool {
        self.grants.iter().flatten().any(|offered| offered.text == grant)
    }

    /// Does it hand out codes to clients that redirect a browser?
    pub fn hands_out_codes(&self) -> bool {
        let code = |types: &Vec<Located>| types.iter().any(|t| t.text.split(' ').any(|word| word == "code"));
        self.endpoint("authorization_endpoint").is_some() && self.response_types.as_ref().is_none_or(code)
    }
}

/// More endpoints of one server are not looked at: the standards know about twenty.
const MAX_ENDPOINTS: usize = 64;

fn endpoints(fields: &Fields<'_>) -> Vec<Endpoint> {
    let is_endpoint = |key: &str| key.ends_with("_endpoint") || key == "jwks_uri" || key == "check_session_iframe";
    let members = fields.node.effective().filter(|member| is_endpoint(&member.key.text));
    let members = members.take(MAX_ENDPOINTS);
    members
        .filter_map(|member| {
            let name = member.key.text.clone();
            Some(Endpoint { address: fields.address(&name)?, name })
        })
        .collect()
}

fn algorithms(fields: &Fields<'_>) -> Vec<(String, Located)> {
    let lists = fields.node.effective().filter(|member| member.key.text.ends_with("signing_alg_values_supported"));
    lists
        .filter(|member| Node::is_list(&member.value))
        .flat_map(|member| {
            let name = member.key.text.clone();
            let texts = fields.texts(&name).unwrap_or_default();
            texts.into_iter().map(move |algorithm| (name.clone(), algorithm))
        })
        .collect()
}
