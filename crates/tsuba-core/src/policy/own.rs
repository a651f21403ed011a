//! Rules of the company's own: expressions in the Common Expression Language over an entry. They say yes or no, and only what can be
//! bounded is offered: no `map`, no values made in a loop, so that nothing grows; the rounds of all loops are counted.

use super::Line;
use super::facts::EntryFacts;
use crate::prelude::*;
use crate::severity::Severity;
use crate::text::nearest;
use cel::common::ast::{CallExpr, EntryExpr, Expr, IdedExpr};
use cel::{Context, Env, ExecutionError, Program, Value};
use core::fmt;
use core::sync::atomic::{AtomicUsize, Ordering};
use globset::GlobMatcher;

/// An expression of more characters is not read.
const MAX_EXPRESSION_CHARS: usize = 1000;
/// Rounds of loops for one entry.
const ROUNDS: usize = 20_000;
/// An entry of whose server more is known (bytes) is not looked at.
const MAX_ENTRY_BYTES: usize = 1 << 20;
/// The function that counts rounds: no name that can be written.
const EACH: &str = "@each";
/// What an expression may name.
const ENTRY: &str = "entry";

/// A rule of the company's own.
#[derive(Clone)]
pub struct OwnRule {
    /// Its name.
    pub name: String,
    /// What a finding says.
    pub says: String,
    /// What to do about it.
    pub fix: Option<String>,
    /// How bad a finding is.
    pub severity: Severity,
    pub(super) paths: Vec<GlobMatcher>,
    pub(super) when: Expression,
    pub(crate) line: Line,
}

impl fmt::Debug for OwnRule {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("OwnRule").field("name", &self.name).finish_non_exhaustive()
    }
}

/// What came of applying a rule to an entry.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Applied {
    /// It has nothing to say.
    Silent,
    /// It speaks.
    Speaks,
    /// It could not be applied: why.
    Failed(String),
}

/// An expression, read and found usable.
#[derive(Clone)]
pub(super) struct Expression {
    read: Arc<IdedExpr>,
    env: Arc<Env>,
}

/// A mistake in an expression: its line and column there, from 1, where known.
pub(super) struct Mistake {
    pub(super) at: Option<(usize, usize)>,
    pub(super) why: String,
}

impl Expression {
    pub(super) fn read(text: &str) -> Result<Self, Mistake> {
        let mistake = |why: String| Mistake { at: None, why };
        if text.chars().count() > MAX_EXPRESSION_CHARS {
            return Err(mistake(format!("the expression is longer than {MAX_EXPRESSION_CHARS} characters")));
        }
        let program = Program::compile(text).map_err(|errors| {
            let first = errors.errors.first();
            let at = first.map(|error| (error.pos.0.max(1).unsigned_abs(), error.pos.1.max(1).unsigned_abs()));
            let why = first.map(|error| in_words(&error.msg)).unwrap_or_else(|| "it cannot be read".to_owned());
            Mistake { at, why: format!("invalid expression: {why}") }
        })?;
        let mut read = program.expression().clone();
        bounded(&mut read, false).map_err(|(id, why)| {
            let offset = program.source_info().offset_for(id).map(|(start, _)| start as usize);
            Mistake { at: offset.map(|offset| place(text, offset)), why: why.to_owned() }
        })?;
        let expression = Self { read: Arc::new(read), env: Arc::new(Env::stdlib()) };
        // What cannot be applied to an entry of which everything is empty names something that is not there.
        match expression.evaluate(&EntryFacts::blank()) {
            Ok(_) => Ok(expression),
            Err(why) => Err(mistake(why)),
        }
    }

    fn evaluate(&self, facts: &EntryFacts) -> Result<bool, String> {
        let value = cel::to_value(facts).map_err(|_| "the entry cannot be told".to_owned())?;
        let left = Arc::new(AtomicUsize::new(ROUNDS));
        let mut context = Context::with_env(self.env.clone());
        context.add_variable_from_value(ENTRY, value);
        let counter = left.clone();
        let each = move |range: Value| -> Result<Value, ExecutionError> {
            let rounds = match &range {
                Value::List(items) => items.len(),
                Value::Map(map) => map.map.len(),
                _ => 0,
            };
            // One more than there are: an empty loop is work too, and nothing left tells that it was too much.
            match counter.load(Ordering::Relaxed).checked_sub(rounds + 1) {
                Some(rest) => counter.store(rest, Ordering::Relaxed),
                None => {
                    counter.store(0, Ordering::Relaxed);
                    return Err(ExecutionError::function_error(EACH, "too many rounds"));
                }
            }
            Ok(range)
        };
        let declared = context.add_function(EACH, each);
        declared.map_err(|_| "rounds cannot be counted".to_owned())?;
        let outcome = Value::resolve(&self.read, &context);
        if left.load(Ordering::Relaxed) == 0 {
            return Err(format!("its loops take more than {ROUNDS} rounds"));
        }
        match outcome {
            Ok(Value::Bool(answer)) => Ok(answer),
            Ok(_) => Err("it says something else than true or false".to_owned()),
            Err(error) => Err(describe(&error)),
        }
    }
}

/// Line and column, from 1, of a character of an expression.
fn place(text: &str, offset: usize) -> (usize, usize) {
    let before: String = text.chars().take(offset).collect();
    let column = before.rsplit('\n').next().unwrap_or_default().chars().count();
    (before.matches('\n').count() + 1, column + 1)
}

/// What a parser says of a mistake, in words: it names the tokens of its grammar.
fn in_words(error: &str) -> String {
    let line = error.lines().next().unwrap_or_default();
    let line = line.strip_prefix("Syntax error: ").unwrap_or(line);
    let (before, rest) = line.split_once('\'').unwrap_or((line, ""));
    let end =
        ["' expecting", "' at '"].iter().find_map(|end| rest.find(end)).unwrap_or(rest.trim_end_matches('\'').len());
    let quoted = rest.get(..end).unwrap_or_default();
    match (before.split_whitespace().next().unwrap_or_default(), quoted) {
        (_, "<EOF>") => "it ends too early".to_owned(),
        ("missing", sign) => format!("{sign} is missing"),
        ("token", text) if text.starts_with(['"', '\'']) => format!("the text that begins with {text} has no end"),
        ("token", text) if text.trim() == "=" => "= compares nothing; write ==".to_owned(),
        ("token", text) => format!("{} is no sign of this language", text.trim()),
        ("mismatched" | "extraneous" | "no", "and" | "AND") => "write && instead of and".to_owned(),
        ("mismatched" | "extraneous" | "no", "or" | "OR") => "write || instead of or".to_owned(),
        ("mismatched" | "extraneous" | "no", "not" | "NOT") => "write ! instead of not".to_owned(),
        ("mismatched" | "extraneous" | "no", text) => format!("{text} is not expected here"),
        _ => "it cannot be read".to_owned(),
    }
}

/// The names of the fields of an entry, at every depth.
fn fields(value: &Value, out: &mut BTreeSet<String>) {
    match value {
        Value::Map(map) => {
            for (key, value) in map.map.iter() {
                out.insert(key.to_string());
                fields(value, out);
            }
        }
        Value::List(items) => items.iter().for_each(|item| fields(item, out)),
        _ => {}
    }
}

/// That there is no such field, with the one that was probably meant.
fn no_field(written: &str) -> String {
    let mut known = BTreeSet::new();
    cel::to_value(EntryFacts::blank()).iter().for_each(|value| fields(value, &mut known));
    let meant = nearest(written, known.iter().map(String::as_str));
    format!("there is no field {written}{}", meant.map(|meant| format!("; did you mean {meant}?")).unwrap_or_default())
}

/// An error of the interpreter without what it may quote of the entry.
fn describe(error: &ExecutionError) -> String {
    match error {
        ExecutionError::NoSuchKey(key) => no_field(key),
        ExecutionError::UndeclaredReference(name) => format!("{name} is not known; what is looked at is called entry"),
        ExecutionError::IndexOutOfBounds(_) => "it asks for an item that is not there; ask for size() first".to_owned(),
        ExecutionError::NoSuchOverload(error) => format!("{} cannot be applied so", error.function()),
        _ => "it cannot be applied to these values".to_owned(),
    }
}

/// Has the rounds of each loop counted; refuses what could grow.
fn bounded(read: &mut IdedExpr, in_loop: bool) -> Result<(), (u64, &'static str)> {
    let id = read.id;
    match &mut read.expr {
        Expr::Unspecified | Expr::Ident(_) | Expr::Literal(_) => Ok(()),
        Expr::Select(select) => bounded(&mut select.operand, in_loop),
        Expr::Call(call) => call
            .target
            .iter_mut()
            .map(|target| &mut **target)
            .chain(&mut call.args)
            .try_for_each(|part| bounded(part, in_loop)),
        Expr::List(list) => {
            if in_loop && list.elements.iter().any(|item| !matches!(item.expr, Expr::Literal(_))) {
                return Err((id, "in a loop a list holds only what is written there"));
            }
            list.elements.iter_mut().try_for_each(|item| bounded(item, in_loop))
        }
        Expr::Map(map) => map.entries.iter_mut().try_for_each(|entry| match &mut entry.expr {
            EntryExpr::MapEntry(_) if in_loop => Err((id, "no map is made in a loop")),
            EntryExpr::MapEntry(pair) => {
                bounded(&mut pair.key, in_loop).and_then(|()| bounded(&mut pair.value, in_loop))
            }
            EntryExpr::StructField(_) => Err((id, "no values of other types are made")),
        }),
        Expr::Struct(_) => Err((id, "no values of other types are made")),
        Expr::Comprehension(each) => {
            bounded(&mut each.iter_range, in_loop)?;
            if let Some(kept) = appended(&each.loop_step.expr) {
                // `filter` keeps what it is given; `map` would make something of it.
                if !matches!(&kept.expr, Expr::Ident(name) if *name == each.iter_var) {
                    return Err((id, "map is not offered; exists, all, exists_one and filter are"));
                }
                if let Expr::Call(call) = &mut each.loop_step.expr
                    && let Some(condition) = call.args.first_mut()
                {
                    bounded(condition, true)?;
                }
            } else {
                bounded(&mut each.loop_step, true)?;
            }
            let range = core::mem::take(&mut each.iter_range);
            let call = CallExpr { func_name: EACH.to_owned(), target: None, args: vec![range] };
            each.iter_range = IdedExpr { id, expr: Expr::Call(call) };
            Ok(())
        }
    }
}

/// What a loop appends to its result in each round: `result + [it]`, perhaps under a condition.
fn appended(step: &Expr) -> Option<&IdedExpr> {
    let Expr::Call(call) = step else { return None };
    if call.args.len() == 3 {
        return call.args.get(1).and_then(|then| appended(&then.expr));
    }
    match call.args.get(1).map(|second| &second.expr) {
        Some(Expr::List(list)) if call.args.len() == 2 => list.elements.first(),
        _ => None,
    }
}

impl OwnRule {
    /// Does it look at setups of this path?
    pub fn is_for(&self, path: &str) -> bool {
        self.paths.is_empty() || self.paths.iter().any(|pattern| pattern.is_match(path))
    }

    pub(super) fn apply(&self, facts: &EntryFacts, size: usize) -> Applied {
        if size > MAX_ENTRY_BYTES {
            return Applied::Failed(format!("more than {} KiB are known of its server", MAX_ENTRY_BYTES >> 10));
        }
        match self.when.evaluate(facts) {
            Ok(true) => Applied::Speaks,
            Ok(false) => Applied::Silent,
            Err(why) => Applied::Failed(why),
        }
    }
}
