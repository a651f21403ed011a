//! The tools that lists beside the servers of a document let run unasked, by server: read once for all of them.

use crate::prelude::*;
use crate::read::Node;

/// So many places of a listed name are tried as the end of a server's name.
const MAX_NAME_PARTS: usize = 8;

/// A tool that such a list names.
#[derive(Clone, Copy, Debug)]
pub struct Listed<'d> {
    /// The item of the list.
    pub item: &'d Node,
    /// The tool; `None` where all of the server's are meant.
    pub tool: Option<&'d str>,
}

/// What is listed as `mcp__SERVER__TOOL`, by the server's name. A name may have two underscores in it, so that an item can mean a tool of several servers.
#[derive(Clone, Debug, Default)]
pub struct Allowed<'d>(BTreeMap<&'d str, Vec<Listed<'d>>>);

impl<'d> Allowed<'d> {
    /// The lists among the settings of `around`: `allowedTools`, and `permissions.allow`.
    pub(super) fn beside(around: &'d Node) -> Self {
        let mut out = Self::default();
        let lists = [around.get("allowedTools"), around.get("permissions").and_then(|p| p.get("allow"))];
        for item in lists.into_iter().flatten().flat_map(Node::items) {
            let Some(name) = item.text().and_then(|text| text.strip_prefix("mcp__")) else { continue };
            out.0.entry(name).or_default().push(Listed { item, tool: None });
            for (at, between) in name.match_indices("__").take(MAX_NAME_PARTS) {
                let (server, tool) = (name.get(..at), name.get(at + between.len()..));
                if let Some((server, tool)) = server.zip(tool) {
                    let tool = (tool != "*").then_some(tool);
                    out.0.entry(server).or_default().push(Listed { item, tool });
                }
            }
        }
        out
    }

    /// What is listed of a server.
    pub fn of(&self, server: &str) -> &[Listed<'d>] {
        self.0.get(server).map(Vec::as_slice).unwrap_or_default()
    }
}
