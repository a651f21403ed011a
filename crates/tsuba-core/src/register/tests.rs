use super::*;
use jiff::civil::date;
use proptest::prelude::*;

fn decision(scope: Scope) -> Decision {
    Decision {
        kind: if matches!(scope, Scope::Finding { .. }) { Kind::Waived } else { Kind::Approved },
        scope,
        team: None,
        by: "ines".into(),
        on: date(2026, 11, 24),
        reason: "reads tides and nothing else".into(),
        until: Some(date(2027, 5, 24)),
        conditions: vec!["pinned".into()],
        launch: Some("ab".into()),
        prints: None,
        place: None,
        history: Vec::new(),
    }
}

fn entry(name: &str) -> Decision {
    decision(Scope::Entry { setup: "a/mcp.json".into(), entry: name.into() })
}

#[test]
fn what_is_written_is_read_again() {
    let scopes = [
        Scope::Entry { setup: "a \"b\"\\c.json".into(), entry: "tide\u{200b}table".into() },
        Scope::Package { source: "npm".into(), package: "@saltmarsh/t".into(), version: Some("1.0.0".into()) },
        Scope::Package { source: "image".into(), package: "saltmarsh/t".into(), version: None },
        Scope::Host { host: "tides.saltmarsh-line.example".into() },
        Scope::Finding { rule: "supply/unpinned".into(), finding: "0123456789abcdef".into() },
    ];
    let mut text = String::new();
    let place = FindingPlace { setup: "a \"b\".json".into(), entry: Some("t".into()), pointer: "/mcpServers/t".into() };
    let mut all: Vec<Decision> = scopes.into_iter().map(decision).collect();
    all[0].prints = Some(Fingerprints {
        server: Some("s".into()),
        items: [("tool get \"tide\"".to_owned(), BTreeSet::from(["x".to_owned(), "y".to_owned()]))].into(),
    });
    all[1].team = Some("Harbour".into());
    let revoked = all[2].revoked("lena".into(), date(2026, 12, 1), "it \"ended\"\nso".into());
    all[2] = revoked.after(&all[2]);
    all[3] = all[3].renewed("omar".into(), date(2026, 12, 1), "again".into(), None).after(&all[2]);
    all[4].place = Some(place);
    for decision in &all {
        text = Register::read(&text).unwrap().with(decision);
    }
    let register = Register::read(&text).unwrap();
    all.sort_by_key(Decision::id);
    assert_eq!(register.decisions, all);
    // In the order of names, so that two branches write into different places.
    let heads: Vec<&str> = text.lines().filter(|l| l.starts_with("[decision.") && !l.ends_with(".listed]")).collect();
    assert!(heads.is_sorted(), "{text}");
}

#[test]
fn what_was_before_is_bounded_signed_and_never_dropped_unsaid() {
    let first = entry("a");
    let many =
        (0..60).fold(first.clone(), |now, n| first.renewed("ines".into(), first.on, n.to_string(), None).after(&now));
    assert_eq!((many.history.len(), many.history[0].reason.as_str()), (MAX_HISTORY, "9"));
    let text = Register::default().with(&many);
    let register = Register::read(&text).unwrap();
    let other = Register::read(&text.replace("reason = \"9\"", "reason = \"other\"")).unwrap();
    assert_ne!(register.canonical(), other.canonical());
    for (from, to) in
        [("by = \"ines\", on", "on"), ("{ kind", "{ more = 1, kind"), ("{ kind = \"approved\"", "{ kind = \"loved\"")]
    {
        let wrong = Register::read(&text.replacen(from, to, 1).replace("kind = \"loved\"\n", "kind = \"approved\"\n"));
        assert!(wrong.is_err_and(|errors| errors[0].why.contains("decided before")), "{from}");
    }
}

#[test]
fn the_order_of_writing_does_not_matter_and_remarks_stay() {
    let all: Vec<Decision> = ["a", "b", "c", "d", "e"].map(entry).into();
    let write =
        |order: &[usize]| order.iter().fold(String::new(), |text, at| Register::read(&text).unwrap().with(&all[*at]));
    let text = write(&[0, 1, 2, 3, 4]);
    assert_eq!(text, write(&[4, 2, 0, 3, 1]));
    let second = text.match_indices("[decision.").nth(1).unwrap().0;
    let remarked =
        format!("{}# as told by the harbour master\n{}# until the new board\n{}", &text[..second], "", &text[second..]);
    let register = Register::read(&remarked).unwrap();
    for decision in &all {
        let changed = Decision { reason: "looked at again".into(), ..decision.clone() };
        let written = register.with(&changed);
        assert!(written.contains("# as told by the harbour master\n# until the new board\n[decision."), "{written}");
        let read = Register::read(&written).unwrap();
        assert_eq!(read.decisions.iter().filter(|d| d.reason == "looked at again").count(), 1);
        // Only the one table has changed.
        assert_eq!(written.lines().filter(|line| !remarked.contains(line)).count(), 1, "{written}");
    }
    let removed: String = remarked.lines().filter(|line| !line.starts_with('#')).map(|l| format!("{l}\n")).collect();
    assert_eq!(Register::read(&removed).unwrap().decisions.len(), 5);
}

#[test]
fn every_mistake_is_told_with_its_line() {
    let good = Register::default().with(&entry("a"));
    let id = entry("a").id();
    for (from, to, line, why) in [
        ("schema = \"tsuba-register/1\"", "schema = \"tsuba-register/9\"", 1, "another version"),
        ("by = \"ines\"", "by = \"\"", 5, "has no by"),
        ("reason = ", "reasons = ", 11, "unknown key `reasons`; did you mean `reason`?"),
        ("on = 2026-11-24", "on = 24", 10, "on is no date"),
        ("\nkind = \"approved\"", "\nkind = \"maybe\"", 5, "approved, refused, waived or revoked"),
        ("kind = \"approved\"", "kind = \"waived\"", 5, "a finding is waived"),
        ("setup = ", "host = \"x\"\nsetup = ", 5, "is one of"),
        (id.as_str(), "0123", 5, "is called"),
        ("[decision", "<<<<<<< ours\n[decision", 5, "not well-formed TOML"),
    ] {
        let errors = Register::read(&good.replacen(from, to, 1)).unwrap_err();
        assert!(errors.iter().any(|error| error.line == line && error.why.contains(why)), "{to}: {errors:?}\n{good}");
    }
    let waiver = decision(Scope::Finding { rule: "supply/unpinned".into(), finding: "01".into() });
    let endless = Register::default().with(&Decision { until: None, ..waiver });
    assert!(Register::read(&endless).unwrap_err()[0].why.contains("a waiver ends"));
    // Several are told at once.
    let two = good.replacen("by = ", "bye = ", 1).replacen("on = 2026", "on = x2026", 1);
    assert!(Register::read(&two).is_err());
}

proptest! {
    #[test]
    fn any_text_survives_a_register(reason in "\\PC{1,40}", name in "[ -~]{1,20}", entry_name in ".{1,12}") {
        prop_assume!(!reason.trim().is_empty() && !name.trim().is_empty() && !entry_name.trim().is_empty());
        let one = Decision { reason: reason.clone(), by: name.clone(), ..entry(&entry_name) };
        let register = Register::read(&Register::default().with(&one)).unwrap();
        prop_assert_eq!(&register.decisions, &vec![one]);
    }
}

#[test]
fn what_is_signed_depends_on_the_decisions_alone() {
    let first = entry("a");
    let text = Register::read("").unwrap().with(&first);
    let signed = |text: &str| Register::read(text).unwrap().canonical();
    let plain = signed(&text);
    // Remarks, white space and the order of keys are not what was decided.
    let shuffled = text.replace("kind = \"approved\"\n", "").replace("by = ", "# by whom\nkind = 'approved'\nby   = ");
    assert_ne!(shuffled, text);
    assert_eq!(signed(&shuffled), plain);
    type Change = (&'static str, fn(&mut Decision));
    let changes: [Change; 8] = [
        ("kind", |d| d.kind = Kind::Refused),
        ("by", |d| d.by = "omar".into()),
        ("on", |d| d.on = date(2026, 11, 25)),
        ("reason", |d| d.reason.push('.')),
        ("until", |d| d.until = None),
        ("conditions", |d| d.conditions.clear()),
        ("launch", |d| d.launch = Some("ac".into())),
        ("prints", |d| d.prints = Some(Fingerprints::default())),
    ];
    for (what, change) in changes {
        let mut other = first.clone();
        change(&mut other);
        assert_ne!(signed(&Register::read("").unwrap().with(&other)), plain, "{what}");
    }
    assert_ne!(signed(&Register::read(&text).unwrap().with(&entry("b"))), plain);
}
