//! Packets and questions for names, as far as a cage looks at them: bytes in, what was tried out.

use std::net::{IpAddr, Ipv4Addr, Ipv6Addr, SocketAddr};

/// Somebody that was tried to be reached.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Contact {
    pub(super) to: SocketAddr,
    pub(super) kind: &'static str,
}

/// Whom a packet is for, of IPv4 (RFC 791, 3.1) or IPv6 (RFC 8200, 3): the first of a connection (RFC 9293, 3.1), or a datagram (RFC 768).
/// Questions for names are told by name.
pub(super) fn contact(packet: &[u8]) -> Option<Contact> {
    let (protocol, address, header) = match packet.first()? >> 4 {
        4 => {
            let octets: [u8; 4] = packet.get(16..20)?.try_into().ok()?;
            (*packet.get(9)?, IpAddr::from(Ipv4Addr::from(octets)), usize::from(packet.first()? & 0xf) * 4)
        }
        6 => {
            let octets: [u8; 16] = packet.get(24..40)?.try_into().ok()?;
            let (protocol, header) = behind_extensions(packet)?;
            (protocol, IpAddr::from(Ipv6Addr::from(octets)), header)
        }
        _ => return None,
    };
    let port = u16::from_be_bytes(packet.get(header + 2..header + 4)?.try_into().ok()?);
    let (kind, counts) = match protocol {
        // SYN without ACK.
        6 => ("tcp", packet.get(header + 13)? & 0x12 == 0x02),
        17 => {
            let from = u16::from_be_bytes(packet.get(header..header + 2)?.try_into().ok()?);
            let name = address.is_loopback() && (port == 53 || from == 53);
            ("udp", !name)
        }
        _ => return None,
    };
    counts.then_some(Contact { to: SocketAddr::new(address, port), kind })
}

/// Whom an answer over TCP comes from: somebody was tried, and took the connection or refused it (RFC 9293, 3.5).
pub(super) fn answered(from: Ipv6Addr, segment: &[u8]) -> Option<Contact> {
    let port = u16::from_be_bytes(segment.get(..2)?.try_into().ok()?);
    let flags = segment.get(13)?;
    let (taken, refused) = (flags & 0x12 == 0x12, flags & 0x14 == 0x14);
    (taken || refused).then(|| Contact { to: SocketAddr::new(from.into(), port), kind: "tcp" })
}

/// Whom the packet was for that an error quotes: nobody was there (RFC 4443, 3.1).
pub(super) fn quoted(error: &[u8]) -> Option<Contact> {
    contact(error.get(8..).filter(|_| error.first() == Some(&1))?)
}

/// The protocol of an IPv6 packet and where its header begins, behind hop-by-hop options, routing, fragments and destination options
/// (RFC 8200, 4): a packet that is dressed up is still one.
fn behind_extensions(packet: &[u8]) -> Option<(u8, usize)> {
    let (mut next, mut at) = (*packet.get(6)?, 40);
    for _ in 0..8 {
        let length = match next {
            0 | 43 | 60 => (usize::from(*packet.get(at + 1)?) + 1) * 8,
            44 => 8,
            _ => break,
        };
        next = *packet.get(at)?;
        at += length;
    }
    Some((next, at))
}

/// The name that a question is for (RFC 1035, 4.1.2).
pub(super) fn name_asked(question: &[u8]) -> Option<String> {
    let mut labels = Vec::new();
    let mut at = 12;
    loop {
        let length = usize::from(*question.get(at)?);
        if length == 0 {
            break;
        }
        let label = question.get(at + 1..at + 1 + length).filter(|_| length < 64)?;
        labels.push(label.iter().map(|b| if b.is_ascii_graphic() { char::from(*b) } else { '?' }).collect::<String>());
        at += 1 + length;
    }
    (!labels.is_empty()).then(|| labels.join("."))
}

/// The answer to a question: for an address of the fourth version one of the networks that nobody has (RFC 2544), for anything else none.
pub(super) fn name_answer(question: &[u8], number: usize) -> Vec<u8> {
    let end = question.iter().skip(12).position(|byte| *byte == 0).map_or(question.len(), |at| 12 + at + 5);
    let asked = question.get(12..end).unwrap_or_default();
    let address = asked.ends_with(&[0, 1, 0, 1]);
    let mut out = question.get(..2).unwrap_or_default().to_vec();
    out.extend([0x81, 0x80, 0, 1, 0, u8::from(address), 0, 0, 0, 0]);
    out.extend(asked);
    if address {
        let [high, low] = u16::try_from(number % 0xffff).unwrap_or(0).to_be_bytes();
        out.extend([0xc0, 0x0c, 0, 1, 0, 1, 0, 0, 0, 60, 0, 4, 198, 18, high, low]);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn packet(protocol: u8, to: [u8; 4], ports: [u16; 2], flags: u8) -> Vec<u8> {
        let mut out = vec![0x45, 0, 0, 40, 0, 0, 0, 0, 64, protocol, 0, 0, 127, 0, 0, 1];
        out.extend(to);
        out.extend(ports.iter().flat_map(|port| port.to_be_bytes()));
        out.extend([0; 9]);
        out.push(flags);
        out
    }

    /// The same over IPv6, behind a header of options.
    fn dressed(protocol: u8, ports: [u16; 2], flags: u8) -> Vec<u8> {
        let mut out = vec![0x60, 0, 0, 0, 0, 28, 60, 64];
        out.extend(Ipv6Addr::LOCALHOST.octets());
        out.extend("2001:db8::7".parse::<Ipv6Addr>().unwrap().octets());
        out.extend([protocol, 0, 1, 4, 0, 0, 0, 0]);
        out.extend(packet(protocol, [0; 4], ports, flags).split_off(20));
        out
    }

    #[test]
    fn only_who_is_tried_first_is_a_contact() {
        let to = [93, 184, 216, 34];
        for (packet, want) in [
            (packet(6, to, [40000, 443], 0x02), Some(("tcp", 443))),
            (packet(6, to, [40000, 443], 0x12), None),
            (packet(6, to, [40000, 443], 0x10), None),
            (packet(17, to, [40000, 123], 0), Some(("udp", 123))),
            (packet(17, [127, 0, 0, 1], [40000, 53], 0), None),
            (packet(17, [127, 0, 0, 1], [53, 40000], 0), None),
            (packet(17, [8, 8, 8, 8], [40000, 53], 0), Some(("udp", 53))),
            (packet(1, to, [0, 0], 0), None),
            (vec![0x45], None),
            (dressed(6, [40000, 443], 0x02), Some(("tcp", 443))),
            (dressed(6, [40000, 443], 0x10), None),
            (dressed(17, [40000, 123], 0), Some(("udp", 123))),
            (dressed(58, [0, 0], 0), None),
        ] {
            assert_eq!(contact(&packet).map(|contact| (contact.kind, contact.to.port())), want);
        }
    }

    #[test]
    fn over_ipv6_answers_and_errors_tell_whom_they_are_of() {
        let from: Ipv6Addr = "2001:db8::7".parse().unwrap();
        for (flags, want) in [(0x12, true), (0x14, true), (0x02, false), (0x10, false), (0x11, false), (0x04, false)] {
            let segment = packet(6, [0; 4], [443, 40000], flags).split_off(20);
            let message = answered(from, &segment).map(|contact| contact.to.to_string());
            assert_eq!(message, want.then(|| "[2001:db8::7]:443".to_owned()), "{flags:#x}");
        }
        let error = |kind: u8| [&[kind, 4, 0, 0, 0, 0, 0, 0][..], &dressed(17, [40000, 123], 0)].concat();
        assert_eq!(quoted(&error(1)).map(|contact| contact.to.to_string()).as_deref(), Some("[2001:db8::7]:123"));
        assert_eq!(quoted(&error(135)), None);
    }

    #[test]
    fn names_are_read_and_answered() {
        let mut question = vec![7, 7, 1, 0, 0, 1, 0, 0, 0, 0, 0, 0];
        question.extend(b"\x04tide\x07example\x00\x00\x01\x00\x01");
        assert_eq!(name_asked(&question).as_deref(), Some("tide.example"));
        let answer = name_answer(&question, 3);
        assert!(answer.starts_with(&[7, 7, 0x81, 0x80, 0, 1, 0, 1]) && answer.ends_with(&[198, 18, 0, 3]));
        let ipv6 = [&question[..question.len() - 4], &[0, 28, 0, 1]].concat();
        assert_eq!(name_answer(&ipv6, 3).get(6..8), Some(&[0, 0][..]));
    }

    proptest! {
        #[test]
        fn any_bytes_are_read(bytes in prop::collection::vec(any::<u8>(), 0..80)) {
            let _ = (contact(&bytes), answered(Ipv6Addr::LOCALHOST, &bytes), quoted(&bytes));
            let _ = name_asked(&bytes);
            prop_assert!(name_answer(&bytes, 1).len() <= bytes.len() + 40);
        }
    }
}
