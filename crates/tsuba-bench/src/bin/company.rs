//! Writes the made-up company into a folder: `company FOLDER [FILES] [SETUPS]`.
#![allow(
    clippy::disallowed_methods,
    clippy::print_stderr,
    reason = "a tool of the workshop writes files and says what went wrong"
)]

use std::path::{Path, PathBuf};
use std::process::ExitCode;
use tsuba_bench::{Size, company};

fn main() -> ExitCode {
    let mut arguments = std::env::args_os().skip(1);
    let Some(root) = arguments.next().map(PathBuf::from) else {
        eprintln!("usage: company FOLDER [FILES] [SETUPS]");
        return ExitCode::from(2);
    };
    let mut number = |default: usize| match arguments.next() {
        Some(text) => text.to_str().and_then(|text| text.parse().ok()),
        None => Some(default),
    };
    let (Some(files), Some(setups)) = (number(60_000), number(1_500)) else {
        eprintln!("company: a number of files and a number of setups, as in: company /tmp/tree 60000 1500");
        return ExitCode::from(2);
    };
    let mut failed = None;
    company(Size { files, setups }, 1, |path, bytes| {
        if failed.is_none() {
            failed = write(&root.join(path), bytes).err();
        }
    });
    match failed {
        Some(error) => {
            eprintln!("company: {}: {error}", root.display());
            ExitCode::FAILURE
        }
        None => ExitCode::SUCCESS,
    }
}

fn write(path: &Path, bytes: &[u8]) -> std::io::Result<()> {
    path.parent().map_or(Ok(()), std::fs::create_dir_all)?;
    std::fs::write(path, bytes)
}
