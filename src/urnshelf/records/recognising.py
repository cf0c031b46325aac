"""Which types are records: the description of each is found, and plain classes are declared."""

from __future__ import annotations

import inspect
import sys
from enum import Enum
from typing import Any, get_origin
from weakref import WeakSet

from urnshelf.caches import forget, remembered
from urnshelf.records.description import NOT_THERE, Description, Field, PlainClass
from urnshelf.types.annotations import hints_of, resolve, signature_of
from urnshelf.types.forms import substitute, type_arguments
from urnshelf.types.nodes import ANYTHING, node_of

_NOT_THE_USERS = frozenset(
    {*sys.stdlib_module_names, "pydantic", "pydantic_core", "pydantic_extra_types", "msgspec"}
) - {"__main__"}
_declared: WeakSet[type] = WeakSet()
"""Plain classes of which somebody said that they are records."""


def describe(form: object) -> Description | None:
    """The description of a record type; None for what is none.

    A plain class is a record once it was declared one: it was defined or stocked, or a store
    operation speaks of it.

    Args:
        form: a class, or one with type arguments.
    """
    try:
        return _described(form)
    except Exception:  # a class whose metaclass refuses to be asked, or that cannot be hashed
        return None


@remembered
def _described(form: object) -> Description | None:
    origin = get_origin(form) or form
    if not isinstance(origin, type) or origin.__module__ in (
        "builtins",
        "datetime",
        "decimal",
        "uuid",
    ):
        return None
    # late, for the libraries' files need this one
    from urnshelf.records.libraries import recognisers

    for recognise in recognisers():
        found = recognise(form, origin)
        if found is not None:
            return found
    return plain_class(form) if origin in _declared else None


@remembered
def plain_class(form: object) -> Description | None:
    """A class of no library described by its constructor; None where that does not tell its
    fields.
    """
    origin = get_origin(form) or form
    if not isinstance(origin, type) or not may_be_plain(origin):
        return None
    fields = _constructor_fields(form, origin)
    return (
        PlainClass(form, fields, has_plain_equality=has_own(origin, "__eq__", object))
        if fields
        else None
    )


def may_be_plain(cls: Any) -> bool:
    """Whether a class could be a record of no library: one that is made by a constructor of its
    own.
    """
    # nothing could be given to it
    if inspect.getattr_static(cls, "__init__") is object.__init__ or inspect.isabstract(cls):
        return False
    if cls.__module__.partition(".")[0] in _NOT_THE_USERS:
        return False
    return not getattr(cls, "_is_protocol", False) and not issubclass(
        cls, (BaseException, Enum, type)
    )


def looks_like_record(cls: object) -> bool:
    """Whether a plain class can be taken for a record where a store operation speaks of it.

    It has a key, and no public methods; of any other it must be said.
    """
    if (
        not isinstance(cls, type)
        or cls.__module__ in ("builtins", "typing")
        or not may_be_plain(cls)
    ):
        return False
    methods = [
        n for base in cls.__mro__[:-1] for n, v in vars(base).items() if inspect.isroutine(v)
    ]
    described = plain_class(cls) if all(name.startswith("_") for name in methods) else None
    return described is not None and bool(described.key)


def declare(cls: type) -> None:
    """Say that a plain class is a record; from now on it is copied, compared and shown as one,
    everywhere.
    """
    # all that was found out before took it for a plain object
    if cls not in _declared and _described(cls) is None:
        _declared.add(cls)
        forget()


def description_of(form: object) -> Description | None:
    """The description of what somebody wants stored or drawn: a plain class will do, too."""
    known = describe(form)
    if known is not None or not isinstance(get_origin(form) or form, type):
        return known
    try:
        return plain_class(form)
    except TypeError:  # a type with notes that cannot be hashed
        return None


def _constructor_fields(form: object, origin: type) -> list[Field]:
    try:
        parameters = list(signature_of(origin).parameters.values())
    except (TypeError, ValueError):
        return []
    constructor = inspect.getattr_static(origin, "__init__")
    filled = _filled(form)
    fields = []
    for p in parameters:
        if p.kind in (p.VAR_POSITIONAL, p.VAR_KEYWORD):
            continue
        known = p.annotation is not p.empty
        node = (
            node_of(substitute(resolve(p.annotation, origin, constructor), filled))
            if known
            else ANYTHING
        )
        default = NOT_THERE if p.default is p.empty else p.default
        fields.append(
            # a parameter without a type and with a default is left to its default
            Field(p.name, node, p.name, default=default, is_given=known or default is NOT_THERE)
        )
    return fields


def filled_hints(form: object, origin: type) -> dict[str, Any]:
    """The annotated fields' types, type parameters filled in."""
    filled = _filled(form)
    return {name: substitute(hint, filled) for name, hint in hints_of(origin).items()}


def _filled(form: object) -> dict[Any, Any]:
    filled: dict[Any, Any] = {}
    for known in type_arguments(form).values():
        filled |= known
    return filled


def has_own(cls: object, name: str, base: object) -> bool:
    """Whether a class has a method as a base wrote it."""
    return getattr(cls, name) is getattr(base, name)


def is_written_for(cls: object) -> bool:
    """Whether the equality was written by a class decorator, or is object's: then the fields
    decide.
    """
    code = getattr(cls.__eq__, "__code__", None)
    return has_own(cls, "__eq__", object) or (code is not None and code.co_filename.startswith("<"))
