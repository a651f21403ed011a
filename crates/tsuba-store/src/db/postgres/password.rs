//! The password of a database: from the environment, or from the file in which its clients keep passwords. Never from an argument.

use crate::StoreError;
use ::postgres::Config;
use ::postgres::config::Host;
use std::fs;
use std::io::ErrorKind;
use std::path::{Path, PathBuf};

/// A password file is no longer than this, in bytes.
const MAX_PASSWORD_FILE: u64 = 1 << 20;

/// `PGPASSWORD`, else the line for this database in `PGPASSFILE` or `~/.pgpass` (PostgreSQL documentation, "The Password File").
pub(super) fn password(config: &Config) -> Result<Option<String>, StoreError> {
    if let Some(password) = std::env::var("PGPASSWORD").ok().filter(|password| !password.is_empty()) {
        return Ok(Some(password));
    }
    let home = || std::env::home_dir().map(|home| home.join(".pgpass"));
    let named = std::env::var_os("PGPASSFILE").map(PathBuf::from);
    let is_named = named.is_some();
    let Some(path) = named.or_else(home) else { return Ok(None) };
    let text = match read(&path) {
        Err(error) if error.kind() == ErrorKind::NotFound && !is_named => return Ok(None),
        read => read.map_err(|error| StoreError::File(path.clone(), error.to_string()))?,
    };
    let host = match config.get_hosts().first() {
        Some(Host::Tcp(name)) => name.clone(),
        _ => "localhost".to_owned(),
    };
    let port = config.get_ports().first().copied().unwrap_or(5432).to_string();
    let user = config.get_user().unwrap_or_default();
    let database = config.get_dbname().unwrap_or(user);
    Ok(of_line(&text, &[&host, &port, database, user]))
}

/// Reads a file that only its owner may read.
pub(super) fn read(path: &Path) -> std::io::Result<String> {
    let facts = fs::metadata(path)?;
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt as _;
        if facts.permissions().mode() & 0o077 != 0 {
            return Err(std::io::Error::other("others may read it; chmod 600 it"));
        }
    }
    if facts.len() > MAX_PASSWORD_FILE {
        return Err(std::io::Error::other("too long for a file of this kind"));
    }
    fs::read_to_string(path)
}

/// The password of the first line whose fields are all these, or `*`.
fn of_line(text: &str, wanted: &[&str; 4]) -> Option<String> {
    let lines = text.lines().filter(|line| !line.starts_with('#'));
    lines.map(fields).find_map(|fields| {
        let [host, port, database, user, password] = fields.as_slice() else { return None };
        let own = [host, port, database, user];
        let fits = own.iter().zip(wanted).all(|(own, wanted)| own.as_str() == "*" || own.as_str() == *wanted);
        fits.then(|| password.clone())
    })
}

/// The fields of a line: `\:` and `\\` are signs of a field.
fn fields(line: &str) -> Vec<String> {
    let mut out = vec![String::new()];
    let mut signs = line.chars();
    while let Some(sign) = signs.next() {
        match sign {
            // The last field is taken as it is but for its backslashes.
            ':' if out.len() < 5 => out.push(String::new()),
            '\\' => out.last_mut().into_iter().for_each(|field| field.extend(signs.next())),
            sign => out.last_mut().into_iter().for_each(|field| field.push(sign)),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::of_line;

    #[test]
    fn the_first_line_that_fits_says_it() {
        let file = "# gulls\nquay:5432:tsuba:ines:first\n*:6432:*:ines:a\\:b\\\\c:d\nquay:*:tsuba:*:last\nquay:5432\n";
        for (wanted, want) in [
            (["quay", "5432", "tsuba", "ines"], Some("first")),
            (["pier", "6432", "ledger", "ines"], Some("a:b\\c:d")),
            (["quay", "5432", "tsuba", "osk"], Some("last")),
            (["pier", "5432", "tsuba", "osk"], None),
        ] {
            assert_eq!(of_line(file, &wanted).as_deref(), want, "{wanted:?}");
        }
    }
}
