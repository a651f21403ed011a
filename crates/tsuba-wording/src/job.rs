//! A tool's own job: what it is there for, by its name, its title and its server's name. What is its job is no lure.

use super::concept::{Concept, Set};
use super::features::{Known, stems};
use super::fold::fold;
use super::language::Language;
use super::said::{Item, Passage, Place, Said};
use super::scan::Scan;
use super::sentence::{sentences, whole};
use super::words::words;
use crate::prelude::*;
use core::cell::OnceCell;
use tsuba_document::text::{head, words_of};

/// What a name can say a tool is for. That it hides something, or sets rules aside, is nobody's job.
const JOBS: Set = Set::of(&[
    Concept::Secret,
    Concept::Private,
    Concept::Stuff,
    Concept::Place,
    Concept::Beyond,
    Concept::Run,
    Concept::Shell,
    Concept::Alter,
    Concept::Target,
    Concept::Promote,
    Concept::Asked,
    Concept::Other,
]);

/// Does it make a difference to what is said whose job it is?
pub(super) fn matters(said: Set) -> bool {
    said.meets(JOBS)
}

/// Words in the name of a tool that runs programs.
const RUNS: &[&str] =
    &["shell", "command", "commands", "terminal", "exec", "execute", "bash", "script", "process", "cli", "powershell"];

/// A job, found out when it is asked for: most texts say nothing that could be one.
pub(super) struct Job<'l> {
    of: Of<'l>,
    set: OnceCell<Set>,
    stems: OnceCell<Stems>,
    /// The names of the tool's parameters.
    parameters: &'l [&'l str],
}

enum Of<'l> {
    /// Of a server.
    Server(&'l Said<'l>),
    /// Of a tool of a server.
    Item(&'l Item<'l>, &'l Server<'l>),
    /// Of a tool's parameter.
    Parameter(&'l Item<'l>, &'l Server<'l>),
}

/// The stems of the words of a job.
#[derive(Debug)]
struct Stems {
    names: Vec<u32>,
    purpose: Vec<u32>,
}

/// A server, and what its name says.
pub(super) struct Server<'l> {
    name: &'l str,
    set: OnceCell<Set>,
}

impl<'l> Server<'l> {
    pub(super) fn named(name: &'l str) -> Self {
        Self { name, set: OnceCell::new() }
    }

    fn set(&self) -> Set {
        *self.set.get_or_init(|| of_names([self.name]))
    }
}

impl<'l> Job<'l> {
    /// The job of a server: all that its name and its tools' names say. A server of many tools does a bit of everything, which says
    /// nothing.
    pub(super) fn of_server(said: &'l Said<'l>) -> Self {
        Self { of: Of::Server(said), set: OnceCell::new(), stems: OnceCell::new(), parameters: &[] }
    }

    /// The job of a tool, or of its parameters.
    pub(super) fn of_item(
        item: &'l Item<'l>,
        parameters: &'l [&'l str],
        parameter: bool,
        server: &'l Server<'l>,
    ) -> Self {
        let of = if parameter { Of::Parameter(item, server) } else { Of::Item(item, server) };
        Self { of, set: OnceCell::new(), stems: OnceCell::new(), parameters }
    }

    /// The words of its names, and of what it says it is there for.
    pub(super) fn known(&self) -> Known<'_> {
        let stems = self.stems.get_or_init(|| match self.of {
            Of::Server(said) => {
                let few = said.items.iter().take(24).map(|item| item.name);
                Stems { names: of_words(core::iter::once(said.server).chain(few)), purpose: Vec::new() }
            }
            Of::Item(item, server) | Of::Parameter(item, server) => {
                let names = [item.name, server.name].into_iter().chain(item.title);
                let parameters = self.parameters.iter().copied().take(MAX_PARAMETERS);
                let purpose = first_sentence(item).unwrap_or_default();
                let written = words().scan(&purpose).words;
                let purpose = written.iter().filter_map(|word| purpose.get(word.start as usize..word.end as usize));
                Stems { names: of_words(names.chain(parameters)), purpose: stems(purpose) }
            }
        });
        Known { names: &stems.names, purpose: &stems.purpose }
    }

    /// What of `said` is no part of the job.
    pub(super) fn leaves(&self, said: Set) -> Set {
        if !said.meets(JOBS) {
            return said;
        }
        said.without(*self.set.get_or_init(|| match self.of {
            Of::Server(said) => {
                let few = said.items.iter().take(24).map(|item| item.name);
                of_names(core::iter::once(said.server).chain(few))
            }
            Of::Item(item, server) => of_item(item, server),
            Of::Parameter(item, server) => of_item(item, server).with(of_first_sentence(item)),
        }))
    }
}

fn of_item(item: &Item<'_>, server: &Server<'_>) -> Set {
    of_names(core::iter::once(item.name).chain(item.title)).with(server.set())
}

/// What a tool says it works on, in the first sentence of its description: its parameters may well carry that. Of credentials and
/// places where private things lie it is not believed.
fn of_first_sentence(item: &Item<'_>) -> Set {
    let Some(text) = first_sentence(item) else { return Set::default() };
    let cut = sentences(&text, words(), false, &whole, &BTreeSet::new());
    let said = cut.list.first().map(|first| first.set).unwrap_or_default();
    let works_on = Set::of(&[Concept::Private, Concept::Stuff, Concept::Asked]);
    if said.meets(works_on) { works_on } else { Set::default() }
}

/// The first sentence of its description, folded.
fn first_sentence(item: &Item<'_>) -> Option<String> {
    let mut text = fold(head(item.description?, 400)).text;
    let mut scan = Scan::new(&text, words().little(), Vec::new());
    scan.advance();
    let end = scan.range.end;
    text.truncate(end);
    Some(text)
}

/// The names of a job say what it is by so many parameters.
const MAX_PARAMETERS: usize = 30;

/// The stems of the words of names.
fn of_words<'n>(names: impl Iterator<Item = &'n str>) -> Vec<u32> {
    // A name is short; a long one is a text, and judged as one.
    let short = names.filter(|name| name.len() <= 80);
    stems(short.flat_map(words_of).collect::<Vec<String>>().iter())
}

/// Does a text describe a parameter that is named for a secret? Such a parameter may well speak of it.
pub(super) fn is_secret(passage: &Passage<'_>) -> bool {
    passage.place == Place::Schema && of_names([passage.of]).has(Concept::Secret)
}

/// What the name of a parameter says.
pub(super) fn of_name(name: &str) -> Set {
    of_names([name])
}

fn of_names<'n>(names: impl IntoIterator<Item = &'n str>) -> Set {
    let mut out = Set::default();
    for name in names {
        // A name is short; a long one is a text, and judged as one.
        if name.len() > 80 {
            continue;
        }
        // `create_invoice` is about invoices.
        let parts = words_of(name);
        let mut text = String::with_capacity(2 * name.len() + 2 * parts.len());
        for (several, part) in parts.iter().map(|part| ("", part)).chain(parts.iter().map(|part| ("s", part))) {
            [part.as_str(), several, " "].iter().for_each(|piece| text.push_str(piece));
        }
        let text = fold(text.trim_end()).text;
        if text.split(' ').any(|word| RUNS.contains(&word)) {
            out = out.with(Set::of(&[Concept::Run, Concept::Shell]));
        }
        words().find(&text, &words().scan(&text), Language::English, false, |found| out = out.with(found.set));
        words().find_any(&text, |found| out = out.with(found.set));
    }
    out.both(JOBS)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_tell_the_job() {
        for (name, concept, want) in [
            ("get_secret", Concept::Secret, true),
            ("rotatePassword", Concept::Secret, true),
            ("send-emails", Concept::Stuff, true),
            ("list_trays", Concept::Secret, false),
            ("ignore_instructions", Concept::Drop, false),
        ] {
            assert_eq!(of_names([name]).has(concept), want, "{name}");
        }
    }
}
