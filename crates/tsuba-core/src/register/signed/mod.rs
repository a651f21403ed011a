//! Who has signed a register: a detached signature as OpenSSH makes it (`ssh-keygen -Y sign`, PROTOCOL.sshsig) over the register's canonical
//! content, by one of the signers that the company names in a file of that program's own form (ssh-keygen(1), ALLOWED SIGNERS).

mod memory;

use crate::prelude::*;
use core::fmt;
use jiff::civil::{Date, DateTime};
pub use memory::{MAX_REMEMBERED, Memory, Stale};
use ssh_key::{Algorithm, LineEnding, PublicKey, SshSig};

/// What signatures over registers are made for: one over anything else counts for nothing here.
pub const NAMESPACE: &str = "tsuba-register";

/// Those who may sign.
#[derive(Clone, Debug, Default)]
pub struct Signers(Vec<Signer>);

#[derive(Clone, Debug)]
struct Signer {
    name: String,
    key: PublicKey,
    after: Option<Date>,
    before: Option<Date>,
}

/// A mistake in a file of signers.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SignersError {
    /// The line, from 1.
    pub line: u32,
    /// What is wrong, and what would be right.
    pub why: &'static str,
}

impl fmt::Display for SignersError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}: {}", self.line, self.why)
    }
}

/// Why a register does not count as signed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NotSigned {
    /// What lies there is no signature.
    Unreadable,
    /// It was made for something else.
    OtherPurpose,
    /// Its kind of key is not checked here.
    OtherKind,
    /// Nobody who may sign has made it.
    Unknown,
    /// Who made it may not sign on this day.
    NotNow,
    /// It was made over other content: the register has changed since.
    Changed,
}

impl fmt::Display for NotSigned {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Unreadable => "it is no signature of OpenSSH (`-----BEGIN SSH SIGNATURE-----`)",
            Self::OtherPurpose => "it was not made with -n tsuba-register",
            Self::OtherKind => "keys of its kind are not checked; sign with one of ed25519 or ECDSA on P-256",
            Self::Unknown => "it was made with a key that is not among the signers",
            Self::NotNow => "whoever made it may not sign on this day",
            Self::Changed => "the register has changed since it was signed",
        })
    }
}

impl Signers {
    /// Reads a file of signers.
    ///
    /// # Errors
    /// Every mistake in it, with its line. What would widen who may sign, and is not understood, is a mistake.
    pub fn read(text: &str) -> Result<Self, Vec<SignersError>> {
        let (mut signers, mut errors) = (Vec::new(), Vec::new());
        let lines = (1..).zip(text.lines().map(str::trim));
        for (line, text) in lines.filter(|(_, text)| !text.is_empty() && !text.starts_with('#')) {
            match signer(text) {
                Ok(Some(signer)) => signers.push(signer),
                Ok(None) => {}
                Err(why) => errors.push(SignersError { line, why }),
            }
        }
        if errors.is_empty() { Ok(Self(signers)) } else { Err(errors) }
    }

    /// The name of who has signed this content.
    ///
    /// # Errors
    /// Why nobody has.
    pub fn of(&self, content: &str, signature: &str, today: Date) -> Result<&str, NotSigned> {
        let written = signature;
        let signature = SshSig::from_pem(written.trim_start()).map_err(|_| NotSigned::Unreadable)?;
        // There is one way to write a signature, apart from the length of its lines: whatever else was read leniently is refused.
        let bare = |text: &str| text.trim().chars().filter(|c| !matches!(c, '\n' | '\r')).collect::<String>();
        let again = signature.to_pem(LineEnding::LF).map_err(|_| NotSigned::Unreadable)?;
        if bare(&again) != bare(written) {
            return Err(NotSigned::Unreadable);
        }
        if signature.namespace() != NAMESPACE {
            return Err(NotSigned::OtherPurpose);
        }
        if !is_checked(&signature.algorithm()) {
            return Err(NotSigned::OtherKind);
        }
        let own: Vec<&Signer> =
            self.0.iter().filter(|signer| signer.key.key_data() == signature.public_key()).collect();
        if own.is_empty() {
            return Err(NotSigned::Unknown);
        }
        let may = |signer: &&&Signer| {
            signer.after.is_none_or(|after| after <= today) && signer.before.is_none_or(|before| today < before)
        };
        let signer = own.iter().find(may).ok_or(NotSigned::NotNow)?;
        let right = signer.key.verify(NAMESPACE, content.as_bytes(), &signature);
        right.map(|()| signer.name.as_str()).map_err(|_| NotSigned::Changed)
    }
}

fn is_checked(algorithm: &Algorithm) -> bool {
    use ssh_key::EcdsaCurve::NistP256;
    matches!(
        algorithm,
        Algorithm::Ed25519
            | Algorithm::SkEd25519
            | Algorithm::SkEcdsaSha2NistP256
            | Algorithm::Ecdsa { curve: NistP256 }
    )
}

/// `ines@saltmarsh-line.example namespaces="tsuba-register" ssh-ed25519 AAAA… comment`; `None` for a key that is for something else.
fn signer(line: &str) -> Result<Option<Signer>, &'static str> {
    let message = "write NAME ssh-ed25519 KEY, as a file of allowed signers of OpenSSH";
    let mut words = words(line).into_iter();
    let name = words.next().ok_or(message)?.trim_matches('"').to_owned();
    if name.contains(['*', '?', '!']) {
        return Err("a signer is named in full here, not by a pattern");
    }
    let rest: Vec<&str> = words.collect();
    let is_kind = |word: &&str| word.starts_with("ssh-") || word.starts_with("ecdsa-") || word.starts_with("sk-");
    let (options, key) = match rest.first() {
        Some(first) if is_kind(first) => (None, rest.as_slice()),
        Some(first) => (Some(*first), rest.get(1..).unwrap_or_default()),
        None => return Err(message),
    };
    let [kind, key, ..] = key else { return Err(message) };
    let key = PublicKey::from_openssh(&format!("{kind} {key}")).map_err(|_| message)?;
    let mut signer = Signer { name, key, after: None, before: None };
    for option in options.iter().flat_map(|options| split(options, ',')) {
        let (name, value) = option.split_once('=').unwrap_or((option, ""));
        let value = value.trim_matches('"');
        match name.to_ascii_lowercase().as_str() {
            "namespaces" if !value.split(',').any(|namespace| namespace == NAMESPACE) => return Ok(None),
            "namespaces" => {}
            "valid-after" => signer.after = Some(day(value)?),
            "valid-before" => signer.before = Some(day(value)?),
            "cert-authority" => return Err("certificates are not checked here: name the keys themselves"),
            _ => return Err("not understood; known are namespaces, valid-after and valid-before"),
        }
    }
    Ok(Some(signer))
}

/// `20261124`, `20261124Z`, `202611241200`: the day counts.
fn day(text: &str) -> Result<Date, &'static str> {
    let digits = text.trim_end_matches('Z');
    let message = "a day is written as 20261124";
    let day = digits.get(..8).ok_or(message)?;
    if !matches!(digits.len(), 8 | 12 | 14) || !digits.bytes().all(|b| b.is_ascii_digit()) {
        return Err(message);
    }
    let written = format!(
        "{}-{}-{}T00:00:00",
        day.get(..4).unwrap_or_default(),
        day.get(4..6).unwrap_or_default(),
        day.get(6..).unwrap_or_default()
    );
    written.parse::<DateTime>().map(|at| at.date()).map_err(|_| message)
}

/// Divided at white space that stands in no quotes.
fn words(line: &str) -> Vec<&str> {
    split(line, ' ').into_iter().map(str::trim).filter(|word| !word.is_empty()).collect()
}

fn split(text: &str, at: char) -> Vec<&str> {
    let (mut parts, mut start, mut quoted) = (Vec::new(), 0, false);
    for (index, c) in text.char_indices() {
        if c == '"' {
            quoted = !quoted;
        }
        if !quoted && (c == at || (at == ' ' && c == '\t')) {
            parts.push(text.get(start..index).unwrap_or_default());
            start = index + c.len_utf8();
        }
    }
    parts.push(text.get(start..).unwrap_or_default());
    parts
}

#[cfg(test)]
mod tests;
