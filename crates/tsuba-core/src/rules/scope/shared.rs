//! What the rules of this family share.

use crate::judge::{All, Stands};
use crate::understand::credential::{Claims, Why};
use crate::understand::{Handed, Study};

/// Every plaintext credential with where it stands.
pub(super) fn plaintext<'a>(all: &All<'a>) -> impl Iterator<Item = (Stands, &'a Study, &'a Handed)> {
    all.studies.iter().enumerate().flat_map(|(index, study)| {
        let own = study.entries.iter().enumerate().flat_map(move |(e, entry)| {
            entry.handed.iter().map(move |handed| (Stands { study: index, entry: Some(e) }, study, handed))
        });
        own.chain(study.handed.iter().map(move |handed| (Stands { study: index, entry: None }, study, handed)))
            .filter(|(_, _, handed)| handed.is_plaintext())
    })
}

/// Every JSON Web Token with its claims.
pub(super) fn tokens<'a>(all: &All<'a>) -> impl Iterator<Item = (Stands, &'a Handed, Claims)> {
    plaintext(all)
        .filter(|(_, _, h)| matches!(h.why, Why::Format(format, _) if format.id.starts_with("json-web-token")))
        .filter_map(|(stands, _, handed)| Claims::decode(&handed.value.text).map(|claims| (stands, handed, claims)))
}
