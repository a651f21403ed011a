//! The entries of the fuzzer, with the documents of all cases, mutated.
#![allow(clippy::unwrap_used, clippy::indexing_slicing, reason = "a failing test is what a panic is for")]

use proptest::prelude::*;
use std::path::Path;
use std::sync::LazyLock;
use tsuba_core::fuzz;
use tsuba_core::understand::credential::Lexicon;

static LEXICON: LazyLock<Lexicon> = LazyLock::new(Lexicon::default);

/// The documents of the case files.
static SEEDS: LazyLock<Vec<Vec<u8>>> = LazyLock::new(|| {
    let mut out = Vec::new();
    let mut open = vec![Path::new(env!("CARGO_MANIFEST_DIR")).join("src/rules")];
    while let Some(folder) = open.pop() {
        let mut all: Vec<_> = std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
        all.sort();
        for path in all {
            if path.is_dir() {
                open.push(path);
            } else if path.extension().is_some_and(|ending| ending == "case") {
                let text = std::fs::read_to_string(path).unwrap();
                let parts = text.split("\n--- ").skip(1).filter(|part| !part.starts_with("expect"));
                out.extend(parts.filter_map(|part| part.split_once('\n')).map(|(_, text)| text.as_bytes().to_vec()));
            }
        }
    }
    out
});

/// Without a change, each as what it is and as all else.
#[test]
fn every_document_of_a_case_is_read_as_every_kind() {
    for seed in 0..SEEDS.len() {
        (0..11).for_each(|kind| fuzz::read_any(&mutated(seed, kind, &[])));
    }
}

/// What a fuzzer ended at once.
#[test]
fn what_was_found_before_stays_mended() {
    for (kind, document) in [
        // Signs within a word of a key.
        (0, "{ \"mcpSe/\0\0\0rver`s\": {\n  \"search-console\": {\"co[[[comy\0\0\0\": \"d\"} } }"),
        (0, "{ \"m_cp_ser-vers\": { \"tide\": { \"command\": \"tide\" } } }"),
        // An answer without its status, in what does not say that it is evidence.
        (
            0,
            r#"{"entry": "tide-table", "http": [{"ask": "no-token", "url": "https://tides.example/mcp", "headers": {}}]}"#,
        ),
    ] {
        let bytes: Vec<u8> = [kind].into_iter().chain(document.bytes()).collect();
        fuzz::read_any(&bytes);
        fuzz::study_any(&bytes, &Lexicon::default());
    }
}

/// A change of a document: where, how, with what.
fn mutated(seed: usize, kind: u8, changes: &[(usize, u8, u8)]) -> Vec<u8> {
    let mut bytes = SEEDS[seed % SEEDS.len()].clone();
    for (at, how, byte) in changes {
        let at = at % (bytes.len() + 1);
        match how % 5 {
            0 => bytes.insert(at, *byte),
            1 if at < bytes.len() => bytes[at] = *byte,
            2 if at < bytes.len() => drop(bytes.remove(at)),
            3 => bytes.truncate(at),
            _ => {
                let piece: Vec<u8> = bytes[at..].iter().take(usize::from(*byte)).copied().collect();
                bytes.extend(piece);
            }
        }
    }
    bytes.insert(0, kind);
    bytes
}

fn document() -> impl Strategy<Value = Vec<u8>> {
    let change = (
        any::<usize>(),
        any::<u8>(),
        prop_oneof![any::<u8>(), prop::sample::select(b"\"'\\{}[]:,=$`<>()-#\n\t ".to_vec())],
    );
    (any::<usize>(), 0..11u8, prop::collection::vec(change, 0..8))
        .prop_map(|(seed, kind, changes)| mutated(seed, kind, &changes))
}

proptest! {
    #![proptest_config(ProptestConfig { cases: ProptestConfig::default().cases.max(400), ..ProptestConfig::default() })]

    #[test]
    fn any_document_is_read(bytes in document()) {
        fuzz::read_any(&bytes);
    }

    #[test]
    fn no_judgement_tells_a_secret(bytes in document()) {
        fuzz::study_any(&bytes, &LEXICON);
    }

    #[test]
    fn any_line_is_followed(line in r#"(npx |-y |\$\(|\)|`|'|"|\||&&|;|curl https://a\.example/x|bash -c |password=|ghp_[A-Za-z0-9]{36}|[a-z0-9@/:.-]{1,12}| ){0,40}"#) {
        fuzz::launch_line(&line, &LEXICON);
    }

    #[test]
    fn any_wording_is_read(text in r"(read |the key |do not tell |<b|>|&#1|\u{200b}|[a-zäß]{1,9}| |%72|cmVhZA==|token=[a-z0-9]{12}){0,60}") {
        fuzz::wording_text(&text, &LEXICON);
    }

    #[test]
    fn files_of_ours_are_read(text in r#"(\[decision\.[a-z]{1,5}\]\n|\[\[team\]\]\n|kind = "approved"\n|[a-z_]{1,9} = "[^"\n]{0,12}"\n|-----BEGIN SSH SIGNATURE-----\n|[A-Za-z0-9+/=]{1,40}\n|crew ssh-ed25519 [A-Za-z0-9]{1,60}\n){0,20}"#) {
        fuzz::files_of_ours(&text);
    }

    #[test]
    fn what_is_mended_stays_what_it_was(bytes in document()) {
        fuzz::repair_any(&bytes, &LEXICON);
    }
}
