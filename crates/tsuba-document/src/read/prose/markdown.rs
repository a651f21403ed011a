//! Markdown (CommonMark 0.31): blocks of code with and without a fence, wherever they stand; code within sentences; what stands in front.

use super::super::mapped::Mapped;
use super::{Block, MAX_BLOCKS, html};
use crate::prelude::*;
use core::ops::Range;
use pulldown_cmark::{CodeBlockKind, Event, Options, Parser, Tag, TagEnd};

/// The blocks of code of a text, in their order.
pub(super) fn blocks(text: &str) -> Vec<Block> {
    let mut out: Vec<Block> = Vec::new();
    let mut open: Option<Block> = None;
    for (event, range) in Parser::new_ext(text, Options::ENABLE_YAML_STYLE_METADATA_BLOCKS).into_offset_iter() {
        match event {
            Event::Start(Tag::CodeBlock(kind)) => {
                let info = match kind {
                    CodeBlockKind::Fenced(info) => info.into_string(),
                    CodeBlockKind::Indented => String::new(),
                };
                open = Some(Block { mapped: Mapped::default(), range, info, inline: false });
            }
            Event::Text(part) => {
                if let Some(block) = &mut open {
                    push(&mut block.mapped, text, &part, range);
                }
            }
            Event::End(TagEnd::CodeBlock) => out.extend(open.take()),
            Event::Code(part) => {
                let written = text.get(range.clone()).unwrap_or_default();
                if let Some(at) = written.find(&*part) {
                    let mut mapped = Mapped::default();
                    mapped.push(&part, range.start + at);
                    out.push(Block { mapped, range, info: String::new(), inline: true });
                }
            }
            _ => {}
        }
        // Code within sentences is short and there is much of it; only what is looked at counts.
        if out.len() > MAX_BLOCKS {
            out.retain(|block| !block.inline || block.mapped.text.contains("mcp"));
            if out.len() > MAX_BLOCKS {
                break;
            }
        }
    }
    if text.contains("<pre") || text.contains("<PRE") || text.contains("<code") {
        let found = html::blocks(text).into_iter();
        let found: Vec<Block> =
            found.filter(|new| !out.iter().any(|block| block.range.contains(&new.range.start))).collect();
        out.extend(found);
        out.sort_by_key(|block| block.range.start);
    }
    out
}

/// What stands between three dashes in front of a text.
pub(super) fn front(text: &str) -> Option<Block> {
    if !text.starts_with("---") {
        return None;
    }
    let mut open: Option<Block> = None;
    for (event, range) in Parser::new_ext(text, Options::ENABLE_YAML_STYLE_METADATA_BLOCKS).into_offset_iter() {
        match event {
            Event::Start(Tag::MetadataBlock(_)) => {
                open = Some(Block { mapped: Mapped::default(), range, info: "yaml".to_owned(), inline: false });
            }
            Event::Text(part) => push(&mut open.as_mut()?.mapped, text, &part, range),
            _ => return open,
        }
    }
    open
}

fn push(mapped: &mut Mapped, text: &str, part: &str, range: Range<usize>) {
    // Where tabs and line ends are changed it is not written to the letter.
    match text.get(range.clone()) == Some(part) {
        true => mapped.push(part, range.start),
        false => mapped.push_as(part, range),
    }
}
