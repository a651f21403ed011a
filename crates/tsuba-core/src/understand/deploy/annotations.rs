//! What annotations, names and variables around a workload say of the way to it: whether callers are asked who they are, come from few networks,
//! or over TLS.

use crate::prelude::*;
use crate::read::Node;
use crate::text::words_of;

/// The annotations of an object: name and value.
pub(super) fn annotations(object: &Node) -> impl Iterator<Item = (&str, String)> {
    let all = object.get("metadata").and_then(|meta| meta.get("annotations"));
    let all = all.map(Node::members).unwrap_or_default().iter();
    all.filter_map(|member| Some((member.key.text.as_str(), member.value.scalar()?.into_owned())))
}

/// Does an annotation say that callers are asked who they are, or come from few networks?
pub(super) fn asks_callers(name: &str, value: &str) -> bool {
    let own = name.rsplit('/').next().unwrap_or(name);
    !is_off(value)
        && (speaks_of_login(own)
            || (bounds_networks(own) && !is_everybody(value))
            || own.ends_with("middlewares") && (speaks_of_login(value) || bounds_networks(value)))
}

/// Does a value switch off what its name speaks of?
pub(super) fn is_off(value: &str) -> bool {
    matches!(value.trim().to_ascii_lowercase().as_str(), "" | "false" | "none" | "off" | "no" | "disabled" | "0")
}

/// Is one of these networks all of them?
pub(super) fn is_everybody(networks: &str) -> bool {
    networks.split([',', ' ', ';']).any(|network| matches!(network.trim(), "0.0.0.0/0" | "::/0" | "*"))
}

/// Is a login a word of it?
pub(super) fn speaks_of_login(text: &str) -> bool {
    let words = words_of(text);
    let is_login = |word: &String| {
        matches!(
            word.as_str(),
            "auth"
                | "auth2"
                | "authn"
                | "authz"
                | "oauth"
                | "oauth2"
                | "oidc"
                | "jwt"
                | "sso"
                | "signin"
                | "authentication"
                | "forwardauth"
                | "basicauth"
                | "mtls"
                | "cognito"
                | "iap"
                | "authorizer"
                | "openid"
                | "saml"
        )
    };
    words.iter().any(is_login)
}

/// Does a variable or option of the server say how callers log in? A token that it is handed itself says nothing of them.
pub(super) fn names_login(name: &str) -> bool {
    let words = words_of(name);
    let has = |wanted: &[&str]| words.iter().any(|word| wanted.contains(&word.as_str()));
    !has(&["disable", "disabled", "skip", "without", "insecure"])
        && (has(&["oauth", "oauth2", "oidc", "jwt", "jwks", "issuer", "audience", "introspection", "authn", "openid"])
            || (has(&["auth", "authentication"]) && !has(&["token", "key", "password", "user", "username", "header"])))
}

/// Do the variables (a name, and its value where one is written), or the options among the words, say how callers log in?
pub(super) fn says_login<'t>(
    mut variables: impl Iterator<Item = (&'t str, Option<Cow<'t, str>>)>,
    mut words: impl Iterator<Item = &'t str>,
) -> bool {
    variables.any(|(name, value)| names_login(name) && !value.is_some_and(|value| is_off(&value)))
        || words.any(|word| word.starts_with("--") && names_login(word))
}

pub(super) fn bounds_networks(name: &str) -> bool {
    let lower = name.to_ascii_lowercase();
    ["whitelist", "allowlist", "source-range", "inbound-cidrs", "ipallow"].iter().any(|word| lower.contains(word))
}

/// Does an annotation keep a balancer inside of one's own network? What only speaks of that, as a description, does not.
pub(super) fn is_inside(name: &str, value: &str) -> bool {
    let value = value.trim();
    let own = name.rsplit('/').next().unwrap_or(name);
    let named = words_of(own).iter().any(|word| word == "internal");
    // An older form of one provider has all networks as its value.
    (named && matches!(value, "true" | "0.0.0.0/0"))
        || (value.eq_ignore_ascii_case("internal")
            && words_of(own).iter().any(|word| matches!(word.as_str(), "scheme" | "type")))
}

pub(super) fn brings_tls(name: &str, value: &str) -> bool {
    let own = words_of(name.rsplit('/').next().unwrap_or(name));
    let certified = own.iter().any(|word| matches!(word.as_str(), "certificate" | "certificates" | "cert" | "certs"));
    certified
        || value.contains("HTTPS")
        || (own.iter().any(|word| word == "tls") && value == "true")
        || (own.iter().any(|word| word == "entrypoints") && value.contains("secure"))
}
