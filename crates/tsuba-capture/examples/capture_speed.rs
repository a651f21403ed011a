//! How fast servers are captured: `cargo run --release -p tsuba-capture --example capture_speed -- PROGRAM`, where PROGRAM is the built
//! `tsuba`. A hundred remote stand-ins at once, with the peak of memory (theirs is in it, they run in the same process); then one local
//! stand-in, bare and caged, the median of twenty captures each.
#![allow(clippy::print_stdout, clippy::expect_used, reason = "a measuring tool reads the clock, and reports")]

use std::sync::Arc;
use std::sync::atomic::AtomicBool;
use std::time::{Duration, Instant};
use tsuba_capture::cage::Cage;
use tsuba_capture::{Bounds, Era, Job, Launch, Options, Redact, Target, Trust, capture};
use tsuba_standin::{Server, serve};

fn options(cage: Option<Cage>) -> Options {
    Options {
        bounds: Bounds::default(),
        private: false,
        trust: Trust::none(),
        jobs: 16,
        taken: "2026-11-25".to_owned(),
        cage,
        eras: Era::ALL.to_vec(),
        token: None,
    }
}

fn job(entry: String, target: Target) -> Job {
    Job { setup: "setup.json".to_owned(), entry, fingerprint: String::new(), target, redact: Redact::default() }
}

fn captured(jobs: Vec<Job>, options: &Options) -> (Duration, usize) {
    let (started, mut complete) = (Instant::now(), 0);
    capture(jobs, options, &Arc::new(AtomicBool::new(false)), |_, evidence| {
        complete += usize::from(evidence.sessions.iter().any(|session| session.ended == "complete"));
    });
    (started.elapsed(), complete)
}

fn main() {
    let web = serve(vec![Server::default(); 100]).expect("a hundred ports");
    let jobs = web.origins.iter().map(|origin| {
        let url: url::Url = format!("{origin}/mcp").parse().expect("an address");
        job(
            origin.clone(),
            Target::Remote { loopback: url.port().into_iter().collect(), url, events: false, headers: Vec::new() },
        )
    });
    let (took, complete) = captured(jobs.collect(), &options(None));
    let memory = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let peak = memory.lines().find(|line| line.starts_with("VmHWM")).unwrap_or("VmHWM: not known");
    println!("100 remote stand-ins: {:.2} s, {complete} complete, {}", took.as_secs_f64(), peak.replace('\t', " "));
    let Some(program) = std::env::args_os().nth(1) else { return };
    let launch = Launch { program: program.clone(), args: vec!["stand-in".into()], ..Launch::default() };
    let median = |cage: Option<Cage>| {
        let mut all: Vec<Duration> = (0..20)
            .map(|_| {
                let jobs = vec![job("local".to_owned(), Target::Local(launch.clone()))];
                let (took, complete) = captured(jobs, &options(cage.clone()));
                assert_eq!(complete, 1, "the stand-in was captured");
                took
            })
            .collect();
        all.sort();
        // Three conversations, each with a start of its own.
        all.get(10).copied().unwrap_or_default().as_secs_f64() * 1000.0 / 3.0
    };
    let (bare, caged) = (median(None), median(Cage::new(program.as_ref()).ok()));
    println!(
        "a local stand-in, each conversation: bare {bare:.1} ms, caged {caged:.1} ms, {:.1} ms more",
        caged - bare
    );
}
