//! How a gateway knows its callers: which settings say so, and whether they are in force.

use super::target;
use crate::evidence::oauth::acceptances;
use crate::prelude::*;
use crate::read::{Member, Node, Value};
use crate::text::{Located, Pointer, normal};

/// Is there a login at some place?
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Login {
    /// Callers are asked who they are.
    Asked,
    /// Nothing is said about them.
    Unsaid,
}

/// Words under which a gateway says who may call.
const LOGINS: &[&str] = &[
    "auth",
    "authn",
    "authentication",
    "authorization",
    "jwt",
    "jwtauth",
    "jwtauthn",
    "jwtauthentication",
    "oauth",
    "oauth2",
    "oidc",
    "openidconnect",
    "mcpauthentication",
    "authconfig",
    "authnconfig",
    "oauthconfig",
    "oidcconfig",
    "jwtconfig",
    "login",
    "sso",
    "apikey",
    "apikeys",
    "apikeyauth",
    "mtls",
    "clientca",
    "tokens",
    "authtoken",
    "authtokens",
    "bearertoken",
    "bearertokens",
    "basicauth",
    "extauth",
    "extauthz",
    "forwardauth",
];
/// Words under which such settings are kept together, beside what they are for.
const HOLDERS: &[&str] = &[
    "policies",
    "policy",
    "trafficpolicy",
    "security",
    "securitypolicy",
    "options",
    "filters",
    "middleware",
    "middlewares",
    "plugins",
    "server",
    "proxy",
];

pub(super) fn is_login(key: &str) -> bool {
    LOGINS.contains(&key)
}

/// Is it a word under which policies are kept?
pub(super) fn is_holder(key: &str) -> bool {
    HOLDERS.contains(&key) || key.contains("mcpproxy") || key.contains("mcpgateway")
}

/// Does a mapping ask callers of what is in it who they are: itself, or in what it keeps its policies in?
pub(super) fn of(node: &Node) -> Login {
    let itself = |member: &Member| {
        is_login(&normal(&member.key.text)) && is_on(&member.value) && is_for_callers(node, &member.value)
    };
    if node.effective().any(itself) || names_issuer(node) { Login::Asked } else { in_holders(node) }
}

/// Is a login there for callers? One that stands with the address of a server is how the gateway logs in at that server, unless it says whose
/// tokens are taken.
pub(super) fn is_for_callers(node: &Node, login: &Node) -> bool {
    let mut taken = Vec::new();
    target::address_of(node).is_none() || {
        acceptances(login, &Pointer::root(), &mut taken);
        !taken.is_empty()
    }
}

/// Does it in what it keeps its policies in? What a client's settings of a server say of logins themselves is for calling that server.
pub(super) fn in_holders(node: &Node) -> Login {
    let asked = node.effective().any(|member| {
        let key = normal(&member.key.text);
        is_holder(&key) && holds(&member.value, 0)
    });
    if asked { Login::Asked } else { Login::Unsaid }
}

/// Does a mapping name an issuer of tokens? Certificates have issuers too, by other names than addresses.
pub(super) fn names_issuer(node: &Node) -> bool {
    node.first(&["issuer", "issuer_url", "issuerUrl"])
        .and_then(|(_, issuer)| issuer.text())
        .is_some_and(|text| text.contains("://") || text.contains('$'))
}

/// A holder with a login in it, as a setting, or by the name of what does it (`middlewares: [company-auth]`).
fn holds(node: &Node, depth: usize) -> bool {
    let named = |text: &str| {
        text.split(|c: char| !c.is_ascii_alphanumeric()).any(|word| is_login(&normal(word))) || is_login(&normal(text))
    };
    let own = node.effective().any(|member| {
        let key = normal(&member.key.text);
        (is_login(&key) && is_on(&member.value))
            || (depth > 0
                && matches!(key.as_str(), "name" | "type" | "kind" | "plugin")
                && member.value.text().is_some_and(named))
            || (depth < 2 && holds(&member.value, depth + 1))
    });
    own || names_issuer(node)
        || node.items().iter().any(|item| item.text().is_some_and(named) || (depth < 2 && holds(item, depth + 1)))
}

/// Words that switch a login off.
const OFF: &[&str] = &["", "none", "off", "disabled", "anonymous", "noauth", "false", "no"];

/// Is a login in force: neither empty nor switched off?
pub(super) fn is_on(value: &Node) -> bool {
    let off =
        |node: &Node| node.truth() == Some(false) || node.text().is_some_and(|t| OFF.contains(&normal(t).as_str()));
    match &value.value {
        // A number of tokens is a limit.
        Value::Null | Value::Number(_) => false,
        Value::List(items) => !items.is_empty(),
        Value::Map(members) => {
            !members.is_empty()
                && value.get("enabled").is_none_or(|enabled| enabled.truth() != Some(false))
                && value.get("disabled").is_none_or(|disabled| disabled.truth() != Some(true))
                && value.first(&["type", "mode", "method"]).is_none_or(|(_, kind)| !off(kind))
        }
        Value::Bool(_) | Value::Text(_) => !off(value),
    }
}

/// Where a login looks at tokens that are brought, and lets callers in that bring none.
pub(super) fn optional(node: &Node, at: &Pointer) -> Option<Located> {
    node.effective().find_map(|member| {
        let (own, value) = (at.key(&member.key.text), &member.value);
        let lax = match normal(&member.key.text).as_str() {
            "mode" | "enforcement" => {
                let mode = value.text().map(normal).unwrap_or_default();
                ["optional", "permissive", "lax", "allowmissing"].contains(&mode.as_str())
            }
            "optional"
            | "allowanonymous"
            | "allowmissing"
            | "allowmissingorfailed"
            | "anonymousenabled"
            | "allowunauthenticated" => value.truth() == Some(true) || value.is_map(),
            "required" => value.truth() == Some(false),
            _ => return optional(value, &own),
        };
        let key = || Located { text: String::new(), span: member.key.span, pointer: own.clone() };
        lax.then(|| value.located(own.clone()).unwrap_or_else(key))
    })
}

/// Settings of a login nest at most this deep.
const DEEP: usize = 6;
/// More of one document are not looked at.
const MAX_VALUES: usize = 1000;

/// Every value of a login by its name, those of a list by the name of one: which of them is a secret is judged elsewhere.
pub(super) fn values(written: &str, value: &Node, at: &Pointer, depth: usize, out: &mut Vec<(String, Located)>) {
    if depth > DEEP || out.len() >= MAX_VALUES {
        return;
    }
    out.extend(value.located(at.clone()).map(|text| (written.to_owned(), text)));
    let name = written.strip_suffix('s').unwrap_or(written);
    for (index, item) in value.items().iter().enumerate() {
        values(name, item, &at.index(index), depth + 1, out);
    }
    for member in value.effective() {
        values(&member.key.text, &member.value, &at.key(&member.key.text), depth + 1, out);
    }
}
