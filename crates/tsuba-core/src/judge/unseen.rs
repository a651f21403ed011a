//! What decides and was not seen: nothing is ready that nobody looked at.

use super::options::Options;
use crate::evidence::{Captured, Listing};
use crate::prelude::*;
use crate::register::ReviewStatus;
use crate::understand::{Analysis, Entry, launch_fingerprint, listing_of};
use jiff::civil::Date;

/// Something that decides on an entry and was not seen.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Unseen {
    /// What it starts could not be followed to its end.
    NotUnderstood,
    /// There is no evidence of what its server lists.
    NotAsked,
    /// Its server was asked and did not answer.
    NoAnswer,
    /// What is known of its server is of another launch, or too old.
    StaleEvidence,
}

impl Unseen {
    /// Its name in the JSON contract.
    pub fn name(self) -> &'static str {
        match self {
            Self::NotUnderstood => "not-understood",
            Self::NotAsked => "not-asked",
            Self::NoAnswer => "no-answer",
            Self::StaleEvidence => "stale-evidence",
        }
    }

    /// In words.
    pub fn describe(self) -> &'static str {
        match self {
            Self::NotUnderstood => "what it starts is not understood",
            Self::NotAsked => "its server was not asked what it offers",
            Self::NoAnswer => "its server did not answer",
            Self::StaleEvidence => "what is known of its server is of another launch, or too old",
        }
    }
}

crate::text::named!(Unseen: NotUnderstood, NotAsked, NoAnswer, StaleEvidence);

/// What was not seen of an entry.
pub(super) fn unseen(
    analyses: &[Analysis],
    (analysis, entry): (&Analysis, &Entry),
    standing: Option<&ReviewStatus>,
    options: &Options,
) -> Vec<Unseen> {
    // Somebody has looked at it, and it is still what was looked at.
    if matches!(standing, Some(ReviewStatus::Approved(_))) {
        return Vec::new();
    }
    let plan = entry.plan.as_ref();
    let lost = plan.is_some_and(|plan| plan.not_understood.is_some()).then_some(Unseen::NotUnderstood);
    lost.into_iter().chain(of_listing(analyses, (analysis, entry), options)).collect()
}

fn of_listing(analyses: &[Analysis], of: (&Analysis, &Entry), options: &Options) -> Option<Unseen> {
    // Whoever writes a repository can write a listing into it: only what was handed over as evidence vouches for a server.
    let Some(listing) = handed_over(analyses, of) else { return Some(Unseen::NotAsked) };
    // A listing that somebody wrote down by hand says neither when nor of what: whoever hands it over answers for it.
    let captured = listing.captured.as_ref()?;
    if !captured.answered {
        return Some(if captured.wants_login { Unseen::NotAsked } else { Unseen::NoAnswer });
    }
    let stale = is_old(captured, options) || is_of_another_launch(captured, of.1);
    stale.then_some(Unseen::StaleEvidence)
}

/// What is known of an entry's server by evidence.
fn handed_over<'s>(analyses: &'s [Analysis], (analysis, entry): (&'s Analysis, &Entry)) -> Option<&'s Listing> {
    let source = match entry.listing {
        Some(_) => analysis,
        None => analyses.get(entry.listed?.analysis)?,
    };
    let listing = analysis.listing_of(entry).or_else(|| listing_of(analyses, entry));
    listing.filter(|_| source.document.facts.evidence)
}

/// Was it taken longer ago than evidence holds? Without a date nobody can say.
fn is_old(captured: &Captured, options: &Options) -> bool {
    let taken = captured.taken.parse::<Date>().ok();
    let days = taken.and_then(|taken| options.today.since(taken).ok()).map(|span| i64::from(span.get_days()));
    days.is_none_or(|days| days > options.policy.evidence_days())
}

/// Was another launch asked than the one that is set up now? What a server says of itself, its name, tells nothing of what is started
/// elsewhere under that name. An entry that is a listing itself has no launch.
fn is_of_another_launch(captured: &Captured, entry: &Entry) -> bool {
    entry.listing.is_none() && captured.print.as_ref() != Some(&launch_fingerprint(entry))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::judge::{Sequential, Verdict, audit};
    use crate::read::Input;
    use crate::understand::credential::Lexicon;
    use crate::understand::{Outcome, analyze};

    const SETUP: &str = r#"{ "mcpServers": { "tides": { "command": "npx", "args": ["@saltmarsh/tides@1.0.0"] } } }"#;

    fn studied(path: &str, text: &str) -> Analysis {
        let input = Input { path: path.into(), bytes: text.into(), ..Input::default() };
        let Outcome::Setup(analysis) = analyze(input, &Lexicon::default()) else { panic!("not a setup: {text}") };
        *analysis
    }

    fn handed_over(path: &str, text: &str) -> Analysis {
        let mut analysis = studied(path, text);
        analysis.document.facts.evidence = true;
        analysis
    }

    fn evidence(taken: &str, print: &str, sessions: &str) -> String {
        format!(
            r#"{{ "schema": "tsuba-evidence/1", "taken": "{taken}", "setup": "s.json", "entry": "tides", "fingerprint": "{print}", "sessions": [{sessions}] }}"#
        )
    }

    #[test]
    fn nothing_is_ready_that_nobody_looked_at() {
        let listed = r#"{ "era": "handshake", "tools/list": [{ "tools": [{ "name": "get_tide", "description": "The tide.", "inputSchema": { "type": "object" }, "annotations": { "readOnlyHint": true } }] }], "ended": "complete" }"#;
        let failed = r#"{ "era": "handshake", "ended": "it ended before it answered" }"#;
        let own = launch_fingerprint(&studied("s.json", SETUP).entries[0]);
        let login = r#""http": [{ "ask": "no-token", "url": "https://tides.example/mcp", "status": 401 }], "sessions""#;
        let broken = r#"{ "mcpServers": { "tides": { "command": "docker", "args": ["run", "-i"] } } }"#;
        for (setup, captured, want) in [
            (SETUP, None, &["not-asked"][..]),
            (SETUP, Some(evidence("2026-11-01", &own, listed)), &[]),
            (SETUP, Some(evidence("2026-11-01", &own, failed)), &["no-answer"]),
            (SETUP, Some(evidence("2026-11-01", &own, failed).replace("\"sessions\"", login)), &["not-asked"]),
            (SETUP, Some(evidence("2026-08-01", &own, listed)), &["stale-evidence"]),
            (SETUP, Some(evidence("once", &own, listed)), &["stale-evidence"]),
            (SETUP, Some(evidence("2026-11-01", "0a", listed)), &["stale-evidence"]),
            (broken, None, &["not-understood", "not-asked"]),
        ] {
            let mut analyses = vec![studied("s.json", setup)];
            analyses.extend(captured.as_ref().map(|text| handed_over("t.json", text)));
            let options = Options::on(jiff::civil::date(2026, 11, 25));
            // The findings are another matter.
            let outcome = audit(analyses, Vec::new(), &[], &options, &Sequential);
            let judgement = &outcome.judgements[0][0];
            let names: Vec<&str> = judgement.unseen.iter().map(|unseen| unseen.name()).collect();
            assert_eq!(names, want, "{captured:?}");
            assert_eq!(judgement.verdict == Verdict::Ready, want.is_empty(), "{captured:?}");
        }
    }

    #[test]
    fn only_what_was_handed_over_vouches_and_only_for_what_it_was_taken_of() {
        let listing = r#"{ "server": "tides", "tools": [{ "name": "get_tide", "description": "The tide.", "inputSchema": { "type": "object" }, "annotations": { "readOnlyHint": true } }] }"#;
        let own = launch_fingerprint(&studied("s.json", SETUP).entries[0]);
        let session = r#"{ "era": "handshake", "tools/list": [{ "tools": [{ "name": "get_tide", "description": "The tide.", "inputSchema": { "type": "object" }, "annotations": { "readOnlyHint": true } }] }], "ended": "complete" }"#;
        let captured = evidence("2026-11-01", &own, session);
        // Another program under the same name, in another setup.
        let namesake = SETUP.replace("@saltmarsh/tides", "@saltmarsh/tides-of-others");
        for (path, setup, other, want) in [
            ("s.json", SETUP, studied("t.json", listing), &["not-asked"][..]),
            ("s.json", SETUP, handed_over("t.json", listing), &[]),
            ("s.json", SETUP, studied("t.json", &captured), &["not-asked"]),
            ("s.json", SETUP, handed_over("t.json", &captured), &[]),
            ("elsewhere/s.json", SETUP, handed_over("t.json", &captured), &[]),
            ("elsewhere/s.json", &namesake, handed_over("t.json", &captured), &["stale-evidence"]),
        ] {
            let message = format!("{path} {setup} {}", other.document.facts.evidence);
            let options = Options::on(jiff::civil::date(2026, 11, 25));
            let outcome = audit(vec![studied(path, setup), other], Vec::new(), &[], &options, &Sequential);
            let names: Vec<&str> = outcome.judgements[0][0].unseen.iter().map(|unseen| unseen.name()).collect();
            assert_eq!(names, want, "{message}");
        }
    }
}
