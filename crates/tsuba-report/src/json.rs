//! The report as JSON: the stable contract.

use crate::{Renderer, Report};
use std::io::{self, Write};

/// `tsuba-report/1`.
#[derive(Clone, Copy, Debug)]
pub struct Json;

impl Renderer for Json {
    fn render(&self, report: &Report, out: &mut dyn Write) -> io::Result<()> {
        // Made in memory first: the many small pieces of a report cost more when each goes through a writer of unknown kind.
        let mut bytes = serde_json::to_vec_pretty(report)?;
        bytes.push(b'\n');
        out.write_all(&bytes)
    }
}

/// The JSON Schema of the report, as it is kept in `docs/`.
pub fn schema() -> String {
    let generator = schemars::generate::SchemaSettings::draft2020_12().for_serialize().into_generator();
    let schema = generator.into_root_schema_for::<Report>();
    serde_json::to_string_pretty(&schema).unwrap_or_default() + "\n"
}
