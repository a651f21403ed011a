//! Attacks on a cage, each by the means that any program has; what came of it is told as a tool's description.

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use std::fs::{self, OpenOptions};
use std::io::Write as _;
use std::net::TcpStream;
use std::process::{Child, Command, Stdio};
use std::time::Duration;

/// Tries an attack, `name` or `name=what`, and tells what came of it.
pub(crate) fn attempt(attack: &str) -> String {
    let (name, what) = attack.split_once('=').unwrap_or((attack, ""));
    match name {
        "read" => describe(fs::read(what).map(|bytes| format!("read {} bytes", bytes.len()))),
        "say" => describe(fs::read_to_string(what)),
        "list" => describe(fs::read_dir(what).map(|all| format!("listed {}", all.count()))),
        "write" => describe(fs::write(what, "written by a stand-in").map(|()| "written".to_owned())),
        "connect" => connect(what),
        "datagram" => datagram(what),
        "disk" => disk(what),
        "memory" => memory(),
        "forks" => forks(),
        "stay" => stay(what),
        "trace" => trace(),
        "signal" => signal(what),
        "space" => space(),
        "secret" => std::env::var(what).unwrap_or_else(|_| "not there".to_owned()),
        "echo" => echo(&std::env::var(what).unwrap_or_default()),
        _ => "no such attack".to_owned(),
    }
}

/// What it was handed, in the forms in which a server could tell it.
fn echo(secret: &str) -> String {
    let each = |form: fn(u8) -> String| secret.bytes().map(form).collect::<String>();
    let quoted = serde_json::json!({ "a": serde_json::json!({ "b": secret }).to_string() }).to_string();
    let half = secret.len() / 2;
    let forms = [
        secret.to_owned(),
        STANDARD.encode(secret),
        STANDARD.encode(format!("crew:{secret}")),
        each(|byte| format!("%{byte:02X}")),
        each(|byte| format!("{byte:02x}")),
        secret.chars().rev().collect(),
        secret.to_uppercase(),
        each(|byte| format!("&#{byte};")),
        quoted,
        format!("{} and {}", secret.get(..half).unwrap_or_default(), secret.get(half..).unwrap_or_default()),
    ];
    forms.join(" | ")
}

fn describe(outcome: std::io::Result<String>) -> String {
    outcome.unwrap_or_else(|error| format!("failed: {:?}", error.kind()))
}

fn connect(to: &str) -> String {
    let within = Duration::from_secs(2);
    let address = std::net::ToSocketAddrs::to_socket_addrs(to).ok().and_then(|mut all| all.next());
    let Some(address) = address else { return "failed: no such name".to_owned() };
    describe(TcpStream::connect_timeout(&address, within).map(|stream| {
        let mut stream = stream;
        let said = stream.set_read_timeout(Some(Duration::from_millis(300)));
        let mut byte = [0];
        let heard = said.is_ok() && std::io::Read::read(&mut stream, &mut byte).is_ok_and(|length| length > 0);
        if heard { "connected, and heard something".to_owned() } else { "connected to nobody".to_owned() }
    }))
}

/// Sends a datagram to somebody.
fn datagram(to: &str) -> String {
    let own = if to.starts_with('[') { "[::]:0" } else { "0.0.0.0:0" };
    let sent = std::net::UdpSocket::bind(own).and_then(|socket| socket.send_to(b"ho", to));
    describe(sent.map(|_| "sent".to_owned()))
}

/// Writes until nothing more can be written.
fn disk(folder: &str) -> String {
    let block = vec![b'x'; 1 << 20];
    let mut written = 0;
    'all: for number in 0..64 {
        let file = OpenOptions::new().create(true).append(true).open(format!("{folder}/fill-{number}"));
        let Ok(mut file) = file else { break };
        for _ in 0..16 {
            if file.write_all(&block).is_err() {
                break 'all;
            }
            written += 1;
        }
    }
    format!("wrote {written} MiB")
}

/// Takes memory until there is none, or 6 GiB.
fn memory() -> String {
    let mut held: Vec<Vec<u8>> = Vec::new();
    for _ in 0..96 {
        let mut block = Vec::new();
        if block.try_reserve_exact(64 << 20).is_err() {
            break;
        }
        block.resize(64 << 20, 1);
        held.push(block);
    }
    format!("took {} MiB", held.len() * 64)
}

/// Starts programs until it cannot, or 1000.
fn forks() -> String {
    let mut children: Vec<Child> = Vec::new();
    for _ in 0..1000 {
        match Command::new("sleep").arg("20").stdin(Stdio::null()).stdout(Stdio::null()).spawn() {
            Ok(child) => children.push(child),
            Err(_) => break,
        }
    }
    format!("started {}", children.len())
}

/// Leaves a program behind, in a session of its own.
fn stay(seconds: &str) -> String {
    let mut child = Command::new("setsid");
    child.args(["sleep", seconds]).stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
    describe(child.spawn().map(|_| "left behind".to_owned()))
}

#[cfg(target_os = "linux")]
fn trace() -> String {
    let first = nix::unistd::Pid::from_raw(1);
    let parent = nix::unistd::getppid();
    let tried = [first, parent].map(nix::sys::ptrace::attach);
    if tried.iter().any(Result::is_ok) { "attached".to_owned() } else { "failed".to_owned() }
}

#[cfg(target_os = "linux")]
fn signal(pid: &str) -> String {
    let pid = nix::unistd::Pid::from_raw(pid.parse().unwrap_or(1));
    match nix::sys::signal::kill(pid, nix::sys::signal::Signal::SIGTERM) {
        Ok(()) => "sent".to_owned(),
        Err(error) => format!("failed: {error:?}"),
    }
}

#[cfg(target_os = "linux")]
fn space() -> String {
    match nix::sched::unshare(nix::sched::CloneFlags::CLONE_NEWUSER) {
        Ok(()) => "has a namespace of its own".to_owned(),
        Err(error) => format!("failed: {error:?}"),
    }
}

#[cfg(not(target_os = "linux"))]
fn trace() -> String {
    "not tried".to_owned()
}

#[cfg(not(target_os = "linux"))]
fn signal(_pid: &str) -> String {
    "not tried".to_owned()
}

#[cfg(not(target_os = "linux"))]
fn space() -> String {
    "not tried".to_owned()
}
