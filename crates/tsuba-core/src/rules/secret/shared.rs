//! What the rules of this family share.

use crate::prelude::*;
use crate::severity::Confidence;
use crate::understand::Handed;
use crate::understand::credential::{NameSays, Why};

/// What a credential is, in words.
pub(super) fn what(handed: &Handed) -> String {
    match &handed.why {
        Why::Own(name) => name.to_string(),
        Why::Format(format, _) => format.what.to_owned(),
        Why::PrivateKey => "a private key".to_owned(),
        Why::Password | Why::Name(NameSays::Password) => "a password".to_owned(),
        Why::ConnectionKey => "the key of a connection string".to_owned(),
        Why::Name(_) => "a secret".to_owned(),
        Why::Random => "a generated key".to_owned(),
    }
}

/// How sure the judgement is.
pub(super) fn confidence(handed: &Handed) -> Confidence {
    match handed.why {
        Why::Format(_, Some(false)) => Confidence::Likely,
        Why::Own(_) | Why::Format(..) | Why::PrivateKey | Why::Password | Why::ConnectionKey => Confidence::Certain,
        Why::Name(_) if handed.weak => Confidence::Possible,
        Why::Name(_) => Confidence::Likely,
        Why::Random if handed.weak => Confidence::Possible,
        Why::Random => Confidence::Likely,
    }
}
