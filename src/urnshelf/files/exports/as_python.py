"""Python: a list of the records, as one would write it."""

from __future__ import annotations

import re
import sys
from collections.abc import Iterator, Mapping
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from enum import Enum
from pathlib import Path
from typing import Any
from uuid import UUID

from urnshelf.errors import FileRefused
from urnshelf.files.file_table import Chunks, FileTable
from urnshelf.records.description import snake_case
from urnshelf.records.display import show
from urnshelf.records.literals import source_of
from urnshelf.records.recognising import describe

__tracebackhide__ = True  # a failing test shows its own lines, not ours

_WIDTH = 96
_MOST = 100_000
_LANGUAGE: dict[str, Any] = {
    one.__name__: one for one in (datetime, date, time, timedelta, Decimal, UUID)
}


def write(path: Path, chunks: Chunks, table: FileTable) -> None:
    """Write the records.

    Raises:
        FileRefused: a value without plain code, or very many records.
    """
    spelling = _Spelling(table.name)
    lines = [line for record in _each(chunks, path) for line in spelling.of_record(record)]
    name = f"{snake_case(table.name)}s".upper()
    of = spelling.named(table.description.origin) if table.description else "dict[str, object]"
    text = [f'"""Records of {table.name}."""', "", *spelling.import_lines()]
    text += ["", f"{name}: list[{of}] = [", *lines, "]", ""]
    path.write_text("\n".join(text), "utf-8")


def _each(chunks: Chunks, path: Path) -> Iterator[Any]:
    count = 0
    for chunk in chunks:
        count += len(chunk)
        if count > _MOST:
            raise FileRefused(
                f"{path.name}: more than {_MOST:,} records are no code that anybody reads; write a "
                ".jsonl or .parquet file"
            )
        yield from chunk


class _Spelling:
    """Spells records, and remembers what must be imported.

    Args:
        table: how messages call it.
    """

    def __init__(self, table: str) -> None:
        self._table = table
        self._imports: dict[tuple[str, str], None] = {}
        self._names: dict[str, Any] = {**_LANGUAGE, "UTC": UTC}

    def of_record(self, record: Any) -> Iterator[str]:
        """The lines of one record: one, where it is short enough."""
        whole = f"    {self._value(record, self._table)},"
        if len(whole) <= _WIDTH:
            yield whole
            return
        parts, opened, closed = self._parts(record)
        yield f"    {opened}"
        yield from (f"        {part}," for part in parts)
        yield f"    {closed},"

    def _parts(self, record: Any) -> tuple[list[str], str, str]:
        if isinstance(record, Mapping):
            pairs = [
                f"{self._plain(key, self._table)}: {self._value(one, f'{self._table}.{key}')}"
                for key, one in record.items()
            ]
            return pairs, "{", "}"
        described = describe(type(record))
        assert described is not None  # a table's records are records
        values = described.values(record)
        given = [
            f"{field.key}={self._value(values[name], f'{self._table}.{name}')}"
            for name, field in described.given.items()
            if name in values
        ]
        return given, f"{self.named(type(record))}(", ")"

    def _value(self, value: Any, where: str) -> str:
        is_record = not isinstance(value, Mapping) and describe(type(value)) is not None
        if is_record or isinstance(value, Mapping):
            parts, opened, closed = self._parts(value)
            return f"{opened}{', '.join(parts)}{closed}"
        if type(value) in (list, tuple):
            items = ", ".join(self._value(one, where) for one in value)
            if isinstance(value, list):
                return f"[{items}]"
            return f"({items}{',' if len(value) == 1 else ''})"
        return self._plain(value, where)

    def _plain(self, value: Any, where: str) -> str:
        if isinstance(value, Enum):
            self._names[type(value).__qualname__] = type(value)
            self.named(type(value))
        found = source_of(value, self._names)
        if found is None:
            raise FileRefused(
                f"{where}: {show(value, 60)} has no plain code; write a .jsonl or .json file"
            )
        for name in (*_LANGUAGE, "UTC"):
            if re.search(rf"\b{name}\(|tzinfo={name}\b", found):
                made = self._names[name]
                module = "datetime" if made is UTC else made.__module__.lstrip("_")
                self._imports[module, name] = None
        return found

    def named(self, cls: type) -> str:
        """A class by its name, which is imported."""
        name, module = cls.__qualname__, cls.__module__
        if "<" in name:
            raise FileRefused(
                f"{self._table}: {name} is made in a function, so no module can import it"
            )
        self._imports[_public(module, name, cls), name.partition(".")[0]] = None
        return name

    def import_lines(self) -> list[str]:
        """Those of the language first."""
        by_module: dict[str, set[str]] = {}
        for module, name in self._imports:
            by_module.setdefault(module, set()).add(name)
        groups: list[list[str]] = [[], []]
        for module in sorted(by_module):
            line = f"from {module} import {', '.join(sorted(by_module[module]))}"
            groups[module.partition(".")[0] not in sys.stdlib_module_names].append(line)
        return [*groups[0], *([""] if all(groups) else []), *groups[1]]


def _public(module: str, name: str, cls: type) -> str:
    """The outermost package that has the class, too."""
    parts = module.split(".")
    for count in range(1, len(parts)):
        outer = ".".join(parts[:count])
        if getattr(sys.modules.get(outer), name.partition(".")[0], None) is cls:
            return outer
    return module
