//! Texts whose code stands between lines of signs or further to the right: AsciiDoc, reStructuredText, plain text.

use super::super::mapped::Mapped;
use super::Block;
use crate::prelude::*;

/// The blocks of code of a text, in their order; a text that is a configuration itself is one.
pub(super) fn blocks(text: &str) -> Vec<Block> {
    let mut out: Vec<Block> = Vec::new();
    if text.trim_start().starts_with(['{', '[']) {
        let mut mapped = Mapped::default();
        mapped.push(text, 0);
        let range = 0..text.len();
        if super::configuration(text).is_some() {
            return vec![Block { mapped, range, info: String::new(), inline: false }];
        }
    }
    let (mut at, mut open): (usize, Option<(Option<&str>, Block)>) = (0, None);
    for line in text.split_inclusive('\n') {
        let bare = line.trim_end();
        let sign = is_fence(bare).then_some(bare);
        let indented = line.starts_with("  ") || line.starts_with('\t');
        match &mut open {
            Some((Some(fence), block)) if sign.is_some_and(|sign| closes(fence, sign)) => {
                block.range.end = at + line.len();
                out.extend(open.take().map(|(_, block)| block));
            }
            Some((Some(_), block)) => {
                block.mapped.push(line, at);
                block.range.end = at + line.len();
            }
            // A block by indentation goes on over blank lines.
            Some((None, block)) if indented || bare.is_empty() => {
                block.mapped.push(line, at);
                block.range.end = at + line.len();
            }
            _ => {
                out.extend(open.take().map(|(_, block)| block));
                let block = |info: &str| Block {
                    mapped: Mapped::default(),
                    range: at..at + line.len(),
                    info: info.to_owned(),
                    inline: false,
                };
                if let Some(sign) = sign {
                    open = Some((Some(sign), block(sign.trim_start_matches(['`', '~']))));
                } else if indented && !bare.is_empty() {
                    let mut block = block("");
                    block.mapped.push(line, at);
                    open = Some((None, block));
                }
            }
        }
        at += line.len();
    }
    out.extend(open.map(|(_, block)| block));
    out.into_iter().map(dedented).collect()
}

/// Lines that stand around code: `----`, `....` (AsciiDoc), three graves.
fn is_fence(line: &str) -> bool {
    let lone = |sign: char| line.len() >= 4 && line.chars().all(|c| c == sign);
    lone('-') || lone('.') || line.starts_with("```") || line.starts_with("~~~")
}

fn closes(fence: &str, line: &str) -> bool {
    let start = |text: &str| crate::text::head(text, 3).to_owned();
    start(fence) == start(line) && line.chars().all(|c| line.starts_with(c))
}

/// A block without the indentation that all its lines have: where that stands matters to YAML.
fn dedented(block: Block) -> Block {
    let lines = || block.mapped.text.split_inclusive('\n').filter(|line| !line.trim().is_empty());
    let least = lines().map(|line| line.len() - line.trim_start_matches([' ', '\t']).len()).min().unwrap_or(0);
    if least == 0 {
        return block;
    }
    let mut mapped = Mapped::default();
    let mut at = block.mapped.place(crate::text::Span::new(0, 0)).start as usize;
    for line in block.mapped.text.split_inclusive('\n') {
        let cut = if line.trim().is_empty() { 0 } else { least };
        mapped.push(line.get(cut..).unwrap_or_default(), at + cut);
        at += line.len();
    }
    Block { mapped, ..block }
}
