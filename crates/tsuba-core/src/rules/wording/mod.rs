//! The rules of the family `wording`. Written by `cargo test` from the files of this folder.

mod asks_for_data;
mod encoded;
mod false_authority;
mod hidden_text;
mod instruction;
mod lookalike_name;
mod outbound_link;
mod r#override;
mod oversized;
mod parameter_lure;
mod pressure;
mod secrecy;
mod shared;
mod steers_other_tool;

use crate::judge::Rule;

pub(super) static RULES: &[&Rule] = &[
    &asks_for_data::RULE,
    &encoded::RULE,
    &false_authority::RULE,
    &hidden_text::RULE,
    &instruction::RULE,
    &lookalike_name::RULE,
    &outbound_link::RULE,
    &r#override::RULE,
    &oversized::RULE,
    &parameter_lure::RULE,
    &pressure::RULE,
    &secrecy::RULE,
    &steers_other_tool::RULE,
];
