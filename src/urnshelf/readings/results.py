"""What a method promises, as an answer from the store: one record, many, a count, a key …"""

from __future__ import annotations

import collections.abc as abc
from collections.abc import Callable
from functools import lru_cache
from types import UnionType
from typing import Any, NamedTuple, TypeVar, Union, get_args, get_origin

from urnshelf.interfaces.hints import is_typed_dict
from urnshelf.records.shapes import Shape, shape_of

Collect = Callable[[list[Any]], Any]

_MANY: dict[Any, Collect] = {
    list: list,
    tuple: tuple,
    set: set,
    frozenset: frozenset,
    abc.Set: set,
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
_MAPPINGS = (dict, abc.Mapping, abc.MutableMapping)


class Result(NamedTuple):
    """The kind of a promise.

    Its kind is `one`, `one or none`, `many`, `by key` (a mapping), `page` (records and their count), `bool`, `int`,
    `none`, `unknown` (nothing is promised in writing), or `other`.
    """

    kind: str
    record_type: Any = None
    collect: Collect = list
    as_row: bool = False
    """Whether records are given as plain dictionaries."""
    form: Any = None


@lru_cache(maxsize=4096)
def result_of(promised: Any) -> Result:
    """What kind of answer a promised type asks for."""
    simple = {type(None): "none", bool: "bool", int: "int", Any: "unknown"}.get(_hashable(promised))
    if simple is not None:
        return Result(simple, form=promised)
    record = _record(promised)
    if record is not None:
        return Result("one", *record)
    origin, args = get_origin(promised), get_args(promised)
    if origin is Union or origin is UnionType:
        return _optional(args)
    if origin in _MANY and args:
        if origin is tuple and len(args) == 2 and args[1] is not ...:
            return _page(promised, args)
        record = _record(args[0])
        if record is not None:
            return Result("many", record[0], _MANY[origin], record[2])
    if origin in _MAPPINGS and len(args) == 2:
        record = _record(args[1])
        if record is not None and not record[2]:
            return Result("by key", record[0])
    return Result("other", form=promised)


def is_record_type(form: Any) -> bool:
    """Whether a type is one whose instances are records."""
    return isinstance(form, type) and (_shape(form) is not None or is_typed_dict(form) or hasattr(form, "__mapper__"))


def is_row_type(form: Any) -> bool:
    """Whether a type is a plain mapping from field names to values."""
    origin, args = get_origin(form) or form, get_args(form)
    return origin in _MAPPINGS and (not args or (args[0] is str and not is_record_type(args[1])))


def _record(form: Any) -> tuple[Any, Collect, bool] | None:
    """The record type, and whether it is given as a plain dictionary."""
    if isinstance(form, TypeVar):
        form = form.__bound__
    if is_record_type(form):
        return form, list, False
    return (None, list, True) if is_row_type(form) and get_args(form)[1:] in ((), (Any,), (object,)) else None


def _optional(args: tuple[Any, ...]) -> Result:
    inner = [arg for arg in args if arg is not type(None)]
    if len(inner) == 1 and len(args) == 2:
        found = result_of(inner[0])
        if found.kind == "one":
            return found._replace(kind="one or none")
    return Result("other")


def _page(promised: Any, args: tuple[Any, ...]) -> Result:
    many = result_of(args[0])
    if many.kind == "many" and args[1] is int:
        return many._replace(kind="page")
    return Result("other", form=promised)


def _shape(form: type) -> Shape | None:
    try:
        return shape_of(form)
    except TypeError:
        return None


def _hashable(form: Any) -> Any:
    try:
        hash(form)
    except TypeError:
        return None
    return form
