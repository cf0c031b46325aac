"""Changes of what is there at all: records that a look-up would find, replies, exceptions."""

from __future__ import annotations

import ast
import builtins
import contextlib
from collections.abc import Iterator
from itertools import islice
from typing import Any

from urnshelf.drafting.arrangement import Arrangement, Asked
from urnshelf.drafting.decisions import TRY
from urnshelf.drafting.leaves import member_of, reply_node
from urnshelf.drafting.over_http import ROUTE, other_replies
from urnshelf.drafting.service import Service
from urnshelf.drafting.trial import Made, Trial
from urnshelf.drafting.usual_values import NO_VALUE, others, usual
from urnshelf.drafting.values import Drawn, Raised, is_plain
from urnshelf.readings.operations import Operation, Role
from urnshelf.records.recognising import describe

_STOCKED = {
    Operation.LOOK_UP, Operation.COUNT, Operation.EXISTS, Operation.REMOVE, Operation.UPDATE,
    Operation.CHANGE, Operation.REMOVE_WHERE, Operation.COUNT_ALL, Operation.TAKE, Operation.ADD,
}  # fmt: skip


def by_structure(trial: Trial, service: Service) -> Iterator[Arrangement]:
    """Arrangements with something more, or less, in them.

    Args:
        trial: whose calls tell what is looked for.
        service: what is run.
    """
    calls = _distinct(trial.calls)
    for call in calls:
        yield from _stocked(trial, call)
    errors = handled(service)
    for call in [one for one in calls if one.asked not in service.fixed]:
        yield from _raising(trial.arrangement, call, errors)
    for call in calls:
        yield from _answered(trial.arrangement, call, service)
    for number in range(len(trial.arrangement.records)):
        yield trial.arrangement.without("records", number)
    for asked in trial.arrangement.replies:
        yield from _in_turn(trial.arrangement, asked, service)


def _distinct(calls: list[Made]) -> list[Made]:
    found: dict[Any, Made] = {}
    for call in calls:
        found.setdefault((call.asked, call.is_empty), call)
    return list(found.values())


# --- records --------------------------------------------------------------------------------------


def _stocked(trial: Trial, call: Made) -> Iterator[Arrangement]:
    """The records that a look-up would find: one, two, and five."""
    if call.reading is None or call.operation not in _STOCKED:
        return
    form = call.reading.record_type
    if form is None:
        return
    told = _told(call, form)
    if told is None:
        return
    base = trial.arrangement
    record = Drawn(form, told)
    yield base.with_record(record)
    key = describe(form)
    if key is not None and set(key.key) & told.keys():
        return  # there is but one
    yield base.with_record(record, record)
    yield base.with_record(*[record] * 5)
    alike = [n for n, one in enumerate(base.records) if one.form is form]
    if alike:
        same = base.records[alike[-1]]
        plain = Drawn(
            form, {n: v for n, v in same.told.items() if n not in (key.key if key else ())}
        )
        yield base.with_record(plain)
        yield base.with_record(*[plain] * 4)


def _told(call: Made, form: Any) -> dict[str, Any] | None:
    """The fields that a look-up asks for; None where they cannot be told."""
    told: dict[str, Any] = {}
    description = describe(form)
    parameters = call.reading.parameters if call.reading else ()
    values = dict(zip(call.target.parameters, call.arguments, strict=False))
    for one in parameters:
        value = values.get(one.name)
        if one.role is Role.RECORD and description is not None:
            key = {name: description.fetch(value, name) for name in description.key}
            told.update({name: v for name, v in key.items() if v is not None})
            continue
        if not one.field or value is None or description is None:
            continue
        if one.field not in description.given:
            return None
        if one.role is Role.KEYS or one.sign.strip().upper() == "IN":
            items = list(value) if isinstance(value, (list, tuple, set, frozenset)) else []
            value = items[0] if items else None
        if value is None or not is_plain(value):
            continue
        told[one.field] = _satisfying(one.sign, value)
    return told


def _satisfying(sign: str, value: Any) -> Any:
    """A value of a field that a condition takes."""
    with contextlib.suppress(TypeError, OverflowError):
        if sign.strip() == "<":
            return value - type(value)(1) if isinstance(value, (int, float)) else value
        if sign.strip() == ">":
            return value + type(value)(1) if isinstance(value, (int, float)) else value
    return value


# --- exceptions -----------------------------------------------------------------------------------


def handled(service: Service) -> list[type[BaseException]]:
    """The exceptions that the code handles, in its order."""
    spaces = {one.__code__.co_filename: one.__globals__ for one in service.scope.functions}
    found: dict[type[BaseException], None] = {}
    for decision in service.scope.decisions:
        node = decision.node
        if decision.kind != TRY or not isinstance(node, (ast.Try, ast.TryStar)):
            continue
        for handler in node.handlers:
            for name in _names(handler.type):
                kind = _looked_up(name, spaces.get(decision.file, {}))
                if isinstance(kind, type) and issubclass(kind, BaseException):
                    found[kind] = None
    return list(found)


def _names(node: ast.expr | None) -> list[str]:
    if node is None:
        return ["Exception"]
    if isinstance(node, ast.Tuple):
        return [name for one in node.elts for name in _names(one)]
    return [ast.unparse(node)]


def _looked_up(name: str, space: dict[str, Any]) -> Any:
    first, *rest = name.split(".")
    found = space.get(first, getattr(builtins, first, None))
    for part in rest:
        found = getattr(found, part, None)
    return found


def raised_by(kind: type[BaseException]) -> Raised | None:
    """An exception of a class, made in the simplest way that it takes."""
    if kind in (Exception, BaseException):
        return Raised(RuntimeError, ("out of order",))
    for given in ((), ("out of order",), (7,), ("out of order", 7), (7, "out of order")):
        with contextlib.suppress(Exception):
            kind(*given)
            return Raised(kind, given)
    return None


def _raising(
    base: Arrangement, call: Made, errors: list[type[BaseException]]
) -> Iterator[Arrangement]:
    """A method raises: always, the first time, or the first two times."""
    if call.asked.kind not in ("gives", "streams") or call.by == "clock":
        return  # a route breaks by its replies
    told = member_of(call.asked).raises
    for kind in dict.fromkeys([*told, *errors]):
        error = raised_by(kind)
        if error is None:
            continue
        if call.asked.kind == "streams":
            yield base.with_replies(call.asked, [error])
            continue
        after = base.replies.get(call.asked, ())
        yield base.with_replies(call.asked, error)
        rest = [one for one in after if not isinstance(one, Raised)]
        if not rest:
            value = _value_for(call)
            rest = [] if value is NO_VALUE else [value]
        if rest and not isinstance(rest[0], Raised):
            yield base.with_replies(call.asked, error, *rest[:1])
            yield base.with_replies(call.asked, error, error, *rest[:1])
            yield base.with_replies(call.asked, *rest[:1], error)


def _value_for(call: Made) -> Any:
    """What a method gives where nothing is wrong."""
    if call.target.promise.is_nothing:
        return None
    if call.reading is not None and call.reading.record_type is not None:
        return NO_VALUE  # its records answer
    return usual(reply_node(call.asked))


# --- replies --------------------------------------------------------------------------------------


def _answered(base: Arrangement, call: Made, service: Service) -> Iterator[Arrangement]:
    """Another reply of a method that the shelf answered from values by key, or by yes and no."""
    if call.by != "reading" or call.asked in base.replies or call.asked in service.fixed:
        return
    if call.reading is not None and call.reading.record_type is not None:
        return
    node = reply_node(call.asked)
    value = usual(node, call.asked.method)
    if value is not NO_VALUE and not call.target.promise.is_nothing:
        yield base.with_replies(call.asked, value)


def _replied(base: Arrangement, asked: Asked, values: Any) -> Iterator[Arrangement]:
    """Another reply of a route: always, before, twice before, and after."""
    for other in other_replies(values[-1]):
        yield base.with_replies(asked, other)
    if len(values) > 3:
        return
    for other in other_replies(values[-1]):
        yield base.with_replies(asked, other, *values)
        yield base.with_replies(asked, *values, other)
        yield base.with_replies(asked, other, other, *values)
    yield base.with_replies(asked, *values, values[-1])


def _in_turn(base: Arrangement, asked: Asked, service: Service) -> Iterator[Arrangement]:
    """Another reply after the first."""
    values: Any = base.replies[asked]
    if asked.kind == ROUTE:
        yield from _replied(base, asked, values)
        return
    if asked.kind != "gives" or asked in service.fixed or len(values) > 3:
        return
    last: Any = values[-1]
    if isinstance(last, Raised):
        return
    node = reply_node(asked)
    if isinstance(last, Drawn):
        yield base.with_replies(asked, *values, Drawn(last.form, last.told))
        if node.optional:
            yield base.with_replies(asked, *values, None)
            yield base.with_replies(asked, None, *values)
        return
    for other in islice(others(last, node, service.mined), 6):
        yield base.with_replies(asked, *values, other)
        yield base.with_replies(asked, other, *values)
