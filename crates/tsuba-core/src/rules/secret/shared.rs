//! What the rules of this family share.

use crate::prelude::*;
use crate::severity::Confidence;
use crate::understand::Credential;
use crate::understand::credential::{NameSays, Why};

/// What a credential is, in words.
pub(super) fn what(credential: &Credential) -> String {
    let kind = kind(credential);
    let article = if kind.starts_with(['a', 'e', 'i', 'o', 'u', 'A', 'E', 'I', 'O', 'U']) { "an" } else { "a" };
    format!("{article} {kind}")
}

/// The same without an article.
pub(super) fn kind(credential: &Credential) -> String {
    match &credential.why {
        Why::Own(name) => name.to_string(),
        Why::Format(format, _) => {
            let what = format.what;
            what.strip_prefix("a ")
                .or_else(|| what.strip_prefix("an "))
                .or_else(|| what.strip_prefix("the "))
                .unwrap_or(what)
                .to_owned()
        }
        Why::PrivateKey => "private key".to_owned(),
        Why::Password | Why::Name(NameSays::Password) => "password".to_owned(),
        Why::ConnectionKey => "connection string key".to_owned(),
        Why::Name(_) => "secret".to_owned(),
        Why::Random => "generated key".to_owned(),
    }
}

/// How sure the judgement is.
pub(super) fn confidence(credential: &Credential) -> Confidence {
    match credential.why {
        Why::Format(_, Some(false)) => Confidence::Likely,
        Why::Own(_) | Why::Format(..) | Why::PrivateKey | Why::Password | Why::ConnectionKey => Confidence::Certain,
        Why::Name(_) if credential.weak => Confidence::Possible,
        Why::Name(_) => Confidence::Likely,
        Why::Random if credential.weak => Confidence::Possible,
        Why::Random => Confidence::Likely,
    }
}
