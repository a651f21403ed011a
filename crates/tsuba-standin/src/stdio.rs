//! A stand-in on standard streams.

use crate::server::Server;
use crate::weakness::Weakness;
use serde_json::Value;
use std::io::{self, BufRead, Write};
use std::thread;
use std::time::Duration;

/// Answers line by line until the input ends.
///
/// # Errors
/// Where the streams break.
pub fn speak(server: &Server, input: impl BufRead, mut output: impl Write) -> io::Result<()> {
    let (mut client, mut first) = (String::new(), true);
    if server.is(Weakness::Chatty) {
        writeln!(output, "tide-table 2.1.0 is ready")?;
    }
    for line in input.lines() {
        let Ok(message) = serde_json::from_str::<Value>(&line?) else { continue };
        let method = message.get("method").and_then(Value::as_str).unwrap_or_default();
        if core::mem::take(&mut first) && method != "initialize" && server.is(Weakness::DiesOnProbe) {
            return Ok(());
        }
        for answer in server.answer(&message, &mut client) {
            let line = format!("{answer}\n");
            if server.is(Weakness::Drips) {
                for byte in line.bytes() {
                    output.write_all(&[byte])?;
                    output.flush()?;
                    thread::sleep(Duration::from_millis(50));
                }
            } else {
                output.write_all(line.as_bytes())?;
            }
        }
        output.flush()?;
    }
    Ok(())
}
