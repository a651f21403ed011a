//! Copies of sites: a folder is called like its host, and what lies in it has the path that it was published at.

use crate::evidence::oauth::of_well_known;
use crate::prelude::*;

/// The server that a file of a copied site is of: a folder called like a host, and the well-known address in it.
pub(super) fn of_path(path: &str) -> Option<String> {
    let (before, rest) = path.split_once("/.well-known/oauth-protected-resource")?;
    let address = format!("https://{}/.well-known/oauth-protected-resource{rest}", host_named(before)?);
    of_well_known(address.trim_end_matches(".json"))
}

/// Likewise the issuer (RFC 8414, 3.1; OpenID Connect Discovery 1.0, 4.1).
pub(super) fn issuer_of_path(path: &str) -> Option<String> {
    let (before, rest) = path.split_once("/.well-known/")?;
    let rest = rest.trim_end_matches(".json");
    let host =
        host_named(before.split('/').find(|part| part.contains('.') && !part.starts_with('.')).unwrap_or(before))?;
    let inner =
        rest.strip_prefix("oauth-authorization-server").or_else(|| rest.strip_prefix("openid-configuration"))?;
    let outer = before.rsplit_once(&host).map_or("", |(_, path)| path);
    Some(format!("https://{host}{outer}{inner}"))
}

/// The last folder's name, where it is that of a host.
fn host_named(folder: &str) -> Option<String> {
    let name = folder.rsplit('/').next().unwrap_or(folder);
    let labels = name.split('.').count();
    let plain = name.bytes().all(|byte| byte.is_ascii_alphanumeric() || matches!(byte, b'.' | b'-'));
    let ends =
        name.rsplit('.').next().is_some_and(|last| last.len() > 1 && last.bytes().all(|b| b.is_ascii_alphabetic()));
    (labels > 1 && plain && ends && !name.starts_with('.')).then(|| name.to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_folder_called_like_a_host_says_whose_it_is() {
        for (path, want) in [
            ("a/tides.example/.well-known/oauth-protected-resource/mcp", Some("https://tides.example/mcp")),
            ("tides.example/.well-known/oauth-protected-resource.json", Some("https://tides.example")),
            ("a/.well-known/oauth-protected-resource/mcp", None),
            (".desk.d/.well-known/oauth-protected-resource", None),
            ("v1.2/.well-known/oauth-protected-resource", None),
        ] {
            assert_eq!(of_path(path).as_deref(), want, "{path}");
        }
        for (path, want) in [
            ("a/id.example/.well-known/oauth-authorization-server/t", Some("https://id.example/t")),
            ("a/id.example/t/.well-known/openid-configuration", Some("https://id.example/t")),
            ("id.example/.well-known/openid-configuration.json", Some("https://id.example")),
            ("a/.well-known/openid-configuration", None),
            ("id.example/.well-known/jwks.json", None),
        ] {
            assert_eq!(issuer_of_path(path).as_deref(), want, "{path}");
        }
    }
}
