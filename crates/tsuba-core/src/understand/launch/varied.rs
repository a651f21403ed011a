//! Variables where a package or an image is named: what is started is then decided elsewhere, unless the variable brings a default.

use crate::prelude::*;
use crate::understand::credential::{default_of, references};
use core::ops::Range;

/// The text with the defaults of its variables in their places (`${TAG:-1.4.2}`, `${TAG-1.4.2}`): that is started where nobody sets them.
pub(super) fn settled(text: &str) -> Cow<'_, str> {
    if text.contains("${") { Cow::Owned(filled(text, |_| None)) } else { Cow::Borrowed(text) }
}

/// Longer names (bytes) are none: a long value put in for each of many variables would have the product of both.
const MAX_NAME_BYTES: usize = 8 << 10;

/// The text with what its variables stand for in their places, or their defaults. What has neither stays, and so does all where it would grow
/// beyond any name.
pub(crate) fn filled<'v>(text: &'v str, value: impl Fn(&str) -> Option<&'v str>) -> String {
    let mut out = String::new();
    let mut from = 0;
    for range in references(text) {
        let written = text.get(range.clone()).unwrap_or_default();
        out.push_str(text.get(from..range.start).unwrap_or_default());
        out.push_str(name(written).and_then(&value).or_else(|| default(text, &range)).unwrap_or(written));
        from = range.end;
        if out.len() > MAX_NAME_BYTES {
            return text.to_owned();
        }
    }
    out.push_str(text.get(from..).unwrap_or_default());
    out
}

/// The name of a variable: of `${NAME…}` or `$NAME`.
fn name(reference: &str) -> Option<&str> {
    let inner = reference.strip_prefix('$')?.trim_start_matches('{');
    let end = inner.find(|c: char| !(c.is_ascii_alphanumeric() || c == '_')).unwrap_or(inner.len());
    inner.get(..end).filter(|name| !name.is_empty())
}

/// What is taken where a shell's variable is not set. The default of a template is mostly overruled by the values that come with it.
fn default<'t>(text: &'t str, reference: &Range<usize>) -> Option<&'t str> {
    let shell = text.get(reference.clone())?.starts_with("${");
    text.get(default_of(text, reference).filter(|_| shell)?).filter(|default| !default.is_empty())
}

/// Does a variable stand in it?
pub(super) fn has_variable(text: &str) -> bool {
    !references(text).is_empty()
}

/// Where `separator` stands outside of variables.
pub(super) fn outside(text: &str, separator: char) -> impl DoubleEndedIterator<Item = usize> {
    let inside: Vec<Range<usize>> = references(text);
    let within = move |at: usize| {
        let next = inside.partition_point(|range| range.end <= at);
        inside.get(next).is_some_and(|range| range.start <= at)
    };
    text.match_indices(separator).map(|(at, _)| at).filter(move |at| !within(*at))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn defaults_are_what_is_started() {
        for (text, want) in [
            ("saltmarsh/tide:${TAG:-1.4.2}", "saltmarsh/tide:1.4.2"),
            ("saltmarsh/tide:${TAG-latest}", "saltmarsh/tide:latest"),
            ("${IMAGE:-saltmarsh/tide:1.4.2}", "saltmarsh/tide:1.4.2"),
            ("${REGISTRY:-a.example}/tide:${TAG}", "a.example/tide:${TAG}"),
            ("saltmarsh/tide:${TAG}", "saltmarsh/tide:${TAG}"),
            ("saltmarsh/tide:${TAG:-}", "saltmarsh/tide:${TAG:-}"),
            ("saltmarsh/tide:${TAG:?must be set}", "saltmarsh/tide:${TAG:?must be set}"),
            ("saltmarsh/tide:1-2", "saltmarsh/tide:1-2"),
            ("${", "${"),
        ] {
            assert_eq!(settled(text), want, "{text}");
        }
    }

    #[test]
    fn variables_are_filled_in() {
        let value = |name: &str| (name == "TAG").then_some("1.4.2");
        for (text, want) in [
            ("a:$TAG", "a:1.4.2"),
            ("a:${TAG}-slim", "a:1.4.2-slim"),
            ("a:${TAG:-latest}", "a:1.4.2"),
            ("${OTHER:-b}:${OTHER}", "b:${OTHER}"),
            ("a:$TAGS", "a:$TAGS"),
        ] {
            assert_eq!(filled(text, value), want, "{text}");
        }
        let long = "x".repeat(MAX_NAME_BYTES);
        let many = "${A}".repeat(1000);
        assert_eq!(filled(&many, |_| Some(&long)), many);
    }

    #[test]
    fn separators_inside_of_variables_are_none() {
        for (text, want) in [
            ("a:b:c", &[1, 3][..]),
            ("a:${T:?b}", &[1]),
            ("${T:?b}", &[]),
            ("{{ .r }}:{{ .t | default \"a:b\" }}", &[8]),
            ("a", &[]),
        ] {
            assert_eq!(outside(text, ':').collect::<Vec<_>>(), want, "{text}");
        }
    }
}
