"""Copies of values: mutable containers and records are copied, everything else is shared.

A copy is made empty first and filled afterwards, so that no depth and no circle is too much. What
cannot be copied is shared: a call must never break because of what it was given.
"""

from __future__ import annotations

from collections import OrderedDict, defaultdict, deque
from collections.abc import Callable, Iterable
from itertools import chain
from types import MappingProxyType
from typing import Any, TypeVar

from urnshelf.caches import MEMORIES, remembered
from urnshelf.records.description import ByAttributes, Description, Fill, Part
from urnshelf.records.recognising import describe

T = TypeVar("T")
Copier = Callable[[Any, Part], tuple[Any, Fill | None]]
Copies = Callable[[Iterable[Any]], list[Any]]

_ALWAYS: tuple[type, ...] = (int, str, float, bool, bytes, complex, type(None), range, type)


class _PlainTypes(set[type]):
    """Types that need no copy. A type found to need none joins them, so that it can be told
    quickly.
    """

    def cache_clear(self) -> None:
        self.clear()
        self.update(_ALWAYS)

    def cache_info(self) -> int:
        return len(self)


PLAIN: set[type] = _PlainTypes(_ALWAYS)
MEMORIES["urnshelf.records.copies.PLAIN"] = PLAIN  # type: ignore[assignment]


def keep(value: T) -> T:
    """The value as it is now: what may change later is copied, deeply, and cycles are kept.

    >>> harbours = ["Ternhythe"]
    >>> kept = keep(harbours)
    >>> harbours.append("Curlhythe")
    >>> kept
    ['Ternhythe']
    """
    cls = type(value)
    if cls in PLAIN:
        return value
    copies = _copies(cls)
    # the same copiers serve one value and many: a record must not be copied in two manners
    return value if copies is None else copies((value,))[0]


def keep_each(values: tuple[Any, ...]) -> tuple[Any, ...]:
    """A call's arguments as they are now."""
    try:
        unlike = [value for value in values if type(value) not in PLAIN]
        if len(unlike) < 2:
            return tuple([keep(value) for value in values]) if unlike else values
        copying = _Copying()  # what two of them share, their copies share, too
        return tuple([copying.whole(one) for one in values])
    except TypeError:  # a class that cannot be hashed: its instances are shared, as they are
        return values


def copier_of(description: Description) -> Copies:
    """A function that copies many records of one type."""
    return _each if description.kind == "typed dictionary" else _copies(description.origin) or list


@remembered
def _copies(cls: type) -> Copies | None:
    """What copies many values of a class; None for a class whose values are shared."""
    if _copier(cls) is None:
        return None
    description = describe(cls)
    # only where the attributes are all there is may they be copied at once
    if not isinstance(description, ByAttributes) or description.is_frozen:
        return _each
    return _flat_copies(cls, len(description.names))


def _each(values: Iterable[Any]) -> list[Any]:
    return [_Copying().whole(value) for value in values]


def _flat_copies(cls: type, count: int) -> Copies:
    """Records most often hold plain values alone, and then their state can be copied at once."""
    new, are_plain = object.__new__, PLAIN.issuperset

    def copies(records: Iterable[Any]) -> list[Any]:
        if isinstance(records, list) and len(records) > _MANY:
            states = _flat_states(records, cls, count)
            if states is not None:
                return [_made(new(cls), state) for state in states]
        found = []
        for record in records:
            state = getattr(record, "__dict__", None)
            # more attributes than fields: one that somebody has added, which needs a look of its
            # own
            is_flat = type(record) is cls and state is not None and len(state) == count
            if is_flat and are_plain(map(type, state.values())):  # type: ignore[union-attr]
                made: Any = new(cls)
                made.__dict__.update(state)
            else:
                made = _Copying().whole(record)
            found.append(made)
        return found

    return copies


_MANY = 16
"""From so many records on it pays to look at all of them first."""


def _flat_states(records: list[Any], cls: type, count: int) -> list[dict[str, Any]] | None:
    """The attributes of records, where all of them hold plain values alone; else None."""
    if set(map(type, records)) != {cls}:
        return None
    states = [getattr(record, "__dict__", None) for record in records]
    if None in states or set(map(len, states)) != {count}:  # type: ignore[arg-type]
        return None
    known: list[dict[str, Any]] = states  # type: ignore[assignment]
    kinds = set(map(type, chain.from_iterable(map(dict.values, known))))
    return known if all(kind in PLAIN or _copier(kind) is None for kind in kinds) else None


def _made(made: Any, state: dict[str, Any]) -> Any:
    made.__dict__.update(state)
    return made


class _Copying:
    """One value being copied, with all that it holds."""

    __slots__ = ("_copies", "_unfilled")

    def __init__(self) -> None:
        self._copies: dict[int, Any] = {}
        self._unfilled: list[tuple[Fill, Any, Any]] = []

    def whole(self, value: object) -> Any:
        copy = self.part(value)
        # from a list and not by recursion, so that no depth is too much
        while self._unfilled:
            fill, made, original = self._unfilled.pop()
            try:
                fill(made, original, self.part)
            except Exception:  # what it holds may refuse to be read: then it is shared as it is
                if made is copy:
                    return value
        return copy

    def part(self, value: object) -> Any:
        cls = type(value)
        if cls in PLAIN:
            return value
        copier = _copier(cls)
        if copier is None:
            return value
        # what occurs twice stays one object, and a circle comes to an end
        known = self._copies.get(id(value))
        if known is not None:
            return known
        try:
            copy, fill = copier(value, self.part)
        except Exception:  # it cannot be copied
            copy, fill = value, None
        # noted before it is filled: its parts may lead back to it
        self._copies[id(value)] = copy
        if fill is not None:
            self._unfilled.append((fill, copy, value))
        return copy


@remembered
def _copier(cls: type) -> Copier | None:
    """What copies the instances of a class; None for those that are shared."""
    found = _find_copier(cls)
    # a class made in a function should go with it, and PLAIN would hold it
    if found is None and "<locals>" not in cls.__qualname__:
        PLAIN.add(cls)
    return found


def _find_copier(cls: type) -> Copier | None:
    description = describe(cls)
    if description is not None:
        return description.copy
    known = _BY_TYPE.get(cls)
    if known is None and issubclass(cls, (dict, list, set, bytearray, deque)):
        return _of_subclass
    # an array is known by what it offers, so that no array library is imported
    return _by_its_own_method if known is None and _is_array(cls) else known


def _is_array(cls: type) -> bool:
    try:
        return hasattr(cls, "shape") and hasattr(cls, "copy") and hasattr(cls, "__array__")
    except Exception:  # a metaclass may refuse to be asked
        return False


def _list(value: object, _part: Part) -> tuple[Any, Fill | None]:
    return [], _fill_items


def _fill_items(copy: Any, value: Any, part: Part) -> None:
    copy.extend([part(item) for item in value])


def _deque(value: Any, _part: Part) -> tuple[Any, Fill | None]:
    return deque(maxlen=value.maxlen), _fill_items


def _dict(value: object, _part: Part) -> tuple[Any, Fill | None]:
    return {}, _fill_mapping


def _fill_mapping(copy: Any, value: Any, part: Part) -> None:
    for key, item in list(value.items()):
        copy[key] = part(item)


def _ordered(value: object, _part: Part) -> tuple[Any, Fill | None]:
    return OrderedDict(), _fill_mapping


def _with_default(value: Any, _part: Part) -> tuple[Any, Fill | None]:
    return defaultdict(value.default_factory), _fill_mapping


def _proxy(value: Any, part: Part) -> tuple[Any, Fill | None]:
    return MappingProxyType({key: part(item) for key, item in value.items()}), None


def _tuple(value: Any, part: Part) -> tuple[Any, Fill | None]:
    copy = tuple([part(item) for item in value])
    # a tuple whose parts cannot change is shared
    return (value if all(a is b for a, b in zip(copy, value, strict=True)) else copy), None


def _by_its_own_method(value: Any, _part: Part) -> tuple[Any, Fill | None]:
    return value.copy(), None  # members of a set are hashable: as good as immutable


def _of_subclass(value: object, _part: Part) -> tuple[Any, Fill | None]:
    """A class that inherits from a container: its attributes and its items, without its
    constructor.
    """
    # never by its constructor, which may want arguments or do something
    base: Any = next(
        base for base in (dict, list, set, bytearray, deque) if isinstance(value, base)
    )
    copy: Any = base.__new__(type(value))
    return copy, _fill_subclass


def _fill_subclass(copy: Any, value: Any, part: Part) -> None:
    state = getattr(value, "__dict__", None)
    if state:
        copy.__dict__.update({name: part(item) for name, item in state.items()})
    if isinstance(value, dict):
        dict.update(copy, {key: part(item) for key, item in dict.items(value)})
    elif isinstance(value, list):
        list.extend(copy, [part(item) for item in list.__iter__(value)])
    elif isinstance(value, set):
        set.update(copy, set.__iter__(value))
    else:
        copy.extend(value)


_BY_TYPE: dict[type, Copier] = {
    list: _list,
    dict: _dict,
    tuple: _tuple,
    set: _by_its_own_method,
    bytearray: _by_its_own_method,
    deque: _deque,
    OrderedDict: _ordered,
    defaultdict: _with_default,
    MappingProxyType: _proxy,
}
