//! What the store makes of reports over time.
#![allow(
    clippy::unwrap_used,
    clippy::panic,
    clippy::print_stderr,
    clippy::indexing_slicing,
    clippy::type_complexity,
    reason = "a failing test is what a panic is for, a row of expected values is a type of its own, and what is skipped is said"
)]

#[cfg(feature = "postgres")]
mod server;

use jiff::civil::date;
use serde_json::{Value, json};
use tsuba_core::severity::Severity;
use tsuba_report::Report;
use tsuba_store::{Filter, Forget, Store, StoreError, Wanted};

/// A finding: the entry, the rule, how bad.
type Found<'f> = (&'f str, &'f str, &'f str);

/// A report of a repository on a day: entries with what they run and their verdicts, and findings.
fn report(repository: &str, day: &str, entries: &[(&str, &str, &str)], findings: &[Found<'_>]) -> Report {
    let place = json!({ "line": 3, "column": 1, "end_line": 3, "end_column": 9, "pointer": "/x" });
    let entry = |(name, package, verdict): &(&str, &str, &str)| {
        let (package, version) = package.split_once('=').unwrap_or((package, ""));
        let mut launch = json!({ "wrappers": [], "runner": "npx", "source": "npm", "package": package, "pin": if version.is_empty() { "none" } else { "exact" }, "args": [], "bridge": false });
        if !version.is_empty() {
            launch["version"] = json!(version);
        }
        json!({
            "id": format!("{name:0<16}"), "setup": ".mcp.json", "name": name, "place": place, "transport": "stdio", "launch": launch,
            "credentials": [], "reach": { "folders": [], "hosts": [], "powers": [] }, "asks": "unknown", "disabled": false,
            "verdict": verdict, "because": [], "fingerprint": format!("print-{package}-{version}"),
        })
    };
    let finding = |(entry, rule, severity): &Found<'_>| {
        json!({
            "rule": rule, "severity": severity, "confidence": "certain", "setup": ".mcp.json", "entry": format!("{entry:0<16}"), "place": place,
            "message": format!("{rule} of {entry}"), "excerpt": "…", "marked": [0, 1], "fix": "Mend it.", "references": [],
            "fingerprint": format!("{entry}-{rule}"), "waived": null,
        })
    };
    let verdicts = json!({ "refuse": 0, "fix-first": 0, "unchecked": 0, "ready": 0 });
    let value = json!({
        "schema": "tsuba-report/2", "tool": { "name": "tsuba", "version": "0.1.0" }, "as_of": day, "inputs": ["."],
        "source": { "repository": repository, "host": "quay-01", "account": "ines", "root": "/srv/x", "commit": format!("c-{day}") },
        "setups": [{ "path": ".mcp.json", "kind": "client", "owner": "ines", "team": "Harbour" }],
        "entries": entries.iter().map(entry).collect::<Vec<_>>(),
        "findings": findings.iter().map(finding).collect::<Vec<_>>(),
        "unread": [],
        "summary": { "setups": 1, "entries": entries.len(), "documents": 0, "shown": 0, "unread": 0, "unasked": { "local": 0, "remote": 0 },
            "verdicts": verdicts, "findings": {}, "waived": 0, "known": 0, "undecided": 0, "evidence_of_others": 0 },
    });
    tsuba_report::read(value.to_string().as_bytes()).unwrap_or_else(|why| panic!("{why}: {value:#}"))
}

const LINE: &str = "code.saltmarsh.example/line/desk";

/// A new store: in memory, or on a server where the test is of one.
fn empty() -> Store {
    #[cfg(feature = "postgres")]
    if server::is_meant() {
        return server::empty();
    }
    Store::in_memory().unwrap()
}

fn filled(reports: &[Report]) -> Store {
    let mut store = empty();
    reports.iter().for_each(|report| _ = store.add(report).unwrap());
    store
}

/// Two weeks in which one finding is fixed, one comes, and one server goes.
fn fortnight() -> [Report; 3] {
    [
        report(
            LINE,
            "2026-11-02",
            &[("tide", "tide=1.0.0", "fix-first"), ("crew", "crew", "refuse")],
            &[("tide", "a/one", "high"), ("crew", "a/two", "critical")],
        ),
        report(LINE, "2026-11-09", &[("tide", "tide=1.1.0", "ready")], &[]),
        report(
            LINE,
            "2026-11-16",
            &[("tide", "tide=1.1.0", "fix-first")],
            &[("tide", "a/one", "high"), ("tide", "a/three", "medium")],
        ),
    ]
}

fn events(store: &Store, name: &str) -> Vec<String> {
    let lives = store.lives(name).unwrap();
    lives
        .iter()
        .flat_map(|life| &life.events)
        .map(|event| format!("{} {} {}", event.day, event.what, event.detail))
        .collect()
}

#[test]
fn the_same_report_again_changes_nothing() {
    let reports = fortnight();
    let mut store = filled(&reports);
    let before = (events(&store, "tide"), store.findings(false, &[]).unwrap().len());
    for report in &reports {
        assert!(store.add(report).unwrap().known);
    }
    assert_eq!((events(&store, "tide"), store.findings(false, &[]).unwrap().len()), before);
}

#[test]
fn what_is_fixed_is_closed_and_what_comes_back_is_reopened() {
    let [first, second, third] = fortnight();
    let mut store = empty();
    let added = store.add(&first).unwrap();
    assert_eq!((added.opened, added.closed, added.reopened, added.entries), (2, 0, 0, 2));
    let added = store.add(&second).unwrap();
    assert_eq!((added.opened, added.closed, added.reopened), (0, 2, 0));
    let added = store.add(&third).unwrap();
    assert_eq!((added.opened, added.closed, added.reopened), (1, 0, 1));
    let told = events(&store, "tide");
    assert!(
        told.contains(&"2026-11-09 changed npx tide@1.0.0 [exact] → npx tide@1.1.0 [exact]".to_owned()),
        "{told:#?}"
    );
    assert!(told.contains(&"2026-11-09 verdict fix-first → ready".to_owned()), "{told:#?}");
    assert!(
        told.iter().any(|event| event.starts_with("2026-11-02 opened high a/one: a/one of tide; came back 1 times")),
        "{told:#?}"
    );
    let told = events(&store, "crew");
    assert!(told.contains(&"2026-11-09 gone ".to_owned()), "{told:#?}");
    assert!(told.contains(&"2026-11-09 closed a/two in c-2026-11-09".to_owned()), "{told:#?}");
}

#[test]
fn another_scope_closes_nothing() {
    let mut store = filled(&fortnight()[..1]);
    let other = report("code.saltmarsh.example/line/web", "2026-11-09", &[("quay", "quay=1.0.0", "ready")], &[]);
    assert_eq!(store.add(&other).unwrap().closed, 0);
    assert_eq!(store.findings(true, &[]).unwrap().len(), 2);
}

#[test]
fn reports_may_come_in_any_order() {
    let [first, second, third] = fortnight();
    let one = filled(&[first.clone(), second.clone(), third.clone()]);
    let other = filled(&[third, first, second]);
    let rows = |store: &Store| -> Vec<Value> {
        let rows = store.findings(false, &[]).unwrap();
        rows.iter().map(|row| json!([row.fingerprint, row.first_seen, row.last_seen, row.closed.is_some()])).collect()
    };
    assert_eq!(rows(&one), rows(&other));
    let today = date(2026, 11, 23);
    let weeks = |store: &Store| -> Vec<([i64; 4], [i64; 3])> {
        store.trend(4, today, None).unwrap().weeks.iter().map(|week| (week.verdicts, week.open)).collect()
    };
    assert_eq!(weeks(&one), weeks(&other));
    let entries = other.entries(&Filter { gone: true, ..Filter::default() }).unwrap();
    let crew = entries.iter().find(|entry| entry.name == "crew").unwrap();
    assert_eq!(crew.gone.as_deref(), Some("2026-11-09"));
}

#[test]
fn a_week_is_as_its_newest_reports_say() {
    let mut store = filled(&fortnight());
    let other = report(
        "code.saltmarsh.example/line/web",
        "2026-11-04",
        &[("quay", "quay", "unchecked")],
        &[("quay", "a/four", "high")],
    );
    store.add(&other).unwrap();
    let trend = store.trend(4, date(2026, 11, 22), None).unwrap();
    let weeks: Vec<(&str, u32, [i64; 4], [i64; 3], i64, i64)> = trend
        .weeks
        .iter()
        .map(|week| (week.until.as_str(), week.scopes, week.verdicts, week.open, week.opened, week.closed))
        .collect();
    assert_eq!(
        weeks,
        [
            ("2026-11-01", 0, [0; 4], [0; 3], 0, 0),
            ("2026-11-08", 2, [1, 1, 1, 0], [1, 2, 0], 3, 0),
            ("2026-11-15", 2, [0, 0, 1, 1], [0, 1, 0], 0, 1),
            ("2026-11-22", 2, [0, 1, 1, 0], [0, 2, 1], 0, 0),
        ]
    );
    assert_eq!(trend.days_to_fix, Some(7));
    assert_eq!(store.trend(1, date(2026, 11, 22), Some("Ledger")).unwrap().weeks[0].open, [0; 3]);
    assert_eq!(store.trend(1, date(2026, 11, 22), Some("Harbour")).unwrap().weeks[0].open, [0, 2, 1]);
}

#[test]
fn who_uses_something_is_told_with_versions() {
    let store = filled(&fortnight());
    let names = |text: &str, gone: bool| -> Vec<String> {
        let found = store.who_uses(&Wanted::of(text), gone).unwrap();
        found.iter().map(|one| format!("{} {}@{}", one.kind, one.what, one.version)).collect()
    };
    assert_eq!(names("tide", false), ["npm tide@1.1.0", "server tide@"]);
    assert_eq!(names("TIDE@<1.1", false), ["server tide@"]);
    assert_eq!(names("tide@>=1.1", false), ["npm tide@1.1.0", "server tide@"]);
    assert_eq!(names("crew", false), Vec::<String>::new());
    assert_eq!(names("crew@<2", true), ["npm crew@", "server crew@"]);
    assert_eq!(names("tid", false), ["npm tide@1.1.0"]);
    assert_eq!(names("ide", false), ["npm tide@1.1.0", "server tide@"]);
    assert_eq!(names("'; DROP TABLE entry; --", false), Vec::<String>::new());
    assert_eq!(names("", true), Vec::<String>::new());
}

#[test]
fn what_has_been_open_for_long_is_overdue() {
    let store = filled(&fortnight());
    let of = |least, days| {
        store
            .overdue(least, days, date(2026, 12, 2))
            .unwrap()
            .iter()
            .map(|one| (one.rule.clone(), one.days))
            .collect::<Vec<_>>()
    };
    assert_eq!(of(Severity::High, 30), [("a/one".to_owned(), 30)]);
    assert_eq!(of(Severity::High, 31), []);
    assert_eq!(of(Severity::Low, 0), [("a/one".to_owned(), 30), ("a/three".to_owned(), 16)]);
}

#[test]
fn what_is_forgotten_is_gone_and_the_newest_stays() {
    let mut store = filled(&fortnight());
    assert_eq!(store.forget(&Forget::Before(date(2026, 12, 1))).unwrap(), 2);
    assert_eq!(store.entries(&Filter::default()).unwrap().len(), 1);
    assert_eq!(store.findings(true, &[]).unwrap().len(), 2);
    assert_eq!(store.findings(false, &[]).unwrap().len(), 2, "what was closed is gone");
    assert_eq!(store.forget(&Forget::Host("other".to_owned())).unwrap(), 0);
    assert_eq!(store.forget(&Forget::Repository(LINE.to_owned())).unwrap(), 1);
    assert!(store.is_empty().unwrap() && store.findings(false, &[]).unwrap().is_empty());
}

#[test]
fn a_report_that_cannot_say_what_is_there_is_refused() {
    let mut store = Store::in_memory().unwrap();
    let [first, ..] = fortnight();
    let filtered = first.clone().of_rules(&["secret/plaintext".to_owned()]);
    assert!(matches!(store.add(&filtered), Err(StoreError::Filtered)));
    assert!(matches!(store.add(&first.clone().unjudged()), Err(StoreError::Unjudged)));
    let mut odd = first;
    odd.as_of = "yesterday".to_owned();
    assert!(matches!(store.add(&odd), Err(StoreError::Date(_))));
    assert!(store.is_empty().unwrap());
}

#[test]
fn a_file_of_something_else_is_left_as_it_is() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("x.db");
    std::fs::write(&path, b"no database at all, but long enough to be looked at as one").unwrap();
    assert!(matches!(Store::create(&path), Err(StoreError::Database(_))));
    std::fs::remove_file(&path).unwrap();
    let other = rusqlite::Connection::open(&path).unwrap();
    other.execute_batch("CREATE TABLE theirs (x)").unwrap();
    drop(other);
    assert!(matches!(Store::create(&path), Err(StoreError::Foreign)));
    std::fs::remove_file(&path).unwrap();
    drop(Store::create(&path).unwrap());
    // One of ours into which somebody has put something that runs.
    let theirs = rusqlite::Connection::open(&path).unwrap();
    theirs.execute_batch("CREATE TRIGGER x AFTER INSERT ON report BEGIN DELETE FROM finding; END").unwrap();
    drop(theirs);
    assert!(matches!(Store::open(&path), Err(StoreError::Foreign)));
    let newer = rusqlite::Connection::open(&path).unwrap();
    newer.pragma_update(None, "user_version", 99).unwrap();
    drop(newer);
    assert!(matches!(Store::open(&path), Err(StoreError::Newer(99, _))));
}

/// A report whose entries stand by decisions: the entry, the decision, the standing.
fn decided(repository: &str, day: &str, entries: &[(&str, &str, &str)], by: &[(&str, &str, &str)]) -> Report {
    let mut value = serde_json::to_value(report(repository, day, entries, &[])).unwrap();
    for entry in value["entries"].as_array_mut().unwrap() {
        if let Some((_, id, standing)) = by.iter().find(|(name, ..)| entry["name"] == *name) {
            entry["decision"] = json!({ "standing": standing, "id": id, "by": "ines", "on": "2026-10-01", "until": "2026-12-24",
                "reason": "tides", "conditions": ["read only"] });
        }
    }
    tsuba_report::read(value.to_string().as_bytes()).unwrap()
}

#[test]
fn a_decision_is_told_with_what_it_holds_for_and_where_it_would_hold_too() {
    let tide = ("tide", "@saltmarsh/tide=1.0.0", "ready");
    let other = ("tide", "@saltmarsh/tide=2.0.0", "unchecked");
    let berth = ("berth", "@saltmarsh/berth=1.0.0", "ready");
    let store = filled(&[
        decided(
            &format!("{LINE}1"),
            "2026-11-02",
            &[tide, berth],
            &[("tide", "d-1", "approved"), ("berth", "d-2", "approved")],
        ),
        // The same register, and an entry that has changed.
        decided(
            &format!("{LINE}2"),
            "2026-11-02",
            &[tide, berth],
            &[("tide", "d-1", "approved"), ("berth", "d-2", "changed")],
        ),
        decided(&format!("{LINE}3"), "2026-11-02", &[tide], &[]),
        decided(&format!("{LINE}4"), "2026-11-02", &[other], &[]),
    ]);
    let all = store.decisions(None, date(2026, 11, 20)).unwrap();
    let told: Vec<(&str, &str, usize, usize, Vec<&str>)> = all
        .iter()
        .map(|line| {
            let elsewhere = line.elsewhere.iter().map(|one| one.scope.as_str()).collect();
            (line.id.as_str(), line.standing.as_str(), line.scopes.len(), line.lapsed, elsewhere)
        })
        .collect();
    let third = format!("{LINE}3");
    assert_eq!(told, [("d-2", "changed", 2, 1, vec![]), ("d-1", "approved", 2, 0, vec![third.as_str()])]);
    assert_eq!(
        (all[1].by.as_str(), all[1].until.as_deref(), all[1].conditions.as_str()),
        ("ines", Some("2026-12-24"), "read only")
    );
    assert!(store.decisions(Some("2026-12-01"), date(2026, 11, 20)).unwrap().is_empty());
    assert_eq!(store.decisions(Some("2026-12-24"), date(2026, 11, 20)).unwrap().len(), 2);
}

#[test]
fn a_decision_that_nothing_stands_by_any_more_is_none() {
    let tide = ("tide", "@saltmarsh/tide=1.0.0", "ready");
    let store = filled(&[
        decided(LINE, "2026-11-02", &[tide], &[("tide", "d-1", "approved")]),
        decided(LINE, "2026-11-09", &[tide], &[]),
        // An earlier report that comes late changes nothing of it.
        decided(LINE, "2026-11-05", &[tide], &[("tide", "d-1", "approved")]),
    ]);
    assert!(store.decisions(None, date(2026, 11, 20)).unwrap().is_empty());
}

#[test]
fn many_make_one_store_at_once() {
    let dir = tempfile::tempdir().unwrap();
    for round in 0..40 {
        let path = dir.path().join(format!("{round}.db"));
        let together = std::sync::Barrier::new(8);
        std::thread::scope(|scope| {
            for writer in 0..8 {
                let (path, together) = (&path, &together);
                let report = report(&format!("{LINE}{writer}"), "2026-11-02", &[("tide", "tide=1.0.0", "ready")], &[]);
                scope.spawn(move || {
                    together.wait();
                    let mut store = Store::create(path).unwrap_or_else(|why| panic!("round {round}: {why}"));
                    store.add(&report).unwrap_or_else(|why| panic!("round {round}: {why}"));
                });
            }
        });
    }
}
