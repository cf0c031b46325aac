"""The store of real ones, read and written through their interfaces: what a shelf stocks is written
there, and its records are read from there.
"""

from __future__ import annotations

import asyncio
import inspect
from collections.abc import Callable, Collection, Iterable
from typing import Any

from urnshelf.errors import OverFakesOnly, TwinRefused
from urnshelf.readings.operations import Operation, ReadParameter, Role
from urnshelf.records.description import Description
from urnshelf.records.display import show
from urnshelf.records.recognising import description_of
from urnshelf.shelf import Shelf
from urnshelf.twins.counts import Counts
from urnshelf.twins.surface import Offered, surface_of
from urnshelf.twins.worlds import Outcome, arranged


class RealStore:
    """What stands behind the fakes of one shelf.

    Args:
        objects: the real ones by their interfaces.
        may_be_filled: whether they may hold something from the start.

    Raises:
        TwinRefused: they do.
    """

    def __init__(self, objects: dict[Any, Any], may_be_filled: bool) -> None:
        self._objects = objects
        self._may_be_filled = may_be_filled
        self._forms = list(objects)

    def stand_behind(self, shelf: Shelf) -> None:
        """Put them behind the fakes of a shelf, and carry over what it stocks."""
        surface = surface_of(Shelf(), self._forms, frozenset())
        for form in surface.record_types:
            offered = [one for one in surface.offered if one.record_type is form]
            carrier = RecordCarrier(form, offered, self._real_of, shelf)
            if not self._may_be_filled:
                carrier.check_empty()
            shelf._store.carry(form, carrier)
        shelf._stand_behind(self._objects)

    def _real_of(self, offered: Offered) -> Any:
        return self._objects[self._forms[offered.number]]


class RecordCarrier:
    """Reads and writes the records of one type through the methods of its interfaces.

    Args:
        form: the record type.
        offered: the methods that are about it.
        real_of: gives the real one whose method it is.
        shelf: whose records they are.
    """

    def __init__(
        self,
        form: Any,
        offered: list[Offered],
        real_of: Callable[[Offered], Any],
        shelf: Shelf,
    ) -> None:
        self._form = form
        self._offered = [one for one in offered if not one.path]
        self._real_of = real_of
        self._store = shelf._store
        self._ledger = shelf._desk.ledger
        described: Description | None = description_of(form)
        assert described is not None  # a record type
        self._described = described

    # --- reading ----------------------------------------------------------------------------------

    def all(self, known: Collection[Any]) -> dict[Any, Any]:
        """All records by key: from a method that gives all, or key by key where a count confirms
        that none is lacking.

        Raises:
            OverFakesOnly: neither is there.
        """
        lister = next((one for one in self._offered if _gives_all(one)), None)
        if lister is not None:
            return {self._key_of(one): one for one in self._call(lister, {})}
        return self._one_by_one(dict.fromkeys([*known, *self._met()]))

    def _one_by_one(self, keys: Iterable[Any]) -> dict[Any, Any]:
        getter = next((one for one in self._offered if self._is_by_key(one)), None)
        count = next((one for one in self._offered if _counts_all(one)), None)
        if getter is None or count is None:
            raise OverFakesOnly(
                f"shelf.records({self._name}) cannot be read: no method gives all of them"
            )
        found = {}
        for key in keys:
            record = self._get(getter, key)
            if record is not None:
                found[key] = record
        number = self._call(count, {})
        if number != len(found):
            raise OverFakesOnly(
                f"shelf.records({self._name}) cannot be read: there are {number}, of which "
                f"{len(found)} have keys that the test knows"
            )
        return found

    def _get(self, getter: Offered, key: Any) -> Any:
        try:
            return self._call(getter, {getter.member.parameters[0]: key})
        except OverFakesOnly:
            raise
        except Exception:  # by raising, the most say that there is none
            return None

    def check_empty(self) -> None:
        """Refuse a store that holds some from the start."""
        for one in self._offered:
            asked = _gives_all(one) or _counts_all(one)
            if asked and Counts.is_hit(Outcome(self._call(one, {}))):
                raise TwinRefused(
                    f"the real store holds some {self._name} from the start: {one.label}() says "
                    "so. Tests would write among them; let real_adaptors give an empty one, or "
                    "say --urnshelf-real-filled"
                )

    def _met(self) -> list[Any]:
        """The keys of records that went through the fakes."""
        values = [one for call in self._ledger for one in (*call.kept, call.reply)]
        keys = [self._key_of(one) for one in values if isinstance(one, self._described.origin)]
        return [key for key in keys if key is not None]

    # --- writing ----------------------------------------------------------------------------------

    def write(self, key: Any, record: Any, is_new: bool, is_assigned: bool) -> None:
        """Store a record by the interface's own write.

        Raises:
            OverFakesOnly: it has none, or numbers otherwise than the shelf.
        """
        writer = self._writer(is_new)
        field = self._key_field
        if is_assigned and is_new and field and self._described.node_of(field).optional:
            record = self._described.changed(record, {field: None})
        given = self._call(writer, {writer.member.parameters[0]: record})
        stored = given if isinstance(given, self._described.origin) else record
        got = self._key_of(stored)
        if field and got is not None and got != key:
            raise OverFakesOnly(
                f"the key of a stocked {self._name} cannot be carried over: on the shelf it is "
                f"{show(key)}, {writer.label} made it {show(got)}"
            )

    def _writer(self, is_new: bool) -> Offered:
        order = ("ADD SAVE" if is_new else "SAVE UPDATE").split()
        for name in order:
            for one in self._offered:
                roles = [parameter.role for parameter in one.parameters]
                if one.operation is Operation[name] and roles == [Role.RECORD]:
                    return one
        verb = "added" if is_new else "changed"
        raise OverFakesOnly(f"a stocked {self._name} cannot be {verb}: no method takes one")

    def remove(self, key: Any, record: Any) -> None:  # noqa: ARG002
        """Take a record away.

        Raises:
            OverFakesOnly: no method does.
        """
        for one in self._offered:
            roles = [parameter.role for parameter in one.parameters]
            if one.operation is Operation.REMOVE and roles == [Role.KEY]:
                self._call(one, {one.member.parameters[0]: key})
                return
        raise OverFakesOnly(f"a {self._name} cannot be removed: no method does it by key")

    # --- calls ------------------------------------------------------------------------------------

    def _call(self, offered: Offered, given: dict[str, Any]) -> Any:
        args, kwargs = arranged(offered, given)
        method = getattr(self._real_of(offered), offered.member.name)
        if offered.member.promise.stream == "async":
            return _awaited(_drained(method(*args, **kwargs)), offered)
        reply = method(*args, **kwargs)
        return _awaited(reply, offered) if inspect.isawaitable(reply) else reply

    @property
    def _name(self) -> str:
        return self._described.name

    @property
    def _key_fields(self) -> tuple[str, ...]:
        return self._store.key_of(self._form)

    @property
    def _key_field(self) -> str:
        fields = self._key_fields
        return fields[0] if len(fields) == 1 else ""

    def _key_of(self, record: Any) -> Any:
        values = tuple(self._described.fetch(record, name) for name in self._key_fields)
        return values[0] if len(values) == 1 else values

    def _is_by_key(self, offered: Offered) -> bool:
        gives = offered.gives
        [*parameters] = offered.parameters
        is_one = gives is not None and not gives.is_many and len(parameters) == 1
        return offered.operation is Operation.LOOK_UP and is_one and self._is_key(parameters[0])

    def _is_key(self, parameter: ReadParameter) -> bool:
        is_equal = parameter.role is Role.KEY or parameter.sign == "="
        return is_equal and (parameter.field,) == self._key_fields


def _gives_all(offered: Offered) -> bool:
    is_many = offered.gives is not None and offered.gives.is_many
    return is_many and _is_of_all(offered, Operation.LOOK_UP)


def _counts_all(offered: Offered) -> bool:
    return _is_of_all(offered, Operation.COUNT)


def _is_of_all(offered: Offered, operation: Operation) -> bool:
    is_whole = not offered.parameters and offered.operation is operation
    # `list_open()` and `find_latest()` say more than their parameters
    return is_whole and " WHERE " not in offered.meaning and " LIMIT " not in offered.meaning


async def _drained(stream: Any) -> list[Any]:
    return [one async for one in stream]


def _awaited(work: Any, offered: Offered) -> Any:
    async def done() -> Any:
        return await work

    try:
        asyncio.get_running_loop()
    except RuntimeError:
        return asyncio.run(done())
    work.close()
    raise OverFakesOnly(f"{offered.label} is async, and cannot be called while a loop runs")
