"""Patterns: what is drawn matches, lengths and alternatives come evenly, and nothing hangs."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass
from typing import Annotated, Any

import attrs
import msgspec
import pydantic
import pytest
from annotated_types import Len, MaxLen, MinLen

from urnshelf import RecordRefused, Urn, rules

EXPRESSIONS = r"""
\d+ EUR
[0-9a-f]{8}-[0-9a-f]{4}
\w+@\w+\.(com|org)
(/(([^/~])|(~[01]))*)*
v\d+\.\d+(\.\d+)?
\x41\u0041\U00000041
\r\f\v\n\t\a\0
\S\D\W\s\d\w
[^\w]
[^\d\s]
[\x00-\x1f]{3}
\Aabc\Z
^abc$
^a|b$
[A-Z]{1,8}
(cat|[a-z]{8})
(?=.*[A-Z])(?=.*\d)[A-Za-z\d]{8,}
(?!foo)[a-z]{3}
\bfoo\b
foo\B\d
(?i)abc
(?i:abc)d
(?P<year>\d{4})-(?P<month>0[1-9]|1[0-2])
(?:ab)*?c
(?>a|b)c
a++b
a{2}
a{,3}
a{2,}
a{0}b
a{x}
a{
[]a]
[^]a]
[a-]
[-a]
[+\-]?\d+
[\]\[]
[\w.-]+
[a-f0-9&&~]
[а-я]{3}
[\u0000-\uffff]{4}
[^a-zA-Z0-9 !-/]
[^\x00-\x7f]
.
.*
.+?
a|b|
|a
(a|b)(c|d)?
((a|b)|(c|(d|e)))
(a(b(c(d)?)?)?)?
(?#a comment)x
x(?<=x)y
x(?<!y)z
\.\*\+\?\(\)\[\]\{\}\|\\\^\$
\/\-\_\@
GB\d{2}[A-Z]{4}\d{14}
[1-9]\d{0,2}(,\d{3})*
(0?[1-9]|[12]\d|3[01])\.(0?[1-9]|1[0-2])\.\d{4}
#[0-9a-fA-F]{6}|#[0-9a-fA-F]{3}
(\d{1,3}\.){3}\d{1,3}
[a-z0-9]+(-[a-z0-9]+)*
[A-Z][a-z]+( [A-Z][a-z]+){1,2}
\d{3}-\d{2}-\d{4}
(?:[01]\d|2[0-3]):[0-5]\d
[A-Za-z_][A-Za-z0-9_]*
"[^"]*"
<(\w+)>[^<]*</\w+>
(yes|no|maybe)( please)?
[0-9]{13}|[0-9]{10}
\$\d+(\.\d\d)?
\(\d{3}\) \d{3}
[^aeiou]{5}
(ab){3,5}
(a|bb|ccc){2,4}
x*y*z*
[\s\S]{4}
[\d\-.]+
\d{5}(-\d{4})?
(?:(?:a){2}){3}
[a-zA-Z]:\\(\w+\\)*\w+
(?-i:x)y
é+ü?
😀{2}
""".strip().splitlines()


@pytest.mark.parametrize("expression", EXPRESSIONS)
def test_what_is_drawn_matches(expression: str) -> None:
    drawn = Urn(7).draw(Annotated[str, pydantic.Field(pattern=expression)], 120)
    assert [text for text in drawn if not re.fullmatch(expression, text)] == []


def test_there_are_enough_of_them() -> None:
    assert len(EXPRESSIONS) >= 80


@dataclass
class Lot:
    a: Any


def column(rule: Any, n: int = 4000) -> list[Any]:
    return [lot.a for lot in Urn(7).draw(Lot, n, a=rule)]


def test_lengths_and_alternatives_come_evenly() -> None:
    lengths = Counter(map(len, column(rules.pattern("[A-Z]{1,8}"))))
    assert set(lengths) == set(range(1, 9))
    assert max(lengths.values()) < 1.3 * min(lengths.values())
    cats = column(rules.pattern("(cat|[a-z]{8})")).count("cat")
    assert 1800 < cats < 2200
    kinds = Counter(text[0] for text in column(rules.pattern("a[0-9]{6}|b|c[0-9]")))
    assert max(kinds.values()) < 1.2 * min(kinds.values())


def test_a_dot_is_a_dot() -> None:
    @dataclass
    class Release:
        version: str

    versions = [one.version for one in Urn(7).draw(Release, 300)]
    assert all(re.fullmatch(r"[1-9]\.[0-9]\.[0-9]", version) for version in versions)


@pytest.mark.parametrize("expression", ["[A-Z]{1,8}", "(ab|c[d-f]{2,3})x?", "a?b?c?", "(a|a)|a"])
def test_all_different_texts_of_a_pattern(expression: str) -> None:
    rule = rules.all_different(rules.pattern(expression))
    size = min(rule.size or 0, 300)
    drawn = column(rule, size)
    assert len(set(drawn)) == len(drawn) == size > 0
    assert all(re.fullmatch(expression, text) for text in drawn)


def test_a_pattern_of_which_nobody_can_count_the_texts() -> None:
    with pytest.raises(RecordRefused, match="values can be counted"):
        rules.all_different(rules.pattern("([a-z]{3}|[a-z]{3,5})+"))


@pytest.mark.parametrize(
    ("limits", "expression"),
    [
        ((MinLen(20),), r"^[a-z]+$"),
        ((MaxLen(3),), r"^[a-z]+$"),
        ((Len(7, 7),), r"^[A-Z]{2}\d*$"),
        ((Len(12, 13),), r"^\w+-\w+-\w+$"),
        ((Len(5, 5),), r"^(ab?)+$"),
        ((MinLen(6),), r"[0-9]"),
        ((MinLen(6),), r"^x"),
        ((MinLen(6),), r"x$"),
    ],
)
def test_patterns_keep_lengths(limits: Any, expression: str) -> None:
    form = Annotated[str, pydantic.Field(pattern=expression), *limits]  # type: ignore[valid-type]
    for text in Urn(7).draw(form, 200):
        assert pydantic.TypeAdapter(form).validate_python(text) == text
    with pytest.raises(RecordRefused, match="cannot draw str: no text that matches"):
        Urn(7).draw(Annotated[str, pydantic.Field(pattern=r"^[a-z]{3}$"), MinLen(5)])


SAFE_MAIL = re.compile(r"[A-Za-z0-9._-]+@(example\.(com|net|org)|[a-z]{1,3}\.test)", re.IGNORECASE)
SAFE_PHONE = re.compile(r"(44|0)?1632960\d{3}|(44|0)?2079460\d{3}|1?(555)?55501\d\d")


@pytest.mark.parametrize(
    ("name", "pattern"),
    [
        ("phone", r"^\+[0-9]{10,15}$"),
        ("phone", r"^\(\d{3}\) \d{3}-\d{4}$"),
        ("mobile", r"^\d{3}-\d{3}-\d{4}$"),
        ("phone_number", r"^0\d{9,10}$"),
        ("phone", r"^\+?1?\d{9,15}$"),
        ("email", r"^[^@]+@[^@]+\.[a-z]+$"),
        ("email", r"^[a-z]{3,5}@"),
        ("email", r"\.org$"),
        ("email", r"^[A-Z]+@[A-Z.]+$"),
    ],
)
def test_addresses_and_numbers_keep_to_the_safe_ranges(name: str, pattern: str) -> None:
    field = (str, pydantic.Field(pattern=pattern))
    model: Any = pydantic.create_model("Person", **{name: field})
    for person in Urn(7).draw(model, 60):
        text = getattr(person, name)
        digits = re.sub(r"\D", "", text)
        assert SAFE_MAIL.fullmatch(text) if name == "email" else SAFE_PHONE.fullmatch(digits), text


@pytest.mark.parametrize(
    ("name", "pattern", "what"),
    [
        ("phone", r"^\+49 89 \d{6}$", "telephone number"),
        ("email", r"@harbour\.com$", "e-mail address"),
    ],
)
def test_or_they_say_that_they_cannot(name: str, pattern: str, what: str) -> None:
    model: Any = pydantic.create_model("Person", **{name: (str, pydantic.Field(pattern=pattern))})
    with pytest.raises(
        RecordRefused,
        match=f"cannot draw Person.{name}: no {what} that belongs to nobody keeps its limits",
    ):
        Urn(7).draw(model)
    assert getattr(Urn(7).draw(model, **{name: rules.pattern(pattern)}), name)


def test_patterns_of_every_library() -> None:
    @attrs.define
    class Attrs:
        code: str = attrs.field(validator=attrs.validators.matches_re(r"[A-Z]{3}\d+"))

    class Struct(msgspec.Struct):
        code: Annotated[str, msgspec.Meta(pattern=r"^[A-Z]{3}\d+$", max_length=5)]

    assert all(re.fullmatch(r"[A-Z]{3}\d+", one.code) for one in Urn(7).draw(Attrs, 60))
    assert all(re.fullmatch(r"[A-Z]{3}\d\d?", one.code) for one in Urn(7).draw(Struct, 60))
