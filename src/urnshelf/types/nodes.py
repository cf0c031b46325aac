"""Nodes: what a type is, looked at once, so that everybody matches on the same answer."""

from __future__ import annotations

import collections
import collections.abc as abc
import typing
from enum import Enum, auto
from types import GenericAlias
from typing import Any, NamedTuple, TypeVar, get_args, get_origin

from urnshelf.caches import remembered
from urnshelf.types.forms import Unknown, is_typed_dict, is_union, substitute


class Kind(Enum):
    """What sort of type it is."""

    ANY = auto()
    """Any, object, or nothing told."""
    UNKNOWN = auto()
    """A name that could not be resolved."""
    NONE = auto()
    NEVER = auto()
    SELF = auto()
    VARIABLE = auto()
    """A type parameter without a bound that nothing fills in; its arguments are its constraints."""
    UNION = auto()
    LITERAL = auto()
    CALLABLE = auto()
    CLASS_OBJECT = auto()
    """`type[X]`."""
    TUPLE = auto()
    """A tuple of a fixed length."""
    ITEMS = auto()
    """A collection of items of one type."""
    MAPPING = auto()
    TYPED_DICT = auto()
    FILE = auto()
    """`IO`, `TextIO`, `BinaryIO`."""
    STREAM = auto()
    ASYNC_STREAM = auto()
    AWAITABLE = auto()
    CLASS = auto()
    """Any other class, with its type arguments."""


ITEM_TYPES: dict[Any, Any] = {
    list: list,
    set: set,
    frozenset: frozenset,
    tuple: tuple,
    collections.deque: collections.deque,
    abc.Sequence: list,
    abc.MutableSequence: list,
    abc.Collection: list,
    abc.Iterable: list,
    abc.Set: frozenset,
    abc.MutableSet: set,
}
"""Collections of items, and what makes one of them."""
MAPPING_TYPES: dict[Any, Any] = {
    dict: dict,
    collections.OrderedDict: collections.OrderedDict,
    collections.defaultdict: lambda items: collections.defaultdict(None, items),
    abc.Mapping: dict,
    abc.MutableMapping: dict,
}
_KINDS: dict[Any, Kind] = {
    **dict.fromkeys(ITEM_TYPES, Kind.ITEMS),
    **dict.fromkeys(MAPPING_TYPES, Kind.MAPPING),
    **dict.fromkeys((abc.Iterator, abc.Generator), Kind.STREAM),
    **dict.fromkeys((abc.AsyncIterator, abc.AsyncGenerator, abc.AsyncIterable), Kind.ASYNC_STREAM),
    **dict.fromkeys((abc.Awaitable, abc.Coroutine), Kind.AWAITABLE),
    **dict.fromkeys((Any, object), Kind.ANY),
    **dict.fromkeys((None, type(None)), Kind.NONE),
    **dict.fromkeys((typing.NoReturn, typing.Never), Kind.NEVER),
    typing.Self: Kind.SELF,
    abc.Callable: Kind.CALLABLE,
    **dict.fromkeys((typing.IO, typing.TextIO, typing.BinaryIO), Kind.FILE),
    type: Kind.CLASS_OBJECT,
    typing.Literal: Kind.LITERAL,
}
_QUALIFIERS: dict[Any, str] = {
    typing.Required: "required",
    typing.NotRequired: "not required",
    typing.Final: "final",
    typing.ClassVar: "class variable",
    typing.Unpack: "unpacked",
}


class Node:
    """A type, taken apart.

    Attributes:
        form: as it was written, resolved.
        bare: the type under its wrappings, without None among others; `Any` where it is not known.
        origin: the class of `bare` without its arguments.
        optional: whether None is allowed besides.
        notes: what `Annotated` attached, the outermost last.
        qualifiers: `required`, `not required`, `final`, `class variable`, `unpacked`, `constructor
            only`.
        kind: what sort of type it is.
        values: the values of a Literal.
        is_known: whether it says anything of its values.
        written: the type under its wrappings as it was written, also where it is not known.
        is_enum: whether its values are an enum's members.
    """

    __slots__ = (
        "_args",
        "bare",
        "form",
        "is_enum",
        "is_known",
        "kind",
        "notes",
        "optional",
        "origin",
        "qualifiers",
        "values",
        "written",
    )

    def __init__(self, form: object) -> None:
        # most types have no wrappings: a quick way round for them
        is_bare = type(form) is type or (
            type(form) is GenericAlias
            and form.__origin__ in _KINDS
            and form.__origin__ is not tuple
        )
        peeled = _Peeled(form, (), _NO_QUALIFIERS, False) if is_bare else _peeled(form)
        self.form = form
        self.optional = peeled.optional
        self.notes = peeled.notes
        self.qualifiers = peeled.qualifiers
        self.kind = (
            _KINDS.get(get_origin(form) or form, Kind.CLASS) if is_bare else _kind_of(peeled.form)
        )
        self.is_known = self.kind not in (Kind.ANY, Kind.UNKNOWN)
        self.bare: Any = peeled.form if self.is_known else Any
        self.written = peeled.form
        self.is_enum = isinstance(self.bare, type) and issubclass(self.bare, Enum)
        self.origin: Any = get_origin(self.bare) or self.bare
        self.values: tuple[Any, ...] = get_args(self.bare) if self.kind is Kind.LITERAL else ()
        self._args: tuple[Node, ...] | None = None

    @property
    def args(self) -> tuple[Node, ...]:
        """The nodes of its arguments; of a tuple of any length that of its items, and the members
        of a union.
        """
        if self._args is None:  # late, for a type may hold itself
            forms = get_args(self.bare)
            if self.kind is Kind.VARIABLE:
                forms = getattr(self.bare, "__constraints__", ())
            elif self.kind in (Kind.LITERAL, Kind.CALLABLE):
                forms = ()
            elif self.kind is Kind.ITEMS and self.origin is tuple:
                forms = forms[:1]
            self._args = tuple(map(node_of, forms))
        return self._args

    @property
    def item(self) -> Node:
        """The type of its items; that of anything where it is not told."""
        return self.args[0] if self.args else ANYTHING

    def __repr__(self) -> str:
        return f"<node {self.form!r}>"


_NO_QUALIFIERS: frozenset[str] = frozenset()


class _Peeled(NamedTuple):
    form: Any
    notes: tuple[Any, ...]
    qualifiers: frozenset[str]
    optional: bool


def _peeled(form: Any) -> _Peeled:
    """The type under its wrappings: what they note, and whether one of them allows None."""
    notes: tuple[Any, ...] = ()
    qualifiers: frozenset[str] = frozenset()
    optional = False
    while True:
        origin, args = get_origin(form), get_args(form)
        if origin is typing.Annotated:
            # the outermost note goes last, and a later one goes before an earlier
            form, notes = args[0], (*args[1:], *notes)
        elif origin in _QUALIFIERS:
            form, qualifiers = args[0], qualifiers | {_QUALIFIERS[origin]}
        elif type(form).__name__ == "InitVar":  # of dataclasses, which whoever has one has imported
            form, qualifiers = form.type, qualifiers | {"constructor only"}
        elif hasattr(form, "__supertype__"):  # NewType
            form = form.__supertype__
        elif hasattr(origin or form, "__value__") and hasattr(origin or form, "__type_params__"):
            form = _aliased(origin or form, args)
        elif args and getattr(origin, "__name__", "") in ("ReadOnly", "Mapped"):
            form = args[0]  # a mapper's wrapping, and one that Python 3.13 knows
        elif isinstance(form, TypeVar) and form.__bound__ is not None:
            form = form.__bound__
        elif is_union(form) and type(None) in args:
            rest = [arg for arg in args if arg is not type(None)]
            # None is peeled off, so that everybody asks `optional` and nobody meets a union of
            # two
            form, optional = (typing.Union[tuple(rest)] if rest else None), bool(rest)
        else:
            return _Peeled(form, notes, qualifiers, optional)


def _aliased(alias: Any, args: tuple[Any, ...]) -> Any:
    """What a `type` alias stands for."""
    return substitute(alias.__value__, dict(zip(alias.__type_params__, args, strict=False)))


def _kind_of(form: object) -> Kind:
    if isinstance(form, (Unknown, str, typing.ForwardRef)):
        return Kind.UNKNOWN
    if isinstance(form, (typing.ParamSpecArgs, typing.ParamSpecKwargs)):
        return Kind.ANY
    if isinstance(form, (TypeVar, typing.ParamSpec, typing.TypeVarTuple)):
        return Kind.VARIABLE
    if is_union(form):
        return Kind.UNION
    origin, args = get_origin(form) or form, get_args(form)
    if origin is tuple and hasattr(form, "__args__") and ... not in args:
        return Kind.TUPLE  # also without items: `tuple[()]`
    if is_typed_dict(origin):
        return Kind.TYPED_DICT
    try:
        return _KINDS.get(origin, Kind.CLASS)
    except TypeError:  # what cannot be hashed is no type
        return Kind.CLASS


@remembered
def _node_of_class(cls: object) -> Node:
    return Node(cls)


def node_of(form: object) -> Node:
    """The node of a type.

    >>> berths = node_of(typing.Annotated[list[int] | None, "in order"])
    >>> berths.kind.name, berths.origin, berths.item.bare, berths.optional, berths.notes
    ('ITEMS', <class 'list'>, <class 'int'>, True, ('in order',))
    """
    # only plain classes are remembered: 1 and True, list[1] and list[True] are equal as keys
    return _node_of_class(form) if type(form) is type else Node(form)


ANYTHING = Node(Any)
"""The node of what says nothing of its values."""
