//! Which addresses may be asked: names are resolved once, checked, and the checked address is the one that is used.

use std::collections::BTreeMap;
use std::net::{IpAddr, Ipv4Addr, Ipv6Addr, SocketAddr};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use ureq::Agent;
use ureq::http::Uri;
use ureq::tls::{Certificate, RootCerts, TlsConfig};
use ureq::unversioned::resolver::{DefaultResolver, ResolvedSocketAddrs, Resolver};
use ureq::unversioned::transport::{DefaultConnector, NextTimeout};

/// What may be asked.
#[derive(Clone, Debug, Default)]
pub struct Reachable {
    /// Private networks (RFC 1918, RFC 4193): a company's own hosts.
    pub private: bool,
    /// Ports of this machine that the setup itself names. A server may send its client to no other one.
    pub loopback: Vec<u16>,
}

impl Reachable {
    /// Why an address must not be asked; `None` where it may.
    pub fn forbids(&self, address: SocketAddr) -> Option<&'static str> {
        let port = address.port();
        meant(address.ip()).into_iter().flatten().find_map(|address| self.forbids_one(address, port))
    }

    fn forbids_one(&self, address: IpAddr, port: u16) -> Option<&'static str> {
        if address.is_loopback() {
            return (!self.loopback.contains(&port))
                .then_some("an address of this machine that the setup does not name");
        }
        if is_never(address) {
            return Some("a link-local, multicast or reserved address");
        }
        (is_private(address) && !self.private).then_some("an address of a private network; --allow-private allows it")
    }
}

/// Whom an address leads to: itself, or the IPv4 addresses that it embeds. Mapped and compatible ones (RFC 4291, 2.5.5), those of translators
/// (RFC 6052, 2.1; RFC 8215), of 6to4 (RFC 3056, 2) and of Teredo (RFC 4380, 4), where the client's is written the other way round.
fn meant(address: IpAddr) -> [Option<IpAddr>; 2] {
    let IpAddr::V6(v6) = address else { return [Some(address), None] };
    let v4 = |high: u16, low: u16| {
        let ([a, b], [c, d]) = (high.to_be_bytes(), low.to_be_bytes());
        Some(IpAddr::V4(Ipv4Addr::new(a, b, c, d)))
    };
    match v6.segments() {
        // The unspecified address and this machine's own are of that form too.
        [0, 0, 0, 0, 0, 0, 0, 0 | 1] => [Some(address), None],
        [0x64, 0xff9b, 0 | 1, .., high, low] | [0, 0, 0, 0, 0, 0 | 0xffff, high, low] => [v4(high, low), None],
        [0, 0, 0, 0, 0xffff, 0, high, low] => [v4(high, low), None],
        [0x2002, high, low, ..] => [v4(high, low), None],
        [0x2001, 0, high, low, _, _, client_high, client_low] => [v4(high, low), v4(!client_high, !client_low)],
        _ => [Some(address), None],
    }
}

/// Nobody's server is there: link-local (cloud metadata too), unspecified, broadcast, multicast, documentation, reserved.
fn is_never(address: IpAddr) -> bool {
    match address {
        IpAddr::V4(v4) => {
            let [a, ..] = v4.octets();
            v4.is_link_local() || v4.is_unspecified() || v4.is_broadcast() || v4.is_multicast() || a == 0 || a >= 240
        }
        IpAddr::V6(v6) => v6.is_unspecified() || v6.is_multicast() || begins(v6, 0xffc0, 0xfe80),
    }
}

fn is_private(address: IpAddr) -> bool {
    match address {
        // Shared address space (RFC 6598) is inside somebody's network too.
        IpAddr::V4(v4) => v4.is_private() || matches!(v4.octets(), [100, 64..=127, ..]),
        IpAddr::V6(v6) => begins(v6, 0xfe00, 0xfc00) || begins(v6, 0xffc0, 0xfec0),
    }
}

fn begins(address: Ipv6Addr, mask: u16, with: u16) -> bool {
    let [first, ..] = address.segments();
    first & mask == with
}

/// Resolves names once and lets nothing through that must not be asked.
#[derive(Debug, Default)]
struct Checked {
    reachable: Reachable,
    ordinary: DefaultResolver,
    /// What each host was at its first use, so that a name that changes its answer changes nothing.
    known: Mutex<BTreeMap<String, Vec<SocketAddr>>>,
    /// Why the last host was turned away.
    refused: Arc<Mutex<Option<String>>>,
}

impl Resolver for Checked {
    fn resolve(
        &self,
        uri: &Uri,
        config: &ureq::config::Config,
        timeout: NextTimeout,
    ) -> Result<ResolvedSocketAddrs, ureq::Error> {
        let name = uri.authority().map(ToString::to_string).unwrap_or_default();
        let lock = |error: PoisonError<_>| error.into_inner();
        let known = self.known.lock().unwrap_or_else(lock).get(&name).cloned();
        let addresses = match known {
            Some(addresses) => addresses,
            None => {
                let found = self.ordinary.resolve(uri, config, timeout).map_err(|error| match error {
                    // What the system says of a name that it does not know has no kind of its own.
                    ureq::Error::Io(_) => ureq::Error::HostNotFound,
                    other => other,
                })?;
                let addresses: Vec<SocketAddr> = found.iter().copied().collect();
                self.known.lock().unwrap_or_else(PoisonError::into_inner).insert(name.clone(), addresses.clone());
                addresses
            }
        };
        // One forbidden address spoils the name: which one is used would be chance.
        let forbidden = addresses.iter().find_map(|address| self.reachable.forbids(*address));
        if let Some(why) = forbidden {
            *self.refused.lock().unwrap_or_else(PoisonError::into_inner) = Some(format!("{name} is {why}"));
            return Err(ureq::Error::HostNotFound);
        }
        let mut out = self.empty();
        addresses.into_iter().take(16).for_each(|address| out.push(address));
        Ok(out)
    }
}

/// An HTTP client for one server: polite, and within bounds.
#[derive(Clone, Debug)]
pub(crate) struct Client {
    pub(crate) agent: Agent,
    refused: Arc<Mutex<Option<String>>>,
}

/// The certificates that are trusted.
#[derive(Clone, Debug)]
pub struct Trust(Arc<Vec<Certificate<'static>>>);

impl Trust {
    /// Nobody: for captures that call nobody.
    pub fn none() -> Self {
        Self(Arc::default())
    }

    /// The system's certificates, and those of a file in PEM.
    ///
    /// # Errors
    /// Where the file holds no certificate.
    pub fn system_and(file: Option<&[u8]>) -> Result<Self, &'static str> {
        let system = rustls_native_certs::load_native_certs().certs;
        let mut all: Vec<Certificate<'static>> =
            system.iter().map(|certificate| Certificate::from_der(certificate.as_ref()).to_owned()).collect();
        if let Some(file) = file {
            let before = all.len();
            for item in ureq::tls::parse_pem(file).flatten() {
                if let ureq::tls::PemItem::Certificate(certificate) = item {
                    all.push(certificate);
                }
            }
            if all.len() == before {
                return Err("no certificate in PEM");
            }
        }
        Ok(Self(Arc::new(all)))
    }
}

impl Client {
    pub(crate) fn new(reachable: Reachable, trust: &Trust, agent: &str) -> Self {
        let checked = Checked { reachable, ..Checked::default() };
        let refused = checked.refused.clone();
        let tls = TlsConfig::builder().root_certs(RootCerts::Specific(trust.0.clone())).build();
        let config = Agent::config_builder()
            .http_status_as_error(false)
            // Where an answer leads on is looked at before it is followed.
            .max_redirects(0)
            .max_redirects_will_error(false)
            .proxy(None)
            .tls_config(tls)
            .user_agent(agent)
            .max_response_header_size(64 * 1024)
            .max_idle_connections_per_host(1)
            .timeout_connect(Some(Duration::from_secs(10)))
            .build();
        Self { agent: Agent::with_parts(config, DefaultConnector::default(), checked), refused }
    }

    /// Why the last connection failed, in words that quote nothing a server said.
    pub(crate) fn why(&self, error: &ureq::Error) -> Why {
        if let Some(forbidden) = self.refused.lock().unwrap_or_else(PoisonError::into_inner).take() {
            return Why::Forbidden(forbidden);
        }
        match error {
            ureq::Error::Timeout(_) => Why::Timeout,
            ureq::Error::HostNotFound => Why::Network("the host is not known"),
            ureq::Error::ConnectionFailed => Why::Network("refused"),
            ureq::Error::Rustls(_) | ureq::Error::Tls(_) => {
                Why::Network("TLS failed, or its certificate is not trusted")
            }
            ureq::Error::Io(error) if error.kind() == std::io::ErrorKind::TimedOut => Why::Timeout,
            ureq::Error::Io(error) if error.kind() == std::io::ErrorKind::ConnectionRefused => Why::Network("refused"),
            ureq::Error::Io(_) => Why::Network("broken off"),
            ureq::Error::BodyExceedsLimit(_) => Why::Network("the answer is over the bound"),
            _ => Why::Network("no HTTP that can be understood"),
        }
    }
}

/// Why there was no answer.
pub(crate) enum Why {
    Timeout,
    Forbidden(String),
    Network(&'static str),
}

/// Does an address name this machine?
pub(crate) fn is_loopback(url: &url::Url) -> bool {
    match url.host() {
        Some(url::Host::Domain(name)) => name == "localhost" || name.ends_with(".localhost"),
        Some(url::Host::Ipv4(address)) => address.is_loopback(),
        Some(url::Host::Ipv6(address)) => address.is_loopback(),
        None => false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_are_allowed_or_not() {
        let (none, private) = (Reachable::default(), Reachable { private: true, loopback: Vec::new() });
        let local = Reachable { private: false, loopback: vec![8080] };
        for (address, by_default, with_private, on_this_machine) in [
            ("93.184.216.34", true, true, true),
            ("10.1.2.3", false, true, false),
            ("172.16.0.1", false, true, false),
            ("192.168.1.1", false, true, false),
            ("100.64.0.1", false, true, false),
            ("127.0.0.1", false, false, true),
            ("::1", false, false, true),
            ("::ffff:127.0.0.1", false, false, true),
            ("::ffff:10.0.0.1", false, true, false),
            ("64:ff9b::a00:1", false, true, false),
            ("64:ff9b:1::10.0.0.1", false, true, false),
            ("::10.0.0.1", false, true, false),
            ("::169.254.169.254", false, false, false),
            ("::7f00:1", false, false, true),
            ("2002:7f00:1::1", false, false, true),
            ("2002:a9fe:a9fe::", false, false, false),
            ("2002:a00:1::1", false, true, false),
            ("2002:5db8:d822::1", true, true, true),
            // Teredo: the server's address, and the client's with every bit turned.
            ("2001:0:5db8:d822:0:0:5601:5601", false, false, false),
            ("2001:0:5db8:d822:0:0:80ff:fffe", false, false, true),
            ("2001:0:a00:1:0:0:a247:27dd", false, true, false),
            ("2001:0:5db8:d822:0:0:a247:27dd", true, true, true),
            ("::", false, false, false),
            ("169.254.169.254", false, false, false),
            ("::ffff:169.254.169.254", false, false, false),
            ("0.0.0.0", false, false, false),
            ("255.255.255.255", false, false, false),
            ("224.0.0.1", false, false, false),
            ("fe80::1", false, false, false),
            ("fd12::1", false, true, false),
            ("2606:2800:220:1::1", true, true, true),
        ] {
            let parsed: IpAddr = address.parse().unwrap();
            let may = |reachable: &Reachable| reachable.forbids(SocketAddr::new(parsed, 8080)).is_none();
            assert_eq!(
                (may(&none), may(&private), may(&local)),
                (by_default, with_private, on_this_machine),
                "{address}"
            );
            // Another port of this machine is another server.
            assert!(!parsed.is_loopback() || local.forbids(SocketAddr::new(parsed, 8081)).is_some());
        }
    }
}
