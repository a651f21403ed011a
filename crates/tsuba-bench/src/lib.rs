//! A made-up company to measure on: repositories and homes full of what real ones are full of, and in it setups with the mistakes that people
//! make. The same seed gives the same company, byte for byte.
//!
//! What a measurement must not be kind to is all here: program text that is skipped by name, lockfiles and exports that hold three letters of
//! every word by chance, look-alikes that are read and come to nothing, setups of every notation, secrets, missing versions, dotenv files,
//! compose files, listings and papers of servers, texts for people with snippets in them.

mod listing;
mod setup;
mod words;

use fastrand::Rng;
use words::Words;

/// How large a company is.
#[derive(Clone, Copy, Debug)]
pub struct Size {
    /// All files.
    pub files: usize,
    /// Of them setups: each has some entries, and something beside it.
    pub setups: usize,
}

/// A kind of ordinary file: its ending, its share among a hundred, the bytes it mostly has.
const ORDINARY: &[(&str, usize, usize)] = &[
    ("rs", 14, 6_000),
    ("ts", 16, 7_000),
    ("py", 13, 6_000),
    ("css", 4, 9_000),
    ("sql", 3, 4_000),
    ("svg", 3, 3_000),
    ("png", 5, 40_000),
    ("md", 9, 4_000),
    ("txt", 3, 2_500),
    ("yaml", 7, 1_500),
    ("toml", 3, 900),
    ("json", 14, 2_500),
    ("lock.json", 1, 400_000),
    ("export.json", 1, 900_000),
    ("csv", 2, 20_000),
    ("", 2, 1_200),
];

/// Makes a company, file by file: each with its path from the company's root.
pub fn company(size: Size, seed: u64, mut file: impl FnMut(&str, &[u8])) {
    let mut rng = Rng::with_seed(seed);
    let every = size.files.div_ceil(size.setups.max(1)).max(1);
    let mut number = 0;
    while number < size.files {
        let folder = folder(&mut rng, number);
        if number.is_multiple_of(every) {
            for (name, text) in setup::with_surroundings(&mut rng, number / every) {
                file(&format!("{folder}/{name}"), text.as_bytes());
                number += 1;
            }
            continue;
        }
        let (ending, bytes) = ordinary(&mut rng);
        let dot = if ending.is_empty() { "" } else { "." };
        let name = format!("{folder}/{}-{number}{dot}{ending}", rng.word());
        // Most files are small, a few are many times as large.
        let bytes = bytes * [1, 1, 2, 3, 6].get(rng.usize(0..5)).copied().unwrap_or(1) / 2 + rng.usize(0..200);
        file(&name, &content(&mut rng, ending, bytes));
        number += 1;
    }
}

fn folder(rng: &mut Rng, number: usize) -> String {
    if rng.usize(0..100) < 12 {
        return format!("homes/{}/{}", rng.person(), rng.one(&[".config/tides", "Downloads", ".local/share"]));
    }
    let repository = format!("{}-{}", rng.team(), number / 7 % 60);
    let below = rng.one(&["src", "services/api", "docs", "deploy", "data", ".config", "packages/web/src"]);
    format!("repos/{repository}/{below}")
}

fn ordinary(rng: &mut Rng) -> (&'static str, usize) {
    let mut at = rng.usize(0..100);
    for (ending, share, bytes) in ORDINARY {
        if at < *share {
            return (ending, *bytes);
        }
        at -= share;
    }
    ("rs", 6_000)
}

fn content(rng: &mut Rng, ending: &str, bytes: usize) -> Vec<u8> {
    let mut out = String::with_capacity(bytes + 200);
    match ending {
        "png" => return (0..bytes).map(|_| rng.u8(..)).collect(),
        "lock.json" => {
            out.push_str("{\n  \"lockfileVersion\": 3,\n  \"packages\": {\n");
            while out.len() < bytes {
                let (name, version, hash) = (rng.word(), rng.version(), rng.base64(86));
                out.push_str(&format!("    \"node_modules/{name}-{}\": {{\n      \"version\": \"{version}\",\n      \"resolved\": \"https://registry.saltmarsh-line.example/{name}/-/{name}-{version}.tgz\",\n      \"integrity\": \"sha512-{hash}==\",\n      \"engines\": {{ \"node\": \">=18\" }}\n    }},\n", rng.usize(0..9999)));
            }
            out.push_str("    \"\": {}\n  }\n}\n");
        }
        "export.json" => {
            out.push_str("[\n");
            while out.len() < bytes {
                out.push_str(&format!("  {{ \"id\": \"{}\", \"server\": \"{}\", \"scopeName\": \"{}\", \"note\": \"{}\", \"total\": {} }},\n", rng.hex(16), rng.word(), rng.word(), rng.sentence(9), rng.usize(0..99_999)));
            }
            out.push_str("  {}\n]\n");
        }
        "json" => {
            // What an audit must look at and leave: settings that speak of servers, commands and resources of other kinds.
            let lookalike = rng.usize(0..10);
            out.push_str(match lookalike {
                0 => "{\n  \"servers\": [{ \"url\": \"https://api.saltmarsh-line.example/v1\" }],\n  \"openapi\": \"3.1.0\",\n",
                1 => "{\n  \"compilerOptions\": { \"strict\": true },\n  \"resources\": [\"tides\"],\n",
                2 => "{\n  \"command\": \"build\",\n  \"extensions\": { \"saltmarsh.tides\": true },\n",
                _ => "{\n",
            });
            while out.len() < bytes {
                out.push_str(&format!("  \"{}{}\": \"{}\",\n", rng.word(), rng.usize(0..999), rng.sentence(6)));
            }
            out.push_str("  \"end\": true\n}\n");
        }
        "yaml" | "toml" => {
            let sign = if ending == "yaml" { ": " } else { " = " };
            while out.len() < bytes {
                out.push_str(&format!("{}_{}{sign}\"{}\"\n", rng.word(), rng.usize(0..9999), rng.sentence(5)));
            }
        }
        "csv" => {
            out.push_str("Harbour;Height;At\n");
            while out.len() < bytes {
                out.push_str(&format!("{};{};{}\n", rng.word(), rng.usize(0..900), rng.version()));
            }
        }
        _ => {
            while out.len() < bytes {
                out.push_str(&rng.sentence(12));
                out.push('\n');
            }
        }
    }
    out.into_bytes()
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeMap;

    fn made(seed: u64) -> BTreeMap<String, Vec<u8>> {
        let mut out = BTreeMap::new();
        company(Size { files: 900, setups: 60 }, seed, |path, bytes| {
            out.insert(path.to_owned(), bytes.to_vec());
        });
        out
    }

    #[test]
    fn a_company_is_the_same_each_time_and_another_with_another_seed() {
        let company = made(1);
        assert_eq!(company, made(1));
        assert_ne!(company, made(2));
        assert!((850..1100).contains(&company.len()), "{}", company.len());
    }

    #[test]
    fn it_has_setups_of_every_kind_and_what_lies_beside_them() {
        let company = made(1);
        let count = |end: &str| company.keys().filter(|path| path.ends_with(end)).count();
        for end in [
            ".mcp.json",
            "tides.toml",
            "agents.yaml",
            ".env",
            "compose.yaml",
            "listing.json",
            "README.md",
            "metadata.json",
        ] {
            assert!(count(end) > 2, "{end}: {}", count(end));
        }
    }
}
