//! Addresses compared, as far as a login depends on it.

use crate::prelude::*;
use crate::text::{Located, Remote};
use core::net::{IpAddr, Ipv4Addr};

/// The host of an address, lower case; its port is compared where two addresses of one host are.
pub(crate) fn host_of(address: &str) -> Option<String> {
    let url = url::Url::parse(address.trim()).ok()?;
    Some(url.host_str()?.trim_end_matches('.').to_ascii_lowercase())
}

/// Are both the same issuer? Letter by letter (RFC 8414, 3.3; OpenID Connect Discovery 1.0, 4.3). What makes no difference to any client is
/// forgiven: a slash at the end of an address without a path, the case of the host, the port that the scheme has anyway.
pub(crate) fn same_issuer(one: &str, other: &str) -> bool {
    one == other || plain(one) == plain(other)
}

fn plain(address: &str) -> String {
    let Some((scheme, rest)) = address.split_once("://") else { return address.to_owned() };
    let end = rest.find(['/', '?', '#']).unwrap_or(rest.len());
    let (authority, path) = rest.split_at(end);
    let authority = authority.to_ascii_lowercase();
    let usual = if scheme.eq_ignore_ascii_case("https") { ":443" } else { ":80" };
    let authority = authority.strip_suffix(usual).unwrap_or(&authority);
    let path = if path == "/" { "" } else { path };
    format!("{}://{authority}{path}", scheme.to_ascii_lowercase())
}

/// Where a cloud machine asks who it is.
const METADATA: &str = "where a cloud machine reads its own credentials";

/// Does a host answer cloud machines about themselves, credentials and all?
pub(crate) fn is_metadata_service(host: &str) -> bool {
    matches!(
        host,
        "169.254.169.254"
            | "fd00:ec2::254"
            | "metadata.google.internal"
            | "metadata.azure.internal"
            | "100.100.100.200"
            | "169.254.170.2"
            | "metadata"
    )
}

/// Why an address is one that nobody outside may name: an address of this machine, of a private network, or one that only this link has.
pub(crate) fn is_internal(address: &Located) -> Option<&'static str> {
    let remote = Remote::parse(address);
    if is_metadata_service(&remote.host) {
        return Some(METADATA);
    }
    let v4 = |address: IpAddr| match address {
        IpAddr::V4(v4) => Some(v4),
        // What is mapped is reached like what it maps (RFC 4291, 2.5.5.2).
        IpAddr::V6(v6) => v6.to_ipv4_mapped(),
    };
    let first = |address: IpAddr| match address {
        IpAddr::V6(v6) => v6.segments().first().copied(),
        IpAddr::V4(_) => None,
    };
    let inside = remote.address.and_then(v4);
    let six = remote.address.and_then(first);
    if inside.is_some_and(|v4| v4.is_link_local()) || six.is_some_and(|first| first & 0xffc0 == 0xfe80) {
        let metadata = inside.is_some_and(|v4| is_metadata_service(&v4.to_string()));
        Some(if metadata { METADATA } else { "a link-local address" })
    } else if remote.loopback
        || inside.is_some_and(|v4| v4.is_loopback() || v4.is_unspecified())
        || remote.address.is_some_and(|a| a.is_unspecified())
    {
        Some("this machine")
    } else if remote.is_private() || inside.is_some_and(|v4| v4.is_private() || is_shared(v4)) {
        Some("an address of a private network")
    } else {
        None
    }
}

/// Addresses that carriers share among their customers (RFC 6598).
fn is_shared(address: Ipv4Addr) -> bool {
    let [first, second, ..] = address.octets();
    first == 100 && second & 0xc0 == 64
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn issuers_are_compared_as_clients_do() {
        for (one, other, want) in [
            ("https://id.example", "https://id.example", true),
            ("https://id.example", "https://id.example/", true),
            ("https://id.example", "https://ID.example", true),
            ("https://id.example:443", "https://id.example", true),
            ("https://id.example:8443", "https://id.example", false),
            ("https://id.example/t", "https://id.example/t/", false),
            ("https://id.example/t", "https://id.example/T", false),
            ("https://id.example", "http://id.example", false),
            ("https://id.example", "https://id.example.org", false),
            ("id", "id", true),
        ] {
            assert_eq!(same_issuer(one, other), want, "{one} {other}");
        }
    }

    #[test]
    fn addresses_from_inside_are_known() {
        for (address, want) in [
            ("https://id.example", false),
            ("https://8.8.8.8/x", false),
            ("https://10.0.0.8:8443", true),
            ("https://169.254.169.254/latest", true),
            ("https://2852039166/token", true),
            ("https://[fe80::1]/x", true),
            ("https://100.64.1.1", true),
            ("https://100.128.1.1", false),
            ("https://0.0.0.0", true),
            ("https://[::ffff:169.254.169.254]", true),
            ("https://[::ffff:8.8.8.8]", false),
            ("http://localhost:8080/x", true),
            ("https://${HOST}/x", false),
        ] {
            let place = Located { text: address.into(), ..Located::default() };
            assert_eq!(is_internal(&place).is_some(), want, "{address}");
        }
    }
}
