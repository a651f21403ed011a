//! `tsuba fail`: breaks on purpose, so that a test sees what is told of a bug.

use crate::exit::Done;
use crate::threads::Threads;
use clap::{Args as Arguments, ValueEnum};
use std::panic::catch_unwind;
use std::path::PathBuf;
use tsuba_core::judge::Parallel as _;
use tsuba_find::Walk;

/// Break on purpose, as a bug would
#[derive(Clone, Debug, Arguments)]
pub(crate) struct Args {
    /// Where
    #[arg(value_enum)]
    place: Place,
    /// What the bug's message quotes
    text: String,
}

#[derive(Clone, Copy, Debug, ValueEnum)]
enum Place {
    /// In the command itself
    Command,
    /// Where one file is read and the others go on
    File,
    /// On a thread of the walk over the current folder
    Walk,
    /// On several threads of judging
    Judge,
}

pub(crate) fn run(args: &Args) -> anyhow::Result<Done> {
    match args.place {
        Place::Command => fail(&args.text),
        Place::File => drop(catch_unwind(|| fail(&args.text))),
        Place::Walk => {
            let walk = Walk { inputs: vec![PathBuf::from(".")], everything: true, jobs: 2, ..Walk::default() };
            tsuba_find::walk(&walk, &|_| fail(&args.text));
        }
        Place::Judge => drop(Threads::new(4).spread(&[(); 1_000], |_, ()| -> Vec<()> {
            fail(&args.text);
            Vec::new()
        })),
    }
    Ok(Done::Clean)
}

#[allow(clippy::panic, reason = "this command is for what a panic shows")]
fn fail(text: &str) {
    panic!("broken at {text}");
}
