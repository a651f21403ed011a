//! Taking the items of a listing, with every text of each and what its place is.

use super::listing::{Hints, Item, ItemKind, Listing, Parameter, Passage};
use crate::prelude::*;
use crate::read::{Member, Node, Value};
use crate::text::{Located, Pointer, strong_fingerprint};
use crate::wording::Place;

/// What listings have so far.
#[derive(Default)]
pub(super) struct Seen {
    /// Items by listing and name: most names are there once.
    items: BTreeMap<(usize, String), Namesakes>,
    /// What servers say of themselves, by listing, place and fingerprint: apart from names, which may be anything.
    said: BTreeSet<(usize, &'static str, String)>,
}

/// The items of one name.
pub(super) struct Namesakes {
    /// The first of them.
    first: usize,
    /// Their fingerprints, once there are two. Nobody can forge these: two items that share one would hide one of them.
    prints: BTreeSet<String>,
}

/// The listing that is being filled.
pub(super) struct Taking<'l> {
    pub(super) index: usize,
    pub(super) listing: &'l mut Listing,
    pub(super) seen: &'l mut Seen,
}

impl Taking<'_> {
    pub(super) fn list(&mut self, list: &Node, pointer: &Pointer, kind: ItemKind) {
        for (index, item) in list.items().iter().enumerate().filter(|(_, item)| item.is_map()) {
            self.item(item, &pointer.index(index), kind);
        }
    }

    /// What the server says of itself.
    pub(super) fn server(&mut self, node: &Node, pointer: &Pointer) {
        let info = node.get("serverInfo").map(|info| (info, pointer.key("serverInfo")));
        for (node, at) in [Some((node, pointer.clone())), info].into_iter().flatten() {
            for (key, place) in [
                ("instructions", Place::Instructions),
                ("description", Place::Description),
                ("long_description", Place::Description),
                ("title", Place::Title),
            ] {
                // A server that is asked again, in another era or as another client, says the same of itself again.
                let text = node.get(key).and_then(Node::text).unwrap_or_default();
                if !text.is_empty() && self.seen.said.insert((self.index, place.name(), strong_fingerprint([text]))) {
                    self.passage(node.get(key), at.key(key), place, None);
                }
            }
        }
    }

    pub(super) fn passage(&mut self, node: Option<&Node>, pointer: Pointer, place: Place, item: Option<usize>) {
        if let Some(at) = node.and_then(|n| n.located(pointer)).filter(|at| !at.text.is_empty()) {
            self.listing.passages.push(Passage { at, place, item });
        }
    }

    pub(super) fn item(&mut self, node: &Node, pointer: &Pointer, kind: ItemKind) {
        let Some(name) = node.get("name").and_then(|n| n.located(pointer.key("name"))) else { return };
        let index = self.listing.items.len();
        let first = self.listing.passages.len();
        self.texts(node, pointer, Place::Elsewhere, index);
        let annotations = node.get("annotations").map(|a| (a, pointer.key("annotations")));
        let hint = |key: &str| {
            let (annotations, at) = annotations.as_ref()?;
            let hint = annotations.get(key)?;
            Some((hint.truth()?, hint.located(at.key(key))?))
        };
        let hints = Hints { read_only: hint("readOnlyHint"), destructive: hint("destructiveHint") };
        let (parameters, open) = schema(node, pointer);
        let item = Item {
            kind,
            name,
            title: node.get("title").and_then(|n| n.located(pointer.key("title"))),
            description: node.get("description").and_then(|n| n.located(pointer.key("description"))),
            hints,
            parameters,
            open,
            passages: first..self.listing.passages.len(),
            print: canonical_print(node),
        };
        if self.is_new(&item) {
            self.listing.items.push(item);
        } else {
            self.listing.passages.truncate(first);
        }
    }

    /// Is there no item yet that says the same? A server that is asked twice says the same twice.
    fn is_new(&mut self, item: &Item) -> bool {
        let key = (self.index, item.name.text.clone());
        let Some(namesakes) = self.seen.items.get_mut(&key) else {
            self.seen.items.insert(key, Namesakes { first: self.listing.items.len(), prints: BTreeSet::new() });
            return true;
        };
        if let Some(first) = self.listing.items.get(namesakes.first).filter(|_| namesakes.prints.is_empty()) {
            namesakes.prints.insert(print(self.listing, first));
        }
        namesakes.prints.insert(print(self.listing, item))
    }

    /// Every text below an item, with what its place is.
    fn texts(&mut self, node: &Node, pointer: &Pointer, place: Place, item: usize) {
        match &node.value {
            Value::Map(_) => {
                for member in node.effective() {
                    let key = member.key.text.as_str();
                    let at = pointer.key(key);
                    let (own, below) = place_of(key, place, member.value.is_map() || member.value.is_list());
                    if place == Place::ParameterName && speaks(key) {
                        let at = Located { text: key.to_owned(), span: member.key.span, pointer: at.clone() };
                        self.listing.passages.push(Passage { at, place: Place::ParameterName, item: Some(item) });
                    }
                    match &member.value.value {
                        Value::Text(text) if own != Place::Elsewhere || speaks(text) => {
                            self.passage(Some(&member.value), at, own, Some(item));
                        }
                        Value::Map(_) | Value::List(_) => self.texts(&member.value, &at, below, item),
                        Value::Text(_) | Value::Number(_) | Value::Bool(_) | Value::Null => {}
                    }
                }
            }
            Value::List(items) => {
                for (index, each) in items.iter().enumerate() {
                    let at = pointer.index(index);
                    match &each.value {
                        Value::Text(text) if place != Place::Schema && place != Place::Elsewhere || speaks(text) => {
                            self.passage(Some(each), at, place, Some(item));
                        }
                        Value::Map(_) | Value::List(_) => self.texts(each, &at, place, item),
                        Value::Text(_) | Value::Number(_) | Value::Bool(_) | Value::Null => {}
                    }
                }
            }
            Value::Text(_) | Value::Number(_) | Value::Bool(_) | Value::Null => {}
        }
    }
}

/// What only some revisions of the protocol have (`protocol.md`, 2.1): the same tool is listed with it and without. Whatever else stands there is
/// a part of the tool.
fn is_by_revision(member: &Member) -> bool {
    let known =
        |inner: &Member| inner.key.text == "taskSupport" && inner.value.text().is_some_and(|text| text.len() <= 16);
    member.key.text == "execution" && member.value.is_map() && member.value.members().iter().all(known)
}

/// A fingerprint of an item as canonical JSON: keys in order, everything else as it is.
fn canonical_print(node: &Node) -> String {
    let mut out = String::new();
    canonical(node, true, &mut out);
    strong_fingerprint([out.as_str()])
}

fn canonical(node: &Node, outermost: bool, out: &mut String) {
    match &node.value {
        Value::Null => out.push_str("null"),
        Value::Bool(yes) => out.push_str(if *yes { "true" } else { "false" }),
        Value::Number(number) => out.push_str(number),
        Value::Text(text) => quoted(text, out),
        Value::List(items) => {
            out.push('[');
            for item in items {
                canonical(item, false, out);
                out.push(',');
            }
            out.push(']');
        }
        Value::Map(_) => {
            let mut members: Vec<_> = node.effective().collect();
            members.retain(|member| !(outermost && is_by_revision(member)));
            members.sort_by(|a, b| a.key.text.cmp(&b.key.text));
            out.push('{');
            for member in members {
                quoted(&member.key.text, out);
                out.push(':');
                canonical(&member.value, false, out);
                out.push(',');
            }
            out.push('}');
        }
    }
}

/// A text so that no two different ones are written alike.
fn quoted(text: &str, out: &mut String) {
    out.push('"');
    for c in text.chars() {
        if c == '"' || c == '\\' {
            out.push('\\');
        }
        out.push(c);
    }
    out.push('"');
}

/// A fingerprint of all that is known of an item but its place.
fn print(listing: &Listing, item: &Item) -> String {
    let claims = format!(
        "{:?} {:?} {:?} {}",
        item.kind,
        item.hints.read_only.as_ref().map(|hint| hint.0),
        item.hints.destructive.as_ref().map(|hint| hint.0),
        item.open.is_some()
    );
    let texts = listing.passages.get(item.passages.clone()).unwrap_or_default().iter().map(|p| p.at.text.as_str());
    let taken = item
        .parameters
        .iter()
        .flat_map(|p| [p.name.text.as_str(), p.kind.as_str(), if p.bounded { "bounded" } else { "free" }]);
    strong_fingerprint([claims.as_str(), item.name.text.as_str()].into_iter().chain(texts).chain(taken))
}

/// Does a name or keyword say more than a name does?
fn speaks(text: &str) -> bool {
    text.len() > 40 || text.contains(char::is_whitespace) || !text.is_ascii()
}

/// The place of a text under a key, and of what lies deeper.
fn place_of(key: &str, around: Place, nested: bool) -> (Place, Place) {
    let schema = around == Place::Schema || around == Place::ParameterName;
    match key {
        "inputSchema" | "input_schema" | "outputSchema" | "output_schema" | "schema" => (Place::Schema, Place::Schema),
        "arguments" if !schema => (Place::Argument, Place::Argument),
        "annotations" if !schema => (Place::Annotation, Place::Annotation),
        "_meta" => (Place::Meta, Place::Meta),
        "icons" | "uri" | "uriTemplate" | "src" | "href" | "url" | "websiteUrl" | "resourceUri" if !schema => {
            (Place::Address, Place::Address)
        }
        _ if around == Place::ParameterName && nested => (Place::Schema, Place::Schema),
        "properties" | "patternProperties" | "$defs" | "definitions" | "dependentSchemas"
            if around == Place::Schema && nested =>
        {
            (Place::ParameterName, Place::ParameterName)
        }
        "enum" | "const" | "default" | "examples" | "example" | "enumNames" | "enumDescriptions"
            if around == Place::Schema =>
        {
            (Place::Value, Place::Value)
        }
        "description" | "title" | "$comment" | "markdownDescription" if schema => (Place::Schema, Place::Schema),
        _ if schema => (Place::Elsewhere, Place::Schema),
        "name" if around == Place::Elsewhere => (Place::Name, Place::Elsewhere),
        "title" if around == Place::Elsewhere => (Place::Title, Place::Elsewhere),
        "description" if around == Place::Elsewhere => (Place::Description, Place::Elsewhere),
        "text" if around == Place::Elsewhere => (Place::Text, Place::Elsewhere),
        _ => (around, around),
    }
}

/// The parameters of a tool, and where it takes further ones.
fn schema(node: &Node, pointer: &Pointer) -> (Vec<Parameter>, Option<Located>) {
    let Some((key, schema)) = node.first(&["inputSchema", "input_schema"]) else { return (Vec::new(), None) };
    let at = pointer.key(key);
    let key = "additionalProperties";
    let open = schema.get(key).filter(|n| n.truth() == Some(true)).and_then(|n| n.located(at.key(key)));
    let properties = schema.get("properties").map(|p| p.effective().collect::<Vec<_>>()).unwrap_or_default();
    let at = at.key("properties");
    let parameters = properties
        .into_iter()
        .map(|member| {
            let value = &member.value;
            let bounds = ["enum", "const", "pattern", "maxLength"];
            let format = value.get("format").and_then(Node::text);
            Parameter {
                name: Located {
                    text: member.key.text.clone(),
                    span: member.key.span,
                    pointer: at.key(&member.key.text),
                },
                kind: value.get("type").and_then(Node::text).unwrap_or_default().to_owned(),
                bounded: bounds.iter().any(|key| value.get(key).is_some())
                    || format
                        .is_some_and(|f| ["date", "date-time", "time", "uuid", "ipv4", "ipv6", "email"].contains(&f)),
            }
        })
        .collect();
    (parameters, open)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::read::{Input, read};

    fn listing(text: &str) -> Listing {
        let document = read(Input { path: "tide.json".into(), bytes: text.into(), ..Input::default() }).unwrap();
        crate::evidence::listings(&document).into_iter().next().unwrap()
    }

    #[test]
    fn every_text_is_taken_with_its_place() {
        let text = r#"{ "tools": [{
            "name": "get_tide", "title": "Tide", "description": "Gives the tide.",
            "inputSchema": { "type": "object", "title": "input of it", "properties": { "day": {
                "type": "string", "description": "which day", "enum": ["to day"], "default": "a day", "examples": ["one day"],
                "items": { "properties": { "deep down": { "const": "a value" } } } } } },
            "annotations": { "title": "shown so" },
            "icons": [{ "src": "https://tide.example/i.png" }],
            "_meta": { "saltmarsh.example/note": "said aside" } }] }"#;
        let found = listing(text);
        let places: Vec<(&str, Place)> = found.passages.iter().map(|p| (p.at.text.as_str(), p.place)).collect();
        for want in [
            ("get_tide", Place::Name),
            ("Tide", Place::Title),
            ("Gives the tide.", Place::Description),
            ("input of it", Place::Schema),
            ("which day", Place::Schema),
            ("to day", Place::Value),
            ("a day", Place::Value),
            ("one day", Place::Value),
            ("deep down", Place::ParameterName),
            ("a value", Place::Value),
            ("shown so", Place::Annotation),
            ("https://tide.example/i.png", Place::Address),
            ("said aside", Place::Meta),
        ] {
            assert!(places.contains(&want), "{want:?} of {places:?}");
        }
        for passage in &found.passages {
            let written = &text[passage.at.span.start as usize..passage.at.span.end as usize];
            assert!(written.contains(&passage.at.text), "{written}");
        }
    }

    #[test]
    fn what_a_server_says_of_itself_again_is_taken_once() {
        let answer = |text: &str| {
            format!(
                r#"{{ "result": {{ "protocolVersion": "2025-11-25", "serverInfo": {{ "name": "tide" }}, "instructions": "{text}" }} }}"#
            )
        };
        for (second, count) in [("Ask for tides.", 1), ("Ask for more.", 2)] {
            let text = format!("[{}, {}, {}]", answer("Ask for tides."), answer(second), answer(second));
            assert_eq!(listing(&text).passages.len(), count, "{second}");
        }
    }

    #[test]
    fn an_item_that_says_the_same_is_taken_once() {
        let item = |hint: &str, text: &str| {
            format!(
                r#"{{ "name": "get_tide", "description": "{text}", "annotations": {{ "readOnlyHint": {hint} }}, "inputSchema": {{}} }}"#
            )
        };
        for (second, count) in [
            (item("true", "Gives the tide."), 1),
            (item("false", "Gives the tide."), 2),
            (item("true", "Gives the tide!"), 2),
        ] {
            let text = format!(r#"{{ "tools": [{}, {second}, {second}] }}"#, item("true", "Gives the tide."));
            let found = listing(&text);
            assert_eq!(found.items.len(), count, "{second}");
            // Name and description, each once.
            assert_eq!(found.passages.len(), 2 * count);
        }
    }
}
