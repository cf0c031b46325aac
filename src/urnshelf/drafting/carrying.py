"""Carrying an operand over: a value of the arrangement that stands behind one side of a comparison
is changed so that the comparison comes out otherwise.
"""

from __future__ import annotations

import contextlib
import json
import re
from collections.abc import Callable, Iterator
from dataclasses import replace
from datetime import date, datetime, timedelta
from decimal import Decimal
from enum import Enum
from typing import Any
from uuid import UUID

from urnshelf.drafting.arrangement import Arrangement
from urnshelf.drafting.decisions import Decision, Way
from urnshelf.drafting.trial import Trial
from urnshelf.drafting.usual_values import NO_VALUE, others, usual
from urnshelf.drafting.values import ByShelf, Drawn, Leaf, Raised, are_equal, node_for
from urnshelf.drafting.wanted_values import targets
from urnshelf.records.display import show
from urnshelf.records.fit import misfit
from urnshelf.types.limits import limits_of
from urnshelf.types.nodes import ANYTHING, Kind, Node

_MOST = 40
_NEGATED = {"Eq": "NotEq", "Lt": "GtE", "Gt": "LtE", "Is": "IsNot", "In": "NotIn"}
_NEGATED |= {other: one for one, other in _NEGATED.items()}
_MIRRORED = {"Lt": "Gt", "Gt": "Lt", "LtE": "GtE", "GtE": "LtE"}


def wanted_operator(decision: Decision, way: Way) -> str:
    """The comparison that must hold for a way to be taken."""
    if way.outcome == "edge":
        return "Eq"
    return decision.operator if way.outcome else _NEGATED.get(decision.operator, "")


def by_operands(
    trial: Trial, decision: Decision, way: Way, leaves: list[Leaf], like: Trial | None = None
) -> Iterator[Arrangement]:
    """Arrangements in which an operand is what it should be.

    Args:
        trial: that reached the decision.
        decision: of the way.
        way: the one that is wanted.
        leaves: the trial's.
        like: a trial that took the way; the pair that may have been its own goes first.
    """
    pairs = _distinct(trial.operands.get(way.site, []))
    if like is not None:
        known = {show(one, 200) for pair in like.operands.get(way.site, []) for one in pair}
        pairs.sort(key=lambda pair: show(pair[0], 200) not in known or show(pair[1], 200) in known)
    found = [_of_pair(trial, decision, way, leaves, pair) for pair in pairs]
    while found:  # a candidate for each pair, before the second for any
        for one in list(found):
            candidate = next(one, None)
            if candidate is None:
                found.remove(one)
            else:
                yield candidate


def _of_pair(
    trial: Trial, decision: Decision, way: Way, leaves: list[Leaf], pair: tuple[Any, Any]
) -> Iterator[Arrangement]:
    one, other = pair
    if not decision.operator:
        yield from _by_truth(trial, one, bool(way.outcome), leaves)
        return
    operator = wanted_operator(decision, way)
    for new in targets(operator, one, other):
        yield from carried(trial, one, new, leaves)
    mirrored = _MIRRORED.get(operator, operator)
    if operator in ("In", "NotIn"):
        yield from _held(trial, one, other, operator == "In", leaves)
    else:
        for new in targets(mirrored, other, one):
            yield from carried(trial, other, new, leaves)


def _distinct(pairs: list[tuple[Any, Any]]) -> list[tuple[Any, Any]]:
    found: dict[str, tuple[Any, Any]] = {}
    for pair in pairs:
        found.setdefault(show(pair, 400), pair)
    return list(found.values())[:8]


def _by_truth(trial: Trial, old: Any, wanted: bool, leaves: list[Leaf]) -> Iterator[Arrangement]:
    node = ANYTHING if old is None else node_for(old)
    for new in others(old, node):
        if bool(new) is wanted:
            yield from carried(trial, old, new, leaves)
    if old is None and wanted:
        yield from _filled(trial, leaves)


def _filled(trial: Trial, leaves: list[Leaf]) -> Iterator[Arrangement]:
    """Values where there was None, each of its own type."""
    for leaf in leaves:
        if leaf.value is None and leaf.node.kind is not Kind.ANY:
            new = usual(leaf.node, str(leaf.path[-1]))
            if new is not NO_VALUE and new is not None:
                yield trial.put(leaf.path, new)


# --- carrying -------------------------------------------------------------------------------------


def carried(trial: Trial, old: Any, new: Any, leaves: list[Leaf]) -> Iterator[Arrangement]:
    """Arrangements in which a value that an operand came from is such that the operand becomes
    another.

    Args:
        trial: that the operand is of.
        old: the operand.
        new: what it should become.
        leaves: the trial's.
    """
    count = 0
    for leaf in leaves:
        for value in _as_leaf(leaf, old, new):
            if not fits(value, leaf.node):
                continue
            count += 1
            yield trial.put(leaf.path, value)
            linked = [one for one in leaves if one is not leaf and _is_linked(one, leaf)]
            if linked:
                yield _put_all(trial, [leaf, *linked], value)
            if count > _MOST:
                return


def _is_linked(one: Leaf, leaf: Leaf) -> bool:
    """Whether two values are the same on purpose, as a number that is looked up and found."""
    if isinstance(leaf.value, (bool, float)) or leaf.value in (None, "", 0, 1):
        return False
    if not isinstance(leaf.value, (str, int, UUID)):
        return False
    return type(one.value) is type(leaf.value) and bool(one.value == leaf.value)


def _put_all(trial: Trial, leaves: list[Leaf], value: Any) -> Arrangement:
    """The same value in all places."""
    found = trial.put(leaves[0].path, value)
    for leaf in leaves[1:]:
        found = found.put(leaf.path, value)
    return found


def fits(value: Any, node: Node) -> bool:
    """Whether a value may stand where the type is this; of records that are yet to be drawn nothing
    is said."""
    limits = limits_of(node.notes) if node.notes and isinstance(value, (int, float)) else None
    if limits is not None and limits.bounds and not limits.bound(value):
        return False
    return _is_to_be_drawn(value) or misfit(value, node) is None


def _is_to_be_drawn(value: Any) -> bool:
    if isinstance(value, (list, tuple, set, frozenset)):
        return any(map(_is_to_be_drawn, value))
    if isinstance(value, dict):
        return any(map(_is_to_be_drawn, value.values()))
    return isinstance(value, (ByShelf, Drawn, Raised))


def _as_leaf(leaf: Leaf, old: Any, new: Any) -> Iterator[Any]:
    """What a leaf must be, where the operand may come from it."""
    value = leaf.value
    if value is None or old is None:
        if value is None and old is None and new is not None:
            yield new
        elif leaf.node.optional and new is None and _is_same(value, old):
            yield None
        return
    if _is_same(value, old):
        yield _cast(new, value)
        return
    for view in _VIEWS:
        with contextlib.suppress(Exception):  # of types that are not ours
            found = view(value, old, new)
            if found is not None:
                yield found


def _is_same(value: Any, old: Any) -> bool:
    return isinstance(value, bool) is (type(old) is bool) and are_equal(value, old)


def _cast(new: Any, like: Any) -> Any:
    if type(new) is type(like) or new is None or isinstance(like, (Enum, bool)):
        return new
    if isinstance(like, Decimal) and isinstance(new, (int, float)):
        return Decimal(str(new))
    if isinstance(like, (int, float)) and isinstance(new, (int, float, Decimal)):
        is_whole = isinstance(like, int) and new == int(new)
        return int(new) if is_whole else float(new)
    return new


def _of_text(value: Any, old: Any, new: Any) -> Any:
    """A part of a text, whatever its case; or a number in it."""
    if not isinstance(value, str) or isinstance(new, (Enum, bool)) or new is None:
        return None
    if isinstance(old, str) and isinstance(new, str):
        if not old:
            return value + new
        if old in value:
            return value.replace(old, new, 1)
        found = re.search(re.escape(old), value, re.IGNORECASE)
        return value[: found.start()] + new + value[found.end() :] if found else None
    if isinstance(old, (int, float, Decimal)) and str(old) in value:
        return value.replace(str(old), str(new), 1)
    if isinstance(old, (date, datetime)) and old.isoformat() in value:
        return value.replace(old.isoformat(), new.isoformat(), 1)
    return None


def _of_member(value: Any, old: Any, new: Any) -> Any:
    """The value, or the name, of an enum's member."""
    if not isinstance(value, Enum):
        return None
    for name in ("value", "name"):
        if getattr(value, name) == old:
            return next((one for one in type(value) if getattr(one, name) == new), None)
    return None


def _of_moment(value: Any, old: Any, new: Any) -> Any:
    """A part of a moment."""
    if not isinstance(value, date):
        return None
    if isinstance(value, datetime):
        if isinstance(old, date) and not isinstance(old, datetime) and value.date() == old:
            return value + (new - old)
        if isinstance(old, datetime) and (value.tzinfo is None) is (old.tzinfo is None):
            return None
    if isinstance(old, bool) or not isinstance(old, int) or not isinstance(new, int):
        return None
    for name in ("weekday", "isoweekday"):
        if getattr(value, name)() == old:
            return value + timedelta(days=new - old)
    for name in ("year", "month", "day", "hour", "minute", "second"):
        if getattr(value, name, None) == old:
            changes: Any = {name: new}
            return value.replace(**changes)
    return None


def _of_span(value: Any, old: Any, new: Any) -> Any:
    if not isinstance(value, timedelta) or isinstance(old, bool):
        return None
    if isinstance(old, (int, float)):
        if value.days == old:
            return value + timedelta(days=new - old)
        if value.total_seconds() == old:
            return timedelta(seconds=float(new))
    return None


def _of_length(value: Any, old: Any, new: Any) -> Any:
    """The length of a text or a list."""
    if isinstance(old, bool) or not isinstance(old, int) or not isinstance(new, int):
        return None
    if not isinstance(value, (str, list, tuple)) or len(value) != old or new < 0 or new > 200:
        return None
    return resized(value, new)


def resized(value: Any, length: int) -> Any:
    """A text or a list of another length."""
    if isinstance(value, str):
        return (value + "a" * length)[:length]
    if not value:
        return None
    more = [value[-1] if not isinstance(value[-1], Drawn) else _plain(value[-1])]
    return type(value)([*value, *more * max(0, length - len(value))][:length])


def _plain(record: Drawn) -> Drawn:
    """Another record of this kind, with a key of its own."""
    return replace(record)


def _of_items(value: Any, old: Any, new: Any) -> Any:
    """A list, a set, or a tuple that is the other, made a list."""
    if isinstance(value, (list, tuple, set)) and isinstance(new, (list, tuple, set)):
        return type(value)(new) if list(value) == list(old) else None
    return None


def _of_body(value: Any, old: Any, new: Any) -> Any:
    """What a text is written of, as JSON."""
    if not isinstance(value, (dict, list)) or not isinstance(old, str) or isinstance(new, Enum):
        return None
    return new if isinstance(new, str) and json.dumps(value) == old else None


def _of_key(value: Any, old: Any, new: Any) -> Any:
    """The key of a mapping."""
    if not isinstance(value, dict) or type(new) is not type(old) or old not in value:
        return None
    return {new if key == old else key: one for key, one in value.items()}


_VIEWS: tuple[Callable[[Any, Any, Any], Any], ...] = (
    _of_text, _of_member, _of_moment, _of_span, _of_length, _of_items, _of_body, _of_key,
)  # fmt: skip


def _held(
    trial: Trial, one: Any, many: Any, is_wanted: bool, leaves: list[Leaf]
) -> Iterator[Arrangement]:
    """The other side of `in`: what holds the value, or does not."""
    for leaf in leaves:
        if not _is_same(leaf.value, many):
            continue
        value = leaf.value
        if isinstance(value, str) and isinstance(one, str):
            yield trial.put(leaf.path, value + one if is_wanted else "")
        elif isinstance(value, (list, tuple, set, frozenset)):
            items = [*value, one] if is_wanted else [it for it in value if it != one]
            yield trial.put(leaf.path, type(value)(items))
        elif isinstance(value, dict) and is_wanted:
            with contextlib.suppress(TypeError):
                node = leaf.node.args[1] if len(leaf.node.args) == 2 else ANYTHING
                yield trial.put(leaf.path, {**value, one: usual(node, str(one))})
