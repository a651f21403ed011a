//! What a report consists of: texts that may be printed, and names of closed sets. Both can be read back, whoever wrote the report.

use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::{Deserialize, Deserializer, Serialize, Serializer, de};
use std::borrow::Cow;
use std::cmp::Ordering;
use std::fmt;
use std::ops::Deref;
use std::sync::LazyLock;
use tsuba_core::judge::pattern_redactor;
use tsuba_core::text::{Clean, Name, Redactor};

/// A text that went through the cleaner.
#[derive(Clone, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(transparent)]
pub struct Text(pub(crate) Clean);

/// For texts of reports that are read back: what was cleaned stays as it is.
static WARY: LazyLock<Redactor> = LazyLock::new(pattern_redactor);

impl Text {
    /// A text of the program itself.
    pub(crate) fn constant(text: &'static str) -> Self {
        Self(Clean::constant(text))
    }

    /// A text from outside, of which no secret is known.
    pub(crate) fn wary(text: &str) -> Self {
        Self(WARY.clean(text))
    }

    /// The text.
    pub fn as_str(&self) -> &str {
        self.0.as_str()
    }
}

impl<'de> Deserialize<'de> for Text {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        Cow::<str>::deserialize(deserializer).map(|text| Self::wary(&text))
    }
}

impl JsonSchema for Text {
    fn schema_name() -> Cow<'static, str> {
        "Text".into()
    }

    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        String::json_schema(generator)
    }

    fn inline_schema() -> bool {
        true
    }
}

impl fmt::Display for Text {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

/// Reads a text that this program makes of letters and digits: a fingerprint, a date, an id. It is cleaned like every other.
pub(crate) fn cleaned<'de, D: Deserializer<'de>>(deserializer: D) -> Result<String, D::Error> {
    Text::deserialize(deserializer).map(|text| text.as_str().to_owned())
}

/// Likewise, where there may be none.
pub(crate) fn cleaned_if_any<'de, D: Deserializer<'de>>(deserializer: D) -> Result<Option<String>, D::Error> {
    Ok(Option::<Text>::deserialize(deserializer)?.map(|text| text.as_str().to_owned()))
}

/// Likewise, where there are several.
pub(crate) fn all_cleaned<'de, D: Deserializer<'de>>(deserializer: D) -> Result<Vec<String>, D::Error> {
    Ok(Vec::<Text>::deserialize(deserializer)?.into_iter().map(|text| text.as_str().to_owned()).collect())
}

/// One of a closed set, written by its name.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Named<T>(pub T);

impl<T> Deref for Named<T> {
    type Target = T;

    fn deref(&self) -> &T {
        &self.0
    }
}

impl<T: Name> Named<T> {
    /// The name.
    pub fn name(self) -> &'static str {
        self.0.name()
    }
}

/// Names, one behind the other.
pub(crate) fn listed<T: Name>(named: &[Named<T>]) -> String {
    named.iter().map(|one| one.name()).collect::<Vec<_>>().join(", ")
}

/// By their names, as they are written.
impl<T: Name + Eq> Ord for Named<T> {
    fn cmp(&self, other: &Self) -> Ordering {
        self.name().cmp(other.name())
    }
}

impl<T: Name + Eq> PartialOrd for Named<T> {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl<T: Name> fmt::Display for Named<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.name())
    }
}

impl<T: Name> Serialize for Named<T> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(self.name())
    }
}

impl<'de, T: Name> Deserialize<'de> for Named<T> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let name = Cow::<str>::deserialize(deserializer)?;
        // The name itself is not told: it may be anything.
        T::from_name(&name).map(Self).ok_or_else(|| de::Error::custom("a name that is none of its set"))
    }
}

impl<T: Name> JsonSchema for Named<T> {
    fn schema_name() -> Cow<'static, str> {
        std::any::type_name::<T>().into()
    }

    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        let names: Vec<&str> = T::ALL.iter().map(|value| value.name()).collect();
        json_schema!({ "type": "string", "enum": names })
    }

    fn inline_schema() -> bool {
        true
    }
}
