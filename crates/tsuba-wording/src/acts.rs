//! What a text asks of the model: the acts, the features that speak for and against each, and their weights. This is data; how it is
//! weighed stands in `weigh`.
//!
//! Weights are hundredths. An act is told when its score reaches `tells`, and is grave from `grave` on.

use super::Class;
use super::act::{Act, Feature, Group, Term};
use super::concept::{Concept as C, Set};

const fn s(concepts: &[C]) -> Set {
    Set::of(concepts)
}

const fn has(concepts: &[C]) -> Term {
    Term::Has(s(concepts))
}

const fn lacks(concepts: &[C]) -> Term {
    Term::Lacks(s(concepts))
}

const fn near(a: &[C], b: &[C], words: u32) -> Term {
    Term::Near(s(a), s(b), words)
}

const fn denied(a: &[C]) -> Term {
    Term::Denied(s(a))
}

const fn affirmed(a: &[C]) -> Term {
    Term::Affirmed(s(a))
}

const fn f(weight: i32, all: &'static [Term]) -> Feature {
    Feature { weight, all }
}

const ANY: i32 = 1000;

/// What shows that the text wants something done, rather than says what is done.
const URGES: Group = Group {
    most: 45,
    features: &[
        f(25, &[has(&[C::Must])]),
        f(20, &[has(&[C::When])]),
        f(20, &[has(&[C::Also])]),
        f(20, &[has(&[C::Soft])]),
        f(15, &[has(&[C::Always])]),
        f(10, &[has(&[C::Reader])]),
        f(10, &[has(&[C::Urgent])]),
        f(15, &[has(&[C::Purpose])]),
        f(15, &[has(&[C::Later])]),
    ],
};

/// What shows that nobody is to notice.
const HIDES: Group = Group {
    most: 60,
    features: &[
        f(45, &[has(&[C::Hush])]),
        f(40, &[denied(&[C::Tell]), has(&[C::Person, C::Answer])]),
        f(25, &[denied(&[C::Tell])]),
        f(35, &[denied(&[C::Aware]), has(&[C::Person])]),
        f(30, &[has(&[C::Quiet])]),
        f(25, &[has(&[C::Unasked])]),
        f(20, &[has(&[C::Given])]),
        f(20, &[denied(&[C::Confirm]), has(&[C::Person])]),
    ],
};

/// What is wanted of the model when it fetches data and hands them on.
const DATA: &[C] = &[C::Path, C::Secret, C::Place, C::Private];

pub(super) static ACTS: &[Act] = &[
    Act {
        class: Class::AsksForData,
        marks: s(&[C::Path, C::Secret, C::Place, C::Private, C::Stuff]),
        needs: &[
            &[has(DATA), affirmed(&[C::Carry])],
            &[has(DATA), affirmed(&[C::Fetch]), has(&[C::Slot, C::Beyond, C::Link, C::Mailbox])],
            &[has(&[C::Path]), affirmed(&[C::Fetch])],
            &[has(DATA), has(&[C::Beyond, C::Mailbox, C::Link])],
            &[has(DATA), has(&[C::Slot]), has(&[C::Hush, C::Quiet, C::Whole])],
            &[Term::InParameter, has(&[C::Private, C::Place]), has(&[C::Reader, C::Whole, C::Person, C::Always])],
            &[has(&[C::Stuff]), affirmed(&[C::Carry]), has(&[C::Beyond, C::Mailbox])],
            &[Term::InParameter, has(&[C::Path])],
            &[Term::InParameter, near(&[C::Person], &[C::Secret], 4), has(&[C::Must, C::Always])],
        ],
        tells: 72,
        grave: 108,
        groups: &[
            Group {
                most: 75,
                features: &[
                    f(50, &[has(&[C::Path])]),
                    f(20, &[has(&[C::Secret])]),
                    f(25, &[has(&[C::Place])]),
                    f(30, &[has(&[C::Private])]),
                    f(10, &[has(&[C::Stuff])]),
                    f(15, &[near(&[C::Whole], DATA, 6)]),
                    f(20, &[near(&[C::Always, C::Whole], &[C::Secret], 3)]),
                    f(15, &[near(&[C::Person], &[C::Secret, C::Place], 4)]),
                    f(15, &[has(&[C::Secret]), has(&[C::Place, C::Private])]),
                ],
            },
            Group {
                most: ANY,
                features: &[
                    f(20, &[near(&[C::Carry], DATA, 14)]),
                    f(20, &[has(&[C::Slot])]),
                    f(15, &[Term::InParameter]),
                    f(20, &[has(&[C::Reader]), near(&[C::Aware], DATA, 8)]),
                    f(25, &[near(&[C::Fetch], DATA, 8)]),
                    f(25, &[has(&[C::Beyond])]),
                    f(35, &[has(&[C::Mailbox])]),
                    f(15, &[has(&[C::Link]), has(&[C::Carry])]),
                    f(15, &[near(&[C::Carry], &[C::Own], 6)]),
                    f(20, &[near(&[C::Private], &[C::Private], 6)]),
                    f(-35, &[Term::NamedSecret, lacks(&[C::Path, C::Place, C::Private, C::Fetch, C::Beyond, C::Hush])]),
                    f(15, &[has(&[C::Other])]),
                    // A server's own login: the key goes where keys go.
                    f(
                        -30,
                        &[
                            has(&[C::Secret, C::Header]),
                            near(&[C::Secret], &[C::Header], 14),
                            lacks(&[C::Path, C::Place, C::Private, C::Fetch, C::Whole, C::Beyond, C::Mailbox, C::Hush]),
                        ],
                    ),
                    f(
                        -15,
                        &[
                            has(&[C::Secret]),
                            lacks(&[
                                C::Header,
                                C::Path,
                                C::Place,
                                C::Private,
                                C::Fetch,
                                C::Whole,
                                C::Always,
                                C::Beyond,
                                C::Mailbox,
                                C::Hush,
                            ]),
                        ],
                    ),
                    f(20, &[Term::Commands(s(&[C::Fetch, C::Carry])), lacks(&[C::Header])]),
                    f(20, &[has(&[C::Stuff]), has(&[C::Beyond, C::Mailbox])]),
                    f(10, &[near(&[C::Carry], &[C::Stuff], 14)]),
                    f(-70, &[denied(&[C::Private, C::Secret])]),
                    f(25, &[Term::InParameter, near(&[C::Reader], &[C::Private], 3)]),
                    f(10, &[Term::InParameter, near(&[C::Person], &[C::Private], 5)]),
                    f(20, &[Term::InParameter, near(&[C::Whole, C::Always], DATA, 6)]),
                    f(15, &[has(&[C::Other, C::Sibling]), has(&[C::Private])]),
                    f(-150, &[denied(&[C::Carry])]),
                    f(-60, &[denied(&[C::Fetch])]),
                    f(-35, &[Term::Plain]),
                    f(-20, &[has(&[C::If]), has(&[C::Confirm, C::Given])]),
                    f(-30, &[has(&[C::Inside])]),
                    // Paths that are kept out.
                    f(-45, &[near(&[C::Path], &[C::Not], 4), lacks(&[C::Hush, C::Quiet, C::Beyond])]),
                ],
            },
            URGES,
            HIDES,
        ],
    },
    Act {
        class: Class::Secrecy,
        marks: s(&[C::Hush, C::Not, C::Quiet, C::Unasked]),
        needs: &[
            &[has(&[C::Hush])],
            &[denied(&[C::Tell])],
            &[denied(&[C::Aware]), has(&[C::Person])],
            &[has(&[C::Quiet]), affirmed(&[C::Carry, C::Fetch, C::Run, C::Call, C::Alter])],
            &[has(&[C::Person]), has(&[C::Unasked]), has(&[C::Run, C::Carry, C::Alter])],
        ],
        tells: 80,
        grave: 112,
        groups: &[
            Group {
                most: 85,
                features: &[
                    f(80, &[has(&[C::Hush])]),
                    f(40, &[denied(&[C::Tell])]),
                    f(15, &[denied(&[C::Tell]), has(&[C::Person, C::Answer])]),
                    f(40, &[denied(&[C::Aware]), has(&[C::Person])]),
                    f(25, &[denied(&[C::Aware]), has(&[C::Person]), has(&[C::Must])]),
                    f(30, &[has(&[C::Quiet])]),
                ],
            },
            Group {
                most: 40,
                features: &[
                    f(40, &[near(&[C::Own], &[C::Hush, C::Tell, C::Aware, C::Quiet], 9)]),
                    f(15, &[has(&[C::Call]), has(&[C::Own])]),
                    f(20, &[has(&[C::Carry, C::Fetch, C::Run, C::Alter]), has(&[C::Quiet])]),
                ],
            },
            Group {
                most: 25,
                features: &[
                    f(10, &[has(&[C::Must])]),
                    f(10, &[has(&[C::Person])]),
                    f(10, &[has(&[C::Reader])]),
                    f(10, &[has(&[C::Soft])]),
                    f(10, &[has(&[C::Always])]),
                ],
            },
            Group {
                most: ANY,
                features: &[
                    f(25, &[has(&[C::Unasked])]),
                    f(-25, &[Term::InParameter]),
                    f(15, &[denied(&[C::Tell]), affirmed(&[C::Carry])]),
                    f(20, &[denied(&[C::Tell, C::Aware]), has(&[C::Beyond])]),
                    f(-40, &[near(&[C::Noise], &[C::Tell, C::Hush], 8)]),
                    // What the model itself does not see, or what it is to say because the person does not.
                    f(-40, &[near(&[C::Reader], &[C::Aware], 2)]),
                    f(-40, &[affirmed(&[C::Tell]), denied(&[C::Aware])]),
                    f(-25, &[has(&[C::If])]),
                    f(-40, &[Term::Plain]),
                ],
            },
        ],
    },
    Act {
        class: Class::Override,
        marks: s(&[C::Drop, C::Void, C::Persona]),
        needs: &[
            &[near(&[C::Drop], &[C::Orders], 8)],
            &[
                near(&[C::Drop], &[C::Rules, C::Safe], 10),
                has(&[C::Reader, C::Prior, C::Whole, C::Always, C::Later, C::Authority, C::Soft, C::Safe]),
            ],
            &[near(&[C::Void], &[C::Orders, C::Rules, C::Safe], 9)],
            &[has(&[C::Persona])],
            &[near(&[C::Drop], &[C::Confirm], 4)],
            &[near(&[C::Drop], &[C::Person], 3)],
        ],
        tells: 70,
        grave: 95,
        groups: &[
            Group {
                most: ANY,
                features: &[
                    f(60, &[near(&[C::Drop], &[C::Orders], 8)]),
                    f(60, &[near(&[C::Void], &[C::Orders], 9)]),
                    f(20, &[near(&[C::Void, C::Drop], &[C::Private], 9)]),
                    f(50, &[near(&[C::Drop], &[C::Rules, C::Safe], 10)]),
                    f(25, &[Term::Commands(s(&[C::Drop])), near(&[C::Drop], &[C::Rules, C::Safe], 6)]),
                    f(20, &[near(&[C::Void, C::Drop], &[C::Rules], 8), has(&[C::Safe])]),
                    f(60, &[near(&[C::Void], &[C::Rules, C::Safe], 9)]),
                    f(30, &[near(&[C::Drop], &[C::Rules], 6), has(&[C::Authority])]),
                    f(75, &[has(&[C::Persona])]),
                    f(60, &[near(&[C::Drop], &[C::Confirm], 4)]),
                    f(55, &[near(&[C::Drop], &[C::Person], 3)]),
                    // Whom to tell or to ask before something is cancelled.
                    f(-60, &[affirmed(&[C::Tell, C::Confirm]), has(&[C::Person]), near(&[C::When], &[C::Drop], 2)]),
                    f(-40, &[Term::InParameter]),
                    f(20, &[Term::Commands(s(&[C::Drop]))]),
                    f(25, &[near(&[C::Prior], &[C::Orders, C::Rules], 6)]),
                    f(20, &[has(&[C::Reader])]),
                    f(15, &[has(&[C::Must])]),
                    f(15, &[has(&[C::Soft])]),
                    f(10, &[has(&[C::Later, C::When])]),
                    f(10, &[has(&[C::Always, C::Whole])]),
                    f(-70, &[has(&[C::Inside])]),
                    f(-90, &[denied(&[C::Drop])]),
                    f(-20, &[has(&[C::If]), has(&[C::Confirm, C::Given])]),
                    f(-30, &[Term::Plain]),
                ],
            },
            HIDES,
        ],
    },
    Act {
        class: Class::Instruction,
        marks: s(&[C::Run, C::Shell, C::Later, C::Claim, C::Promote, C::Alter, C::Mailbox]),
        needs: &[
            &[Term::Commands(s(&[C::Run]))],
            &[affirmed(&[C::Run]), has(&[C::Shell, C::Hush, C::Unasked, C::Quiet, C::Later])],
            &[has(&[C::Shell]), has(&[C::Must, C::When, C::Also, C::Soft])],
            &[near(&[C::Call, C::Run], &[C::Shell], 3)],
            &[affirmed(&[C::Run]), has(&[C::Fetch]), has(&[C::Link])],
            &[affirmed(&[C::Carry]), has(&[C::Mailbox]), has(&[C::Also, C::Always, C::Later])],
            &[has(&[C::Later]), has(&[C::Answer, C::Carry, C::Run, C::Alter, C::Call, C::Promote])],
            &[has(&[C::Claim])],
            &[has(&[C::Promote])],
            &[near(&[C::Alter], &[C::Target], 8)],
            &[affirmed(&[C::Run]), has(&[C::Must, C::Also, C::When, C::Soft]), has(&[C::Place, C::Safe, C::Secret])],
        ],
        tells: 70,
        grave: 105,
        groups: &[
            Group {
                most: ANY,
                features: &[
                    f(35, &[affirmed(&[C::Run])]),
                    f(40, &[Term::Commands(s(&[C::Run]))]),
                    f(-35, &[Term::InParameter, lacks(&[C::Must, C::Later, C::Hush, C::Quiet, C::Also, C::Link])]),
                    f(30, &[near(&[C::Call, C::Run], &[C::Shell], 3)]),
                    // What is fetched from an address and done says itself what that is.
                    f(40, &[affirmed(&[C::Run]), has(&[C::Fetch]), has(&[C::Link])]),
                    f(60, &[affirmed(&[C::Carry]), has(&[C::Mailbox]), has(&[C::Also, C::Always, C::Later])]),
                    f(-60, &[has(&[C::Sibling])]),
                    // To have the person confirm is the opposite of a trick.
                    f(-50, &[has(&[C::Confirm]), has(&[C::Person]), lacks(&[C::Not, C::Unasked, C::Given])]),
                    f(35, &[has(&[C::Shell])]),
                    f(40, &[has(&[C::Later])]),
                    f(40, &[affirmed(&[C::Claim])]),
                    f(15, &[near(&[C::Claim], &[C::Person, C::Answer], 10)]),
                    f(25, &[near(&[C::Claim], &[C::Claim], 16)]),
                    f(25, &[near(&[C::Claim], &[C::Other], 12)]),
                    f(15, &[has(&[C::Claim]), has(&[C::Fault])]),
                    f(15, &[has(&[C::Claim]), has(&[C::Always])]),
                    f(50, &[has(&[C::Promote])]),
                    // To recommend what suits somebody is an ordinary job.
                    f(
                        -25,
                        &[
                            has(&[C::Promote]),
                            lacks(&[C::Always, C::Later, C::Must, C::Own, C::Beyond, C::When, C::Also, C::Answer]),
                        ],
                    ),
                    f(-30, &[near(&[C::When], &[C::Claim], 2)]),
                    f(20, &[has(&[C::Promote]), has(&[C::Answer, C::Person])]),
                    f(45, &[near(&[C::Alter], &[C::Target], 8)]),
                    f(15, &[near(&[C::Target], &[C::Target], 8)]),
                    f(15, &[near(&[C::Alter], &[C::Target], 8), has(&[C::Beyond])]),
                    f(20, &[Term::Commands(s(&[C::Alter])), near(&[C::Alter], &[C::Target], 8)]),
                    f(20, &[has(&[C::Claim]), has(&[C::Secret])]),
                    f(15, &[has(&[C::Answer]), has(&[C::Always, C::Later])]),
                    f(15, &[affirmed(&[C::Run]), has(&[C::Safe, C::Place, C::Secret])]),
                    f(15, &[has(&[C::Other])]),
                    f(15, &[has(&[C::Prior, C::Whole]), has(&[C::Run])]),
                    f(20, &[has(&[C::Later]), has(&[C::Carry, C::Alter])]),
                    f(-50, &[denied(&[C::Run, C::Claim, C::Promote, C::Alter])]),
                    f(-30, &[has(&[C::If])]),
                    f(-40, &[Term::Plain]),
                ],
            },
            URGES,
            HIDES,
        ],
    },
    Act {
        class: Class::Pressure,
        marks: s(&[C::Prefer, C::Fault, C::Threat, C::Void, C::Not]),
        needs: &[
            &[near(&[C::Prefer], &[C::Other], 9)],
            &[near(&[C::Fault], &[C::Other], 9)],
            &[has(&[C::Threat]), has(&[C::Must, C::Urgent, C::Reader, C::Call])],
            &[has(&[C::Prefer]), has(&[C::Always]), has(&[C::Must])],
            &[denied(&[C::Call]), has(&[C::Other])],
            &[near(&[C::Prefer], &[C::Fault], 14)],
            &[near(&[C::Void], &[C::Other], 6)],
        ],
        tells: 72,
        grave: 105,
        groups: &[Group {
            most: ANY,
            features: &[
                f(35, &[near(&[C::Prefer], &[C::Other], 9)]),
                f(25, &[has(&[C::Prefer])]),
                f(15, &[has(&[C::Prefer]), has(&[C::Always]), has(&[C::Call])]),
                f(-40, &[has(&[C::Sibling])]),
                f(25, &[near(&[C::Fault], &[C::Other], 9), has(&[C::Call])]),
                f(40, &[near(&[C::Fault], &[C::Other], 9)]),
                f(40, &[near(&[C::Prefer], &[C::Fault], 14)]),
                f(60, &[has(&[C::Threat])]),
                f(20, &[near(&[C::Threat], &[C::Threat], 14)]),
                f(10, &[has(&[C::Threat]), has(&[C::Call])]),
                f(10, &[has(&[C::Threat]), has(&[C::Urgent])]),
                f(30, &[denied(&[C::Call]), has(&[C::Other])]),
                f(55, &[near(&[C::Void], &[C::Other], 6)]),
                f(15, &[has(&[C::Always])]),
                f(10, &[has(&[C::Must])]),
                f(10, &[has(&[C::Urgent])]),
                f(10, &[has(&[C::Reader])]),
                f(-20, &[has(&[C::If])]),
                f(-30, &[Term::Plain]),
            ],
        }],
    },
    Act {
        class: Class::FalseAuthority,
        marks: s(&[C::Authority, C::Given]),
        needs: &[
            &[has(&[C::Authority]), has(&[C::Given, C::Unasked])],
            &[near(&[C::Person, C::Authority], &[C::Given], 5)],
            &[has(&[C::Given]), has(&[C::Unasked, C::Run, C::Carry, C::Fetch, C::Alter])],
            &[
                has(&[C::Authority]),
                near(&[C::Authority], &[C::Orders, C::Must, C::Run, C::Carry], 10),
                has(&[C::Reader, C::Carry, C::Run, C::Drop]),
            ],
        ],
        tells: 75,
        grave: 105,
        groups: &[Group {
            most: ANY,
            features: &[
                f(30, &[has(&[C::Authority])]),
                f(15, &[near(&[C::Authority], &[C::Authority], 12)]),
                f(40, &[has(&[C::Given])]),
                f(30, &[has(&[C::Unasked])]),
                f(20, &[near(&[C::Person, C::Authority], &[C::Given], 6)]),
                f(20, &[denied(&[C::Confirm])]),
                f(10, &[near(&[C::Person, C::Authority], &[C::Given], 5), lacks(&[C::If, C::When, C::Must])]),
                f(15, &[near(&[C::Prior], &[C::Given], 4)]),
                f(-20, &[near(&[C::Must], &[C::Given], 3)]),
                f(15, &[near(&[C::Authority], &[C::Must, C::Given], 4), has(DATA), has(&[C::Carry])]),
                f(15, &[has(&[C::Carry, C::Run, C::Fetch, C::Drop])]),
                f(15, &[has(DATA)]),
                f(10, &[has(&[C::Must])]),
                f(10, &[has(&[C::Reader])]),
                f(10, &[has(&[C::Also, C::When, C::Soft])]),
                f(-45, &[has(&[C::If]), has(&[C::Person, C::Confirm])]),
                f(-40, &[Term::Plain]),
            ],
        }],
    },
    Act {
        class: Class::OutboundLink,
        marks: s(&[C::Link]),
        needs: &[
            &[has(&[C::Link]), has(DATA), affirmed(&[C::Carry])],
            &[has(&[C::Link]), has(&[C::Private]), has(&[C::Answer, C::Image, C::Fetch])],
            &[has(&[C::Link]), has(&[C::Asked]), affirmed(&[C::Carry])],
            &[has(&[C::Link]), has(&[C::Beyond]), has(&[C::Asked, C::Private, C::Answer])],
            &[has(&[C::Image]), has(&[C::Link]), has(&[C::Answer, C::Always, C::Must, C::Carry])],
        ],
        tells: 70,
        grave: 110,
        groups: &[
            Group {
                most: ANY,
                features: &[
                    f(45, &[has(&[C::Image]), has(&[C::Link])]),
                    f(45, &[has(&[C::Link]), has(DATA)]),
                    f(20, &[has(&[C::Link]), has(&[C::Stuff])]),
                    f(35, &[has(&[C::Asked])]),
                    f(25, &[has(DATA), has(&[C::Beyond])]),
                    f(40, &[has(&[C::Asked, C::Private]), has(&[C::Beyond])]),
                    f(20, &[has(&[C::Answer])]),
                    f(25, &[near(&[C::Carry], &[C::Link, C::Slot], 12)]),
                    f(15, &[has(&[C::Whole])]),
                    f(-70, &[denied(&[C::Carry])]),
                    f(-30, &[Term::Plain]),
                    f(-20, &[has(&[C::If])]),
                ],
            },
            URGES,
            HIDES,
        ],
    },
    Act {
        class: Class::SteersOtherTool,
        marks: s(&[C::Other, C::Target]),
        needs: &[
            &[
                has(&[C::Other]),
                affirmed(&[C::Carry, C::Alter, C::Run]),
                has(&[C::Target, C::Beyond, C::Mailbox, C::Slot, C::Private, C::Secret, C::Path, C::Place, C::Answer]),
            ],
            &[has(&[C::Other]), near(&[C::Alter], &[C::Target], 8)],
            &[has(&[C::Other]), near(&[C::Carry], &[C::Own], 6), affirmed(&[C::Carry])],
            &[has(&[C::Other]), has(&[C::Sibling]), affirmed(&[C::Carry])],
            &[has(&[C::Other]), affirmed(&[C::Fetch]), has(&[C::Also, C::Link])],
            // A copy of everything, to an address that the text names.
            &[near(&[C::Target], &[C::Mailbox], 8), has(&[C::Always])],
        ],
        tells: 82,
        grave: 115,
        groups: &[
            Group {
                most: ANY,
                features: &[
                    f(35, &[has(&[C::Other])]),
                    // The other tools of the same server.
                    f(-40, &[near(&[C::Other], &[C::Own], 2)]),
                    f(20, &[near(&[C::Other], &[C::Carry, C::Alter, C::Run, C::Fetch], 14)]),
                    f(15, &[has(&[C::Sibling])]),
                    f(25, &[has(&[C::Link])]),
                    f(30, &[near(&[C::Alter], &[C::Target], 8)]),
                    f(15, &[has(&[C::Target])]),
                    f(25, &[has(&[C::Beyond])]),
                    f(35, &[has(&[C::Mailbox])]),
                    f(30, &[near(&[C::Target], &[C::Mailbox], 8), has(&[C::Always])]),
                    f(15, &[has(&[C::Slot])]),
                    f(25, &[has(DATA)]),
                    f(-80, &[denied(&[C::Carry, C::Alter, C::Run])]),
                    f(-30, &[Term::Plain]),
                    f(-20, &[has(&[C::If])]),
                    f(-20, &[has(&[C::Inside])]),
                ],
            },
            URGES,
            HIDES,
        ],
    },
];
