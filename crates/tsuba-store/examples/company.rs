//! How fast a store is: makes the reports of a made-up company, adds them, and asks.
//!
//!     cargo run --release -p tsuba-store --example company -- SCOPES ENTRIES WEEKS STORE
//!
//! STORE is a file or, with `--features postgres`, the address of an empty database. Each scope has so many entries and reports on each of so many weeks; now and then something is fixed, changed or new.

#![allow(clippy::print_stdout, reason = "an example tells what it measured")]

use jiff::ToSpan as _;
use jiff::civil::{Date, date};
use serde_json::{Value, json};
use std::error::Error;
use std::path::Path;
use std::time::Instant;
use tsuba_core::severity::Severity;
use tsuba_store::{Filter, Store, Wanted};

fn main() -> Result<(), Box<dyn Error>> {
    let mut args = std::env::args().skip(1);
    let mut number = || args.next().and_then(|arg| arg.parse::<u32>().ok()).ok_or("SCOPES ENTRIES WEEKS STORE");
    let (scopes, entries, weeks) = (number()?, number()?, number()?);
    let place = args.next().ok_or("SCOPES ENTRIES WEEKS STORE")?;
    let mut store = open(&place)?;
    let start = date(2026, 9, 7);
    let (mut reading, mut adding) = (std::time::Duration::ZERO, std::time::Duration::ZERO);
    for week in 0..weeks {
        let day = start.saturating_add(i64::from(week).weeks());
        for scope in 0..scopes {
            let text = report(scope, entries, week, day).to_string();
            let before = Instant::now();
            let report = tsuba_report::read(text.as_bytes()).map_err(|why| why.to_string())?;
            reading += before.elapsed();
            let before = Instant::now();
            store.add(&report)?;
            adding += before.elapsed();
        }
    }
    let all = f64::from(scopes) * f64::from(entries) * f64::from(weeks);
    println!(
        "added {all} entries: {:.0} a second ({:.0} with reading the reports)",
        all / adding.as_secs_f64(),
        all / (adding + reading).as_secs_f64()
    );
    let today = start.saturating_add(i64::from(weeks).weeks());
    for text in ["@saltmarsh/server-17@<1.5", "@saltmarsh/server-4", "tide-3", "secret/plaintext", "rver-17"] {
        let before = Instant::now();
        let found = store.who_uses(&Wanted::of(text), false)?.len();
        println!("where {text}: {found} in {:?}", before.elapsed());
    }
    let before = Instant::now();
    store.trend(12, today, None)?;
    println!("trend: {:?}", before.elapsed());
    let before = Instant::now();
    let found = store.overdue(Severity::High, 30, today)?.len();
    println!("overdue: {found} in {:?}", before.elapsed());
    let before = Instant::now();
    let found = store.entries(&Filter::default())?.len();
    println!("list: {found} in {:?}", before.elapsed());
    if let Ok(facts) = std::fs::metadata(&place) {
        println!("{} MB", facts.len() >> 20);
    }
    Ok(())
}

/// A store in a file, or on a server (`--features postgres`).
fn open(place: &str) -> Result<Store, Box<dyn Error>> {
    #[cfg(feature = "postgres")]
    if tsuba_store::Address::is_one(place) {
        return Ok(Store::connect(&tsuba_store::Address::read(place)?)?);
    }
    Ok(Store::create(Path::new(place))?)
}

/// One of some names, in turn.
fn nth(names: &[&'static str], number: u32) -> &'static str {
    names.iter().cycle().nth(number as usize % names.len().max(1)).copied().unwrap_or_default()
}

/// A report of a scope on a day.
fn report(scope: u32, entries: u32, week: u32, day: Date) -> Value {
    let place = |line: u32| json!({ "line": line, "column": 1, "end_line": line, "end_column": 9, "pointer": format!("/mcpServers/{line}") });
    let id = |entry: u32| format!("{:016x}", u64::from(scope) << 20 | u64::from(entry));
    let rows = (0..entries).map(|entry| {
        // Of a thousand servers, some everywhere, most in a few places; each is brought up to date now and then.
        let server = (scope * 31 + entry * 17) % 1000;
        let version = format!("1.{}.{}", server % 9, (week + entry) / 5);
        json!({
            "id": id(entry), "setup": format!("setup-{}/.mcp.json", entry / 5), "name": format!("tide-{}", server % 50), "place": place(entry),
            "transport": "stdio", "credentials": [], "reach": { "folders": [], "hosts": [], "powers": [] }, "asks": "unknown", "disabled": false,
            "launch": { "wrappers": [], "runner": "npx", "source": "npm", "package": format!("@saltmarsh/server-{server}"), "version": version, "pin": "exact", "args": [], "bridge": false },
            "verdict": nth(&["refuse", "fix-first", "unchecked", "ready"], server), "because": [], "fingerprint": format!("{server}-{version}"),
        })
    });
    let findings = (0..entries * 2).filter(|number| !(number + week).is_multiple_of(11)).map(|number| {
        json!({
            "rule": if number % 2 == 0 { "secret/plaintext" } else { "supply/unpinned" }, "severity": nth(&["critical", "high", "medium"], number),
            "confidence": "certain", "setup": format!("setup-{}/.mcp.json", number / 10), "entry": id(number / 2), "place": place(number),
            "message": "plaintext token in environment variable TIDE_TOKEN", "excerpt": "\"TIDE_TOKEN\": \"…\"", "marked": [0, 1], "fix": "Rotate it and refer to it.",
            "references": [], "fingerprint": format!("{scope:08x}{number:08x}"), "waived": null,
        })
    });
    let setups = (0..entries.div_ceil(5)).map(|setup| json!({ "path": format!("setup-{setup}/.mcp.json"), "kind": "client", "owner": "ines", "team": format!("team-{}", scope % 12) }));
    json!({
        "schema": "tsuba-report/2", "tool": { "name": "tsuba", "version": "0.1.0" }, "as_of": day.to_string(), "inputs": ["."],
        "source": { "repository": format!("code.saltmarsh.example/line/r{scope}"), "host": "quay-01", "commit": format!("{scope:020x}{week:020x}") },
        "setups": setups.collect::<Vec<_>>(), "entries": rows.collect::<Vec<_>>(), "findings": findings.collect::<Vec<_>>(), "unread": [],
        "summary": { "setups": 1, "entries": entries, "documents": 0, "shown": 0, "unread": 0, "unasked": { "local": 0, "remote": 0 },
            "verdicts": { "refuse": 0, "fix-first": 0, "unchecked": 0, "ready": 0 }, "findings": {}, "waived": 0, "known": 0, "undecided": 0, "evidence_of_others": 0 },
    })
}
