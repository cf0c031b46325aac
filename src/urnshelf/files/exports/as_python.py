"""Python: a list of the records, as one would write it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

from urnshelf.errors import FileRefused
from urnshelf.files.file_table import Chunks, FileTable
from urnshelf.records.description import snake_case
from urnshelf.records.display import show
from urnshelf.records.recognising import describe
from urnshelf.records.spelling import NotWritten, Spelling

_WIDTH = 96
_MOST = 100_000


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


class _Spelling(Spelling):
    """Spells records, too.

    Args:
        table: how messages call it.
    """

    def __init__(self, table: str) -> None:
        super().__init__()
        self._table = table

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
        try:
            return self.plain(value)
        except NotWritten:
            raise FileRefused(
                f"{where}: {show(value, 60)} has no plain code; write a .jsonl or .json file"
            ) from None

    def named(self, thing: Any) -> str:
        """A class by its name, which is imported."""
        name = getattr(thing, "__qualname__", "")
        if "<" in name:
            raise FileRefused(
                f"{self._table}: {name} is made in a function, so no module can import it"
            )
        return super().named(thing)
