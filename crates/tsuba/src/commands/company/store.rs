//! Where a store is: a file, or a database of PostgreSQL.

use anyhow::{Context as _, bail};
use std::path::Path;
use tsuba_store::Store;

/// A store to write into; it is made where there is none.
pub(super) fn create(store: &Path) -> anyhow::Result<Store> {
    match server(store) {
        Some(address) => connect(address),
        None => Store::create(store).with_context(|| store.display().to_string()),
    }
}

/// A store that is there and has something in it.
pub(super) fn open(store: &Path) -> anyhow::Result<Store> {
    let (opened, name) = match server(store) {
        // An address is not repeated: it may hold what nobody should have written there.
        Some(address) => (connect(address)?, "the database".to_owned()),
        None if !store.is_file() => {
            bail!("{}: there is no store; `tsuba company add REPORT` makes one, --store names another", store.display())
        }
        None => (Store::open(store).with_context(|| store.display().to_string())?, store.display().to_string()),
    };
    if opened.is_empty()? {
        bail!("{name}: no report has been added yet; `tsuba company add REPORT`");
    }
    Ok(opened)
}

/// An address, where a store is no file.
fn server(store: &Path) -> Option<&str> {
    store.to_str().filter(|text| text.contains("://"))
}

#[cfg(feature = "postgres")]
fn connect(address: &str) -> anyhow::Result<Store> {
    use tsuba_store::Address;
    if !Address::is_one(address) {
        bail!("--store: a store is a file, or a database at postgres://USER@HOST:PORT/NAME");
    }
    Ok(Store::connect(&Address::read(address)?)?)
}

#[cfg(not(feature = "postgres"))]
fn connect(_: &str) -> anyhow::Result<Store> {
    bail!(
        "--store: this build of tsuba keeps a store in a file; one with databases of PostgreSQL is built with `--features postgres`"
    )
}
