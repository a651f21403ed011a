//! Powers: the kinds of things that servers let a model do.

/// A kind of thing a server lets the model do.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Power {
    /// Run programs.
    Shell,
    /// Read or write files.
    Files,
    /// Query a database.
    Database,
    /// Drive a browser.
    Browser,
    /// Fetch from the web.
    Web,
    /// Read or send mail.
    Mail,
    /// Read or send messages.
    Messages,
    /// Steer containers or clusters.
    Containers,
    /// Move money.
    Payments,
    /// Steer a code host.
    Code,
}

impl Power {
    /// The power as the JSON contract names it.
    pub fn name(self) -> &'static str {
        match self {
            Self::Shell => "shell",
            Self::Files => "files",
            Self::Database => "database",
            Self::Browser => "browser",
            Self::Web => "web",
            Self::Mail => "mail",
            Self::Messages => "messages",
            Self::Containers => "containers",
            Self::Payments => "payments",
            Self::Code => "code",
        }
    }
}

crate::text::named!(Power: Shell, Files, Database, Browser, Web, Mail, Messages, Containers, Payments, Code);
