//! report: one report model, and one small type for each format.
//!
//! The model holds only texts that went through the core's cleaner, so a format cannot print a secret or a control character;
//! what is left to a format is its own markup.

mod build;
mod card;
mod cyclonedx;
mod difference;
mod entry;
mod filter;
mod format;
mod groups;
mod html;
pub mod inventory;
mod json;
mod junit;
mod lines;
mod login;
mod markdown;
pub mod model;
mod ocsf;
mod overview;
mod page;
mod parts;
mod phrases;
mod rows;
pub mod rules;
mod sarif;
mod source;
mod split;
mod style;
mod summary;
mod table;
mod text;
mod texts;
mod together;

pub use card::Card;
pub use cyclonedx::CycloneDx;
pub use difference::{Difference, DifferenceKind, differences, write_differences};
pub use format::{Format, Renderer};
pub use html::{Company, CompanyEntry, CompanyFinding, CompanyWeek, Html, company};
pub use json::{Json, NotAReport, read, schema};
pub use junit::JUnit;
pub use lines::Lines;
pub use markdown::Markdown;
pub use model::Report;
pub use ocsf::{Observed, Ocsf};
pub use page::{Page, message};
pub use parts::parts;
pub use phrases::{count, plan_line as launch_line};
pub use rows::entry_id;
pub use sarif::Sarif;
pub use source::{RepositoryRow, RepositorySource, Source, SourceRow};
pub use split::{Part, SplitBy};
pub use style::{RenderOptions, Role};
pub use table::{EntryTable, FindingTable, Rows, table};
pub use text::Text;
