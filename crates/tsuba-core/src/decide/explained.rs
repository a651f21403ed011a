//! What the policy says of one entry, line by line: for whoever asks why.

use crate::judge::{Audit, EntryRef};
use crate::policy::{Applied, Line, Policy, Ruling};
use crate::prelude::*;
use crate::severity::Severity;
use crate::text::Clean;

/// One thing that the policy says of an entry. Every text in it may be printed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Explained {
    /// What it is about: a package, a host, a finding.
    pub subject: Clean,
    /// What it says.
    pub effect: Clean,
    /// Does it say anything at all?
    pub says: bool,
    /// Does it speak against the entry?
    pub against: bool,
    /// The line that says so.
    pub line: Option<Line>,
}

impl Policy {
    /// What it says of an entry of an audit that was judged with it.
    pub fn describe(&self, audit: &Audit, entry_ref: EntryRef) -> Vec<Explained> {
        let Some(analysis) = audit.analyses.get(entry_ref.analysis) else { return Vec::new() };
        let Some(entry) = entry_ref.entry.and_then(|entry| analysis.entries.get(entry)) else { return Vec::new() };
        let clean = |text: &str| audit.cleaner.clean(text);
        let mut message = Vec::new();
        let ruled = |message: &mut Vec<Explained>, subject: &str, ruling: Ruling<'_>| {
            let effect = match ruling {
                Ruling::Unsaid => "nothing is said of it",
                Ruling::Allowed(_) => "allowed",
                Ruling::NotAllowed(_) => "not allowed: it is not on the list",
                Ruling::Refused(_) => "refused",
            };
            let (against, line) = (ruling.against().is_some(), ruling.line().cloned());
            let says = line.is_some();
            message.push(Explained { subject: clean(subject), effect: Clean::constant(effect), says, against, line });
        };
        for (_, subject, ruling) in self.origins(entry) {
            ruled(&mut message, &subject, ruling);
        }
        for folder in &entry.reach.folders {
            let ruling = self.folder(analysis.document.facts.team.as_deref(), &folder.path.text);
            ruled(&mut message, &format!("the folder {}", folder.path.text), ruling);
        }
        let oauth_documents = entry
            .listed
            .and_then(|listed| audit.analyses.get(listed.analysis))
            .map(|analysis| &analysis.oauth_documents);
        let issuers = oauth_documents
            .into_iter()
            .flat_map(|oauth_documents| &oauth_documents.resources)
            .flat_map(|resource| &resource.servers);
        for issuer in issuers {
            ruled(
                &mut message,
                &format!("the identity provider {}", issuer.text),
                self.identity_provider(&issuer.text),
            );
        }
        let granted = oauth_documents
            .into_iter()
            .flat_map(|oauth_documents| &oauth_documents.grants)
            .flat_map(|grant| &grant.scopes);
        for scope in granted.collect::<BTreeSet<_>>() {
            ruled(&mut message, &format!("the scope {scope}"), self.scope(scope));
        }
        for finding in audit.findings_for(entry_ref) {
            let path =
                audit.analyses.get(finding.entry_ref.analysis).map(|s| s.document.path.as_str()).unwrap_or_default();
            let weighing = self.severity(
                (&finding.rule.names(), finding.rule.ways.required),
                path,
                finding.severity_without_policy,
            );
            if let Some(line) = weighing.line {
                let effect = if weighing.severity == finding.severity_without_policy {
                    format!("{}, as without the policy", finding.severity_without_policy)
                } else {
                    format!("{} instead of {}", weighing.severity, finding.severity_without_policy)
                };
                message.push(Explained {
                    subject: clean(&format!("the finding {}", finding.rule.id)),
                    effect: clean(&effect),
                    says: true,
                    against: weighing.severity >= Severity::High,
                    line: Some(line.clone()),
                });
            }
        }
        let standing = entry_ref.entry.and_then(|entry| audit.standings.get(entry_ref.analysis)?.get(entry)?.as_ref());
        for (rule, applied) in self.own_rules(&audit.analyses, (analysis, entry), standing) {
            let effect = match &applied {
                Applied::Silent => "has nothing to say".to_owned(),
                Applied::Speaks => format!("{}: {}", rule.severity, rule.says),
                Applied::Failed(why) => format!("cannot be applied: {why}"),
            };
            message.push(Explained {
                subject: clean(&format!("the rule {}", rule.name)),
                effect: clean(&effect),
                says: applied != Applied::Silent,
                against: applied != Applied::Silent,
                line: Some(rule.line.clone()),
            });
        }
        message
    }
}
