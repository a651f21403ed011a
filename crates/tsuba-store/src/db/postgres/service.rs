//! A service file: connections by their names (PostgreSQL documentation, "The Connection Service File").

use super::password::read;
use crate::StoreError;
use ::postgres::Config;
use std::collections::BTreeMap;
use std::path::PathBuf;

/// What the file says of one service.
pub(super) struct Service(BTreeMap<String, String>);

impl Service {
    /// Reads `PGSERVICEFILE`, or `~/.pg_service.conf`. It may hold a password, so that it must be its owner's alone.
    pub(super) fn read(name: &str) -> Result<Self, StoreError> {
        let home = || std::env::home_dir().map(|home| home.join(".pg_service.conf"));
        let named = std::env::var_os("PGSERVICEFILE").map(PathBuf::from);
        let path = named.or_else(home).ok_or_else(|| StoreError::Address("there is no service file".to_owned()))?;
        let text = read(&path).map_err(|error| StoreError::File(path.clone(), error.to_string()))?;
        Self::of(&text, name).ok_or_else(|| StoreError::File(path, "it has no section for this service".to_owned()))
    }

    fn of(text: &str, name: &str) -> Option<Self> {
        let mut lines = text.lines().map(str::trim).skip_while(|line| *line != format!("[{name}]"));
        lines.next()?;
        let own = lines.take_while(|line| !line.starts_with('['));
        let pairs = own.filter(|line| !line.starts_with('#')).filter_map(|line| line.split_once('='));
        Some(Self(pairs.map(|(key, value)| (key.trim().to_owned(), value.trim().to_owned())).collect()))
    }

    pub(super) fn get(&self, key: &str) -> Option<String> {
        self.0.get(key).cloned()
    }

    /// Adds what the address itself does not say.
    pub(super) fn complete(&self, config: &mut Config) -> Result<(), StoreError> {
        if let Some(host) = self.0.get("host").filter(|_| config.get_hosts().is_empty()) {
            config.host(host);
        }
        if let Some(port) = self.0.get("port").filter(|_| config.get_ports().is_empty()) {
            let wrong = || StoreError::Address("the port of the service is no number".to_owned());
            config.port(port.parse().map_err(|_| wrong())?);
        }
        if let Some(name) = self.0.get("dbname").filter(|_| config.get_dbname().is_none()) {
            config.dbname(name);
        }
        if let Some(user) = self.0.get("user").filter(|_| config.get_user().is_none()) {
            config.user(user);
        }
        if let Some(options) = self.0.get("options").filter(|_| config.get_options().is_none()) {
            config.options(options);
        }
        if let Some(password) = self.0.get("password") {
            config.password(password);
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_service_adds_what_the_address_does_not_say() {
        let text = "[other]\nhost=pier\n\n# ours\n[company]\nhost = quay.saltmarsh-line.example\nport=6432\ndbname=tsuba\nuser=ines\n[last]\nuser=osk\n";
        let service = Service::of(text, "company").unwrap();
        let mut config = Config::new();
        config.dbname("ledger");
        service.complete(&mut config).unwrap();
        assert_eq!(
            (config.get_dbname(), config.get_user(), config.get_ports()),
            (Some("ledger"), Some("ines"), [6432].as_slice())
        );
        assert_eq!(config.get_hosts().len(), 1);
        assert!(Service::of(text, "pier").is_none());
    }
}
