//! Remote targets: addresses taken apart.

use super::Located;
use crate::prelude::*;
use core::net::IpAddr;

/// The scheme of an address, as far as it matters.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Scheme {
    /// `http`, `ws`: without TLS.
    Plain,
    /// `https`, `wss`.
    Tls,
    /// Anything else, or not known because a variable stands there.
    Other,
}

/// A server that is reached over the network.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Remote {
    /// The address as written.
    pub url: Located,
    /// With or without TLS.
    pub scheme: Scheme,
    /// The host, lower case, without port; empty where a variable stands for it.
    pub host: String,
    /// Does it name this machine (localhost, 127.0.0.0/8, ::1)?
    pub loopback: bool,
    /// Its literal address, when the host is one.
    pub address: Option<IpAddr>,
}

impl Remote {
    /// Takes an address apart. Variables in it are tolerated: what they hide stays unknown.
    pub fn parse(url: &Located) -> Self {
        let text = url.text.trim();
        let scheme = match text.split_once("://").map(|(scheme, _)| scheme.to_ascii_lowercase()).as_deref() {
            Some("http" | "ws") => Scheme::Plain,
            Some("https" | "wss") => Scheme::Tls,
            _ => Scheme::Other,
        };
        let host = match url::Url::parse(text) {
            Ok(parsed) => parsed.host_str().unwrap_or_default().trim_matches(['[', ']']).to_ascii_lowercase(),
            Err(_) => written_host(text),
        };
        // A variable in the host's place hides it.
        let host = if host.contains(['$', '{', '%', '<']) { String::new() } else { host };
        // A name with its root's dot is the same name.
        let host = host.strip_suffix('.').map(str::to_owned).unwrap_or(host);
        let address = host.parse::<IpAddr>().ok();
        // From inside a container its engine's names lead to this machine.
        let engine =
            matches!(host.as_str(), "host.docker.internal" | "host.containers.internal" | "gateway.docker.internal");
        let loopback =
            engine || host == "localhost" || host.ends_with(".localhost") || address.is_some_and(|a| a.is_loopback());
        Self { url: url.clone(), scheme, host, loopback, address }
    }

    /// Is the host a literal address of a private network (RFC 1918, RFC 4193) or link-local (RFC 3927, RFC 4291)?
    pub fn is_private(&self) -> bool {
        match self.address {
            Some(IpAddr::V4(v4)) => v4.is_private() || v4.is_link_local(),
            Some(IpAddr::V6(v6)) => {
                (v6.segments().first().copied().unwrap_or(0) & 0xfe00) == 0xfc00
                    || is_link_local_v6(v6.segments().first().copied())
            }
            None => false,
        }
    }
}

fn is_link_local_v6(first: Option<u16>) -> bool {
    first.is_some_and(|s| s & 0xffc0 == 0xfe80)
}

/// The host of an address that does not parse, where no variable hides it.
fn written_host(text: &str) -> String {
    let rest = text.split_once("://").map_or("", |(_, rest)| rest);
    let authority = rest.split(['/', '?', '#']).next().unwrap_or(rest);
    let host = authority.rsplit('@').next().unwrap_or(authority).split(':').next().unwrap_or_default();
    let plain = host.chars().all(|c| c.is_ascii_alphanumeric() || ".-".contains(c));
    if plain { host.to_ascii_lowercase() } else { String::new() }
}

/// Does an address lead to this machine only: `127.0.0.1:80`, `[::1]:80`, `localhost`, `scheme://login@localhost:80/path`? Only its host
/// counts, whatever its login, path or query say.
pub fn is_loopback(address: &str) -> bool {
    let rest = address.split_once("://").map_or(address, |(_, rest)| rest);
    let authority = rest.split(['/', '?', '#']).next().unwrap_or(rest);
    let host = authority.rsplit('@').next().unwrap_or(authority);
    let host = match host.strip_prefix('[') {
        Some(inner) => inner.split(']').next().unwrap_or_default(),
        None if host.matches(':').count() > 1 => host,
        None => host.split(':').next().unwrap_or_default(),
    };
    host.parse::<IpAddr>().is_ok_and(|address| address.is_loopback()) || host.eq_ignore_ascii_case("localhost")
}

/// An address whose host or path says that a tool server answers there.
pub fn is_server_address(address: &str) -> bool {
    let rest = address.split_once("://").map_or(address, |(_, rest)| rest);
    let (host, path) = rest.split_once('/').unwrap_or((rest, ""));
    let path = path.split(['?', '#']).next().unwrap_or(path);
    host.starts_with("mcp.") || host.contains("-mcp.") || path.split('/').any(|part| matches!(part, "mcp" | "sse"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_the_host_says_whether_an_address_stays_here() {
        for (address, want) in [
            ("127.0.0.1:80", true),
            ("[::1]:80", true),
            ("::1", true),
            ("LocalHost", true),
            ("postgres://crew:x@localhost:5432/tides?sslmode=disable", true),
            ("postgres://crew@db.example/tides?application_name=@localhost", false),
            ("postgres://localhost@db.example/tides", false),
            ("localhost.evil.example:80", false),
            (":8080", false),
            ("", false),
        ] {
            assert_eq!(is_loopback(address), want, "{address}");
        }
    }

    #[test]
    fn addresses_are_taken_apart() {
        for (text, scheme, host, loopback, private) in [
            ("https://tide.example/mcp", Scheme::Tls, "tide.example", false, false),
            ("HTTP://LOCALHOST:80/mcp", Scheme::Plain, "localhost", true, false),
            ("http://127.8.0.1", Scheme::Plain, "127.8.0.1", true, false),
            ("http://host.docker.internal:80/mcp", Scheme::Plain, "host.docker.internal", true, false),
            ("http://[::1]:80/x", Scheme::Plain, "::1", true, false),
            ("http://2130706433/", Scheme::Plain, "127.0.0.1", true, false),
            ("http://169.254.169.254/latest", Scheme::Plain, "169.254.169.254", false, true),
            ("https://10.0.0.8/mcp", Scheme::Tls, "10.0.0.8", false, true),
            ("https://localhost.evil.example", Scheme::Tls, "localhost.evil.example", false, false),
            ("https://${HOST}/mcp", Scheme::Tls, "", false, false),
            ("https://tide.example:${PORT}/mcp", Scheme::Tls, "tide.example", false, false),
            ("${URL}", Scheme::Other, "", false, false),
        ] {
            let remote = Remote::parse(&Located { text: text.into(), ..Located::default() });
            assert_eq!(
                (remote.scheme, remote.host.as_str(), remote.loopback, remote.is_private()),
                (scheme, host, loopback, private),
                "{text}"
            );
        }
    }
}
