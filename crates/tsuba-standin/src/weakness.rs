//! What may be wrong with a stand-in.

/// A weakness.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Weakness {
    /// Speaks only the older revisions.
    HandshakeOnly,
    /// Speaks only the newest revision.
    StatelessOnly,
    /// Ends when the first message is not `initialize`.
    DiesOnProbe,
    /// Answers another client with other tools.
    TwoFaced,
    /// Never says the same twice.
    Unsteady,
    /// A description that gives the model orders.
    Steering,
    /// Asks the client to have its model speak.
    Asks,
    /// Lists pages without end, each with another cursor.
    PagesForever,
    /// Sends notifications without end.
    Floods,
    /// Never answers a list.
    Silent,
    /// Answers a byte at a time.
    Drips,
    /// Answers under other ids.
    WrongIds,
    /// Says more than anybody takes.
    Huge,
    /// Breaks its streams off before the answer, to be taken up again.
    BreaksOff,
    /// Looks for keys in the home folder, and calls somebody.
    Nosy,
    /// Writes other things between the messages.
    Chatty,
    /// Answers over HTTP as the protocol of 2024-11-05 has it.
    OlderEvents,
    /// Wants a token.
    WantsToken,
    /// Refuses without saying how to log in.
    NoChallenge,
    /// Has no metadata.
    NoMetadata,
    /// Has the metadata of another resource.
    WrongResource,
    /// Takes tokens from the address.
    TokenInQuery,
    /// Has every client ask for the right to administer.
    BroadScopes,
    /// Answers whatever origin and host are named.
    AnyOrigin,
    /// Leads to another host.
    LeadsAway,
    /// The identity provider answers as another issuer.
    WrongIssuer,
    /// The identity provider accepts PKCE without its protection.
    PlainPkce,
    /// The identity provider hands out tokens in the address.
    Implicit,
    /// The identity provider lets anybody register.
    OpenRegistration,
    /// The identity provider signs with a short key.
    ShortKey,
    /// The token may do more than the tools need, for ever and everywhere.
    WideToken,
    /// Refuses with a challenge that nobody can read.
    BadChallenge,
    /// Leads to a page where people log in, in the place of a refusal.
    LoginPage,
    /// Refuses with an error that says success.
    RefusesWith200,
    /// Has its metadata fetched from a link-local address.
    ChallengeInside,
    /// Has a page in the place of its metadata.
    PageForMetadata,
    /// Names no authorization servers.
    NoIssuers,
    /// Names an issuer that does not answer.
    SilentIssuer,
    /// Allows whatever origin asks, with credentials.
    ReflectsOrigin,
    /// Takes any token.
    AnyToken,
    /// Its event stream has messages sent to another origin.
    EventsElsewhere,
}

impl Weakness {
    /// Every weakness with its name on the command line.
    pub const ALL: [(Self, &'static str); 41] = [
        (Self::HandshakeOnly, "handshake-only"),
        (Self::StatelessOnly, "stateless-only"),
        (Self::DiesOnProbe, "dies-on-probe"),
        (Self::TwoFaced, "two-faced"),
        (Self::Unsteady, "unsteady"),
        (Self::Steering, "steering"),
        (Self::Asks, "asks"),
        (Self::PagesForever, "pages-forever"),
        (Self::Floods, "floods"),
        (Self::Silent, "silent"),
        (Self::Drips, "drips"),
        (Self::WrongIds, "wrong-ids"),
        (Self::Huge, "huge"),
        (Self::BreaksOff, "breaks-off"),
        (Self::Nosy, "nosy"),
        (Self::Chatty, "chatty"),
        (Self::OlderEvents, "older-events"),
        (Self::WantsToken, "wants-token"),
        (Self::NoChallenge, "no-challenge"),
        (Self::NoMetadata, "no-metadata"),
        (Self::WrongResource, "wrong-resource"),
        (Self::TokenInQuery, "token-in-query"),
        (Self::BroadScopes, "broad-scopes"),
        (Self::AnyOrigin, "any-origin"),
        (Self::LeadsAway, "leads-away"),
        (Self::WrongIssuer, "wrong-issuer"),
        (Self::PlainPkce, "plain-pkce"),
        (Self::Implicit, "implicit"),
        (Self::OpenRegistration, "open-registration"),
        (Self::ShortKey, "short-key"),
        (Self::WideToken, "wide-token"),
        (Self::BadChallenge, "bad-challenge"),
        (Self::LoginPage, "login-page"),
        (Self::RefusesWith200, "refuses-with-200"),
        (Self::ChallengeInside, "challenge-inside"),
        (Self::PageForMetadata, "page-for-metadata"),
        (Self::NoIssuers, "no-issuers"),
        (Self::SilentIssuer, "silent-issuer"),
        (Self::ReflectsOrigin, "reflects-origin"),
        (Self::AnyToken, "any-token"),
        (Self::EventsElsewhere, "events-elsewhere"),
    ];

    /// The weakness with this name.
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|(_, known)| *known == name).map(|(weakness, _)| weakness)
    }
}
