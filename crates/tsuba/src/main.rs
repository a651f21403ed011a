//! The `tsuba` program: arguments in, reports and an exit status out.

mod advisories;
mod approved;
mod asked;
mod certificates;
mod commands;
mod config;
mod dates;
mod deciding;
mod dialog;
mod diff;
mod exit;
mod fixes;
mod gather;
mod jobs;
mod known;
mod lock;
mod memory;
mod naming;
mod output;
mod patch;
mod picked;
mod pipeline;
mod progress;
mod register;
mod remembered;
mod reports;
mod split;
mod threads;
mod tour;
mod trusted;

use clap::{Parser, Subcommand};
use std::process::ExitCode;

/// Thousands of small texts with places are made and dropped from several threads: the system's allocator is the bottleneck.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// Audits agent tool-server setups: finds them, explains what each really runs, reaches and is handed, and judges it.
///
/// Offline and read-only: only `capture` contacts or starts servers, only `read` asks a model of your own, and only these two, `company`
/// and the decision and repair commands write files that you have not named.
#[derive(Debug, Parser)]
#[command(name = "tsuba", version, max_term_width = 100, arg_required_else_help = true)]
struct Cli {
    #[command(subcommand)]
    command: Command,
}

#[derive(Debug, Subcommand)]
enum Command {
    Audit(commands::audit::Args),
    Inventory(commands::inventory::Args),
    Capture(commands::capture::Args),
    Read(commands::read::Args),
    Review(commands::review::Args),
    Approve(commands::approve::Args),
    Refuse(commands::refuse::Args),
    Waive(commands::waive::Args),
    Renew(commands::renew::Args),
    Revoke(commands::revoke::Args),
    Decisions(commands::decisions::Args),
    Compare(commands::compare::Args),
    Watch(commands::watch::Args),
    Render(commands::render::Args),
    Company(commands::company::Args),
    Repair(commands::repair::Args),
    Explain(commands::explain::Args),
    Demo(commands::demo::Args),
    Completions(commands::completions::Args),
    Man(commands::man::Args),
    #[command(hide = true)]
    Cage(commands::cage::Args),
    #[command(hide = true)]
    Fail(commands::fail::Args),
    #[command(hide = true)]
    StandIn(commands::stand_in::Args),
}

fn main() -> ExitCode {
    let command = Cli::parse().command;
    exit::run(|| match command {
        Command::Audit(args) => commands::audit::run(&args),
        Command::Inventory(args) => commands::inventory::run(&args),
        Command::Capture(args) => commands::capture::run(&args),
        Command::Read(args) => commands::read::run(&args),
        Command::Review(args) => commands::review::run(&args),
        Command::Approve(args) => commands::approve::run(&args),
        Command::Refuse(args) => commands::refuse::run(&args),
        Command::Waive(args) => commands::waive::run(&args),
        Command::Renew(args) => commands::renew::run(&args),
        Command::Revoke(args) => commands::revoke::run(&args),
        Command::Decisions(args) => commands::decisions::run(&args),
        Command::Compare(args) => commands::compare::run(&args),
        Command::Watch(args) => commands::watch::run(&args),
        Command::Render(args) => commands::render::run(&args),
        Command::Company(args) => commands::company::run(&args),
        Command::Repair(args) => commands::repair::run(&args),
        Command::Explain(args) => commands::explain::run(&args),
        Command::Demo(args) => commands::demo::run(&args),
        Command::Completions(args) => commands::completions::run(&args),
        Command::Man(args) => commands::man::run(&args),
        Command::Cage(args) => commands::cage::run(&args),
        Command::Fail(args) => commands::fail::run(&args),
        Command::StandIn(args) => commands::stand_in::run(&args),
    })
}
