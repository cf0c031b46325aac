"""Reading a repository method: from what it promises, the verb, every other word of its name, and its parameters.

A word or a parameter that cannot be accounted for leaves the method unread: a refusal that says how to go on is better
than a guess that may be wrong.
"""

from __future__ import annotations

import collections.abc as abc
from collections.abc import Callable
from functools import lru_cache
from types import UnionType
from typing import Any, NamedTuple, Union, get_args, get_origin

from urnshelf.interfaces.members import Interface, Member
from urnshelf.records.keys import snake_case
from urnshelf.records.shapes import shape_of
from urnshelf.store.tables import Table, key_field

__tracebackhide__ = True  # a failing test shows its own lines, not ours

Plan = Callable[[Table[Any], tuple[Any, ...]], Any]

LOOK_UPS = frozenset({"get", "find", "load", "fetch", "list", "all", "by"})
ADDS = frozenset({"add", "create", "insert"})
SAVES = frozenset({"save", "update", "upsert", "store", "put"})
REMOVES = frozenset({"delete", "remove"})

_MANY: dict[Any, Callable[[list[Any]], Any]] = {
    list: list,
    tuple: tuple,
    abc.Sequence: list,
    abc.Collection: list,
    abc.Iterable: list,
    abc.MutableSequence: list,
    abc.Iterator: iter,
    abc.Generator: iter,
    abc.AsyncIterator: list,
    abc.AsyncGenerator: list,
    abc.AsyncIterable: list,
}
"""How many records are given; an async stream is made of the list by the answerer."""


class Reading(NamedTuple):
    """What a method was read as; it also stands in the ledger as the answerer of its calls."""

    record_type: type
    meaning: str
    plan: Plan
    is_look_up: bool

    def __repr__(self) -> str:
        return f"the shelf's records: {self.meaning}"


class Unread(NamedTuple):
    """Why a method was not read."""

    why: str
    is_operation: bool = True
    """Whether it looks like a store operation all the same: then not even a promised None is obvious."""


class Result(NamedTuple):
    """The shape of a method's promise: `one`, `one or none`, `many`, `none`, `bool`, `int` or `other`."""

    kind: str
    record_type: type | None = None
    collect: Callable[[list[Any]], Any] = list


@lru_cache(maxsize=4096)
def read(member: Member, interface: Interface) -> Reading | Unread:
    """What the method stands for, or why that is not certain."""
    if member.kind == "attribute" or member.name.startswith("_"):
        return Unread("only public methods are read", is_operation=False)
    result = result_of(member.promise.type)
    record_type = result.record_type or _argument_record(member) or _only_record(interface)
    if record_type is None:
        return Unread("", is_operation=False)
    verb, *words = member.name.split("_")
    for reader in (_read_write, _read_removal, _read_question, _read_look_up):
        found = reader(verb, words, member, record_type, result)
        if found is not None:
            return found
    return Unread(f"the verb {verb!r} is not one that is read", is_operation=False)


def result_of(promised: Any) -> Result:
    """What kind of answer a promised type asks for."""
    for kind, form in (("none", type(None)), ("bool", bool), ("int", int)):
        if promised is form:
            return Result(kind)
    if isinstance(promised, type) and shape_of(promised) is not None:
        return Result("one", promised)
    origin, args = get_origin(promised), get_args(promised)
    if (origin is Union or origin is UnionType) and len(args) == 2 and type(None) in args:
        inner = result_of(next(arg for arg in args if arg is not type(None)))
        return Result("one or none", inner.record_type) if inner.kind == "one" else Result("other")
    if origin in _MANY and args and _is_record_type(args[0]):
        return Result("many", args[0], _MANY[origin])
    return Result("other")


def _is_record_type(form: Any) -> bool:
    return isinstance(form, type) and shape_of(form) is not None


def _argument_record(member: Member) -> type | None:
    return next((form for form in member.parameter_types.values() if _is_record_type(form)), None)


def _only_record(interface: Interface) -> type | None:
    """The one record type that all methods of the interface are about."""
    found = set()
    for member in interface.members.values():
        if member.kind == "method":
            found |= {result_of(member.promise.type).record_type, _argument_record(member)} - {None}
    return found.pop() if len(found) == 1 else None


def _read_write(
    verb: str, words: list[str], member: Member, record_type: type, result: Result
) -> Reading | Unread | None:
    if verb not in ADDS | SAVES:
        return None
    if words and words != _words_of(record_type):
        return Unread(f"{' '.join(words)!r} after {verb!r} says more than is read")
    if len(member.parameters) != 1 or member.parameter_types[member.parameters[0]] is not record_type:
        return Unread(f"{verb!r} is read with one {record_type.__name__} as its only argument")
    operation = "add" if verb in ADDS else "save"
    replies: dict[str, Callable[[Table[Any], Any], Any]] = {
        "none": lambda table, stored: None,
        "one": lambda table, stored: stored,
        "int": lambda table, stored: getattr(stored, table.key or "", None),
    }
    reply = replies.get(result.kind)
    if reply is None:
        return Unread(f"{verb!r} is read where it promises the record, its key or None")

    def plan(table: Table[Any], values: tuple[Any, ...]) -> Any:
        return reply(table, getattr(table, operation)(values[0]))

    return Reading(record_type, f"{operation} a {record_type.__name__}", plan, is_look_up=False)


def _read_removal(
    verb: str, words: list[str], member: Member, record_type: type, result: Result
) -> Reading | Unread | None:
    if verb not in REMOVES:
        return None
    if words and words != _words_of(record_type):
        return Unread(f"{' '.join(words)!r} after {verb!r} says more than is read")
    if len(member.parameters) != 1 or result.kind not in ("none", "bool"):
        return Unread(f"{verb!r} is read with one key or one record, promising None or bool")
    by_record = member.parameter_types[member.parameters[0]] is record_type
    if not by_record and not _is_key(member.parameters[0], record_type):
        return Unread(f"the parameter {member.parameters[0]!r} is not the key of {record_type.__name__}")

    def plan(table: Table[Any], values: tuple[Any, ...]) -> Any:
        key = getattr(values[0], table.key or "", None) if by_record else values[0]
        gone = table.remove(key)
        if result.kind == "bool":
            return gone
        if not gone:
            raise table.missing_error(key)
        return None

    return Reading(record_type, f"remove a {record_type.__name__} by key", plan, is_look_up=False)


def _read_question(
    verb: str, words: list[str], member: Member, record_type: type, result: Result
) -> Reading | Unread | None:
    if verb not in ("count", "exists"):
        return None
    wanted = "int" if verb == "count" else "bool"
    if result.kind != wanted:
        return Unread(f"{verb!r} is read where it promises {wanted}")
    fields = _condition(words, member, record_type)
    if isinstance(fields, Unread):
        return fields

    def plan(table: Table[Any], values: tuple[Any, ...]) -> Any:
        found = len(_matching(table, fields, values))
        return found if verb == "count" else bool(found)

    return Reading(record_type, f"{verb} {_told(record_type, fields)}", plan, is_look_up=True)


def _read_look_up(
    verb: str, words: list[str], member: Member, record_type: type, result: Result
) -> Reading | Unread | None:
    if verb not in LOOK_UPS:
        return None
    if result.kind not in ("one", "one or none", "many"):
        return Unread(f"{verb!r} is read where it promises a record, a record or None, or many records")
    fields = _condition(["by", *words] if verb == "by" else words, member, record_type)
    if isinstance(fields, Unread):
        return fields
    if result.kind != "many" and not fields:
        return Unread("it promises one record, but says not which")

    def plan(table: Table[Any], values: tuple[Any, ...]) -> Any:
        found = _matching(table, fields, values)
        if result.kind == "many":
            return result.collect(found)
        if not found and result.kind == "one":
            raise table.missing_error(values[0] if len(values) == 1 else values)
        return found[0] if found else None

    kind = {"one": "get", "one or none": "find", "many": "list"}[result.kind]
    return Reading(record_type, f"{kind} {_told(record_type, fields)}", plan, is_look_up=True)


def _condition(words: list[str], member: Member, record_type: type) -> tuple[str, ...] | Unread:
    """The fields that the arguments must equal, in the order of the arguments."""
    shape = shape_of(record_type)
    assert shape is not None
    if words and words[0] != "by":
        head, _, tail = "_".join(words).partition("_by_")
        if head not in _plain_names(record_type):
            return Unread(f"the word {words[0]!r} of its name is not accounted for")
        words = ["by", *tail.split("_")] if tail else []
    if words:
        fields = tuple("_".join(words[1:]).split("_and_"))
    else:
        fields = tuple("*key*" if _is_key(p, record_type) else p for p in member.parameters)
    key = key_field(record_type, shape)
    fields = tuple((key or f) if f in ("*key*", "id") else f for f in fields)
    unknown = [field for field in fields if field not in shape.fields]
    if unknown:
        return Unread(f"{record_type.__name__} has no field {unknown[0]!r}")
    if len(fields) != len(member.parameters):
        return Unread(f"its name speaks of {len(fields)} fields, but it has {len(member.parameters)} parameters")
    return fields


def _matching(table: Table[Any], fields: tuple[str, ...], values: tuple[Any, ...]) -> list[Any]:
    if fields == (table.key,):
        found = table.find(values[0])
        return [] if found is None else [found]
    return table.where(**dict(zip(fields, values, strict=True)))


def _is_key(parameter: str, record_type: type) -> bool:
    shape = shape_of(record_type)
    key = key_field(record_type, shape) if shape else None
    return key is not None and parameter in (key, "id", "key", f"{snake_case(record_type.__name__)}_id")


def _words_of(record_type: type) -> list[str]:
    return snake_case(record_type.__name__).split("_")


def _plain_names(record_type: type) -> tuple[str, ...]:
    name = snake_case(record_type.__name__)
    return "all", name, f"{name}s", f"all_{name}s"


def _told(record_type: type, fields: tuple[str, ...]) -> str:
    return record_type.__name__ + (f" by {' and '.join(fields)}" if fields else "")
