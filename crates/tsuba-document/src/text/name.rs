//! Values that contracts have names for.

/// A closed set of values, each with the name that contracts have for it.
pub trait Name: Copy + 'static {
    /// All of them.
    const ALL: &'static [Self];

    /// The name.
    fn name(self) -> &'static str;

    /// The value of a name.
    fn from_name(name: &str) -> Option<Self> {
        Self::ALL.iter().copied().find(|value| value.name() == name)
    }
}

/// Lists the values of a set that has names. One that is left out does not compile.
#[macro_export]
macro_rules! named {
    ($set:ty: $($value:ident),+ $(,)?) => {
        impl $crate::text::Name for $set {
            const ALL: &'static [Self] = &[$(Self::$value),+];

            fn name(self) -> &'static str {
                match self {
                    $(Self::$value => <$set>::name(self)),+
                }
            }
        }
    };
}
