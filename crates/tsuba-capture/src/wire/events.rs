//! Server-sent events (HTML Living Standard, 9.2.6).

use super::lines::{Line, Lines};

/// An event.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Event {
    /// `event`; `message` where it has none.
    pub kind: String,
    /// `data`, its lines joined.
    pub data: String,
    /// `id`.
    pub id: Option<String>,
    /// `retry`, in milliseconds.
    pub retry: Option<u64>,
    /// Was more dropped than kept, because it was over the bound?
    pub cut: bool,
}

/// Puts a stream together into events.
#[derive(Debug)]
pub struct Events {
    lines: Lines,
    bound: usize,
    open: Event,
    /// Has the open event any field?
    begun: bool,
    /// Only the first line may begin with a byte order mark.
    first: bool,
    /// A carriage return ended the last piece: a line feed after it ends no second line.
    returned: bool,
}

impl Events {
    /// Begins; of an event with more data than `bound` bytes the rest is dropped. `data.len() <= bound` holds at all times.
    pub fn new(bound: usize) -> Self {
        // A line has its field's name before its data.
        let lines = Lines::new(bound.saturating_add(16));
        Self { lines, bound, open: Event::default(), begun: false, first: true, returned: false }
    }

    /// Takes bytes; answers the events that end in them.
    pub fn push(&mut self, bytes: &[u8]) -> Vec<Event> {
        let mut out = Vec::new();
        // Lines end with CR, LF or both; an empty line ends an event, so that empty lines must be seen.
        for byte in bytes {
            let ends = match byte {
                b'\n' if self.returned => {
                    self.returned = false;
                    continue;
                }
                b'\n' | b'\r' => true,
                _ => false,
            };
            self.returned = *byte == b'\r';
            if !ends {
                // A line feed never comes here: nothing ends in it.
                let _none = self.lines.push(core::slice::from_ref(byte));
                continue;
            }
            match self.lines.end() {
                None => out.extend(self.dispatch()),
                Some(Line::Whole(line)) => self.field(&String::from_utf8_lossy(&line)),
                Some(Line::TooLong(_)) => (self.open.cut, self.begun) = (true, true),
            }
        }
        out
    }

    fn dispatch(&mut self) -> Option<Event> {
        let mut event = core::mem::take(&mut self.open);
        if !core::mem::take(&mut self.begun) {
            return None;
        }
        if event.kind.is_empty() {
            "message".clone_into(&mut event.kind);
        }
        Some(event)
    }

    fn field(&mut self, line: &str) {
        let line = if core::mem::take(&mut self.first) { line.trim_start_matches('\u{feff}') } else { line };
        let (name, value) = line.split_once(':').unwrap_or((line, ""));
        let value = value.strip_prefix(' ').unwrap_or(value);
        match name {
            "event" => value.clone_into(&mut self.open.kind),
            "id" if !value.contains('\0') => self.open.id = Some(value.to_owned()),
            "retry" => self.open.retry = value.parse().ok(),
            "data" => {
                let (data, room) = (&mut self.open.data, self.bound);
                let again = !data.is_empty();
                if data.len() + usize::from(again) + value.len() > room {
                    self.open.cut = true;
                } else {
                    data.push_str(if again { "\n" } else { "" });
                    data.push_str(value);
                }
            }
            // A comment, or a field that nobody knows.
            _ => return,
        }
        self.begun = true;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn read(bound: usize, pieces: &[&str]) -> Vec<(String, String)> {
        let mut events = Events::new(bound);
        pieces.iter().flat_map(|piece| events.push(piece.as_bytes())).map(|event| (event.kind, event.data)).collect()
    }

    #[test]
    fn events_are_put_together() {
        for (stream, want) in [
            ("data: {}\n\n", vec![("message", "{}")]),
            ("event: endpoint\r\ndata: /m?s=1\r\n\r\n", vec![("endpoint", "/m?s=1")]),
            ("data: a\rdata:b\r\r", vec![("message", "a\nb")]),
            (": keep alive\n\ndata: x\n\n", vec![("message", "x")]),
            ("\u{feff}data: x\n\n", vec![("message", "x")]),
            ("id: 1\ndata:\n\n", vec![("message", "")]),
            ("data: not ended", vec![]),
            ("data: 123456789012345678901\n\ndata: ok\n\n", vec![("message", ""), ("message", "ok")]),
        ] {
            let want: Vec<(String, String)> = want.iter().map(|(k, d)| ((*k).to_owned(), (*d).to_owned())).collect();
            assert_eq!(read(20, &[stream]), want, "{stream:?}");
        }
    }

    #[test]
    fn ids_and_delays_are_kept() {
        let event = Events::new(100).push(b"id: 7\nretry: 250\ndata: x\n\n").pop().unwrap();
        assert_eq!((event.id.as_deref(), event.retry, event.cut), (Some("7"), Some(250), false));
    }

    proptest! {
        #[test]
        fn how_the_bytes_come_makes_no_difference(text in "(data: |event: |[ab\n\r:]){0,40}", at in 0usize..80) {
            let at = at.min(text.len());
            let (left, right) = text.split_at(at);
            prop_assert_eq!(read(20, &[left, right]), read(20, &[&text]));
        }
    }
}
