//! Tables of values whose shape settles the question.

use super::shape::*;
use super::words::Words;

#[test]
fn technical_values_are_no_secrets_whatever_their_name() {
    for value in [
        "true",
        "4096",
        "0.7",
        "/run/secrets/token",
        "./key.pem",
        "~/.config/tide",
        "C:\\keys\\tide.pem",
        "key.json",
        "7c9e6679-7425-40de-944b-e07fc1f90ae7",
        "sha256:9f86d081884c7d65",
        "sha512-z4PhNX7vuL3xVChQ1m2AB9Yg5AULVxXc",
        "crew@saltmarsh-line.example",
        "1.2.3",
        "v2026.11.24-rc1",
        "^1.2.0",
        "*/5 * * * MON-FRI",
        "0 3 * * 1-5",
        "2026-11-24",
        "2026-11-24T10:00:00Z",
        "db.saltmarsh-line.example",
        "localhost:5432",
        "10.0.0.8:80",
        "en_GB",
        "de-DE.UTF-8",
        "arn:aws:kms:eu-west-2:123456789012:key/7c9e6679",
        "projects/421907/secrets/harbour/versions/3",
    ] {
        assert!(is_no_secret(value), "{value}");
    }
    for value in [
        "q8ZkXv2LmPw0TyRbN4sJ7dHf",
        "Winter-Ferry-88",
        "hunter2",
        "/q8Zk+Xv2LmPw0TyRbN4sJ7dHfC1gAeUoI6t9BA=",
        "7c9e6679f1a04b8c9d2e5a7b3c1d0e4f",
        "en_GBq8ZkXv2Lm",
        "abc.q8ZkXv2LmPw0TyRbN4sJ",
        "tide@Harbour1",
        "2026Harbour!",
        "projects",
        "arn:x",
    ] {
        assert!(!is_no_secret(value), "{value}");
    }
}

#[test]
fn names_of_stored_things_are_told_from_the_things() {
    let words = Words::new();
    for (value, want) in [
        ("prod/ledger/database", true),
        ("harbour/mail/password", true),
        ("q8zkxv2l/mpw0tyrb", false),
        ("harbour", false),
        ("Prod/Ledger", false),
    ] {
        assert_eq!(is_identifier_path(value, &words), want, "{value}");
    }
}

#[test]
fn logins_of_the_basic_scheme_are_decoded() {
    for (encoded, want) in [
        ("Y3JldzpXaW50ZXI=", Some("crew:Winter")),
        ("Y3JldzpXaW50ZXI", Some("crew:Winter")),
        ("Y3Jldw==", None),
        ("not base64 at all", None),
        ("/////w==", None),
    ] {
        assert_eq!(basic_login(encoded).as_deref(), want, "{encoded}");
    }
}

#[test]
fn hexadecimal_keeps_to_one_case() {
    for (value, want) in [("0123abcdef", true), ("0123ABCDEF", true), ("0123abcDEF", false), ("0123abcdeg", false)] {
        assert_eq!(is_hex(value), want, "{value}");
    }
}

#[test]
fn well_known_logins_and_addresses_are_known() {
    assert!(["postgres", "Admin", "changeit", "123456"].iter().all(|v| is_trivial(v)));
    assert!(!["Winter-Ferry-88", "harbour", ""].iter().any(|v| is_trivial(v)));
    for (value, want) in
        [("https://x.example", true), ("jdbc:postgresql://x", true), ("x", false), ("://x", false), ("a b://x", false)]
    {
        assert_eq!(is_address(value), want, "{value}");
    }
    assert_eq!(head("grün", 3), "gr", "no character is cut in two");
}
