"""Records written to files, some thousands at a time, so that memory stays the same for any number."""

from __future__ import annotations

import csv
import json
from collections.abc import Callable, Iterable, Sequence
from datetime import date, datetime, time
from decimal import Decimal
from enum import Enum
from pathlib import Path
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.files.plain import cell, part, plain
from urnshelf.urn.types import without_none

Chunks = Iterable[Sequence[Any]]


def write(path: Path, chunks: Chunks, fields: Sequence[str], forms: dict[str, Any]) -> None:
    """Write records to a file whose ending says the format.

    Args:
        path: ends in .csv, .json, .jsonl or .parquet.
        chunks: the records, some at a time.
        fields: the names of the columns, in order.
        forms: the type of each column, for formats that need to know.

    Raises:
        RecordRefused: another ending, or a package that is lacking.
    """
    writer = _WRITERS.get(path.suffix)
    if writer is None:
        raise RecordRefused(f"{path.name}: the ending must be one of {', '.join(_WRITERS)}")
    unfinished = path.with_name(path.name + ".part")
    try:
        writer(unfinished, chunks, fields, forms)
        unfinished.replace(path)
    finally:
        unfinished.unlink(missing_ok=True)


def endings() -> tuple[str, ...]:
    """The endings that can be written."""
    return tuple(_WRITERS)


def _csv(path: Path, chunks: Chunks, fields: Sequence[str], forms: dict[str, Any]) -> None:  # noqa: ARG001
    with path.open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(fields)
        for chunk in chunks:
            writer.writerows([[cell(part(record, name)) for name in fields] for record in chunk])


def _jsonl(path: Path, chunks: Chunks, fields: Sequence[str], forms: dict[str, Any]) -> None:  # noqa: ARG001
    with path.open("w", encoding="utf-8") as file:
        for chunk in chunks:
            file.writelines(_line(record, fields) + "\n" for record in chunk)


def _json(path: Path, chunks: Chunks, fields: Sequence[str], forms: dict[str, Any]) -> None:  # noqa: ARG001
    with path.open("w", encoding="utf-8") as file:
        between = "[\n"
        for chunk in chunks:
            for record in chunk:
                file.write(between + _line(record, fields))
                between = ",\n"
        file.write("[]\n" if between == "[\n" else "\n]\n")


def _line(record: Any, fields: Sequence[str]) -> str:
    if isinstance(record, dict):
        return json.dumps(plain(record), ensure_ascii=False)
    return json.dumps({name: plain(part(record, name)) for name in fields}, ensure_ascii=False)


def _parquet(path: Path, chunks: Chunks, fields: Sequence[str], forms: dict[str, Any]) -> None:
    try:
        import pyarrow
        import pyarrow.parquet
    except ImportError:
        raise RecordRefused('a Parquet file needs pyarrow: pip install "urnshelf[data]"') from None
    kinds = {name: _arrow_type(without_none(forms.get(name))[0], pyarrow) for name in fields}
    schema = pyarrow.schema([(name, kind) for name, (kind, _) in kinds.items()])
    with pyarrow.parquet.ParquetWriter(path, schema) as writer:
        for chunk in chunks:
            columns = [
                pyarrow.array([convert(part(record, name)) for record in chunk], type=kind)
                for name, (kind, convert) in kinds.items()
            ]
            writer.write_table(pyarrow.Table.from_arrays(columns, schema=schema))


def _arrow_type(form: Any, pyarrow: Any) -> tuple[Any, Callable[[Any], Any]]:
    """The column type for a Python type, and how a value is made ready for it; texts for all that has no like."""
    if isinstance(form, type) and issubclass(form, Enum):
        values = {type(member.value) for member in form}
        return _arrow_type(values.pop(), pyarrow)[0] if len(values) == 1 else pyarrow.string(), plain
    known: dict[Any, Any] = {
        bool: pyarrow.bool_(),
        int: pyarrow.int64(),
        float: pyarrow.float64(),
        str: pyarrow.string(),
        bytes: pyarrow.binary(),
        Decimal: pyarrow.decimal128(38, 9),
        datetime: pyarrow.timestamp("us", tz="UTC"),
        date: pyarrow.date32(),
        time: pyarrow.time64("us"),
    }
    kind = known.get(form)
    if kind is not None:
        return kind, lambda value: value
    return pyarrow.string(), _text


def _text(value: Any) -> str | None:
    return None if value is None else str(cell(value))


_WRITERS: dict[str, Callable[[Path, Chunks, Sequence[str], dict[str, Any]], None]] = {
    ".csv": _csv,
    ".json": _json,
    ".jsonl": _jsonl,
    ".parquet": _parquet,
}
