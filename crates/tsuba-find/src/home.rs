//! A person's own folders: where programs keep their settings, by the conventions of Linux (XDG Base Directory), macOS and Windows; and what in
//! them is private and can be no setup.

use ignore::DirEntry;
use std::path::Path;

/// Folders of a home in which programs keep settings, beside those whose names begin with a dot.
const SETTINGS: &[&str] = &["Library", "AppData"];
/// What is looked at below those.
const BELOW: &[&str] = &["Application Support", "Preferences", "Roaming", "Local", "LocalLow"];

/// Folders that hold keys, mail, messages, pictures, or what a program's pages keep: no setup is among them.
const PRIVATE: &[&str] = &[
    ".ssh",
    ".gnupg",
    ".pki",
    ".password-store",
    "keyrings",
    "Keychains",
    "Mail",
    "mail",
    ".mail",
    "Maildir",
    "Messages",
    "MobileSync",
    "Photos",
    "AddressBook",
    "Calendars",
    "CallHistoryDB",
    "Credentials",
    "Trash",
    ".Trash",
    "History",
    "Cookies",
    "Local Storage",
    "Session Storage",
    "IndexedDB",
    "Service Worker",
    "blob_storage",
    "WebStorage",
    "Cache",
    "GPUCache",
    "Code Cache",
    "CachedData",
    "Crashpad",
];

/// Is this part of a home one that is looked at? `depth` counts from the home.
pub(crate) fn is_looked_at(entry: &DirEntry) -> bool {
    let Some(name) = entry.file_name().to_str() else { return false };
    let is_folder = entry.file_type().is_some_and(|kind| kind.is_dir());
    match entry.depth() {
        0 => true,
        1 => {
            name.starts_with('.') && !(is_folder && is_private(name, entry.path()))
                || (is_folder && SETTINGS.contains(&name))
        }
        2 if entry
            .path()
            .parent()
            .and_then(Path::file_name)
            .and_then(|above| above.to_str())
            .is_some_and(|above| SETTINGS.contains(&above)) =>
        {
            is_folder && BELOW.contains(&name)
        }
        _ => !(is_folder && is_private(name, entry.path())),
    }
}

/// By its name, or by what every folder of its kind holds: a browser's profile, a mailbox, a key store.
fn is_private(name: &str, path: &Path) -> bool {
    let holds = |name: &str| path.join(name).symlink_metadata().is_ok();
    PRIVATE.contains(&name)
        || holds("places.sqlite")
        || (holds("Login Data") && holds("History"))
        || (holds("cur") && holds("new") && holds("tmp"))
        || holds("private-keys-v1.d")
}
