//! The wire: bytes in, events out, bytes out. Nothing here touches a socket, a process or a clock.

mod events;
mod lines;
mod message;

pub use events::{Event, Events};
pub use lines::{Line, Lines};
pub use message::{Message, Raw, is_too_deep, messages};

/// Feeds bytes to everything that reads bytes from outside, in pieces of any size, for fuzzing: it must neither panic nor keep more than
/// it was told to.
pub fn fuzz(bytes: &[u8]) {
    const BOUND: usize = 64;
    let (mut lines, mut events) = (Lines::new(BOUND), Events::new(BOUND));
    for piece in bytes.chunks(bytes.first().map_or(1, |first| usize::from(*first).max(1))) {
        for line in lines.push(piece) {
            if let Line::Whole(line) = line {
                assert!(line.len() <= BOUND, "a line over the bound was kept");
                let _ = messages(&line);
            }
        }
        for event in events.push(piece) {
            assert!(event.data.len() <= BOUND, "an event over the bound was kept");
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn any_bytes_are_read_within_bounds(bytes in prop::collection::vec(any::<u8>(), 0..400)) {
            fuzz(&bytes);
        }

        #[test]
        fn what_looks_like_the_protocol_is_read_within_bounds(text in r#"([\n\r]|data: |event: |id: |retry: |\{"id":1\}|[a-z\[\]{},:" ]){0,80}"#) {
            fuzz(text.as_bytes());
        }
    }
}
