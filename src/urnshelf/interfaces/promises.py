"""What a method promises to give, and whether a value keeps the promise."""

from __future__ import annotations

import collections.abc as abc
import typing
from types import UnionType
from typing import Any, NamedTuple, TypeVar, get_args, get_origin

from urnshelf.interfaces.hints import annotations_of, hints_of, is_typed_dict, type_name
from urnshelf.records.display import show

_AWAITABLES = frozenset({abc.Awaitable, abc.Coroutine})
_STREAMS = frozenset({abc.Iterator, abc.Generator, abc.Iterable})
_ASYNC_STREAMS = frozenset({abc.AsyncIterator, abc.AsyncGenerator, abc.AsyncIterable})
_SAMPLE = 200
"""How many items of a container are checked: enough to catch a mix-up, few enough to cost nothing."""


class Promise(NamedTuple):
    """The type that a caller receives, after awaiting where that is needed; `item` is the type of a stream's items."""

    type: Any
    awaited: bool = False
    stream: str = ""
    item: Any = Any

    @property
    def name(self) -> str:
        """The promised type as a developer writes it."""
        return type_name(self.type)


def promise_of(returned: Any, is_async: bool) -> Promise:
    """The promise of a method whose annotation says `returned`."""
    awaited = is_async
    if not is_async and get_origin(returned) in _AWAITABLES:
        returned, awaited = get_args(returned)[-1], True
    origin = get_origin(returned) or returned
    args = get_args(returned)
    item = args[0] if args else Any
    if isinstance(origin, type) and origin in _STREAMS:
        return Promise(returned, awaited, "sync", item)
    if isinstance(origin, type) and origin in _ASYNC_STREAMS:
        return Promise(returned, awaited, "async", item)
    return Promise(returned, awaited)


def misfit(value: Any, form: Any, path: str = "") -> str | None:
    """Why the value is not of the type; None when it is, or when that cannot be told.

    >>> misfit([1, "two"], list[int])
    "[1] is 'two', a str, not int"
    """
    if type(value) is form:  # by far the most common
        return None
    wrong = _misfit(value, form, path)
    if wrong is None:
        return None
    where, found, wanted = wrong
    return f"{where or 'it'} is {show(found, 60)}, {_a(type(found).__name__)}, not {type_name(wanted)}"


Wrong = tuple[str, Any, Any]


def _misfit(value: Any, form: Any, path: str) -> Wrong | None:
    form = _plain(form)
    if form is Any or form is object or isinstance(form, (str, typing.ForwardRef, TypeVar)):
        return None
    if form is None or form is type(None):
        return None if value is None else (path, value, None)
    origin, args = get_origin(form), get_args(form)
    if origin is typing.Union or origin is UnionType:
        wrongs = [_misfit(value, arg, path) for arg in args]
        deep = [w for w in wrongs if w is not None and w[0] != path]
        return None if None in wrongs else deep[0] if deep else (path, value, form)
    if origin is typing.Literal:
        return None if any(type(value) is type(arg) and value == arg for arg in args) else (path, value, form)
    if is_typed_dict(form):
        return _typed_dict_misfit(value, form, path)
    if origin is type:
        return None if isinstance(value, type) else (path, value, form)
    if not _is_instance(value, origin or form):
        return (path, value, form)
    return _item_misfit(value, origin, args, path) if args else None


def _plain(form: Any) -> Any:
    """The type under its wrappings: Annotated, NewType, aliases, qualifiers, bounded parameters."""
    for _ in range(10):
        if isinstance(form, TypeVar):
            return form.__bound__ if form.__bound__ is not None else Any
        if hasattr(form, "__supertype__"):
            form = form.__supertype__
        elif get_origin(form) in (
            typing.Annotated,
            typing.Required,
            typing.NotRequired,
            typing.Final,
            typing.ClassVar,
        ):
            form = get_args(form)[0]
        elif type(form).__name__ == "TypeAliasType":
            form = form.__value__
        else:
            return form
    return form


def _is_instance(value: Any, cls: Any) -> bool:
    if cls is float:
        return isinstance(value, (int, float))
    if cls is complex:
        return isinstance(value, (int, float, complex))
    if cls is abc.Callable:
        return callable(value)
    if getattr(cls, "_is_protocol", False) and not getattr(cls, "_is_runtime_protocol", False):
        return _has_members_of(value, cls)
    try:
        return isinstance(value, cls)
    except TypeError:
        return True


def _has_members_of(value: Any, protocol: type) -> bool:
    if value is None:
        return False
    if issubclass(protocol, type(value)) or protocol in getattr(value, "__class__", object).__mro__:
        return True
    names = {n for cls in protocol.__mro__ if getattr(cls, "_is_protocol", False) for n in _declared(cls)}
    return all(hasattr(value, name) for name in names)


def _declared(cls: type) -> set[str]:
    if cls.__module__ == "typing":
        return set()
    return {n for n in {*vars(cls), *annotations_of(cls)} if not n.startswith("_")}


def _item_misfit(value: Any, origin: Any, args: tuple[Any, ...], path: str) -> Wrong | None:
    if origin is tuple:
        return _tuple_misfit(value, args, path)
    if isinstance(value, abc.Mapping) and len(args) == 2:
        for key, item in _some(value.items()):
            wrong = _misfit(key, args[0], f"{path} key") or _misfit(item, args[1], f"{path}[{show(key, 30)}]")
            if wrong:
                return wrong
        return None
    if isinstance(value, (list, set, frozenset, tuple)) and len(args) == 1:
        for number, item in enumerate(_some(value)):
            wrong = _misfit(item, args[0], f"{path}[{number}]")
            if wrong:
                return wrong
    return None


def _tuple_misfit(value: Any, args: tuple[Any, ...], path: str) -> Wrong | None:
    if len(args) == 2 and args[1] is ...:
        args = (args[0],) * len(value)
    elif len(value) != len(args):
        return (path, value, tuple[args])  # type: ignore[valid-type]
    for number, (item, form) in enumerate(zip(value, args, strict=True)):
        wrong = _misfit(item, form, f"{path}[{number}]")
        if wrong:
            return wrong
    return None


def _typed_dict_misfit(value: Any, form: Any, path: str) -> Wrong | None:
    hints = hints_of(form)
    required = {key for key in form.__required_keys__ if get_origin(hints[key]) is not typing.NotRequired}
    required |= {key for key in hints if get_origin(hints[key]) is typing.Required}
    if not isinstance(value, dict) or not required <= value.keys():
        return (path, value, form)
    for key, item in value.items():
        if key not in hints:
            return (f"{path}[{key!r}]", item, form)
        wrong = _misfit(item, hints[key], f"{path}[{key!r}]")
        if wrong:
            return wrong
    return None


def _some(items: abc.Iterable[Any]) -> abc.Iterator[Any]:
    for item, _ in zip(items, range(_SAMPLE), strict=False):
        yield item


def _a(noun: str) -> str:
    return f"an {noun}" if noun[:1] in "aeiouAEIOU" else f"a {noun}"
