//! The network inside: nobody but this machine's own loopback, to which every address leads. Names are answered and addresses that are
//! tried are written down.

use super::packets::{Contact, answered, contact, name_answer, name_asked, quoted};
use super::watch::Report;
use rustix::fd::OwnedFd;
use rustix::net::{AddressFamily, Protocol, SocketFlags, SocketType, bind, netlink, recv, send, socket, socket_with};
use rustix::net::{RecvFlags, SendFlags, ipproto, recvfrom};
use std::io;
use std::net::{SocketAddrV6, TcpListener, UdpSocket};
use std::thread;

/// Ports at which somebody answers the telephone, and says nothing.
const PORTS: &[u16] = &[22, 25, 80, 443, 3000, 3306, 5000, 5432, 6379, 8000, 8080, 8443, 9000];

/// So many names have an address of their own.
const NAMES: usize = 1024;

/// Brings it up.
pub(super) fn up(report: &Report) -> io::Result<()> {
    let route = socket(AddressFamily::NETLINK, SocketType::RAW, None)?;
    bind(&route, &netlink::SocketAddrNetlink::new(0, 0))?;
    for (request, needed) in [(link_up(), true), (everywhere_here(INET), true), (everywhere_here(INET6), false)] {
        send(&route, &request, SendFlags::empty())?;
        let mut answer = [0u8; 256];
        let (length, _) = recv(&route, &mut answer[..], RecvFlags::empty())?;
        // An error message begins with its number, negative, behind the header of 16 bytes (rtnetlink(7)).
        let code =
            answer.get(16..20).filter(|_| length >= 20).and_then(|code| code.try_into().ok()).map(i32::from_ne_bytes);
        // A system without IPv6 has nobody there to be reached.
        if code != Some(0) && needed {
            return Err(io::Error::from_raw_os_error(-code.unwrap_or(-5)));
        }
    }
    names(report)?;
    for port in PORTS {
        let Ok(listener) = TcpListener::bind(("::", *port)).or_else(|_| TcpListener::bind(("0.0.0.0", *port))) else {
            continue;
        };
        thread::spawn(move || {
            // Taken, kept open a moment, and dropped.
            for connection in listener.incoming() {
                drop(connection);
            }
        });
    }
    listen(report)
}

/// Looks at every packet. Raw sockets do, and cost next to nothing; a socket that is shown whole packets of a link holds up the start and the
/// end of a cage by tens of milliseconds.
fn listen(report: &Report) -> io::Result<()> {
    for protocol in [ipproto::TCP, ipproto::UDP] {
        let all = raw(AddressFamily::INET, protocol)?;
        let report = report.clone();
        thread::spawn(move || {
            let mut packet = vec![0u8; 2048];
            while let Ok((length, _)) = recv(&all, &mut packet[..], RecvFlags::empty()) {
                if let Some(Contact { to, kind }) = contact(packet.get(..length).unwrap_or_default()) {
                    report.note("contact", &format!("{kind} {to}"));
                }
            }
        });
    }
    // Of IPv6 a raw socket is shown no header, and thus not whom a packet is for (RFC 3542, 3); but whom an answer comes from, and what an
    // error quotes. A system without IPv6 has nobody there to be reached.
    for protocol in [ipproto::TCP, ipproto::ICMPV6] {
        let Ok(all) = raw(AddressFamily::INET6, protocol) else { continue };
        let report = report.clone();
        thread::spawn(move || {
            let mut packet = vec![0u8; 2048];
            while let Ok((length, _, from)) = recvfrom(&all, &mut packet[..], RecvFlags::empty()) {
                let packet = packet.get(..length).unwrap_or_default();
                let found = if protocol == ipproto::TCP {
                    let from = from.and_then(|from| SocketAddrV6::try_from(from).ok());
                    from.and_then(|from| answered(*from.ip(), packet))
                } else {
                    quoted(packet)
                };
                if let Some(Contact { to, kind }) = found {
                    report.note("contact", &format!("{kind} {to}"));
                }
            }
        });
    }
    Ok(())
}

fn raw(family: AddressFamily, protocol: Protocol) -> io::Result<OwnedFd> {
    Ok(socket_with(family, SocketType::RAW, SocketFlags::CLOEXEC, Some(protocol))?)
}

/// Answers every name with an address of its own, so that a contact tells which name it was of.
fn names(report: &Report) -> io::Result<()> {
    let socket = UdpSocket::bind(("127.0.0.1", 53))?;
    let report = report.clone();
    thread::spawn(move || {
        let mut question = [0u8; 1500];
        let mut known: Vec<String> = Vec::new();
        while let Ok((length, from)) = socket.recv_from(&mut question) {
            let question = question.get(..length).unwrap_or_default();
            let Some(name) = name_asked(question) else { continue };
            let number = known.iter().position(|known| *known == name).unwrap_or_else(|| {
                // More are answered alike: who asks for so many is known well enough.
                if known.len() < NAMES {
                    known.push(name.clone());
                }
                known.len() - 1
            });
            report.note("name", &name);
            let _lost = socket.send_to(&name_answer(question, number), from);
        }
    });
    Ok(())
}

/// `RTM_NEWLINK` for the loopback interface: up (rtnetlink(7)).
fn link_up() -> Vec<u8> {
    let mut body = vec![0u8, 0, 0, 0];
    body.extend(1i32.to_ne_bytes());
    body.extend(1u32.to_ne_bytes());
    body.extend(1u32.to_ne_bytes());
    request(16, 0, &body)
}

/// Families of addresses (socket(2)).
const INET: u8 = 2;
const INET6: u8 = 10;

/// `RTM_NEWROUTE`: every address is one of this machine.
fn everywhere_here(family: u8) -> Vec<u8> {
    // Family, lengths of destination and source, type of service, table (local), protocol (boot), scope (host), type (local), flags.
    let mut body = vec![family, 0, 0, 0, 255, 3, 254, 2, 0, 0, 0, 0];
    // The interface.
    body.extend(8u16.to_ne_bytes());
    body.extend(4u16.to_ne_bytes());
    body.extend(1u32.to_ne_bytes());
    request(24, 0x400, &body)
}

/// A request that wants to be acknowledged.
fn request(kind: u16, flags: u16, body: &[u8]) -> Vec<u8> {
    let length = u32::try_from(16 + body.len()).unwrap_or(0);
    let mut out = length.to_ne_bytes().to_vec();
    out.extend(kind.to_ne_bytes());
    out.extend((0x1u16 | 0x4 | flags).to_ne_bytes());
    out.extend(1u32.to_ne_bytes());
    out.extend(0u32.to_ne_bytes());
    out.extend(body);
    out
}
