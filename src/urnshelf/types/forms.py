"""Types as they are written: taken apart, put together again, shown."""

from __future__ import annotations

import collections.abc as abc
import functools
import operator
import typing
from collections.abc import Callable
from types import GenericAlias, UnionType
from typing import Any, TypeVar, get_args, get_origin

from urnshelf.caches import remembered


class Unknown:
    """Stands for a name in an annotation that cannot be resolved, such as an import for the checker
    only.
    """

    __slots__ = ("name",)

    def __init__(self, name: str) -> None:
        self.name = name

    def __getattr__(self, part: str) -> Unknown:
        if part.startswith("__"):
            raise AttributeError(part)
        return Unknown(f"{self.name}.{part}")

    def __getitem__(self, _: object) -> Unknown:
        return self

    def __or__(self, other: object) -> Any:
        return typing.Union[self, other]

    def __ror__(self, other: object) -> Any:
        return typing.Union[other, self]

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Unknown) and other.name == self.name

    def __hash__(self) -> int:
        return hash(self.name)

    def __repr__(self) -> str:
        return self.name


def is_union(form: object) -> bool:
    """Whether a type is written as `X | Y`, `Union[X, Y]` or `Optional[X]`."""
    origin = get_origin(form)
    return origin is typing.Union or origin is UnionType


def is_typed_dict(form: object) -> bool:
    """Whether a type is a TypedDict, of the standard library or of its extensions."""
    return isinstance(form, type) and issubclass(form, dict) and hasattr(form, "__required_keys__")


def rebuilt(form: Any, leaf: Callable[[Any], Any]) -> Any:
    """The type with each of its innermost parts replaced by what `leaf` makes of it.

    >>> rebuilt(dict[str, list["Berth"]], lambda part: int if part == "Berth" else part)
    dict[str, list[int]]
    """
    if isinstance(form, list):  # the parameters of a Callable
        return [rebuilt(part, leaf) for part in form]
    if isinstance(form, tuple):
        return tuple([rebuilt(part, leaf) for part in form])
    origin, args = get_origin(form), getattr(form, "__args__", ())
    if origin is None or not isinstance(args, tuple) or not args or origin is typing.Literal:
        return leaf(form)
    if origin is typing.Annotated:
        return typing.Annotated[(rebuilt(get_args(form)[0], leaf), *form.__metadata__)]
    new = tuple([rebuilt(arg, leaf) for arg in args])
    if all(a is b for a, b in zip(new, args, strict=True)):
        return form
    if is_union(form):
        are_classes = all(isinstance(part, type) for part in new)
        return functools.reduce(operator.or_, new) if are_classes else typing.Union[new]
    if origin is abc.Callable and isinstance(form, GenericAlias):
        made: Any = abc.Callable
        return made[new[0] if new[0] is ... else list(new[:-1]), new[-1]]
    copy_with = getattr(form, "copy_with", None)
    return copy_with(new) if callable(copy_with) else origin[new]


_PARAMETERS = (TypeVar, typing.ParamSpec, typing.TypeVarTuple)


def substitute(form: object, filled: dict[Any, Any]) -> Any:
    """The type with its type parameters filled in.

    >>> T = TypeVar("T")
    >>> substitute(list[T], {T: int})
    list[int]
    """
    if not filled:
        return form
    return rebuilt(
        form, lambda part: filled.get(part, part) if isinstance(part, _PARAMETERS) else part
    )


def type_arguments(form: object) -> dict[type, dict[Any, Any]]:
    """For each class that an interface inherits from: its type parameters and what they stand for
    here.
    """
    found: dict[type, dict[Any, Any]] = {}

    def walk(base: object, filled: dict[Any, Any]) -> None:
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


def type_name(form: object) -> str:
    """A type as a developer writes it.

    >>> type_name(dict[str, list[int] | None])
    'dict[str, list[int] | None]'
    """
    if form is type(None) or form is None:
        return "None"
    if form is ...:
        return "..."
    if isinstance(form, (str, Unknown)):
        return str(form)
    if isinstance(form, typing.ForwardRef):
        return form.__forward_arg__
    origin, args = get_origin(form), get_args(form)
    if is_union(form):
        return " | ".join(map(type_name, args))
    if origin is typing.Literal:
        return f"Literal[{', '.join(map(repr, args))}]"
    if origin is typing.Annotated:
        return type_name(args[0])
    if origin is not None and args:
        return f"{type_name(origin)}[{', '.join(map(_argument_name, args))}]"
    return getattr(form, "__name__", None) or str(form).removeprefix("typing.")


def _argument_name(arg: object) -> str:
    return f"[{', '.join(map(type_name, arg))}]" if isinstance(arg, list) else type_name(arg)


@remembered
def full_name(cls: type) -> str:
    """`datetime.datetime`: for classes that are known by name, so that their module need not be
    imported.
    """
    return f"{cls.__module__}.{cls.__qualname__}"
