//! What was probably meant by a word that is not known.

use crate::prelude::*;

/// A longer word (bytes) is no slip of a known one, and comparing it would take its length times theirs.
const MAX_WORD_BYTES: usize = 64;

/// The known word that is nearest to what was written: a slip of one letter in three at most (of one in a short word), letters that changed places counting once.
pub fn nearest<'k>(written: &str, known: impl IntoIterator<Item = &'k str>) -> Option<&'k str> {
    let plain = |text: &str| text.to_lowercase().replace(['-', '_', ' '], "");
    if written.len() > MAX_WORD_BYTES {
        return None;
    }
    let own = plain(written);
    let distances = known.into_iter().map(|word| (strsim::osa_distance(&own, &plain(word)), word));
    let (distance, word) = distances.min_by_key(|(distance, word)| (*distance, *word))?;
    (!own.is_empty() && distance <= (own.chars().count() / 3).max(1)).then_some(word)
}

/// What to say of a key that is not known where it stands; of a long one its beginning.
pub fn unknown_key(written: &str, known: &[&str]) -> String {
    let meant = nearest(written, known.iter().copied()).map(|meant| format!("; did you mean `{meant}`?"));
    let written = super::head(written, MAX_WORD_BYTES);
    format!("unknown key `{written}`{} expected one of {}", meant.unwrap_or_else(|| ";".to_owned()), known.join(", "))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_nearest_word_is_named_where_one_is_near() {
        let known = ["packages", "sources", "hosts", "scopes", "identity_providers"];
        for (written, want) in [
            ("host", Some("hosts")),
            ("pacakges", Some("packages")),
            ("identity-providers", Some("identity_providers")),
            ("Scopes", Some("scopes")),
            ("servers", None),
            ("loud", None),
            ("", None),
            (&"hosts".repeat(20), None),
        ] {
            assert_eq!(nearest(written, known), want, "{written}");
        }
        assert_eq!(unknown_key("pin", &["tls"]), "unknown key `pin`; expected one of tls");
        assert_eq!(
            unknown_key("pins", &["pin", "tls"]),
            "unknown key `pins`; did you mean `pin`? expected one of pin, tls"
        );
    }
}
