//! HTML by the tokenizer of its standard: what is preformatted, and code within sentences.

use super::super::mapped::Mapped;
use super::Block;
use crate::prelude::*;
use core::cell::RefCell;
use html5gum::emitters::callback::{CallbackEmitter, CallbackEvent};
use html5gum::{Span, Tokenizer};

/// What is being read.
#[derive(Default)]
struct State {
    out: Vec<Block>,
    open: Option<Block>,
    /// How many elements of preformatted text and of code are open.
    pre: usize,
    code: usize,
}

/// The blocks of code of a text, in their order. Elements that colour their words are no part of it.
pub(super) fn blocks(text: &str) -> Vec<Block> {
    let state = RefCell::new(State::default());
    let emitter = CallbackEmitter::new(|event: CallbackEvent<'_>, span: Span<usize>| -> Option<()> {
        let mut state = state.try_borrow_mut().ok()?;
        match event {
            CallbackEvent::OpenStartTag { name: b"pre" | b"textarea" } => state.pre += 1,
            CallbackEvent::OpenStartTag { name: b"code" } => state.code += 1,
            CallbackEvent::OpenStartTag { name: b"br" } => {
                if let Some(block) = &mut state.open {
                    block.mapped.push_as("\n", span.start..span.end);
                }
            }
            CallbackEvent::EndTag { name: b"pre" | b"textarea" } => {
                state.pre = state.pre.saturating_sub(1);
                state.code = 0;
                state.close();
            }
            CallbackEvent::EndTag { name: b"code" } => {
                state.code = state.code.saturating_sub(1);
                if state.pre == 0 {
                    state.close();
                }
            }
            CallbackEvent::String { .. } if state.pre > 0 || state.code > 0 => {
                let inline = state.pre == 0;
                let written = text.get(span.start..span.end).unwrap_or_default();
                let block = state.open.get_or_insert_with(|| Block {
                    mapped: Mapped::default(),
                    range: span.start..span.end,
                    info: String::new(),
                    inline,
                });
                block.mapped.push_html(written, span.start);
                block.range.end = span.end;
            }
            _ => {}
        }
        None
    });
    // The reader of a text in memory never fails.
    let all: Result<Vec<()>, _> = Tokenizer::new_with_emitter(text, emitter).collect();
    let mut state = if all.is_ok() { state.into_inner() } else { State::default() };
    state.close();
    state.out
}

impl State {
    fn close(&mut self) {
        let block = self.open.take();
        self.out.extend(block.filter(|block| !block.mapped.text.trim().is_empty()));
    }
}
