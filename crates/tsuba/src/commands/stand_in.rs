//! `tsuba stand-in`: a simulated server of the demo company, for the demo and for tests.

use crate::exit::Done;
use anyhow::{Context as _, bail};
use clap::Args as Arguments;
use std::io::{self, Write as _};
use std::path::PathBuf;
use tsuba_standin::{Kind, ReaderKind, Server, Weakness, serve_reader, speak};

/// Be a simulated tool server of the made-up company on standard streams
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    /// Which server
    #[arg(default_value = "tide-table")]
    kind: String,
    /// What is wrong with it (may be given several times)
    #[arg(long, value_name = "WEAKNESS")]
    weak: Vec<String>,
    /// An attack on its surroundings (may be given several times)
    #[arg(long, value_name = "ATTACK")]
    attack: Vec<String>,
    /// A file with more words of its first tool
    #[arg(long, value_name = "FILE")]
    notice: Option<PathBuf>,
}

/// Be a reader on loopback until the input ends; its address is the first line of output.
fn reader(args: &Args) -> anyhow::Result<Done> {
    let name = args.weak.first().map_or("sound", String::as_str);
    let Some(kind) = ReaderKind::named(name) else { bail!("--weak {name}: there is no such reader") };
    let web = serve_reader(kind).context("no port on loopback")?;
    for origin in &web.origins {
        writeln!(io::stdout(), "{origin}/v1")?;
    }
    io::stdout().flush()?;
    io::copy(&mut io::stdin().lock(), &mut io::sink()).context("the input broke off")?;
    Ok(Done::Clean)
}

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    if args.kind == "reader" {
        return reader(args);
    }
    let Some(kind) = Kind::named(&args.kind) else {
        let known: Vec<&str> = Kind::ALL.iter().map(|(_, name)| *name).collect();
        bail!("{}: there is no such stand-in; there are {}", args.kind, known.join(", "));
    };
    let notice = args.notice.as_ref().map(std::fs::read_to_string).transpose().context("there is no such notice")?;
    let attacks = args.attack.clone();
    let mut server = Server { kind, attacks, notice: notice.unwrap_or_default(), ..Server::default() };
    for name in &args.weak {
        let Some(weakness) = Weakness::named(name) else { bail!("--weak {name}: there is no such weakness") };
        server.weak.insert(weakness);
    }
    speak(&server, io::stdin().lock(), io::stdout().lock()).context("the streams broke off")?;
    Ok(Done::Clean)
}
