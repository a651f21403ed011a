//! With what is judged.

use crate::policy::Policy;
use crate::prelude::*;
use crate::register::Register;
use crate::text::{Key, Memory};
use crate::understand::Known;
use jiff::civil::Date;

/// What an audit needs besides the setups.
#[derive(Clone, Debug)]
pub struct Options {
    /// The date of the audit; deadlines and lifetimes are counted from it.
    pub today: Date,
    /// Only these families; empty means all.
    pub families: Vec<String>,
    /// The company's key for naming credentials by value.
    pub key: Option<Key>,
    /// What was decided, where a register is kept.
    pub register: Option<Register>,
    /// What the company has decided for all.
    pub policy: Policy,
    /// What is known beside the documents.
    pub known: Known,
    /// What was found in texts by audits before this one.
    pub memory: Option<Arc<dyn Memory>>,
}

impl Options {
    /// On a date, with nothing else.
    pub fn on(today: Date) -> Self {
        Self {
            today,
            families: Vec::new(),
            key: None,
            register: None,
            policy: Policy::default(),
            known: Known::default(),
            memory: None,
        }
    }
}
