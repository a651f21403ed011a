//! What was seen of signed registers: the highest serial number of each, so that an older one, well signed in its time, does not come back.

use crate::prelude::*;
use crate::register::{Register, Signing};
use crate::text::strong_fingerprint;
use core::fmt;
use jiff::civil::Date;
use serde::{Deserialize, Serialize};

/// The name of the format.
const SCHEMA: &str = "tsuba-seen/1";
/// More registers are not remembered: the one that was seen longest ago is forgotten.
pub const MAX_REMEMBERED: usize = 4096;

/// The signed registers that were seen.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Memory {
    schema: String,
    registers: Vec<Seen>,
}

#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
struct Seen {
    /// [`Signing::register`].
    register: String,
    /// Where it lay.
    path: String,
    serial: u64,
    on: String,
    /// A fingerprint of what was signed.
    content: String,
}

/// Why a register that is well signed does not count.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Stale {
    /// What is signed holds no serial number: it may be as old as it likes.
    Uncounted,
    /// It says that it was signed on a day that is yet to come.
    Ahead(Date),
    /// A newer one was seen.
    Older {
        /// Its serial number.
        serial: u64,
        /// The highest that was seen.
        seen: u64,
        /// When that was signed.
        on: String,
    },
    /// Another content was seen with the same serial number.
    Forked(u64),
    /// Another register was seen in its place.
    Another,
    /// Its serial number is under the one that was asked for.
    Under {
        /// Its serial number.
        serial: u64,
        /// The lowest that counts.
        least: u64,
    },
}

impl fmt::Display for Stale {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Uncounted => f.write_str("it has no serial number, so an older register could take its place"),
            Self::Ahead(on) => write!(f, "it was signed on {on}, after the date of this audit"),
            Self::Older { serial, seen, on } => {
                write!(f, "it is older than one seen before: serial {serial}, but {seen} of {on} was seen")
            }
            Self::Forked(serial) => write!(f, "another register with the same serial {serial} was seen before"),
            Self::Another => f.write_str("another signed register was seen in this place before"),
            Self::Under { serial, least } => write!(f, "its serial {serial} is under the required {least}"),
        }
    }
}

impl Default for Memory {
    fn default() -> Self {
        Self { schema: SCHEMA.to_owned(), registers: Vec::new() }
    }
}

impl Memory {
    /// Reads what was written by [`Self::text`]; an empty text is an empty memory.
    ///
    /// # Errors
    /// Where it is anything else: nothing is forgotten because it cannot be read.
    pub fn read(text: &str) -> Result<Self, String> {
        if text.trim().is_empty() {
            return Ok(Self::default());
        }
        let memory: Self = serde_json::from_str(text).map_err(|error| error.to_string())?;
        if memory.schema == SCHEMA { Ok(memory) } else { Err(format!("it is not of the form {SCHEMA}")) }
    }

    /// As it is kept.
    pub fn text(&self) -> String {
        serde_json::to_string_pretty(self).map(|text| text + "\n").unwrap_or_default()
    }

    /// Holds a register, whose signature is right, against what was seen, and takes it in. True where that changed something.
    ///
    /// # Errors
    /// Why it does not count; nothing is taken in then.
    pub fn take(&mut self, register: &Register, path: &str, least: u64, today: Date) -> Result<bool, Stale> {
        let signing = register.signing.as_ref().ok_or(Stale::Uncounted)?;
        if signing.on > today {
            return Err(Stale::Ahead(signing.on));
        }
        if signing.serial < least {
            return Err(Stale::Under { serial: signing.serial, least });
        }
        let content = strong_fingerprint([register.canonical().as_str()]);
        self.held_against(signing, Some(&content), path)?;
        let seen = Seen {
            register: signing.register.clone(),
            path: path.to_owned(),
            serial: signing.serial,
            on: signing.on.to_string(),
            content,
        };
        if self.registers.last() == Some(&seen) {
            return Ok(false);
        }
        // One copy of a register may lie in many places: each is remembered, and the serial of all counts for each.
        self.registers.retain(|known| known.path != path);
        self.registers.push(seen);
        let over = self.registers.len().saturating_sub(MAX_REMEMBERED);
        self.registers.drain(..over);
        Ok(true)
    }

    /// Would signing this register again bring an older state of it back?
    ///
    /// # Errors
    /// Where a newer one was seen.
    pub fn may_be_signed(&self, register: &Register, path: &str) -> Result<(), Stale> {
        match &register.signing {
            Some(signing) => self.held_against(signing, None, path),
            None if self.registers.iter().any(|seen| seen.path == path) => Err(Stale::Another),
            None => Ok(()),
        }
    }

    fn held_against(&self, signing: &Signing, content: Option<&str>, path: &str) -> Result<(), Stale> {
        if self.registers.iter().any(|seen| seen.path == path && seen.register != signing.register) {
            return Err(Stale::Another);
        }
        let own = self.registers.iter().filter(|seen| seen.register == signing.register);
        let Some(highest) = own.max_by_key(|seen| seen.serial) else { return Ok(()) };
        let Signing { serial, .. } = *signing;
        if serial < highest.serial {
            return Err(Stale::Older { serial, seen: highest.serial, on: highest.on.clone() });
        }
        if serial == highest.serial && content.is_some_and(|content| content != highest.content) {
            return Err(Stale::Forked(serial));
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::register::{Decision, Kind, Scope};
    use jiff::civil::date;

    const TODAY: Date = date(2026, 11, 28);

    fn register(signing: &str) -> Register {
        Register::read(&format!("schema = \"tsuba-register/1\"\n{signing}\n")).unwrap()
    }

    fn signed(id: &str, serial: u64) -> Register {
        register(&format!("signing = {{ register = \"{id}\", serial = {serial}, on = 2026-11-2{serial} }}"))
    }

    const ID: &str = "0f3a12c4d5e6";
    const OTHER: &str = "aaaa12c4d5e6";

    #[test]
    fn what_is_older_than_what_was_seen_does_not_count() {
        let mut memory = Memory::default();
        assert_eq!(memory.take(&signed(ID, 5), "a", 0, TODAY), Ok(true));
        assert_eq!(memory.take(&signed(ID, 5), "a", 0, TODAY), Ok(false));
        assert_eq!(memory.take(&signed(ID, 7), "a", 0, TODAY), Ok(true));
        let older = Stale::Older { serial: 5, seen: 7, on: "2026-11-27".to_owned() };
        for (case, path, least, expected) in [
            (signed(ID, 5), "a", 0, Err(older.clone())),
            // A copy of it somewhere else is the same register.
            (signed(ID, 5), "b", 0, Err(older.clone())),
            (signed(ID, 7), "b", 0, Ok(true)),
            (signed(OTHER, 8), "a", 0, Err(Stale::Another)),
            (signed(OTHER, 1), "c", 0, Ok(true)),
            (register(""), "a", 0, Err(Stale::Uncounted)),
            (register(""), "d", 0, Err(Stale::Uncounted)),
            (signed(ID, 9), "a", 0, Err(Stale::Ahead(date(2026, 11, 29)))),
            (signed(ID, 7), "a", 8, Err(Stale::Under { serial: 7, least: 8 })),
            (signed(ID, 8), "a", 8, Ok(true)),
        ] {
            assert_eq!(memory.take(&case, path, least, TODAY), expected, "{case:?} at {path}");
        }
        let decision = Decision {
            kind: Kind::Refused,
            scope: Scope::Host { host: "tides.saltmarsh-line.example".into() },
            team: None,
            by: "ines".into(),
            on: date(2026, 11, 24),
            reason: "open to everybody".into(),
            until: None,
            conditions: Vec::new(),
            launch: None,
            prints: None,
            place: None,
            history: Vec::new(),
        };
        let other = Register::read(&signed(ID, 8).with(&decision)).unwrap();
        assert_eq!(memory.take(&other, "a", 0, TODAY), Err(Stale::Forked(8)));
        assert_eq!(memory.may_be_signed(&other, "a"), Ok(()));
        assert!(memory.may_be_signed(&signed(ID, 5), "a").is_err());
        assert_eq!(memory.may_be_signed(&register(""), "a"), Err(Stale::Another));
        assert_eq!(memory.may_be_signed(&register(""), "new"), Ok(()));
        assert_eq!(Memory::read(&memory.text()), Ok(memory));
    }

    #[test]
    fn a_memory_that_cannot_be_read_is_not_taken_for_an_empty_one() {
        assert_eq!(Memory::read(" \n"), Ok(Memory::default()));
        for text in ["{", "[]", r#"{"schema":"tsuba-seen/2","registers":[]}"#] {
            assert!(Memory::read(text).is_err(), "{text}");
        }
    }

    #[test]
    fn no_more_is_remembered_than_the_bound() {
        let mut memory = Memory::default();
        for number in 0..MAX_REMEMBERED + 3 {
            let case = signed(&format!("{number:012x}"), 1);
            assert_eq!(memory.take(&case, &format!("{number}"), 0, TODAY), Ok(true));
        }
        assert_eq!(memory.registers.len(), MAX_REMEMBERED);
        assert_eq!(memory.registers.last().map(|seen| seen.path.as_str()), Some("4098"));
    }
}
