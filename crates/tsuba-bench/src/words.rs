//! Words, names and strings of letters that the made-up company is put together from.

use fastrand::Rng;

const WORDS: &[&str] = &[
    "tide", "berth", "quay", "ledger", "crew", "engine", "manifest", "siren", "harbour", "ticket", "ferry", "lock",
    "mooring", "return", "value", "let", "match", "server", "resource", "observe", "scope", "service", "version",
    "parser", "preserve", "curve", "skill", "result", "cursor", "schema", "type", "name", "buoy", "anchor", "channel",
    "pilot", "cargo", "ramp", "deck", "cabin", "fare", "queue", "shift", "roster", "fuel", "pump", "valve",
];
const TEAMS: &[&str] = &["tickets", "harbour", "engines", "crewing", "ledger"];
const PEOPLE: &[&str] = &["ada", "bo", "cem", "dina", "emre", "finn", "gita", "hal", "ines", "jon", "kaja", "lev"];
const LETTERS: &[u8] = b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789";

/// What a generator of numbers makes of them here.
pub(crate) trait Words {
    fn one(&mut self, of: &'static [&'static str]) -> &'static str;

    fn letters(&mut self, of: &[u8], count: usize) -> String;

    fn word(&mut self) -> &'static str {
        self.one(WORDS)
    }

    fn team(&mut self) -> &'static str {
        self.one(TEAMS)
    }

    fn person(&mut self) -> &'static str {
        self.one(PEOPLE)
    }

    fn sentence(&mut self, words: usize) -> String {
        (0..words).map(|_| self.word()).collect::<Vec<_>>().join(" ")
    }

    fn base64(&mut self, count: usize) -> String {
        self.letters(LETTERS, count)
    }

    fn hex(&mut self, count: usize) -> String {
        self.letters(b"0123456789abcdef", count)
    }

    fn version(&mut self) -> String {
        let number = self.letters(b"123456789", 3);
        number.chars().map(String::from).collect::<Vec<_>>().join(".")
    }
}

impl Words for Rng {
    fn one(&mut self, of: &'static [&'static str]) -> &'static str {
        of.get(self.usize(0..of.len())).copied().unwrap_or_default()
    }

    fn letters(&mut self, of: &[u8], count: usize) -> String {
        (0..count).filter_map(|_| of.get(self.usize(0..of.len())).copied().map(char::from)).collect()
    }
}
