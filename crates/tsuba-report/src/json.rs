//! The report as JSON: the stable contract.

use crate::{Renderer, Report};
use std::io::{self, BufWriter, Write};

/// `tsuba-report/1`.
#[derive(Clone, Copy, Debug)]
pub struct Json;

/// So many bytes are handed on at once.
const COLLECTED: usize = 256 << 10;

impl Renderer for Json {
    fn render(&self, report: &Report, out: &mut dyn Write) -> io::Result<()> {
        // Collected here: the many small pieces of a report cost more when each goes through a writer of unknown kind.
        let mut collected = BufWriter::with_capacity(COLLECTED, out);
        serde_json::to_writer_pretty(&mut collected, report)?;
        collected.write_all(b"\n")?;
        collected.flush()
    }
}

/// The JSON Schema of the report, as it is kept in `docs/`.
pub fn schema() -> String {
    let generator = schemars::generate::SchemaSettings::draft2020_12().for_serialize().into_generator();
    let schema = generator.into_root_schema_for::<Report>();
    serde_json::to_string_pretty(&schema).unwrap_or_default() + "\n"
}
