//! The layers of a saved image: what a later one removes or replaces is no longer in the image, and is still in the file (OCI image layer
//! specification 1.1, "Whiteouts").

use std::collections::{BTreeMap, BTreeSet};
use tsuba_core::read::{Input, Node, read};

/// So many bytes of documents are held until every layer was read; of what is more it is not known whether the image still has it.
const MAX_HELD_BYTES: usize = 64 << 20;
/// So many lists of layers are looked at, and of each so many bytes.
const MAX_LISTS: usize = 16;
pub(crate) const MAX_LIST_BYTES: usize = 1 << 20;

/// Of more layers of one image it is not known what is gone; engines take 127.
const MAX_LAYERS: usize = 1000;
/// A longer path (bytes) is nobody's.
const MAX_PATH_BYTES: usize = 4096;
/// So much is looked at to find out what is gone (bytes of paths, for each folder on the way); of the rest it is not known.
const MAX_LOOKED_BYTES: usize = 256 << 20;

/// Before the name of what a layer removes.
const REMOVED: &str = ".wh.";
/// In a folder of which a layer removes everything that was in it before.
const EMPTIED: &str = ".wh..wh..opq";

/// What is known of the layers of one archive.
#[derive(Debug, Default)]
pub(crate) struct Layers {
    /// What is in each, by the layer's path, as far as it may matter.
    names: BTreeMap<String, BTreeSet<String>>,
    /// Which layers an image has, from the lowest.
    orders: Vec<Vec<String>>,
    held: Vec<Held>,
    bytes: usize,
}

#[derive(Debug)]
struct Held {
    layer: String,
    path: String,
    input: Input,
}

impl Layers {
    /// Notes that a layer has a file of this path, or removes one.
    pub(crate) fn note(&mut self, layer: &str, path: &str) {
        if path.len() > MAX_PATH_BYTES {
            return;
        }
        match self.names.get_mut(layer) {
            Some(names) => names.insert(plain(path)),
            None => self.names.entry(layer.to_owned()).or_default().insert(plain(path)),
        };
    }

    /// Does a path say that something is removed?
    pub(crate) fn removes(path: &str) -> bool {
        path.rsplit('/').next().unwrap_or(path).starts_with(REMOVED)
    }

    /// Reads which layers an image has: the list of a saved image, or an image's manifest (OCI image manifest specification 1.1).
    pub(crate) fn order(&mut self, archive: &str, bytes: &[u8]) {
        if self.orders.len() >= MAX_LISTS || bytes.len() > MAX_LIST_BYTES {
            return;
        }
        let input = Input { path: "manifest.json".to_owned(), bytes: bytes.to_vec(), ..Input::default() };
        let Ok(document) = read(input) else { return };
        let Some(root) = document.roots.first() else { return };
        let saved = root.items().iter().filter_map(|image| image.get("Layers"));
        let saved = saved.map(|layers| layers.items().iter().filter_map(Node::text).map(str::to_owned).collect());
        let blob = |layer: &Node| {
            let (kind, digest) = layer.get("digest")?.text()?.split_once(':')?;
            Some(format!("blobs/{kind}/{digest}"))
        };
        let image = root.get("layers").map(|layers| layers.items().iter().filter_map(blob).collect());
        let orders = saved.chain(image).filter(|layers: &Vec<String>| (2..=MAX_LAYERS).contains(&layers.len()));
        // Of a layer that is there several times the last time counts: it lies on top of what is between.
        let whole = |layers: Vec<String>| {
            let is_last =
                |(index, layer): &(usize, &String)| !layers.iter().skip(index + 1).any(|later| later == *layer);
            let last = layers.iter().enumerate().filter(is_last);
            last.map(|(_, layer)| format!("{archive}!/{layer}")).collect()
        };
        self.orders.extend(orders.map(whole).take(MAX_LISTS - self.orders.len()));
    }

    /// Holds a document of a layer, as long as there is room: else it comes back.
    pub(crate) fn hold(&mut self, layer: &str, path: &str, input: Input) -> Option<Input> {
        if self.bytes.saturating_add(input.bytes.len()) > MAX_HELD_BYTES {
            return Some(input);
        }
        self.bytes += input.bytes.len();
        self.held.push(Held { layer: layer.to_owned(), path: plain(path), input });
        None
    }

    /// The documents that were held, in the order in which they were read; each knows whether its image still has it.
    pub(crate) fn release(self) -> impl Iterator<Item = Input> {
        let Self { names, orders, mut held, .. } = self;
        // In how many images a document's layer is, and from how many of them the document is gone.
        let mut seen = vec![(0_usize, 0_usize); held.len()];
        let mut by_layer: BTreeMap<&str, Vec<usize>> = BTreeMap::new();
        for (index, held) in held.iter().enumerate() {
            by_layer.entry(&held.layer).or_default().push(index);
        }
        let mut left = MAX_LOOKED_BYTES;
        for order in &orders {
            let mut above: BTreeSet<&str> = BTreeSet::new();
            for layer in order.iter().rev() {
                for index in by_layer.get(layer.as_str()).into_iter().flatten() {
                    if let (Some(counts), Some(held)) = (seen.get_mut(*index), held.get(*index)) {
                        counts.0 += 1;
                        let looked = held.path.len() * (held.path.matches('/').count() + 1);
                        let looks = looked <= left && held.path.len() <= MAX_PATH_BYTES;
                        left = if looks { left - looked } else { left };
                        counts.1 += usize::from(looks && is_gone(&above, &held.path));
                    }
                }
                above.extend(names.get(layer).into_iter().flatten().map(String::as_str));
            }
        }
        drop(by_layer);
        for (held, (images, gone)) in held.iter_mut().zip(seen) {
            held.input.facts.superseded = images > 0 && images == gone;
        }
        held.into_iter().map(|held| held.input)
    }
}

/// Do the layers above have another file of this path, or remove it or a folder that it lies in?
fn is_gone(above: &BTreeSet<&str>, path: &str) -> bool {
    let removed = |path: &str| match path.rsplit_once('/') {
        Some((folder, name)) => {
            above.contains(format!("{folder}/{REMOVED}{name}").as_str())
                || above.contains(format!("{folder}/{EMPTIED}").as_str())
        }
        None => above.contains(format!("{REMOVED}{path}").as_str()) || above.contains(EMPTIED),
    };
    let mut folder = Some(path);
    above.contains(path)
        || core::iter::from_fn(|| {
            let this = folder?;
            folder = this.rsplit_once('/').map(|(folder, _)| folder);
            Some(this)
        })
        .any(removed)
}

fn plain(path: &str) -> String {
    path.trim_start_matches("./").trim_matches('/').to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What is gone of `layer/path` documents, where each layer has these names.
    fn gone(order: &str, names: &[(&str, &str)], documents: &[(&str, &str)]) -> Vec<String> {
        let mut layers = Layers::default();
        for (layer, path) in names.iter().chain(documents) {
            layers.note(&format!("i.tar!/{layer}"), path);
        }
        layers.order("i.tar", order.as_bytes());
        for (layer, path) in documents {
            let input = Input { path: format!("{layer}/{path}"), ..Input::default() };
            assert!(layers.hold(&format!("i.tar!/{layer}"), path, input).is_none());
        }
        layers.release().filter(|input| input.facts.superseded).map(|input| input.path).collect()
    }

    #[test]
    fn what_a_later_layer_removes_or_replaces_is_gone() {
        const ORDER: &str = r#"[{"Config": "c", "Layers": ["a", "b"]}]"#;
        const LOW: &[(&str, &str)] = &[("a", "etc/tide/mcp.json")];
        for (names, want) in [
            (&[("b", "etc/tide/mcp.json")][..], true),
            (&[("b", "etc/tide/.wh.mcp.json")], true),
            (&[("b", "etc/.wh.tide")], true),
            (&[("b", ".wh.etc")], true),
            (&[("b", "./etc/tide/.wh..wh..opq")], true),
            // The other file of that name, and what lies below or in another layer, stays.
            (&[("b", "etc/mcp.json")], false),
            (&[("b", "etc/tide/.wh.mcp")], false),
            (&[("b", "etc/quay/.wh..wh..opq")], false),
            (&[("a", "etc/tide/.wh.mcp.json")], false),
            (&[("c", "etc/tide/mcp.json")], false),
            (&[], false),
        ] {
            assert_eq!(!gone(ORDER, names, LOW).is_empty(), want, "{names:?}");
        }
        assert_eq!(gone(ORDER, &[("a", "etc/tide/mcp.json")], &[("b", "etc/tide/mcp.json")]), [""; 0]);
        let image = r#"{"schemaVersion": 2, "layers": [{"digest": "sha256:0a"}, {"digest": "sha256:0b"}]}"#;
        let low = [("blobs/sha256/0a", "mcp.json")];
        assert_eq!(gone(image, &[("blobs/sha256/0b", ".wh.mcp.json")], &low), ["blobs/sha256/0a/mcp.json"]);
        // One of two images still has it; without an order nothing is known.
        let two = r#"[{"Layers": ["a", "b"]}, {"Layers": ["a", "c"]}]"#;
        assert_eq!(gone(two, &[("b", ".wh.etc")], LOW), [""; 0]);
        assert_eq!(gone(two, &[("b", ".wh.etc"), ("c", ".wh.etc")], LOW).len(), 1);
        // The same layer again lies on top.
        let again = r#"[{"Layers": ["a", "b", "a"]}]"#;
        assert_eq!(gone(again, &[("b", ".wh.etc")], LOW), [""; 0]);
        let many = format!(r#"[{{"Layers": ["a", {} "b"]}}]"#, r#""a", "#.repeat(MAX_LAYERS));
        assert_eq!(gone(&many, &[("b", ".wh.etc")], LOW), [""; 0]);
        assert_eq!(gone("[]", &[("b", ".wh.etc")], LOW), [""; 0]);
    }

    #[test]
    fn what_is_too_much_is_not_held() {
        let mut layers = Layers::default();
        let large = || Input { bytes: vec![b' '; MAX_HELD_BYTES / 2 + 1], ..Input::default() };
        assert!(layers.hold("a", "b", large()).is_none());
        assert!(layers.hold("a", "c", large()).is_some());
        layers.order("i.tar", br#"[{"Layers": ["a", "b"]}]"#);
        let deep = Input::default();
        assert!(layers.hold("i.tar!/a", &"a/".repeat(MAX_PATH_BYTES), deep).is_none());
        layers.note("i.tar!/b", ".wh.a");
        layers.order("i.tar", "[".repeat(10_000).as_bytes());
        layers.order("i.tar", &vec![b'['; MAX_LIST_BYTES + 1]);
        assert_eq!(layers.release().filter(|input| !input.facts.superseded).count(), 2);
    }
}
