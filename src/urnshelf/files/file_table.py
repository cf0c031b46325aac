"""A table of records as files have it: its columns with their types, and how a record becomes data
and comes back.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping, Sequence
from itertools import islice
from pathlib import Path
from typing import Any

from urnshelf.errors import FileRefused
from urnshelf.records.codec import (
    Unfit,
    record_from_json,
    record_to_json,
    records_from_json,
    to_json,
)
from urnshelf.records.description import Description
from urnshelf.records.display import show
from urnshelf.records.recognising import description_of
from urnshelf.types.forms import type_name
from urnshelf.types.nodes import ANYTHING, Node

Chunks = Iterable[Sequence[Any]]
"""Records, some at a time."""


Entry = tuple[Any, str, int]
"""A record as JSON data, and where in the file it was found: `"berth.csv, line"`, 3."""
Found = tuple[Any, str, int]
"""A record, and where it was found."""


class FileTable:
    """The columns of one type's records.

    Args:
        name: of the type.
        columns: by name, in order.
        description: of the records; None for plain dictionaries, as a JSON Schema draws them.
    """

    def __init__(
        self, name: str, columns: Mapping[str, Node], description: Description | None
    ) -> None:
        self.name = name
        self.columns = dict(columns)
        self.description = description
        self.told_by: Sequence[Any] | None = None
        """Records by which a file's columns get their types, where these are not its own first."""

    def values(self, record: Any) -> dict[str, Any]:
        """The record's values by column; those that it does without are left out."""
        return dict(record) if self.description is None else self.description.values(record)

    def data(self, record: Any) -> dict[str, Any]:
        """The record as JSON data; raises FileRefused for a value that cannot be written."""
        try:
            if self.description is None:
                return {name: to_json(value, ANYTHING) for name, value in record.items()}
            return record_to_json(record, self.description)
        except Unfit as why:
            raise FileRefused(f"{self.name}.{why.path}: {why}") from None

    def check_columns(self, values: Mapping[str, Any]) -> None:
        """Refuse what has more than the columns: a table would leave it out."""
        # of records their types tell all columns; a schema may allow more
        more = [] if self.description is not None else values.keys() - self.columns.keys()
        if more:
            raise FileRefused(
                f"{self.name}: {show(values, 60)} has {sorted(more)[0]!r}, which the schema's "
                "properties do not name, so the table has no column for it; write a .jsonl or "
                ".json file"
            )

    def records(self, entries: Iterable[Entry]) -> list[Found]:
        """The records of some data, and where each stands; raises FileRefused, which tells that,
        for what is none.
        """
        if self.description is None:
            return list(entries)
        found: list[Found] = []
        waiting = iter(entries)
        # some at a time, so that the data of few are there together
        while some := list(islice(waiting, 1000)):
            records = records_from_json([data for data, _, _ in some], self.description)
            if records is None:
                records = [self._record(entry, self.description) for entry in some]
            found += [(record, at, n) for record, (_, at, n) in zip(records, some, strict=True)]
        return found

    def _record(self, entry: Entry, description: Description) -> Any:
        data, at, number = entry
        try:
            return record_from_json(data, description)
        except Unfit as why:
            field = f", field {why.path}" if why.path else ""
            raise FileRefused(f"{at} {number}{field}: {why}") from None


def file_table(record_type: object) -> FileTable:
    """The columns of a type; raises FileRefused for one whose records cannot be saved.

    Args:
        record_type: the records' class, or a JSON Schema.
    """
    if isinstance(record_type, Mapping):
        from urnshelf.urn.schemas.properties import property_names

        return FileTable("schema", dict.fromkeys(property_names(record_type), ANYTHING), None)
    description = description_of(record_type)
    if description is None or not description.given:
        raise FileRefused(
            f"{type_name(record_type)}: its fields have no types, so its records cannot be saved "
            "in files"
        )
    columns = {name: field.node for name, field in description.fields.items()}
    return FileTable(description.name, columns, description)


def plain_name(name: str) -> str:
    """The name of a table as that of a file; raises FileRefused for one that leads elsewhere."""
    if not name or name in (".", "..") or any(sign in name for sign in "/\\\0") or len(name) > 100:
        raise FileRefused(f"the table {name!r}: its name is that of a file, so it has no / in it")
    return name


_DECODE = json.JSONDecoder().decode
_ENCODE = json.JSONEncoder(ensure_ascii=False, allow_nan=False).encode


def line_of(data: object) -> str:
    """Data as one line of JSON."""
    return _ENCODE(data)


def text_of(path: Path) -> str:
    """The whole text of a file; raises FileRefused for what is no text."""
    try:
        return path.read_text(encoding="utf-8")
    except UnicodeDecodeError as why:
        raise FileRefused(
            f"{path.name}: it is no text in UTF-8 ({why.reason} at byte {why.start})"
        ) from None


def parsed(text: str, file: str) -> Any:
    """The data of a JSON text; raises FileRefused, with where it stands, for what is none."""
    try:
        return json.loads(text)
    except json.JSONDecodeError as why:
        raise FileRefused(
            f"{file}, line {why.lineno}, column {why.colno}: it is no JSON: {why.msg}"
        ) from None


def parsed_line(text: str, at: str, number: int) -> Any:
    """The data of one line of JSON."""
    try:
        return _DECODE(text)
    except json.JSONDecodeError as why:
        raise FileRefused(f"{at} {number}, column {why.colno}: it is no JSON: {why.msg}") from None
