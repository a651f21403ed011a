//! The kinds of documents that say something about tool servers.

/// The kinds of setup.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum SetupKind {
    /// A client's servers.
    Client,
    /// A dotenv file beside or referenced by a setup.
    Dotenv,
    /// What a server lists: tools, prompts, resources.
    Listing,
    /// How to log in: OAuth metadata, keys, clients.
    Login,
    /// Services that containers run.
    Compose,
    /// Workloads of a cluster.
    Kubernetes,
    /// Containers of a service, a job, a chart or infrastructure that is written down, and programs that an editor starts.
    Workload,
    /// How an image is built.
    Image,
    /// A service of the system.
    Unit,
    /// A script that adds or writes down servers.
    Script,
    /// What a text shows, or a link would install.
    Snippet,
    /// What is not installed yet, and somebody asks about.
    Candidate,
    /// How a server is published.
    Manifest,
    /// What an agent says of itself.
    Card,
    /// What routes to servers.
    Gateway,
    /// What runs without asking.
    Permissions,
    /// Keys, and who may use which service.
    Identity,
    /// What a model thinks of the texts of a server.
    Reading,
    /// What a program hands to its model.
    Instructions,
}

impl SetupKind {
    /// Does it set servers up, so that they are decided on? What a text shows, a manifest publishes or a file builds is decided on where
    /// it is set up.
    pub fn sets_up(self) -> bool {
        !matches!(self, Self::Snippet | Self::Manifest | Self::Image)
    }

    /// Does it start or call servers itself, or is it asked to: something whose servers can be asked what they are?
    pub fn is_clients(self) -> bool {
        matches!(self, Self::Client | Self::Script | Self::Candidate | Self::Gateway)
    }

    /// The kind as the JSON contract names it.
    pub fn name(self) -> &'static str {
        match self {
            Self::Client => "client",
            Self::Dotenv => "dotenv",
            Self::Listing => "listing",
            Self::Login => "login",
            Self::Compose => "compose",
            Self::Kubernetes => "kubernetes",
            Self::Workload => "workload",
            Self::Image => "image",
            Self::Unit => "unit",
            Self::Script => "script",
            Self::Snippet => "snippet",
            Self::Candidate => "candidate",
            Self::Manifest => "manifest",
            Self::Card => "card",
            Self::Gateway => "gateway",
            Self::Permissions => "permissions",
            Self::Identity => "identity",
            Self::Reading => "reading",
            Self::Instructions => "instructions",
        }
    }
}

crate::text::named!(SetupKind: Client, Dotenv, Listing, Login, Compose, Kubernetes, Workload, Image, Unit, Script, Snippet, Candidate, Manifest, Card, Gateway, Permissions, Identity, Reading, Instructions);
