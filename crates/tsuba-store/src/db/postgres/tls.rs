//! TLS to a database: its certificate is always checked, against the machine's roots or those that are named.

use crate::StoreError;
use rustls::pki_types::CertificateDer;
use rustls::pki_types::pem::PemObject as _;
use rustls::{ClientConfig, RootCertStore};
use std::path::Path;
use std::sync::Arc;
use tokio_postgres_rustls::MakeRustlsConnect;

pub(super) fn connector(roots: Option<&Path>) -> Result<MakeRustlsConnect, StoreError> {
    let mut store = RootCertStore::empty();
    match roots {
        Some(path) => {
            let wrong = |why: String| StoreError::File(path.to_owned(), why);
            let all = CertificateDer::pem_file_iter(path).map_err(|error| wrong(error.to_string()))?;
            for one in all {
                let one = one.map_err(|error| wrong(error.to_string()))?;
                store.add(one).map_err(|error| wrong(error.to_string()))?;
            }
        }
        // A root that cannot be read vouches for nobody.
        None => _ = store.add_parsable_certificates(rustls_native_certs::load_native_certs().certs),
    }
    let provider = Arc::new(rustls::crypto::ring::default_provider());
    let config = ClientConfig::builder_with_provider(provider)
        .with_safe_default_protocol_versions()
        .map_err(|error| StoreError::Address(error.to_string()))?
        .with_root_certificates(store)
        .with_no_client_auth();
    Ok(MakeRustlsConnect::new(config))
}
