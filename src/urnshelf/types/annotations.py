"""Annotations resolved: as late and as far as possible. A name that is not there leaves the rest as
it is.
"""

from __future__ import annotations

import builtins
import inspect
import sys
import typing
from collections.abc import Mapping
from types import GenericAlias
from typing import Any

from urnshelf.caches import remembered
from urnshelf.types.checker_imports import filled_in
from urnshelf.types.forms import Unknown, rebuilt


def annotations_of(thing: Any) -> dict[str, Any]:
    """The annotations that a class or function itself carries, as far as they can be had without an
    error.
    """
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


class Scope:
    """Where the names of an annotation are looked for.

    The module's come before those of the class, so that a method called `list` does not hide the
    builtin.
    """

    def __init__(self, owner: type | None, function: object = None) -> None:
        module = getattr(function, "__module__", None) or getattr(owner, "__module__", None) or ""
        # a function knows its module's names better than the module's name does
        known = getattr(function, "__globals__", None) or vars(sys.modules.get(module, typing))
        self.module: str = module
        parameters: dict[str, Any] = {}
        for parameter in (
            *getattr(owner, "__type_params__", ()),
            *getattr(function, "__type_params__", ()),
        ):
            parameters[parameter.__name__] = parameter
        own = {} if owner is None else {owner.__name__: owner}
        body = {} if owner is None else vars(owner)
        self.namespaces: tuple[Mapping[str, Any], ...] = (
            parameters, own, known, vars(builtins), body,
        )  # fmt: skip


class _Names(dict[str, Any]):
    """The names of one written annotation, for `eval`; one that is nowhere is `Unknown`."""

    def __init__(self, text: str, scope: Scope) -> None:
        super().__init__()
        self._text = text
        self._scope = scope

    def __missing__(self, name: str) -> Any:
        for namespace in self._scope.namespaces:
            if name in namespace:
                return namespace[name]
        return filled_in(name, self._text, self._scope.module)


def resolve(annotation: object, owner: type | None, function: object = None) -> Any:
    """The type that an annotation names; a name in it that cannot be told is `Unknown`, and the
    rest stays.

    Args:
        annotation: as written: a type, a string, or a type with strings inside.
        owner: the class in whose body it stands, if any.
        function: the function that carries it, if any.
    """
    if isinstance(annotation, type) and not isinstance(annotation, GenericAlias):
        return annotation
    if isinstance(annotation, str):
        known = _in_module(annotation, owner, function)
        return (
            _evaluated(annotation, Scope(owner, function), frozenset()) if known is None else known
        )
    return _resolved(annotation, Scope(owner, function), frozenset())


def resolved_among(
    annotation: object, owner: type | None, function: object, names: Mapping[str, Any]
) -> Any:
    """Likewise, where some names are known besides: those of the function in which a class was
    made.
    """
    scope = Scope(owner, function)
    scope.namespaces = (*scope.namespaces[:2], names, *scope.namespaces[2:])
    return _resolved(annotation, scope, frozenset())


def _in_module(text: str, owner: type | None, function: object) -> Any:
    """The type, where the function's module knows every name in it: by far the most; None for any
    other.
    """
    names = getattr(function, "__globals__", None)
    if (
        names is None
        or getattr(owner, "__type_params__", None)
        or getattr(function, "__type_params__", None)
    ):
        return None
    try:
        found = eval(text, names, {})
    except Exception:  # a name that is not there, or an expression that refuses
        return None
    # a class, or list[int] and its like: nothing inside them can still be a text
    is_class = type(found) is type or (
        type(found) is GenericAlias and set(map(type, found.__args__)) == {type}
    )
    return found if is_class else None  # in any other something may be left to be resolved


def _resolved(annotation: object, scope: Scope, inside: frozenset[str]) -> Any:
    def leaf(part: object) -> Any:
        if isinstance(part, typing.ForwardRef):
            within = _scope_of(part, scope)
            return _evaluated(part.__forward_arg__, within, inside)
        return _evaluated(part, scope, inside) if isinstance(part, str) else part

    if annotation is None:
        return type(None)
    if isinstance(annotation, str):
        return _evaluated(annotation, scope, inside)
    try:
        return rebuilt(annotation, leaf)
    except Exception:  # what an annotation is made of may refuse anything
        return Unknown(str(annotation))


def _scope_of(reference: typing.ForwardRef, scope: Scope) -> Scope:
    """A typed dictionary tells of each of its fields in which module it was written."""
    module = getattr(reference, "__forward_module__", None)
    known = sys.modules.get(module) if isinstance(module, str) else module
    if known is None:
        return scope
    # in front of the names of the class that inherits from it, but behind its type parameters
    within = Scope(None)
    within.module = known.__name__
    within.namespaces = (*scope.namespaces[:2], vars(known), *scope.namespaces[2:])
    return within


def _evaluated(text: str, scope: Scope, inside: frozenset[str]) -> Any:
    # a type that holds itself would be looked into for ever
    if text in inside:  # a type that holds itself
        return Unknown(text)
    try:
        found = eval(text, {}, _Names(text, scope))
    except Exception:  # an annotation may hold any expression; what it raises only means "unknown"
        return Unknown(text)
    return found if type(found) is type else _resolved(found, scope, inside | {text})


def hints_of(cls: type) -> dict[str, Any]:
    """The types of a class's annotated fields, inherited ones included."""
    try:
        return dict(_known_hints(cls))
    except _NotAllKnown as some:
        return some.hints


class _NotAllKnown(Exception):
    """Carries hints that are not remembered: a name that is lacking now may be there later."""

    def __init__(self, hints: dict[str, Any]) -> None:
        self.hints = hints


@remembered
def _known_hints(cls: type) -> dict[str, Any]:
    hints: dict[str, Any] = {}
    for base in reversed(cls.__mro__):
        own = annotations_of(base)
        hints |= {name: resolve(annotation, base) for name, annotation in own.items()}
    if any(map(is_partly_unknown, hints.values())):
        raise _NotAllKnown(hints)
    return hints


def is_partly_unknown(form: object) -> bool:
    """Whether a name inside the type could not be resolved."""
    if type(form) is type:
        return False
    lacking: list[Any] = []

    def note(part: object) -> Any:
        if isinstance(part, Unknown):
            lacking.append(part)
        return part

    rebuilt(form, note)
    return bool(lacking)
