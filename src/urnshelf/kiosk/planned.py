"""The kiosks of plan files: what their tables say, said to a kiosk."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

from urnshelf.calls.cueing import cue
from urnshelf.calls.replies import raising
from urnshelf.errors import FileRefused, RecordRefused, UrnShelfError
from urnshelf.files.plan_file import Plan, PlannedKiosk
from urnshelf.files.planned_table import PlannedTable
from urnshelf.kiosk.core import KioskCore
from urnshelf.kiosk.filling import from_template
from urnshelf.kiosk.response import response, undocumented
from urnshelf.kiosk.route import RequestCue, Route
from urnshelf.near_names import nearest
from urnshelf.records.display import show
from urnshelf.store.views import View

_KIOSK = ("name", "openapi", "answer_from", "routes", "collections")
_ROUTE = ("route", "parameters", "asked_with", "reply", "replies", "when_spent", "waits", "tags")
_COLLECTION = ("path", "table", "records", "tags")
_REPLY = (
    "status", "json", "text", "template", "table", "headers", "cookies", "content_type",
    "compress", "breaks", "undocumented",
)  # fmt: skip
_BREAKS: dict[str, type[OSError]] = {
    "refused": ConnectionRefusedError, "reset": ConnectionResetError, "timeout": TimeoutError,
}  # fmt: skip


class Planning:
    """Says to a kiosk what a plan says of it.

    Args:
        kiosk: a new one.
        planned: what the plan says.
        plan: the whole, whose tables are drawn from.
        stocked: the tables whose records are on the shelf already.
    """

    def __init__(
        self, kiosk: KioskCore, planned: PlannedKiosk, plan: Plan, stocked: set[str]
    ) -> None:
        self._kiosk = kiosk
        self._planned = planned
        self._tables = plan.tables
        self._stocked = stocked
        self._seed = plan.seed

    @property
    def files(self) -> list[Path]:
        """The files that the kiosk is read from, besides the plan."""
        told = [self._planned.data.get(word) for word in ("openapi", "answer_from")]
        return [self._planned.path.parent / one for one in told if isinstance(one, str)]

    def apply(self) -> None:
        """Say all of it.

        Raises:
            FileRefused: something unknown, or that does not fit; the message tells where.
        """
        cues = self._kiosk._desk.cues
        before = len(cues)
        try:
            self._apply()
        except BaseException:
            del cues[before:]  # one may have no reply yet, and nobody will give it one
            raise

    def _apply(self) -> None:
        data, where = self._planned.data, self._planned.where
        _refuse_unknown(data, _KIOSK, where)
        folder = self._planned.path.parent
        if "openapi" in data:
            path = folder / _text(data, "openapi", where)
            self._told(where, lambda: self._kiosk._read_document(path, self._seed))
        if "answer_from" in data:
            kept = folder / _text(data, "answer_from", where)
            self._told(where, lambda: self._kiosk._answer_from(kept, False))
        for one in _tables(data, "collections", where):
            self._collection(one, where)
        for number, one in enumerate(_tables(data, "routes", where)):
            self._at_its_line(number, lambda one=one: self._route(one, where))  # type: ignore[misc]

    def _at_its_line(self, number: int, act: Callable[[], None]) -> None:
        """Do something so that it is seen as done by a line of the plan."""
        lines = self._planned.lines
        line = lines[number] if number < len(lines) else 1
        source = compile("\n" * (line - 1) + "act()", str(self._planned.path), "exec")
        exec(source, {"act": act})

    def _told(self, where: str, act: Callable[[], Any]) -> Any:
        try:
            return act()
        except FileRefused:
            raise  # it tells its own file
        except UrnShelfError as refused:
            raise FileRefused(f"{where}: {refused}") from None
        except (TypeError, ValueError, AttributeError) as wrong:
            raise FileRefused(f"{where}: {wrong}") from None

    # --- collections ------------------------------------------------------------------------------

    def _collection(self, data: Mapping[str, Any], where: str) -> None:
        path = _text(data, "path", f"{where}, a collection")
        where = f"{where}, collection {path!r}"
        _refuse_unknown(data, _COLLECTION, where)
        table = self._table(_text(data, "table", where), where)
        what = table.what
        if not isinstance(what, type):
            raise FileRefused(
                f"{where}: the table {table.name!r} is of a JSON Schema, and records of a type are "
                "kept: give it a type; or reply with it, reply = { table = … }"
            )
        self._told(where, lambda: self._stock(table))
        self._told(where, lambda: self._kiosk.collection(path, what))
        under, tags = f"{path.rstrip('/')}/", _texts(data, "tags", where)
        for target in self._kiosk._handlers:
            if f"{target.path.bare}/".startswith(under):
                target.tags = tuple(dict.fromkeys([*target.tags, *tags]))

    def _stock(self, table: PlannedTable) -> None:
        if table.name in self._stocked:
            return
        self._stocked.add(table.name)
        view: View[Any] = self._kiosk._store.view(table.what)
        for chunk in table.chunks():
            for record in chunk:
                view.add(record)

    def _table(self, name: str, where: str) -> PlannedTable:
        if name not in self._tables:
            hint = nearest(name, list(self._tables)) if self._tables else "there is none"
            raise FileRefused(f"{where}: there is no table {name!r}; {hint}")
        return self._tables[name]

    # --- routes -----------------------------------------------------------------------------------

    def _route(self, data: Mapping[str, Any], where: str) -> None:
        words = _text(data, "route", f"{where}, a route")
        where = f"{where}, route {words!r}"
        _refuse_unknown(data, _ROUTE, where)
        method, _, path = words.partition(" ")
        route: Route = self._told(where, lambda: self._kiosk.route(method, path.strip()))
        route._target.tags = tuple(
            dict.fromkeys([*route._target.tags, *_texts(data, "tags", where)])
        )
        replies = list(_tables(data, "replies", where))
        if "reply" in data:
            if replies:
                raise FileRefused(f"{where}: give a reply, or replies that come in turn")
            replies = [_mapping(data, "reply", where)]
        if not replies:
            return
        parameters = _mapping(data, "parameters", where)
        asked: RequestCue = self._told(where, lambda: cue(route, **parameters))
        wanted = _mapping(data, "asked_with", where)
        if wanted:
            self._told(where, lambda: asked.asked_with(**wanted))
        values = [self._reply(one, where) for one in replies]
        spent = _text(data, "when_spent", where) if "when_spent" in data else "repeat"
        self._told(where, lambda: asked.gives(*values, when_spent=spent))  # type: ignore[arg-type]
        if "waits" in data:
            self._told(where, lambda: asked.waits(data["waits"]))

    def _reply(self, data: Mapping[str, Any], where: str) -> Any:
        _refuse_unknown(data, _REPLY, where)
        if "breaks" in data:
            kind = _text(data, "breaks", where)
            if kind not in _BREAKS:
                raise FileRefused(f"{where}: breaks = {kind!r}; {nearest(kind, list(_BREAKS))}")
            return raising(_BREAKS[kind]())
        given = {
            name: one
            for name, one in data.items()
            if name not in ("template", "table", "undocumented")
        }
        if "template" in data:
            given["text"] = self._told(where, lambda: self._template(data, where))
        if "table" in data:
            given["json"] = list(self._rows(_text(data, "table", where), where))
        reply = self._told(where, lambda: response(given.pop("status", 200), **given))
        return undocumented(reply) if data.get("undocumented") is True else reply

    def _template(self, data: Mapping[str, Any], where: str) -> Any:
        """A text that is filled for each request; it knows the records of the plan's tables."""
        text = _text(data, "template", where)
        records = {
            _one_of(name): table.what
            for name, table in self._tables.items()
            if isinstance(table.what, type) and _one_of(name) in text
        }
        for name, table in self._tables.items():
            if _one_of(name) in records:
                self._stock(table)
        return from_template(text, **records)

    def _rows(self, name: str, where: str) -> Iterator[Any]:
        for chunk in self._table(name, where).chunks():
            yield from chunk


def _one_of(table: str) -> str:
    """How a template calls a record of a table: `berth` of `berths`."""
    return table.removesuffix("s")


def _refuse_unknown(data: Mapping[str, Any], known: Sequence[str], where: str) -> None:
    for name in data:
        if name not in known:
            raise FileRefused(f"{where}: {name!r} is not known; {nearest(name, list(known))}")


def _text(data: Mapping[str, Any], name: str, where: str) -> str:
    value = data.get(name)
    if not isinstance(value, str):
        raise FileRefused(f"{where}: {name} = {show(value, 40)}, but a text is needed")
    return value


def _texts(data: Mapping[str, Any], name: str, where: str) -> list[str]:
    value = data.get(name, [])
    if not isinstance(value, list) or any(not isinstance(one, str) for one in value):
        raise FileRefused(f"{where}: {name} = {show(value, 40)}, but a list of texts is needed")
    return value


def _mapping(data: Mapping[str, Any], name: str, where: str) -> dict[str, Any]:
    value = data.get(name, {})
    if not isinstance(value, dict):
        raise FileRefused(f"{where}: {name} = {show(value, 40)}, but a table is needed")
    return value


def _tables(data: Mapping[str, Any], name: str, where: str) -> Iterator[Mapping[str, Any]]:
    value = data.get(name, [])
    if not isinstance(value, list) or any(not isinstance(one, Mapping) for one in value):
        raise FileRefused(f"{where}: {name} must be tables, [[kiosk.{name}]]")
    yield from value


def planned_kiosk(plan: Plan, name: str, file: str) -> PlannedKiosk:
    """The kiosk of a plan with a name.

    Raises:
        RecordRefused: there is none.
    """
    for one in plan.kiosks:
        if one.name == name:
            return one
    names = [one.name for one in plan.kiosks]
    hint = nearest(name, names, "there are") if names else "there is none"
    raise RecordRefused(f"{file} has no kiosk {name!r}; {hint}")
