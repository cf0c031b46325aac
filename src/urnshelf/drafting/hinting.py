"""Texts and mappings made as the code takes them apart: a prefix, a pattern, a date's format, a key
that is asked for.
"""

from __future__ import annotations

import contextlib
import json
import re
from collections.abc import Callable, Iterator, Sequence
from datetime import UTC, datetime
from types import ModuleType
from typing import Any

from urnshelf.drafting.arrangement import Arrangement
from urnshelf.drafting.carrying import carried
from urnshelf.drafting.noting import Hint
from urnshelf.drafting.trial import Trial
from urnshelf.drafting.usual_values import NO_VALUE, usual
from urnshelf.drafting.values import Leaf, are_equal
from urnshelf.records.display import show
from urnshelf.types.nodes import Kind, node_of
from urnshelf.urn.drawing import Urn

_NOON = datetime(2030, 6, 1, 12, tzinfo=UTC)
_DRAWN = 3
"""How many texts are drawn from one pattern."""


def by_hints(
    trial: Trial, site: int, leaves: list[Leaf], mined: list[Any], more: Sequence[Any] = ()
) -> Iterator[Arrangement]:
    """Arrangements with values that the code can take apart.

    Args:
        trial: whose calls tell how.
        site: the decision that is worked on.
        leaves: the trial's.
        mined: constants of the code.
        more: values that the decision wants.
    """
    wanted = [*more, *(other for one, other in trial.operands.get(site, []) if one is None)]
    wanted += [one for one, other in trial.operands.get(site, []) if other is None]
    for hint in _distinct(trial.hints):
        if hint.name in ("get", "item"):
            yield from _keyed(trial, hint, leaves, [*_plain(wanted), *mined])
            continue
        old, texts = _texts(hint)
        for text in texts:
            yield from carried(trial, old, text, leaves)


def _distinct(hints: list[Hint]) -> list[Hint]:
    found: dict[str, Hint] = {}
    # what failed last is the likeliest
    for hint in (*[one for one in reversed(hints) if one.failed], *reversed(hints)):
        found.setdefault(show(tuple(hint), 300), hint)
    return list(found.values())


def _plain(values: list[Any]) -> list[Any]:
    return [one for one in values if one is not None]


def with_key(
    trial: Trial, site: int, leaves: list[Leaf], mined: list[Any]
) -> Iterator[Arrangement]:
    """Arrangements with a mapping that holds the key that is asked for by `in`.

    Args:
        trial: that reached the decision.
        site: the decision.
        leaves: the trial's.
        mined: constants of the code.
    """
    for key, mapping in trial.operands.get(site, [])[:6]:
        if isinstance(mapping, dict) and isinstance(key, str):
            yield from _keyed(trial, Hint("item", mapping, (key,), True), leaves, mined)


def past_a_crash(trial: Trial, leaves: list[Leaf], mined: list[Any]) -> Iterator[Arrangement]:
    """Arrangements with the item that the code did not find.

    Args:
        trial: that ended with a crash.
        leaves: its own.
        mined: constants of the code.
    """
    failed = [one for one in trial.hints if one.failed]
    if "unpack" in str(trial.error):  # too many, or too few
        failed += [one for one in trial.hints if one.name in ("split", "rsplit")]
    if not failed:
        return
    hint = failed[-1]
    if hint.name in ("get", "item"):
        key = hint.given[0] if hint.given else ""
        named = usual(node_of(str), key) if isinstance(key, str) else "ahoy"
        likely: list[Any] = [named, {}, 3, [{}]]
        if isinstance(key, str) and re.search(r"[^s]s$", key):  # several, by its name
            likely.insert(0, likely.pop())
        yield from _keyed(trial, hint, leaves, [*likely, *mined])
        return
    old, texts = _texts(hint)
    # where any value may stand, a number is plainer than a text of one
    for text in [*_NUMBERS.get(hint.name, ()), *texts]:
        yield from carried(trial, old, text, leaves)


_NUMBERS: dict[str, tuple[Any, ...]] = {"int": (7,), "float": (12.5,), "Decimal": (12.5,)}


# --- texts ----------------------------------------------------------------------------------------


def _texts(hint: Hint) -> tuple[Any, list[Any]]:
    """The text that a hint is about, and what it might be instead."""
    with contextlib.suppress(Exception):  # what is called so may be of another type
        make = _MAKERS.get(hint.name)
        if make is not None:
            return make(hint)
    return None, []


def _affixed(hint: Hint) -> tuple[Any, list[Any]]:
    old = hint.subject
    affixes = hint.given[0] if isinstance(hint.given[0], tuple) else (hint.given[0],)
    is_front = hint.name in ("startswith", "removeprefix")
    return old, [one + old if is_front else old + one for one in affixes]


def _split(hint: Hint) -> tuple[Any, list[Any]]:
    mark = hint.given[0] if hint.given else " "
    words = ("ahoy", "3", "b")
    return hint.subject, [mark.join(words[:n]) for n in (1, 2, 3)]


def _lines(hint: Hint) -> tuple[Any, list[Any]]:
    return hint.subject, [f"{hint.subject}\n{hint.subject}", "ahoy", "ahoy\nb", ""]


def _formatted(hint: Hint) -> tuple[Any, list[Any]]:
    text, form = hint.given
    return text, [_NOON.strftime(form), "ahoy"]


def _iso(hint: Hint) -> tuple[Any, list[Any]]:
    is_date = getattr(hint.subject, "__name__", "") == "date"
    moments = ["2030-06-01"] if is_date else ["2030-06-01T12:00:00+00:00", "2030-06-01T12:00:00"]
    return hint.given[0], [*moments, "ahoy"]


def _matched(hint: Hint) -> tuple[Any, list[Any]]:
    if isinstance(hint.subject, ModuleType):
        pattern, text = hint.given[0], hint.given[1]
    else:
        pattern, text = hint.subject, hint.given[0]
    source = pattern if isinstance(pattern, str) else pattern.pattern
    schema = {"type": "string", "pattern": source if hint.name == "search" else f"^(?:{source})$"}
    return text, [Urn(seed).draw(schema) for seed in range(_DRAWN)]


def _number(hint: Hint) -> tuple[Any, list[Any]]:
    texts = ["7", "0", "-1", "100", "ahoy"]
    return hint.subject, ["12.50", *texts] if hint.name != "int" else texts


def _loaded(hint: Hint) -> tuple[Any, list[Any]]:
    return hint.given[0], ["{}", "[]", '{"code": "ahoy"}', "ahoy"]


_OF_KIND = {
    "isdigit": "123", "isdecimal": "123", "isnumeric": "123", "isalpha": "abc", "isalnum": "a1",
    "isupper": "ABC", "islower": "abc", "isspace": " ", "istitle": "Ahoy", "isidentifier": "ahoy",
}  # fmt: skip


def _of_letters(hint: Hint) -> tuple[Any, list[Any]]:
    old = hint.subject
    return old, [_OF_KIND[hint.name], "-"]


_MAKERS: dict[str, Callable[[Hint], tuple[Any, list[Any]]]] = {
    "startswith": _affixed,
    "endswith": _affixed,
    "removeprefix": _affixed,
    "removesuffix": _affixed,
    "split": _split,
    "rsplit": _split,
    "splitlines": _lines,
    "partition": _split,
    "strptime": _formatted,
    "fromisoformat": _iso,
    "fullmatch": _matched,
    "match": _matched,
    "search": _matched,
    "findall": _matched,
    "int": _number,
    "float": _number,
    "Decimal": _number,
    "loads": _loaded,
    **dict.fromkeys(_OF_KIND, _of_letters),
}


# --- mappings -------------------------------------------------------------------------------------


def _keyed(
    trial: Trial, hint: Hint, leaves: list[Leaf], wanted: list[Any]
) -> Iterator[Arrangement]:
    """A mapping with the key that is asked for."""
    key = hint.given[0] if hint.given else None
    for leaf in leaves:
        is_it = isinstance(leaf.value, (dict, list, tuple)) and are_equal(leaf.value, hint.subject)
        if is_it and isinstance(leaf.value, dict) and isinstance(key, str):
            for value in _values(leaf, key, wanted):
                yield trial.put(leaf.path, {**leaf.value, key: value})
        elif isinstance(leaf.value, str) and isinstance(hint.subject, dict):
            yield from _in_json(trial, leaf, hint, wanted)
        elif is_it and isinstance(leaf.value, (list, tuple)):
            item = usual(leaf.node.item) if leaf.node.kind is Kind.ITEMS else "ahoy"
            if item is not NO_VALUE:
                yield trial.put(leaf.path, type(leaf.value)([*leaf.value, item]))


def _values(leaf: Leaf, key: str, wanted: list[Any]) -> Iterator[Any]:
    if leaf.node.kind is Kind.MAPPING and len(leaf.node.args) == 2:
        value = usual(leaf.node.args[1], key)
        if value is not NO_VALUE and leaf.node.args[1].kind is not Kind.ANY:
            yield value
            return
    yield from wanted[:24]
    yield from ({}, "ahoy", 3, [], True, 2.5, [{}])


def _in_json(trial: Trial, leaf: Leaf, hint: Hint, wanted: list[Any]) -> Iterator[Arrangement]:
    """A text that is JSON, and holds the mapping that is asked."""
    try:
        data = json.loads(leaf.value)
    except ValueError:
        return
    for value in [*wanted[:8], "ahoy", 3, {}, [{}]]:
        changed = _with_key(data, hint.subject, hint.given[0], value)
        if changed is not data:
            with contextlib.suppress(TypeError):
                yield trial.put(leaf.path, json.dumps(changed))


def _with_key(data: Any, mapping: Any, key: Any, value: Any) -> Any:
    if isinstance(data, dict) and are_equal(data, mapping):
        return {**data, key: value}
    if isinstance(data, dict):
        for name, one in data.items():
            changed = _with_key(one, mapping, key, value)
            if changed is not one:
                return {**data, name: changed}
    if isinstance(data, list):
        for number, one in enumerate(data):
            changed = _with_key(one, mapping, key, value)
            if changed is not one:
                return [*data[:number], changed, *data[number + 1 :]]
    return data
