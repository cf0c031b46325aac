"""Annotations made into types: resolved as late and as far as possible, type parameters filled in."""

from __future__ import annotations

import inspect
import sys
import typing
from types import GenericAlias, UnionType
from typing import Any, TypeVar, get_args, get_origin
from weakref import WeakKeyDictionary


def annotations_of(thing: Any) -> dict[str, Any]:
    """The annotations that a class or function itself carries, as far as they can be had without an error."""
    try:
        if sys.version_info >= (3, 14):
            import annotationlib

            return annotationlib.get_annotations(thing, format=annotationlib.Format.FORWARDREF)
        return inspect.get_annotations(thing)
    except Exception:  # an annotation may hold any expression
        return {}


def signature_of(function: Any) -> inspect.Signature:
    """A function's signature; names in its annotations need not be there."""
    if sys.version_info >= (3, 14):
        import annotationlib

        return inspect.signature(function, annotation_format=annotationlib.Format.FORWARDREF)
    return inspect.signature(function)


def resolve(annotation: Any, owner: type | None, function: Any = None) -> Any:
    """The type that an annotation names; `Any` when it cannot be told (an import for the checker only, a missing name).

    Args:
        annotation: as written: a type, a string, or a type with strings inside.
        owner: the class in whose body it stands, if any.
        function: the function that carries it, if any; its module's names are looked up first, so that a method called
            `list` does not hide the builtin.
    """
    if annotation is None:
        return type(None)
    if isinstance(annotation, type) and not isinstance(annotation, GenericAlias):
        return annotation
    module = sys.modules.get(getattr(function, "__module__", None) or getattr(owner, "__module__", "") or "")
    names = getattr(function, "__globals__", None) or vars(module or typing)
    parameters = {p.__name__: p for p in getattr(owner, "__type_params__", ())}
    parameters |= {p.__name__: p for p in getattr(function, "__type_params__", ())}
    holder = _Holder(annotation)
    own = {owner.__name__: owner} if owner is not None else {}
    for local in ({**own, **parameters}, {**(vars(owner) if owner is not None else {}), **own, **parameters}):
        try:
            return typing.get_type_hints(holder, dict(names), local, include_extras=True)["it"]
        except Exception:  # an annotation may hold any expression; what it raises only means "unknown"
            continue
    return Any


_known_hints: WeakKeyDictionary[type, dict[str, Any]] = WeakKeyDictionary()
"""Only of classes whose annotations could all be told: a name that is lacking now may be there later."""


def hints_of(cls: type) -> dict[str, Any]:
    """The types of a class's annotated fields, inherited ones included; `Any` for those that cannot be told."""
    known = _known_hints.get(cls) if isinstance(cls, type) else None
    if known is not None:
        return dict(known)
    try:
        hints = typing.get_type_hints(cls, include_extras=True)
        if isinstance(cls, type):
            _known_hints[cls] = hints
        return dict(hints)
    except Exception:  # one bad annotation must not hide the others
        hints = {}
        for base in reversed(cls.__mro__):
            hints |= {name: resolve(annotation, base) for name, annotation in annotations_of(base).items()}
        return hints


class _Holder:
    """Carries one annotation to `typing.get_type_hints`."""

    def __init__(self, annotation: Any) -> None:
        self.__annotations__ = {"it": annotation}


def substitute(form: Any, filled: dict[Any, Any]) -> Any:
    """The type with its type parameters filled in.

    >>> T = TypeVar("T")
    >>> substitute(list[T], {T: int})
    list[int]
    """
    if not filled:
        return form
    if isinstance(form, TypeVar):
        return filled.get(form, form)
    parameters = getattr(form, "__parameters__", ())
    if not parameters or (isinstance(form, type) and not isinstance(form, GenericAlias)):
        return form
    try:
        return form[tuple(filled.get(p, p) for p in parameters)]
    except TypeError:
        return form


def type_arguments(form: Any) -> dict[type, dict[Any, Any]]:
    """For each class that an interface inherits from: its type parameters and what they stand for here."""
    found: dict[type, dict[Any, Any]] = {}

    def walk(base: Any, filled: dict[Any, Any]) -> None:
        origin = get_origin(base) or base
        if not isinstance(origin, type):
            return
        parameters = getattr(origin, "__parameters__", ())
        given = tuple(substitute(arg, filled) for arg in get_args(base))
        mine = dict(zip(parameters, given, strict=False))
        found.setdefault(origin, mine)
        for parent in origin.__dict__.get("__orig_bases__", origin.__bases__):
            walk(parent, mine)

    walk(form, {})
    return found


def is_typed_dict(form: Any) -> bool:
    """Whether a type is a TypedDict, of the standard library or of its extensions."""
    return isinstance(form, type) and issubclass(form, dict) and hasattr(form, "__required_keys__")


def type_name(form: Any) -> str:
    """A type as a developer writes it.

    >>> type_name(dict[str, list[int] | None])
    'dict[str, list[int] | None]'
    """
    if form is type(None) or form is None:
        return "None"
    if form is ...:
        return "..."
    origin, args = get_origin(form), get_args(form)
    if origin is typing.Union or origin is UnionType:
        return " | ".join(map(type_name, args))
    if origin is typing.Literal:
        return f"Literal[{', '.join(map(repr, args))}]"
    if origin is typing.Annotated:
        return type_name(args[0])
    if origin is not None and args:
        return f"{type_name(origin)}[{', '.join(map(_argument_name, args))}]"
    return getattr(form, "__name__", None) or str(form).removeprefix("typing.")


def _argument_name(arg: Any) -> str:
    return f"[{', '.join(map(type_name, arg))}]" if isinstance(arg, list) else type_name(arg)
