//! Captures stand-ins over HTTP: each weakness ends in evidence that says so.
#![allow(
    clippy::unwrap_used,
    clippy::panic,
    clippy::indexing_slicing,
    reason = "a failing test is what a panic is for"
)]

use serde_json::Value;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;
use std::time::{Duration, Instant};
use tsuba_capture::{Bounds, Era, Job, Options, Redact, Target, Trust, capture};
use tsuba_standin::{Kind, Server, Weakness, serve};
use url::Url;

fn options(token: Option<&str>) -> Options {
    let seconds = Duration::from_secs;
    let bounds = Bounds { pages: 5, answer: seconds(2), probe: seconds(1), session: seconds(4), ..Bounds::default() };
    Options {
        bounds,
        private: false,
        trust: Trust::system_and(None).unwrap(),
        jobs: 8,
        cage: None,
        eras: Era::ALL.to_vec(),
        taken: "2026-11-25".to_owned(),
        token: token.map(str::to_owned),
    }
}

/// Captures stand-ins, one for each list of weaknesses; evidence in the order of the lists.
fn captured(weak: &[&[Weakness]], options: &Options) -> Vec<Value> {
    let servers = weak.iter().map(|weak| Server {
        kind: Kind::TideTable,
        weak: weak.iter().copied().collect(),
        ..Server::default()
    });
    let web = serve(servers.collect()).unwrap();
    let jobs = web.origins.iter().enumerate().map(|(index, origin)| Job {
        setup: "setup.json".to_owned(),
        entry: index.to_string(),
        fingerprint: "f".to_owned(),
        target: Target::Remote {
            url: format!("{origin}/mcp").parse().unwrap(),
            events: weak[index].contains(&Weakness::OlderEvents),
            headers: Vec::new(),
            loopback: web.origins.iter().filter_map(|origin| origin.parse::<Url>().unwrap().port()).collect(),
        },
        redact: Redact::default(),
    });
    let mut out: Vec<(usize, Value)> = Vec::new();
    capture(jobs.collect(), options, &Arc::new(AtomicBool::new(false)), |job, evidence| {
        out.push((job.entry.parse().unwrap(), serde_json::to_value(&evidence).unwrap()));
    });
    out.sort_by_key(|(index, _)| *index);
    out.into_iter().map(|(_, evidence)| evidence).collect()
}

fn sessions(evidence: &Value) -> Vec<String> {
    let text = |value: &Value| value.as_str().unwrap_or_default().to_owned();
    let all = evidence["sessions"].as_array().unwrap().iter();
    all.map(|session| format!("{} as {}: {}", text(&session["era"]), text(&session["as"]), text(&session["ended"])))
        .collect()
}

/// The names of the tools that a session lists.
fn tools(evidence: &Value, session: usize) -> Vec<String> {
    let pages = evidence["sessions"][session]["tools/list"].as_array().cloned().unwrap_or_default();
    let tools = pages.iter().flat_map(|page| page["tools"].as_array().cloned().unwrap_or_default());
    tools.map(|tool| tool["name"].as_str().unwrap().to_owned()).collect()
}

fn status(evidence: &Value, ask: &str) -> Option<u64> {
    evidence["http"].as_array().unwrap().iter().find(|answer| answer["ask"] == ask)?["status"].as_u64()
}

#[test]
fn a_sound_server_is_asked_in_both_eras_and_as_another_client() {
    let evidence = &captured(&[&[]], &options(None))[0];
    assert_eq!(
        sessions(evidence),
        [
            "stateless as tsuba: complete",
            "handshake as tsuba: complete",
            "stateless as another client: complete",
            "stateless as a client with more capabilities: complete"
        ]
    );
    for session in 0..4 {
        assert_eq!(tools(evidence, session), ["get_tide", "list_harbours"]);
    }
    assert!(evidence.get("differs").is_none() && evidence.get("troubles").is_none(), "{evidence}");
    assert_eq!(status(evidence, "no-token"), Some(200));
    assert_eq!((status(evidence, "foreign-origin"), status(evidence, "foreign-host")), (Some(403), Some(403)));
}

#[test]
fn what_varies_by_itself_is_not_taken_for_another_face() {
    use Weakness::{TwoFaced, Unsteady};
    let all = captured(&[&[Unsteady], &[Unsteady, TwoFaced], &[TwoFaced]], &options(None));
    let names = |evidence: &Value, list: &str| -> Vec<String> {
        let all = evidence[list].as_array().cloned().unwrap_or_default();
        let mut names: Vec<String> =
            all.iter().map(|item| item["item"].as_str().unwrap_or_default().to_owned()).collect();
        names.dedup();
        names
    };
    for (evidence, varies, differs) in [
        (&all[0], vec!["water_now"], vec![]),
        (&all[1], vec!["water_now"], vec!["tide_extra"]),
        (&all[2], vec![], vec!["tide_extra"]),
    ] {
        assert_eq!(
            (names(evidence, "varies"), names(evidence, "differs")),
            (varies.iter().map(ToString::to_string).collect(), differs.iter().map(ToString::to_string).collect()),
            "{evidence}"
        );
    }
}

#[test]
fn each_era_and_transport_is_found_out() {
    use Weakness::*;
    let all = captured(&[&[HandshakeOnly], &[StatelessOnly], &[OlderEvents, HandshakeOnly]], &options(None));
    for (evidence, era) in all.iter().zip(["handshake", "stateless", "handshake"]) {
        let complete: Vec<String> = sessions(evidence).into_iter().filter(|s| s.ends_with("complete")).collect();
        let profiles = ["tsuba", "another client", "a client with more capabilities"];
        assert_eq!(complete, profiles.map(|profile| format!("{era} as {profile}: complete")));
    }
}

#[test]
fn hostile_servers_end_in_evidence_and_soon() {
    use Weakness::*;
    let started = Instant::now();
    let weak: [&[Weakness]; 6] =
        [&[PagesForever], &[Floods], &[Silent], &[WrongIds], &[Asks, HandshakeOnly], &[LeadsAway]];
    let all = captured(&weak, &options(None));
    assert!(started.elapsed() < Duration::from_secs(25), "{:?}", started.elapsed());
    let (pages, floods, silent, ids, asks, away) = (&all[0], &all[1], &all[2], &all[3], &all[4], &all[5]);
    assert_eq!(pages["sessions"][0]["troubles"][0], "tools/list: more than 5 pages, the rest was left there");
    assert!(sessions(floods)[0].ends_with("too many messages that nobody asked for"), "{:?}", sessions(floods));
    assert!(sessions(silent)[0].ends_with("no answer in time"), "{:?}", sessions(silent));
    assert!(ids["sessions"][0]["troubles"][0].as_str().unwrap().contains("not asked (id \"another\")"), "{ids}");
    assert_eq!(asks["sessions"][1]["asked"][0]["method"], "sampling/createMessage");
    assert_eq!(tools(asks, 1), ["get_tide", "list_harbours"]);
    // Where it leads is kept, and not followed.
    assert_eq!(status(away, "no-token"), Some(307));
    assert!(sessions(away).iter().all(|session| !session.ends_with("complete")), "{:?}", sessions(away));
}

#[test]
fn a_stream_that_breaks_off_is_taken_up_again() {
    use Weakness::*;
    let all = captured(&[&[BreaksOff, HandshakeOnly], &[BreaksOff, StatelessOnly]], &options(None));
    assert_eq!(tools(&all[0], 1), ["get_tide", "list_harbours"], "{:?}", sessions(&all[0]));
    // The newer era has no streams to be taken up.
    assert!(sessions(&all[1])[0].ends_with("the stream without an answer"), "{:?}", sessions(&all[1]));
}

#[test]
fn a_server_with_two_faces_is_seen_through() {
    let evidence = &captured(&[&[Weakness::TwoFaced]], &options(None))[0];
    assert_eq!(tools(evidence, 0), ["get_tide", "list_harbours"]);
    assert_eq!(evidence["differs"][0]["item"], "tide_extra");
    assert_eq!(evidence["differs"][0]["what"], "only in the second");
}

#[test]
fn what_is_over_the_bound_is_not_kept() {
    let options = Options { bounds: Bounds { message: 100_000, ..options(None).bounds }, ..options(None) };
    let evidence = &captured(&[&[Weakness::Huge]], &options)[0];
    assert!(sessions(evidence)[0].contains("a message over the bound"), "{:?}", sessions(evidence));
    assert!(evidence.to_string().len() < 100_000);
}

#[test]
fn a_server_that_wants_a_login_is_asked_about_it_and_nothing_is_registered() {
    use Weakness::*;
    let weak: [&[Weakness]; 5] = [
        &[WantsToken],
        &[WantsToken, NoMetadata],
        &[WantsToken, NoChallenge],
        &[WantsToken, OpenRegistration],
        &[WantsToken, WrongResource],
    ];
    let all = captured(&weak, &options(None));
    for evidence in &all {
        assert_eq!((status(evidence, "no-token"), status(evidence, "wrong-token")), (Some(401), Some(401)));
        assert!(sessions(evidence).iter().all(|session| session.ends_with("refused with status 401")));
    }
    let found = |evidence: &Value, ask: &str| {
        let all = evidence["http"].as_array().unwrap().iter();
        all.filter(|answer| answer["ask"] == ask && answer["body"].is_object()).count()
    };
    assert_eq!(
        (found(&all[0], "resource-metadata"), found(&all[0], "server-metadata"), found(&all[0], "keys")),
        (1, 1, 1)
    );
    assert_eq!(found(&all[1], "resource-metadata"), 0);
    assert_eq!(found(&all[2], "resource-metadata"), 1, "the well-known place is asked where no challenge points to it");
    assert_eq!((status(&all[0], "registration"), status(&all[3], "registration")), (Some(401), Some(400)));
}

#[test]
fn with_a_token_the_tools_are_listed_and_the_token_is_not_kept() {
    use Weakness::{WantsToken, WrongIssuer};
    let all = captured(&[&[WantsToken], &[WantsToken, WrongIssuer]], &options(Some("made-up-token-of-the-stand-in")));
    let asked = |evidence: &Value| {
        let all = evidence["http"].as_array().unwrap().iter();
        all.filter(|answer| answer["ask"] == "introspection").map(|a| a["body"]["scope"].clone()).collect::<Vec<_>>()
    };
    assert_eq!(tools(&all[0], 0), ["get_tide", "list_harbours"]);
    assert_eq!(asked(&all[0]), ["tides.read"]);
    assert!(asked(&all[1]).is_empty(), "nobody is asked about the token who is not the issuer that the server named");
    assert!(all.iter().all(|evidence| !evidence.to_string().contains("made-up-token-of-the-stand-in")));
    // Without a token there is nothing to be asked about.
    assert!(asked(&captured(&[&[WantsToken]], &options(None))[0]).is_empty());
}

#[test]
fn how_a_login_is_refused_is_kept_and_nothing_inside_is_asked() {
    use Weakness::{
        BadChallenge, ChallengeInside, EventsElsewhere, LoginPage, NoIssuers, OlderEvents, PageForMetadata,
        ReflectsOrigin, RefusesWith200, SilentIssuer, WantsToken,
    };
    let all = captured(
        &[
            &[WantsToken, BadChallenge],
            &[WantsToken, LoginPage],
            &[WantsToken, RefusesWith200],
            &[WantsToken, ChallengeInside],
            &[WantsToken, PageForMetadata],
            &[WantsToken, NoIssuers],
            &[WantsToken, SilentIssuer],
            &[ReflectsOrigin],
            &[OlderEvents, EventsElsewhere],
            &[OlderEvents],
            &[],
        ],
        &options(None),
    );
    let answer = |index: usize, ask: &str| {
        all[index]["http"].as_array().unwrap().iter().find(|answer| answer["ask"] == ask).cloned().unwrap_or_default()
    };
    assert!(answer(0, "no-token")["headers"]["www-authenticate"].as_str().unwrap().ends_with("never closed"));
    assert_eq!(
        (answer(1, "no-token")["status"].as_u64(), answer(1, "no-token")["headers"]["location"].as_str()),
        (Some(302), Some("/login?next=/mcp"))
    );
    assert_eq!(answer(2, "no-token")["answered"], "refusal");
    assert!(
        all[3]["http"].as_array().unwrap().iter().all(|answer| !answer["url"].as_str().unwrap().contains("169.254"))
    );
    assert!(answer(4, "resource-metadata")["headers"]["content-type"].as_str().unwrap().starts_with("text/html"));
    assert_eq!(answer(5, "resource-metadata")["body"]["authorization_servers"], serde_json::json!([]));
    assert!(answer(6, "server-metadata")["failed"].is_string());
    assert_eq!(answer(7, "foreign-origin")["headers"]["access-control-allow-origin"], "https://foreign.example");
    assert_eq!(answer(8, "get")["endpoint"], "http://169.254.169.254/messages");
    assert!(answer(9, "get")["endpoint"].as_str().unwrap().ends_with("/messages"));
    assert_eq!(answer(10, "no-token")["answered"], "result");
}

/// The rules that fire on evidence.
fn rules(evidence: &Value) -> Vec<&'static str> {
    use tsuba_core::judge::{Options, Sequential, audit};
    use tsuba_core::understand::{Outcome, analyze, credential::Lexicon};
    let input = tsuba_core::read::Input {
        path: "evidence.json".into(),
        bytes: evidence.to_string().into_bytes(),
        facts: tsuba_core::read::Facts { evidence: true, ..Default::default() },
    };
    let Outcome::Setup(analysis) = analyze(input, &Lexicon::default()) else { panic!("no evidence: {evidence}") };
    let options = Options::on(jiff::civil::date(2026, 11, 25));
    let outcome = audit(vec![*analysis], Vec::new(), &tsuba_core::rules::all(), &options, &Sequential);
    outcome.findings.iter().map(|finding| finding.rule.id).collect()
}

#[test]
fn each_weakness_of_a_login_is_found_in_its_evidence_and_nothing_in_that_of_a_sound_one() {
    use Weakness::*;
    let table: &[(&[Weakness], &str)] = &[
        (&[WantsToken, NoChallenge], "oauth/bad-challenge"),
        (&[WantsToken, BadChallenge], "oauth/bad-challenge"),
        (&[WantsToken, LoginPage], "oauth/bad-challenge"),
        (&[WantsToken, RefusesWith200], "oauth/bad-challenge"),
        (&[WantsToken, ChallengeInside], "exposure/internal-target"),
        (&[WantsToken, PageForMetadata], "oauth/no-resource-metadata"),
        (&[WantsToken, NoMetadata], "oauth/no-resource-metadata"),
        (&[WantsToken, NoIssuers], "oauth/no-resource-metadata"),
        (&[WantsToken, SilentIssuer], "oauth/no-server-metadata"),
        (&[WantsToken, WrongResource], "oauth/resource-mismatch"),
        (&[WantsToken, WrongIssuer], "oauth/issuer-mismatch"),
        (&[WantsToken, TokenInQuery], "oauth/token-in-query"),
        (&[WantsToken, BroadScopes], "oauth/broad-scopes"),
        (&[WantsToken, PlainPkce], "oauth/plain-pkce"),
        (&[WantsToken, Implicit], "oauth/implicit-grant"),
        (&[WantsToken, OpenRegistration], "oauth/open-registration"),
        (&[WantsToken, ShortKey], "oauth/weak-keys"),
        (&[WantsToken, AnyToken], "oauth/unchecked-token"),
        (&[ReflectsOrigin], "exposure/open-origin"),
        (&[AnyOrigin], "exposure/open-origin"),
        (&[OlderEvents, EventsElsewhere], "exposure/internal-target"),
        (&[LeadsAway], "exposure/internal-target"),
        (&[WantsToken], ""),
        (&[OlderEvents], ""),
        (&[], ""),
    ];
    let weak: Vec<&[Weakness]> = table.iter().map(|(weak, _)| *weak).collect();
    for ((weak, want), evidence) in table.iter().zip(captured(&weak, &options(None))) {
        let found = rules(&evidence);
        let logins: Vec<&&str> =
            found.iter().filter(|rule| rule.starts_with("oauth/") || rule.starts_with("exposure/")).collect();
        if want.is_empty() {
            assert!(logins.is_empty(), "{weak:?}: {logins:?}");
        } else {
            assert!(found.contains(want), "{weak:?}: {found:?}");
        }
    }
}

#[test]
fn nobody_there_is_told() {
    let listener = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let url = format!("http://{}/mcp", listener.local_addr().unwrap());
    drop(listener);
    let mut message = Vec::new();
    for url in [url.as_str(), "http://10.0.0.1/mcp", "http://169.254.169.254/mcp", "http://[::ffff:127.0.0.1]/mcp"] {
        let url: Url = url.parse().unwrap();
        let target =
            Target::Remote { loopback: url.port().into_iter().collect(), url, events: false, headers: Vec::new() };
        let job = Job {
            setup: "s".to_owned(),
            entry: "e".to_owned(),
            fingerprint: "f".to_owned(),
            target,
            redact: Redact::default(),
        };
        capture(vec![job], &options(None), &Arc::new(AtomicBool::new(false)), |_, evidence| {
            message.push(evidence.troubles.join("; "))
        });
    }
    assert_eq!(
        message,
        [
            "no connection: refused",
            "10.0.0.1 is an address of a private network; --allow-private allows it",
            "169.254.169.254 is a link-local, multicast or reserved address",
            "[::ffff:7f00:1] is an address of this machine that the setup does not name",
        ]
    );
}
