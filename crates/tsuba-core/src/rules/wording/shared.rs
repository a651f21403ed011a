//! What the rules of this family share: telling a remark of the reading.

use crate::judge::{Circumstance, Hit, Listings, Out};
use crate::prelude::*;
use crate::severity::Confidence;
use crate::text::Located;
use crate::understand::Analysis;
use crate::wording::{Class, Remark, Strength};

/// Tells every remark of one class.
pub(super) fn tell(listings: &Listings<'_>, class: Class, out: &mut Out<'_>) {
    for remark in listings.remarks.iter().filter(|remark| remark.class == class) {
        let Some(passage) = listings.listing.passages.get(remark.passage) else { continue };
        hit(
            remark,
            &passage.at.part(listings.source(), remark.range.clone()),
            listings.listing.whereabouts(passage),
            out,
        );
    }
}

/// Likewise of an instruction file.
pub(super) fn tell_of_guide(analysis: &Analysis, class: Class, out: &mut Out<'_>) {
    let Some(guide) = &analysis.guide else { return };
    for remark in guide.remarks.iter().filter(|remark| remark.class == class) {
        let Some(passage) = guide.passages.get(remark.passage) else { continue };
        let at = passage.part(&analysis.document.text, remark.range.clone());
        hit(remark, &at, "this instruction file".to_owned(), out)
            .advice("Take it out, or ask who wrote it what it is for, before any program reads the file to its model.");
    }
}

fn hit<'o>(remark: &Remark, at: &Located, whereabouts: String, out: &'o mut Out<'_>) -> &'o mut Hit {
    let seen_elsewhere = matches!(remark.class, Class::HiddenText | Class::Encoded);
    let hit = out.hit(at);
    hit.arg("where", whereabouts)
        .arg("words", quoted(remark))
        .arg("how", remark.how.map_or("in another form", |how| how.name()))
        .arg("more", more(remark.more))
        .circumstance_if(remark.strength == Strength::Faint, Circumstance::Faint)
        .circumstance_if(remark.strength == Strength::Strong, Circumstance::Grave)
        .circumstance_if(remark.how.is_some() && !seen_elsewhere, Circumstance::Hidden)
        .confidence(match remark.strength {
            // A model may be wrong, and may have been talked into it.
            Strength::Strong if remark.by.is_some() => Confidence::Likely,
            Strength::Strong => Confidence::Certain,
            Strength::Clear => Confidence::Likely,
            Strength::Faint => Confidence::Possible,
        })
        .shows(remark.reads.clone(), remark.sees.clone());
    if let Some(by) = &remark.by {
        hit.besides(format!("read by {by}"));
    }
    hit
}

/// The words that decided, in the order written.
fn quoted(remark: &Remark) -> String {
    let words: Vec<&str> =
        remark.words.iter().map(|word| word.trim()).filter(|word| !word.is_empty()).take(8).collect();
    if words.is_empty() { format!("“{}”", remark.reads) } else { format!("“{}”", words.join(" … ")) }
}

fn more(more: usize) -> String {
    if more == 0 { String::new() } else { format!(" (and {more} more in the same text)") }
}
