//! The tools that lists beside the servers of a document let run unasked, by server: read once for all of them.

use crate::prelude::*;
use crate::read::Node;

/// A tool that such a list names.
#[derive(Clone, Copy, Debug)]
pub struct Listed<'d> {
    /// The item of the list.
    pub item: &'d Node,
    /// The tool; `None` where all of the server's are meant.
    pub tool: Option<&'d str>,
}

/// What is listed as `mcp__SERVER__TOOL`: by name, with the number in its list. A name may have two underscores in it, so that an item can mean a
/// tool of several servers.
#[derive(Clone, Debug, Default)]
pub struct Allowed<'d>(Vec<(&'d str, usize, &'d Node)>);

impl<'d> Allowed<'d> {
    /// The lists among the settings of `around`: `allowedTools`, and `permissions.allow`.
    pub(super) fn beside(around: &'d Node) -> Self {
        let lists = [around.get("allowedTools"), around.get("permissions").and_then(|p| p.get("allow"))];
        let items = lists.into_iter().flatten().flat_map(Node::items).enumerate();
        let named = items.filter_map(|(at, item)| Some((item.text()?.strip_prefix("mcp__")?, at, item)));
        let mut all: Vec<_> = named.collect();
        all.sort_unstable_by_key(|(name, at, _)| (*name, *at));
        Self(all)
    }

    /// What is listed of a server, in the order of the lists.
    pub fn of(&self, server: &str) -> Vec<Listed<'d>> {
        let of_tools = format!("{server}__");
        let from =
            |name: &str| self.0.get(self.0.partition_point(|(own, ..)| *own < name)..).unwrap_or_default().iter();
        let whole = from(server).take_while(|(name, ..)| *name == server).map(|(_, at, item)| (*at, *item, None));
        let tools = from(&of_tools).map_while(|(name, at, item)| {
            let tool = name.strip_prefix(of_tools.as_str())?;
            Some((*at, *item, (tool != "*").then_some(tool)))
        });
        let mut out: Vec<_> = whole.chain(tools).collect();
        out.sort_unstable_by_key(|(at, ..)| *at);
        out.into_iter().map(|(_, item, tool)| Listed { item, tool }).collect()
    }
}
