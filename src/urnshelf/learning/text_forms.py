"""Rules of texts that are nobody's: what their forms tell, and none of the texts."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from typing import Any

import numpy as np

from urnshelf.learning.sample import SampleColumn
from urnshelf.urn.by_name import rule_for
from urnshelf.urn.rules.texts import pattern

SHARED = 20
"""So many texts must share a letter before it stands in a pattern."""
_MOST_SHAPES, _LONGEST, _MOST_BLANKS = 12, 32, 2
_PART = 0.95
_FORMS = (
    ("email", re.compile(r"[^@\s]+@[^@\s]+\.[^@\s]+")),
    ("uuid", re.compile(r"[0-9a-fA-F]{8}(-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}")),
    ("url", re.compile(r"[a-z]+://\S+|www\.\S+")),
    ("ip", re.compile(r"[0-9]{1,3}(\.[0-9]{1,3}){3}")),
    ("phone", re.compile(r"\+[0-9][0-9 ()/.-]{6,20}")),
)
_MEANT = (
    ("days as 2030-12-31", re.compile(r"[0-9]{1,4}([./-])[0-9]{1,2}\1[0-9]{1,4}")),
    ("numbers as 1234.56", re.compile(r"[-+]?[0-9][0-9.,' ]*,[0-9]+|[-+]?[0-9]+,[0-9]+")),
    ("numbers without a sign or a unit", re.compile(r"[^0-9A-Za-z]{1,3} ?[0-9.,]+|[0-9.,]+ ?%")),
)
_PHONES = re.compile(r"(?i)(^|_)(phone|tel|telephone|mobile|fax)(_|$)")
_CLASSES = {"9": "[0-9]", "A": "[A-Z]", "a": "[a-z]"}


def text_rule(column: SampleColumn, smallest: int) -> tuple[dict[str, Any], str]:
    """The rule of a column of texts that are no categories, and what it follows.

    Args:
        column: of texts.
        smallest: so many rows a form must have.
    """
    counts = np.bincount(column.codes[column.codes >= 0], minlength=len(column.labels))
    texts = [str(one) for one in column.labels]
    form = _form_of(column.name, texts, counts)
    if form is not None:
        return {"called": form}, f"as {form} is drawn, nobody's"
    of_pattern = _pattern_of(texts, counts, smallest)
    if of_pattern is not None:
        rule: dict[str, Any] = {"pattern": of_pattern[0]}
        is_counted = pattern(of_pattern[0]).size is not None
        if is_counted and counts.max(initial=0) == 1 and of_pattern[1] >= 20 * len(texts):
            rule = {"all_different": rule}
        return rule, f"the form of the texts{_meant(texts)}"
    name = re.sub(r"\W+", "_", column.name).lower()
    meant = rule_for(name, str, {})
    lengths = np.repeat([len(text) for text in texts], counts)
    ends = np.quantile(lengths, [0.05, 0.95]) if len(lengths) else np.array([10, 40])
    if meant is not None and not meant.needs and float(ends[1]) < 40:
        return {"called": name}, "as its name is drawn, nobody's"
    low, high = max(1, int(ends[0])), max(8, int(ends[1]))
    return {"called": "description", "length": [low, high]}, "sentences of such lengths"


def _meant(texts: Sequence[str]) -> str:
    """What a person should know of texts that tell days or numbers in another way."""
    for told, expression in _MEANT:
        if all(expression.fullmatch(text) for text in texts):
            return f"; {told} would be read as such"
    return ""


def _form_of(name: str, texts: Sequence[str], counts: Any) -> str | None:
    total = int(counts.sum())
    for form, expression in _FORMS:
        fits = sum(
            int(n) for text, n in zip(texts, counts, strict=True) if expression.fullmatch(text)
        )
        if total and fits >= _PART * total:
            return form
    digits = sum(bool(re.fullmatch(r"[0-9 ()/.+-]{6,20}", text)) for text in texts)
    return "phone" if _PHONES.search(name) and digits >= _PART * len(texts) else None


def _pattern_of(texts: Sequence[str], counts: Any, smallest: int) -> tuple[str, int] | None:
    """A pattern of the forms that come often enough, and how many texts it has."""
    shapes: Counter[str] = Counter()
    members: dict[str, list[str]] = {}
    for text, count in zip(texts, counts.tolist(), strict=True):
        shape = _shape(text)
        shapes[shape] += count
        members.setdefault(shape, []).append(text)
    kept = [shape for shape, n in shapes.most_common(_MOST_SHAPES) if n >= smallest]
    rows = sum(shapes[shape] for shape in kept)
    if not kept or rows < _PART * int(counts.sum()):
        return None
    # what has many blanks, or is long, is written by people
    if any(len(one) > _LONGEST or one.count(" ") > _MOST_BLANKS for one in kept):
        return None
    # a word of letters alone is a name, and says nothing by its form; a few great ones are a code
    if all(re.fullmatch(r"[Aa .'-]+", one) and not re.fullmatch(r"A{1,6}", one) for one in kept):
        return None
    ways = [_told(shape, members[shape]) for shape in kept]
    size = sum(size for _, size in ways)
    if len(ways) == 1:
        return ways[0]
    return "|".join(f"(?:{way})" for way, _ in ways), size


def _shape(text: str) -> str:
    return re.sub(r"[a-z]", "a", re.sub(r"[A-Z]", "A", re.sub(r"[0-9]", "9", text)))


def _told(shape: str, texts: Sequence[str]) -> tuple[str, int]:
    """A shape as a pattern: a letter or digit stands where all share it, and these are many."""
    parts: list[str] = []
    size = 1
    for place, sign in enumerate(shape):
        shared = {text[place] for text in texts}
        if sign not in _CLASSES or (len(shared) == 1 and len(texts) >= SHARED):
            one = texts[0][place] if sign in _CLASSES else sign
            # what is neither letter nor digit belongs to the form
            parts.append(re.escape(one) if re.match(r"[\\^$.|?*+()\[\]{}]", one) else one)
        else:
            parts.append(_CLASSES[sign])
            size *= 10 if sign == "9" else 26
    return _folded(parts), size


def _folded(parts: Sequence[str]) -> str:
    found: list[str] = []
    at = 0
    while at < len(parts):
        end = at
        while end < len(parts) and parts[end] == parts[at]:
            end += 1
        often = end - at
        is_class = parts[at].startswith("[")
        found.append(f"{parts[at]}{{{often}}}" if is_class and often > 1 else parts[at] * often)
        at = end
    return "".join(found)
