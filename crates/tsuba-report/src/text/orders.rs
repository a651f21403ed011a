//! The reading list in the report for people: what servers say to the model, by server.

use super::Text;
use crate::Report;
use crate::model::{EntryRow, ListingRow, OrderRow};
use crate::page::Page;
use crate::phrases::count;
use std::collections::BTreeSet;
use std::io::{self, Write};
use tsuba_core::judge::Verdict;

/// Of a server that is refused or to be fixed so many are told unasked, and only those that no finding tells.
const MOST: usize = 3;

impl Text {
    /// What speaks to the model: of the servers of refused entries the first, or of all of them everything.
    pub(super) fn orders(&self, report: &Report, out: &mut dyn Write) -> io::Result<()> {
        let bad = |entry: &&EntryRow| matches!(entry.verdict, Some(Verdict::Refuse | Verdict::FixFirst));
        let bad: BTreeSet<&str> = report.entries.iter().filter(bad).map(|entry| entry.id.as_str()).collect();
        let mut begun = false;
        for (entry, listing) in report.entries.iter().filter_map(|entry| Some((entry, entry.listing.as_ref()?))) {
            let refused = bad.contains(entry.id.as_str()) || listing.of.iter().any(|id| bad.contains(id.as_str()));
            if !(self.0.orders || refused) {
                continue;
            }
            let wanted = |order: &&OrderRow| self.0.orders || !order.told;
            let orders: Vec<&OrderRow> = listing.orders.iter().filter(wanted).collect();
            if orders.is_empty() {
                continue;
            }
            let mut page = Page::new(self.0, out);
            if !begun {
                page.heading("Speaks to the model")?;
                begun = true;
            }
            page.line(&format!("  {}  {}", entry.name, entry.setup))?;
            let shown = if self.0.orders { orders.len() } else { MOST };
            orders.iter().take(shown).try_for_each(|order| page.order(order))?;
            self.left(listing, orders.len().saturating_sub(shown), &mut page)?;
        }
        Ok(())
    }

    fn left(&self, listing: &ListingRow, left: usize, page: &mut Page<'_>) -> io::Result<()> {
        let left = left.saturating_add(listing.more_orders);
        let hint = if self.0.orders { "" } else { "; --orders lists all" };
        if left == 0 { Ok(()) } else { page.line(&format!("    … and {}{hint}", count(left, "more", "more"))) }
    }
}
