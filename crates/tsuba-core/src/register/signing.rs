//! What a register says of its own signing: a serial number and the day, inside of what is signed, so that an older one is known as such.

use super::{HEAD, Register, RegisterError};
use crate::prelude::*;
use crate::read::{Document, Node};
use crate::text::strong_fingerprint;
use jiff::civil::Date;

/// `signing = { register = "0f3a…", serial = 7, on = 2026-11-28 }`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Signing {
    /// Which register it is, wherever it lies: twelve hexadecimal digits, made when it was first signed.
    pub register: String,
    /// Counts from 1, one more each time that it is signed.
    pub serial: u64,
    /// The day on which it was signed.
    pub on: Date,
}

impl Signing {
    pub(super) fn read(document: &Document, node: &Node) -> Result<Self, RegisterError> {
        let text = |key: &str| node.get(key).and_then(Node::scalar);
        let register = text("register").filter(|id| id.len() == 12 && id.bytes().all(|b| b.is_ascii_hexdigit()));
        let serial = text("serial").and_then(|serial| serial.parse().ok()).filter(|serial| *serial > 0);
        let on = text("on").and_then(|on| on.parse().ok());
        match (register, serial, on) {
            (Some(register), Some(serial), Some(on)) => Ok(Self { register: register.into_owned(), serial, on }),
            _ => {
                let line = document.lines.position(&document.text, node.span.start as usize).line;
                let why = "signing is written by `tsuba decisions --to-sign`: { register = \"0f3a12c4d5e6\", serial = 7, on = 2026-11-28 }";
                Err(RegisterError { line, why: why.to_owned() })
            }
        }
    }

    fn written(&self) -> String {
        format!("{{ register = \"{}\", serial = {}, on = {} }}", self.register, self.serial, self.on)
    }
}

impl Register {
    /// The text with the next serial number, to be signed on a day. Everything else stays to the letter.
    #[must_use]
    pub fn to_sign(&self, today: Date) -> String {
        let next = match &self.signing {
            // A clock that is behind does not make the register older.
            Some(last) => Signing {
                serial: last.serial.saturating_add(1),
                on: last.on.max(today),
                register: last.register.clone(),
            },
            None => {
                let made = strong_fingerprint([self.canonical().as_str(), today.to_string().as_str()]);
                Signing { register: made.chars().take(12).collect(), serial: 1, on: today }
            }
        };
        let text = if self.text.trim().is_empty() { HEAD } else { &self.text };
        let written = next.written();
        if let Some((start, end)) = self.signing_at {
            let (before, after) = (text.get(..start).unwrap_or_default(), text.get(end..).unwrap_or_default());
            return format!("{before}{written}{after}");
        }
        // Behind the line that names the format, which every register has.
        let mut lines = text.split_inclusive('\n').scan(0, |end, line| {
            *end += line.len();
            Some((*end, line))
        });
        let at = lines.find(|(_, line)| line.trim_start().starts_with("schema")).map_or(0, |(end, _)| end);
        let (before, after) = (text.get(..at).unwrap_or_default(), text.get(at..).unwrap_or_default());
        let end = if before.is_empty() || before.ends_with('\n') { "" } else { "\n" };
        format!("{before}{end}signing = {written}\n{after}")
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::date;

    const TODAY: Date = date(2026, 11, 28);

    #[test]
    fn signing_counts_up_and_changes_nothing_else() {
        let decided = "# remark\nschema = \"tsuba-register/1\" # format\n\n# above\n[decision.79cb18264f2b]\nkind = \"approved\"\nhost = \"tides.example\"\nby = \"ines\"\non = 2026-11-24\nreason = \"r\"\n";
        let decided = Register::read(decided).map_or_else(
            |wrong| {
                let named = wrong.iter().find_map(|wrong| wrong.why.strip_prefix("this decision is called "));
                decided.replace("79cb18264f2b", named.and_then(|named| named.split(',').next()).unwrap_or_default())
            },
            |_| decided.to_owned(),
        );
        for text in ["", "schema = \"tsuba-register/1\"", "schema = \"tsuba-register/1\"\n", &decided] {
            let before = Register::read(text).unwrap();
            assert_eq!(before.signing, None);
            let first = Register::read(&before.to_sign(TODAY)).unwrap();
            let signing = first.signing.clone().unwrap();
            assert_eq!((signing.serial, signing.on, signing.register.len()), (1, TODAY, 12));
            let earlier = Register::read(&first.to_sign(date(2026, 11, 1))).unwrap();
            assert_eq!(earlier.signing, Some(Signing { serial: 2, ..signing.clone() }));
            let second = Register::read(&first.to_sign(date(2026, 12, 1))).unwrap();
            assert_eq!(second.signing, Some(Signing { serial: 2, on: date(2026, 12, 1), ..signing }));
            assert_eq!(second.decisions, before.decisions);
            // Whoever changes the number changes what is signed.
            let canonical = [&before, &first, &earlier, &second].map(Register::canonical);
            assert!(canonical.iter().collect::<BTreeSet<_>>().len() == 4, "{canonical:?}");
            if !text.is_empty() {
                let without: String =
                    second.text().split_inclusive('\n').filter(|line| !line.starts_with("signing")).collect();
                assert_eq!(without.trim_end(), text.trim_end());
            }
        }
    }

    #[test]
    fn half_a_signing_is_a_mistake_with_its_line() {
        for wrong in [
            "7",
            "{ serial = 7, on = 2026-11-28 }",
            "{ register = \"0f3a12c4d5e6\", serial = 0, on = 2026-11-28 }",
            "{ register = \"0f3a12c4d5e6\", serial = -3, on = 2026-11-28 }",
            "{ register = \"0f3a12c4d5e6\", serial = 7 }",
            "{ register = \"0f3a12c4d5e6\", serial = 7, on = \"today\" }",
            "{ register = \"0f3a\", serial = 7, on = 2026-11-28 }",
        ] {
            let text = format!("schema = \"tsuba-register/1\"\nsigning = {wrong}\n");
            let errors = Register::read(&text).unwrap_err();
            assert!(
                errors.len() == 1 && errors[0].line == 2 && errors[0].why.contains("--to-sign"),
                "{wrong}: {errors:?}"
            );
        }
    }
}
