//! The same on a server: `TSUBA_POSTGRES` says where one is (`conformance/postgres/start`), else this says that it is skipped.

use super::*;
use std::cell::Cell;
use std::sync::atomic::{AtomicUsize, Ordering::Relaxed};
use tsuba_store::Address;

thread_local! {
    static MEANT: Cell<bool> = const { Cell::new(false) };
}

pub(crate) fn is_meant() -> bool {
    MEANT.get()
}

/// Where the server is, as an owner of databases.
fn server() -> Option<String> {
    let server = std::env::var("TSUBA_POSTGRES").ok();
    if server.is_none() {
        eprintln!("skipped: TSUBA_POSTGRES names no server");
    }
    server
}

/// The address of a new database.
fn database() -> String {
    static COUNT: AtomicUsize = AtomicUsize::new(0);
    let server = server().unwrap();
    let name = format!("store_{}_{}", std::process::id(), COUNT.fetch_add(1, Relaxed));
    admin(&server).batch_execute(&format!("CREATE DATABASE {name}")).unwrap();
    let (front, _) = server.rsplit_once('/').unwrap();
    format!("{front}/{name}")
}

fn admin(address: &str) -> postgres::Client {
    let mut config: postgres::Config = address.parse().unwrap();
    config.password(std::env::var("PGPASSWORD").unwrap_or_default());
    config.connect(postgres::NoTls).unwrap()
}

fn connect(address: &str) -> Result<Store, StoreError> {
    Store::connect(&Address::read(address)?)
}

pub(crate) fn empty() -> Store {
    connect(&database()).unwrap()
}

/// Runs a test with stores on the server.
fn on_a_server(test: fn()) {
    if server().is_some() {
        MEANT.set(true);
        test();
    }
}

macro_rules! likewise {
    ($($name:ident)*) => { $(#[test] fn $name() { on_a_server(super::$name) })* };
}

likewise! {
    the_same_report_again_changes_nothing
    what_is_fixed_is_closed_and_what_comes_back_is_reopened
    another_scope_closes_nothing
    reports_may_come_in_any_order
    a_week_is_as_its_newest_reports_say
    who_uses_something_is_told_with_versions
    what_has_been_open_for_long_is_overdue
    what_is_forgotten_is_gone_and_the_newest_stays
    a_decision_is_told_with_what_it_holds_for_and_where_it_would_hold_too
    a_decision_that_nothing_stands_by_any_more_is_none
}

#[test]
fn many_come_at_once_to_an_empty_database_and_lose_nothing() {
    if server().is_none() {
        return;
    }
    let address = database();
    std::thread::scope(|scope| {
        for n in 0..8 {
            let address = &address;
            scope.spawn(move || {
                let mut store = connect(address).unwrap();
                // Two of them have the same scope, and each has a report that another one has, too.
                for day in ["2026-11-02", "2026-11-09"] {
                    let name = format!("code.saltmarsh.example/line/r{}", n / 2);
                    store
                        .add(&report(&name, day, &[("tide", "tide=1.0.0", "ready")], &[("tide", "a/one", "high")]))
                        .unwrap();
                }
            });
        }
    });
    let store = connect(&address).unwrap();
    assert_eq!((store.scopes().unwrap(), store.findings(true, &[]).unwrap().len()), (4, 4));
    assert!(
        store
            .findings(true, &[])
            .unwrap()
            .iter()
            .all(|finding| finding.reopened == 0 && finding.last_seen == "2026-11-09")
    );
}

#[test]
fn what_is_forgotten_leaves_no_row_behind_though_the_server_checks_none() {
    if server().is_none() {
        return;
    }
    let address = database();
    let mut store = connect(&address).unwrap();
    for report in fortnight() {
        store.add(&report).unwrap();
    }
    let register = include_str!("../../../../demo/saltmarsh/tsuba-register.toml");
    let register = tsuba_core::register::Register::read(register).unwrap();
    store.add_register(LINE, &register).unwrap();
    let mut admin = admin(&address);
    let mut rows = || -> Vec<(String, i64)> {
        let tables =
            admin.query("SELECT tablename FROM pg_tables WHERE schemaname = 'public' ORDER BY 1", &[]).unwrap();
        let names: Vec<String> = tables.iter().map(|row| row.get(0)).filter(|name| name != "tsuba_schema").collect();
        let count = |name: &String| admin.query_one(&format!("SELECT count(*) FROM {name}"), &[]).unwrap().get(0);
        let counts: Vec<i64> = names.iter().map(count).collect();
        names.into_iter().zip(counts).filter(|(_, count)| *count > 0).collect()
    };
    let before = rows();
    for table in ["entry", "event", "finding", "report", "registered", "tally", "used"] {
        assert!(before.iter().any(|(name, _)| name == table), "{table}: {before:?}");
    }
    store.forget(&Forget::Repository(LINE.to_owned())).unwrap();
    assert_eq!(rows(), []);
}

#[test]
fn texts_of_every_kind_come_back_as_they_went_in() {
    if server().is_none() {
        return;
    }
    let texts = ["tab\tand\nline", "back\\slash \\N \\.", "quote ' \" $1 ?2", "Ünïcödé 潮", "%_!"];
    for text in texts {
        let mut on_server = empty();
        let mut in_memory = Store::in_memory().unwrap();
        let report = report(LINE, "2026-11-02", &[(text, "tide", "ready")], &[(text, "a/one", "high")]);
        for store in [&mut on_server, &mut in_memory] {
            store.add(&report).unwrap();
        }
        let names = |store: &Store| {
            let entries = store.entries(&Filter::default()).unwrap();
            let found = store.who_uses(&Wanted::of(text), false).unwrap();
            (
                entries.iter().map(|line| line.name.clone()).collect::<Vec<_>>(),
                found.len(),
                store.findings(true, &[]).unwrap()[0].message.clone(),
            )
        };
        assert_eq!(names(&on_server), names(&in_memory), "{text:?}");
    }
}

#[test]
fn a_database_of_something_else_is_left_as_it_is() {
    if server().is_none() {
        return;
    }
    let address = database();
    admin(&address).batch_execute("CREATE TABLE berth (id INT)").unwrap();
    assert!(matches!(connect(&address), Err(StoreError::Foreign)));
    // In a schema of its own there is room for both.
    admin(&address).batch_execute("CREATE SCHEMA company").unwrap();
    let own = format!("{address}?options=-c%20search_path%3Dcompany");
    connect(&own).unwrap().add(&report(LINE, "2026-11-02", &[("tide", "tide", "ready")], &[])).unwrap();
    assert!(!connect(&own).unwrap().is_empty().unwrap());
    admin(&address).batch_execute("UPDATE company.tsuba_schema SET version = 99").unwrap();
    assert!(matches!(connect(&own), Err(StoreError::Newer(99, _))));
}

#[test]
fn its_certificate_is_checked() {
    let (Some(_), Ok(roots)) = (server(), std::env::var("TSUBA_POSTGRES_ROOTS")) else { return };
    let address = database();
    let with = |more: &str| connect(&format!("{address}?{more}")).map(|_| ()).map_err(|why| why.to_string());
    assert_eq!(with(&format!("sslmode=verify-full&sslrootcert={roots}")), Ok(()));
    // Nobody whom this machine trusts vouches for it, nor anybody for another name.
    assert!(with("sslmode=require").is_err_and(|why| why.contains("certificate")));
    let by_number = address.replace("@localhost", "@127.0.0.1");
    let told =
        connect(&format!("{by_number}?sslmode=require&sslrootcert={roots}")).map(|_| ()).map_err(|why| why.to_string());
    assert!(told.as_ref().is_err_and(|why| why.contains("certificate")), "{told:?}");
}
