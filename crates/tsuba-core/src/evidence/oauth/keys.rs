//! Key sets (RFC 7517).

use super::fields::Fields;
use crate::prelude::*;
use crate::text::Located;
use base64::Engine as _;
use base64::prelude::BASE64_URL_SAFE_NO_PAD;

/// The keys a server signs with (RFC 7517, 5).
#[derive(Clone, Debug)]
pub struct KeySet {
    /// The whole of it.
    pub start: Located,
    /// The keys.
    pub keys: Vec<WebKey>,
}

/// A key (RFC 7517, 4).
#[derive(Clone, Debug)]
pub struct WebKey {
    /// `kty`: the kind.
    pub kind: Located,
    /// The length of an RSA modulus (bits).
    pub bits: Option<u32>,
    /// The public exponent of an RSA key, where it fits.
    pub exponent: Option<u64>,
    /// `crv`: its curve.
    pub curve: Option<String>,
    /// `alg`: what it signs with.
    pub algorithm: Option<String>,
    /// Does it hold the private part, or is it a shared secret?
    pub private: bool,
    /// `kid`: its name.
    pub id: Option<String>,
}

/// The private parts of a key (RFC 7518, 6.2.2, 6.3.2, 6.4.1).
const PRIVATE: &[&str] = &["d", "p", "q", "dp", "dq", "qi", "k"];

impl KeySet {
    pub(super) fn read(fields: &Fields<'_>, secrets: &mut Vec<(String, Located)>) -> Option<Self> {
        let Some(list) = fields.node.get("keys").filter(|list| list.is_list()) else {
            return Self::lone(fields, secrets);
        };
        let at = fields.pointer.key("keys");
        let mut keys = Vec::new();
        for (index, item) in list.items().iter().enumerate() {
            let pointer = at.index(index);
            keys.push(WebKey::read(&Fields { node: item, pointer: &pointer }, secrets)?);
        }
        (!keys.is_empty()).then(|| Self { start: fields.start(), keys })
    }
}

impl KeySet {
    /// A key that lies there alone: known by its kind, what that kind is made of, and a member that says what it is for.
    fn lone(fields: &Fields<'_>, secrets: &mut Vec<(String, Located)>) -> Option<Self> {
        let kind = fields.text("kty")?;
        let part = match kind.text.as_str() {
            "RSA" => "n",
            "EC" | "OKP" => "x",
            "oct" => "k",
            _ => return None,
        };
        let told = ["kid", "use", "alg", "crv", "key_ops"].iter().any(|key| fields.has(key));
        let key = Some(()).filter(|()| told && fields.has(part)).and_then(|()| WebKey::read(fields, secrets))?;
        Some(Self { start: fields.start(), keys: vec![key] })
    }
}

impl WebKey {
    fn read(fields: &Fields<'_>, secrets: &mut Vec<(String, Located)>) -> Option<Self> {
        let kind = fields.text("kty")?;
        let parts: Vec<(String, Located)> =
            PRIVATE.iter().filter_map(|name| Some(("private_key".to_owned(), fields.text(name)?))).collect();
        let private = !parts.is_empty();
        secrets.extend(parts.into_iter().filter(|(_, part)| part.text.len() >= 8));
        let number = |name: &str| BASE64_URL_SAFE_NO_PAD.decode(fields.text(name)?.text.trim_end_matches('=')).ok();
        let exponent = number("e").filter(|bytes| bytes.len() <= 8);
        Some(Self {
            bits: number("n").map(|bytes| length(&bytes)),
            exponent: exponent.map(|bytes| bytes.iter().fold(0, |sum, byte| sum << 8 | u64::from(*byte))),
            curve: fields.text("crv").map(|curve| curve.text),
            algorithm: fields.text("alg").map(|algorithm| algorithm.text),
            private,
            id: fields.text("kid").map(|id| id.text),
            kind,
        })
    }
}

/// The length of a number (bits).
fn length(bytes: &[u8]) -> u32 {
    let digits: Vec<u8> = bytes.iter().copied().skip_while(|byte| *byte == 0).collect();
    let first = digits.first().map_or(0, |byte| 8 - byte.leading_zeros());
    first + u32::try_from(digits.len().saturating_sub(1)).unwrap_or(u32::MAX / 8).saturating_mul(8)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_length_of_a_number_is_that_of_its_digits() {
        for (bytes, want) in [(&[][..], 0), (&[0, 0], 0), (&[1], 1), (&[0x80, 0], 16), (&[0, 0x7f, 0], 15)] {
            assert_eq!(length(bytes), want, "{bytes:?}");
        }
    }
}
