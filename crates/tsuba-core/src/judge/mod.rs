//! judge: from understood entries to findings and a verdict for each entry.
//!
//! A rule only says "here, and these words vary". Everything else happens once, in this stage: severity from circumstances,
//! masking, messages, excerpts, fingerprints, order, verdicts.

mod audit;
mod cluster;
mod connect;
mod counting;
mod elsewhere;
mod excerpt;
mod finding;
mod fix;
mod options;
mod permitted;
mod readings;
mod rule;
mod spread;
mod unseen;
mod verdict;
mod ways;
mod weight;

pub use audit::{Audit, UnreadFile, audit, pattern_redactor};
pub use excerpt::{Excerpt, masked};
pub use finding::{Finding, secret_spans};
pub use fix::{Fix, Prompt, rewritten};
pub use options::Options;
pub use rule::{All, Check, Client, Entries, EntryRef, Hit, Listings, OAuth, Out, Rule, Shown};
pub use spread::{Parallel, Sequential};
pub use unseen::Unseen;
pub use verdict::{Judgement, Verdict};
pub use ways::{Decides, Ways};
pub use weight::Circumstance;
