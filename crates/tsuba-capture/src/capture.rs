//! Asking many servers at once.

use crate::cage::Caged;
use crate::differ::differences;
use crate::evidence::{Difference, Era, Evidence, SCHEMA, Session, Token, Tool, Touched};
use crate::fetch::{Wanted, fetch};
use crate::job::{Job, Options, Target};
use crate::login;
use crate::net::{Client, Reachable, is_loopback};
use crate::peer::{Failure, Http, Launch, Peer, Stdio, Stream, not_started};
use crate::redact::clean;
use crate::session::{ClientProfile, Conversation};
use crate::turns::Turns;
use std::cell::RefCell;
use std::collections::VecDeque;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{RecvTimeoutError, channel};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread;
use std::time::{Duration, Instant};
use url::Url;

/// What this program calls itself to servers.
const AGENT: &str = concat!("tsuba/", env!("CARGO_PKG_VERSION"), " (lists only; asked for by its user)");

/// After a stop, so long is waited for programs to be gone.
const LEAVE: Duration = Duration::from_secs(3);

/// Asks every server, several at a time, and hands over what was captured of each as it comes. Stops soon after `stop` is set: what has
/// been captured by then has been handed over, and no program is left running.
pub fn capture(jobs: Vec<Job>, options: &Options, stop: &Arc<AtomicBool>, mut taken: impl FnMut(Job, Evidence)) {
    let count = jobs.len();
    let waiting = Arc::new(Mutex::new(VecDeque::from(jobs)));
    let turns = Arc::new(Turns::of_this_machine());
    let (done, finished) = channel();
    for _ in 0..options.jobs.clamp(1, count.max(1)) {
        let (waiting, options, stop, done) = (waiting.clone(), options.clone(), stop.clone(), done.clone());
        let turns = turns.clone();
        thread::spawn(move || {
            while !stop.load(Ordering::Relaxed) {
                let next = waiting.lock().unwrap_or_else(PoisonError::into_inner).pop_front();
                let Some(job) = next else { return };
                let evidence = one(&job, &options, &stop, &turns);
                if done.send((job, evidence)).is_err() {
                    return;
                }
            }
        });
    }
    drop(done);
    let mut last = None;
    loop {
        if stop.load(Ordering::Relaxed) && Instant::now() > *last.get_or_insert_with(|| Instant::now() + LEAVE) {
            return;
        }
        match finished.recv_timeout(Duration::from_millis(100)) {
            Ok((job, evidence)) => taken(job, evidence),
            Err(RecvTimeoutError::Timeout) => {}
            // Every worker has gone.
            Err(RecvTimeoutError::Disconnected) => return,
        }
    }
}

/// What is captured of one server.
struct Capturing<'c> {
    options: &'c Options,
    stop: &'c AtomicBool,
    left: usize,
    evidence: Evidence,
    /// Ports of this machine that may be asked.
    loopback: Vec<u16>,
    /// Where a package was fetched to.
    scratch: Option<String>,
}

fn one(job: &Job, options: &Options, stop: &AtomicBool, turns: &Turns) -> Evidence {
    let evidence = Evidence {
        schema: SCHEMA,
        tool: Tool { name: "tsuba", version: env!("CARGO_PKG_VERSION") },
        taken: options.taken.clone(),
        setup: job.setup.clone(),
        entry: job.entry.clone(),
        fingerprint: job.fingerprint.clone(),
        transport: match &job.target {
            Target::Local(_) | Target::Package(..) => "stdio",
            Target::Remote { events: true, .. } => "sse",
            Target::Remote { events: false, .. } => "http",
        },
        url: None,
        command: Vec::new(),
        package: None,
        token: None,
        sessions: Vec::new(),
        differs: Vec::new(),
        varies: Vec::new(),
        http: Vec::new(),
        cage: None,
        troubles: Vec::new(),
    };
    let mut capturing =
        Capturing { options, stop, left: options.bounds.total, evidence, loopback: Vec::new(), scratch: None };
    match &job.target {
        Target::Local(launch) => capturing.local(launch),
        Target::Package(wanted, launch) => capturing.package(wanted, launch, turns),
        Target::Remote { url, events, headers, loopback } => {
            capturing.loopback.clone_from(loopback);
            capturing.remote(url, *events, headers);
        }
    }
    let (mut evidence, scratch) = (capturing.evidence, capturing.scratch);
    match scratch {
        // The folder has another name every time, and the same evidence must read the same.
        Some(folder) => clean(&mut evidence, &job.redact.clone().renaming(folder, "/fetched")),
        None => clean(&mut evidence, &job.redact),
    }
    evidence
}

impl Capturing<'_> {
    fn package(&mut self, wanted: &Wanted, launch: &Launch, turns: &Turns) {
        let Some(turn) = turns.take(self.stop) else {
            self.evidence.troubles.push("stopped".to_owned());
            return;
        };
        let until = Instant::now() + self.options.bounds.fetch;
        let (package, fetched) = fetch(wanted, until, self.stop);
        drop(turn);
        self.evidence.package = Some(package);
        match fetched {
            Ok(fetched) => {
                self.scratch = Some(fetched.folder());
                self.local(&fetched.launch(launch));
            }
            Err(why) => self.evidence.troubles.push(why),
        }
    }

    fn local(&mut self, launch: &Launch) {
        let words = core::iter::once(&launch.program).chain(&launch.args);
        self.evidence.command = words.map(|word| word.to_string_lossy().into_owned()).collect();
        let (options, bound) = (self.options, self.options.bounds.message);
        let cages: RefCell<Vec<Caged>> = RefCell::default();
        // Some programs end when the first message is not the one they expect: each conversation has a program of its own.
        let start = || {
            let peer = match &options.cage {
                None => Stdio::start(launch, bound)?,
                Some(cage) => {
                    let caged = cage.around(launch).map_err(|error| not_started(launch, &error))?;
                    let peer = Stdio::start(&caged.launch, bound)?;
                    cages.borrow_mut().push(caged);
                    peer
                }
            };
            Ok(Box::new(peer) as Box<dyn Peer>)
        };
        let handshake = self.talk(Era::Handshake, ClientProfile::Minimal, start);
        if handshake.is_some() || self.evidence.troubles.is_empty() {
            let stateless = self.talk(Era::Stateless, ClientProfile::Minimal, start);
            self.again(handshake, stateless, start);
        }
        if options.cage.is_some() {
            let mut touched = Touched::default();
            cages.borrow().iter().for_each(|caged| touched.add(caged.touched()));
            self.evidence.cage = Some(touched);
        }
    }

    fn remote(&mut self, url: &Url, events: bool, headers: &[(String, String)]) {
        self.evidence.url = Some(url.to_string());
        let loopback = if is_loopback(url) { self.loopback.to_vec() } else { Vec::new() };
        let reachable = Reachable { private: self.options.private, loopback };
        let client = Client::new(reachable, &self.options.trust, AGENT);
        let bounds = self.options.bounds;
        if !login::ask(&client, url, self.options, &mut self.evidence) {
            return;
        }
        self.evidence.token = self.options.token.as_deref().and_then(Token::read);
        let mut headers = headers.to_vec();
        headers.extend(self.options.token.iter().map(|token| ("Authorization".to_owned(), format!("Bearer {token}"))));
        let http = |era: Era| {
            let (client, url, headers) = (client.clone(), url.clone(), headers.clone());
            move || {
                Ok(Box::new(Http::new(client.clone(), url.clone(), era, headers.clone(), bounds.message))
                    as Box<dyn Peer>)
            }
        };
        let stream = || {
            let until = Instant::now() + bounds.answer;
            Stream::open(client.clone(), url, headers.clone(), bounds.message, until, bounds.session)
                .map(|peer| Box::new(peer) as Box<dyn Peer>)
        };
        if events {
            let own = self.talk(Era::Handshake, ClientProfile::Minimal, stream);
            return self.again(own, None, stream);
        }
        let stateless = self.talk(Era::Stateless, ClientProfile::Minimal, http(Era::Stateless));
        let handshake = self.talk(Era::Handshake, ClientProfile::Minimal, http(Era::Handshake));
        let refused = |session: &Session| ["404", "405", "400", "406"].iter().any(|s| session.ended.ends_with(s));
        if stateless.is_none() && handshake.is_none() && self.evidence.sessions.iter().any(refused) {
            // An address of which no more is known may be one of the older kind.
            let own = self.talk(Era::Handshake, ClientProfile::Minimal, stream);
            return self.again(own, None, stream);
        }
        let era = if stateless.is_some() { Era::Stateless } else { Era::Handshake };
        self.again(handshake, stateless, &http(era));
    }

    /// Holds a conversation; answers its index where it got as far as a list.
    fn talk(
        &mut self,
        era: Era,
        profile: ClientProfile,
        open: impl Fn() -> Result<Box<dyn Peer>, Failure>,
    ) -> Option<usize> {
        if !self.options.eras.contains(&era) {
            return None;
        }
        let mut peer = match open() {
            Ok(peer) => peer,
            Err(failure) => {
                self.evidence.troubles.push(failure.to_string());
                return None;
            }
        };
        let conversation =
            Conversation::new(&mut *peer, &self.options.bounds, self.stop, &mut self.left, (era, profile));
        let session = conversation.run(profile);
        let listed = session.answers.contains_key("tools/list");
        self.evidence.sessions.push(session);
        listed.then_some(self.evidence.sessions.len() - 1)
    }

    /// Asks once more as somebody else and as somebody who can more, and compares.
    fn again(
        &mut self,
        handshake: Option<usize>,
        stateless: Option<usize>,
        open: impl Fn() -> Result<Box<dyn Peer>, Failure> + Copy,
    ) {
        let Some(known) = stateless.or(handshake) else { return };
        let era = self.evidence.sessions.get(known).map_or(Era::Handshake, |session| session.era);
        let others =
            [ClientProfile::Renamed, ClientProfile::FullCapabilities].map(|profile| self.talk(era, profile, open));
        let pairs = others.map(|other| other.map(|other| (known, other)));
        let mut found: Vec<Difference> = Vec::new();
        for (first, second) in core::iter::once(handshake.zip(stateless)).chain(pairs).flatten() {
            found.extend(differences(&self.evidence.sessions, first, second));
        }
        if found.is_empty() {
            return;
        }
        // What is otherwise when the very same is asked again depends on nobody.
        if let Some(again) = self.talk(era, ClientProfile::Repeat, open) {
            self.evidence.varies = differences(&self.evidence.sessions, known, again);
        }
        let varies = |other: &Difference| {
            self.evidence.varies.iter().any(|own| (&own.method, &own.item) == (&other.method, &other.item))
        };
        found.retain(|difference| !varies(difference));
        self.evidence.differs = found;
    }
}
