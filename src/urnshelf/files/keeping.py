"""The shelf's records in files: one JSON file, or a directory of CSV, JSON Lines or Parquet files, one a type."""

from __future__ import annotations

import csv
import json
from collections.abc import Callable, Iterator, Sequence
from os import PathLike
from pathlib import Path
from typing import Any, NamedTuple

from urnshelf.errors import FileRefused
from urnshelf.files.exact import Unfit, decode_record, encode_record, is_text, record_type_of
from urnshelf.records.shapes import storage_shape
from urnshelf.store.tables import Store, Table
from urnshelf.urn.fields import RecordType

__tracebackhide__ = True  # a failing test shows its own lines, not ours

FORMAT = "urnshelf records"
VERSION = 1
MANIFEST = "shelf.json"
"""The file of a directory that tells which tables it has."""


class Kept(NamedTuple):
    """A record as data, and where in the file it was found."""

    data: Any
    place: str


class Form(NamedTuple):
    """A type's fields, and their types."""

    told: RecordType
    fields: tuple[str, ...]

    @property
    def name(self) -> str:
        """The record type's name."""
        return self.told.name.rpartition(".")[2]

    def type_of(self, field: str) -> Any:
        """The field's type."""
        return self.told.fields[field].form if field in self.told.fields else Any


Write = Callable[[Path, list[dict[str, Any]], Form], None]
Read = Callable[[Path, Form], Iterator[Kept]]


def save(store: Store, path: str | PathLike[str], format: str) -> None:
    """Write every table of the store."""
    where = Path(path)
    tables: dict[str, Table[Any]] = {table.name: table for table in store.tables()}
    if len(tables) < len(store.tables()):
        raise FileRefused("two record types of one name cannot be kept in one place; rename one of them")
    data = {name: [_encoded(table, row) for row in _stored(table)] for name, table in tables.items()}
    try:
        if where.suffix == ".json":
            if format:
                raise FileRefused(f"{where.name} is one JSON file; a format={format!r} is for a directory")
            _replace(where, _json_text(data))
        else:
            _save_directory(where, data, tables, format or "jsonl")
    except OSError as why:
        raise FileRefused(f"{where.name} cannot be written: {why.strerror}") from None


def load(store: Store, path: str | PathLike[str], record_types: Sequence[type]) -> None:
    """Put what was saved on the store: all of it, or nothing."""
    where = Path(path)
    known = {record_type.__name__: record_type for record_type in record_types}
    read = _load_directory if where.is_dir() else _load_json
    try:
        found = dict(read(where, known))
    except OSError as why:
        raise FileRefused(f"{where.name} cannot be read: {why.strerror}") from None
    put(store, {known[name]: records for name, records in found.items()})


def put(store: Store, found: dict[type, list[tuple[Any, str]]]) -> None:
    """Add records, each with its place in a file; nothing is changed where one of them cannot be stored."""
    point = store.journal.savepoint()
    for record_type, records in found.items():
        table: Table[Any] = store.table(record_type)
        for record, place in records:
            try:
                table.add(record)
            except Exception as why:  # the user's own exception for a duplicate may be any
                store.journal.roll_back_to(point)
                raise FileRefused(f"{place}: {why}") from None


def form_of(record_type: Any) -> Form:
    """The fields of a type whose records are kept."""
    told, shape = record_type_of(record_type), storage_shape(record_type)
    if told is None or shape is None:
        raise FileRefused(f"{record_type.__name__}: its fields have no types, so its records cannot be kept in files")
    return Form(told, shape.fields)


def _stored(table: Table[Any]) -> list[Any]:
    rows = table.stored
    return [rows.by_key[key] for key in rows.keys()]  # noqa: SIM118  # in order of key


def _encoded(table: Table[Any], row: Any) -> dict[str, Any]:
    form = form_of(table.record_type)
    try:
        return encode_record(row, form.told, form.fields)
    except Unfit as why:
        raise FileRefused(f"{table.name}.{why.path}: {why}") from None


def _decoded(kept: Kept, form: Form) -> tuple[Any, str]:
    try:
        return decode_record(kept.data, form.told, form.fields), kept.place
    except Unfit as why:
        field = f", field {why.path}" if why.path else ""
        raise FileRefused(f"{kept.place}{field}: {why}") from None


# --- one file ---------------------------------------------------------------------------------------------------------


def _json_text(data: dict[str, list[dict[str, Any]]]) -> str:
    """One record a line, so that a difference between two versions is easy to read."""
    tables = [
        f"    {json.dumps(name)}: [" + ",".join(f"\n      {_line(row)}" for row in rows) + ("\n    ]" if rows else "]")
        for name, rows in data.items()
    ]
    head = f'{{\n  "format": {json.dumps(FORMAT)},\n  "version": {VERSION},\n  "tables": {{\n'
    return head + ",\n".join(tables) + "\n  }\n}\n"


def _load_json(where: Path, known: dict[str, type]) -> Iterator[tuple[str, list[tuple[Any, str]]]]:
    text = _text(where)
    tables = _checked(_parsed(text, where.name), where.name)
    _check_types(tables, known, where.name)
    for name in known:
        rows = tables[name]
        if not isinstance(rows, list):
            raise FileRefused(f"{where.name}, table {name}: a list of records is wanted")
        form = form_of(known[name])
        places = _Places(text, where.name, name, tables)
        yield name, [_decoded(Kept(row, places.of(number)), form) for number, row in enumerate(rows)]


class _Places:
    """Where the records of one table stand in a JSON file."""

    def __init__(self, text: str, file: str, table: str, tables: dict[str, Any]) -> None:
        self._file, self._table = file, table
        lines = [
            number for number, line in enumerate(text.split("\n"), 1) if line.strip().startswith("{") and number > 1
        ]
        total = sum(len(rows) for rows in tables.values() if isinstance(rows, list))
        before = 0
        for name, rows in tables.items():
            if name == table:
                break
            before += len(rows)
        self._lines = lines[before:] if len(lines) == total else []

    def of(self, number: int) -> str:
        """The line, or where somebody laid the file out anew, the record's number."""
        if number < len(self._lines):
            return f"{self._file}, line {self._lines[number]}"
        return f"{self._file}, {self._table} record {number + 1}"


# --- a directory ------------------------------------------------------------------------------------------------------


def _save_directory(where: Path, data: dict[str, Any], tables: dict[str, Table[Any]], format: str) -> None:
    if f".{format}" not in _FORMATS:
        raise FileRefused(f"format={format!r}: choose {', '.join(repr(f[1:]) for f in _FORMATS)}")
    where.mkdir(parents=True, exist_ok=True)
    write = _FORMATS[f".{format}"][0]
    for name, rows in data.items():
        write(where / f"{tables[name].table_name}.{format}", rows, form_of(tables[name].record_type))
    files = {name: {"file": f"{tables[name].table_name}.{format}", "records": len(rows)} for name, rows in data.items()}
    manifest = {"format": FORMAT, "version": VERSION, "tables": files}
    _replace(where / MANIFEST, json.dumps(manifest, indent=2) + "\n")


def _load_directory(where: Path, known: dict[str, type]) -> Iterator[tuple[str, list[tuple[Any, str]]]]:
    manifest = where / MANIFEST
    if not manifest.is_file():
        raise FileRefused(f"{where.name} has no {MANIFEST}, so it is no directory that shelf.save(…) wrote")
    tables = _checked(_parsed(_text(manifest), MANIFEST), MANIFEST)
    _check_types(tables, known, where.name)
    for name, record_type in known.items():
        file = where / str(tables[name].get("file", ""))
        if file.suffix not in _FORMATS or not file.is_file():
            raise FileRefused(f"{MANIFEST}, table {name}: there is no file {file.name!r} of a known format")
        form = form_of(record_type)
        records = [_decoded(kept, form) for kept in _FORMATS[file.suffix][1](file, form)]
        if len(records) != tables[name].get("records"):
            raise FileRefused(
                f"{file.name}: it has {len(records)} records, but {MANIFEST} speaks of {tables[name].get('records')}"
            )
        yield name, records


def _write_jsonl(path: Path, rows: list[dict[str, Any]], form: Form) -> None:  # noqa: ARG001
    _replace(path, "".join(_line(row) + "\n" for row in rows))


def _read_jsonl(path: Path, form: Form) -> Iterator[Kept]:  # noqa: ARG001
    for number, line in enumerate(_text(path).split("\n"), 1):
        if line.strip():
            place = f"{path.name}, line {number}"
            yield Kept(_parsed(line, place, of_line=True), place)


def _write_csv(path: Path, rows: list[dict[str, Any]], form: Form) -> None:
    unfinished = path.with_name(path.name + ".part")
    with unfinished.open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(form.fields)
        for row in rows:
            writer.writerow([_cell(row[name], form.type_of(name)) if name in row else _ABSENT for name in form.fields])
    unfinished.replace(path)


def _read_csv(path: Path, form: Form) -> Iterator[Kept]:
    with path.open(newline="", encoding="utf-8") as file:
        reader = csv.reader(file, strict=True)
        try:
            header = next(reader, [])
            if sorted(header) != sorted(form.fields):
                raise FileRefused(f"{path.name}, line 1: the columns are {header}, not {list(form.fields)}")
            for cells in reader:
                place = f"{path.name}, line {reader.line_num}"
                if len(cells) != len(header):
                    raise FileRefused(f"{place}: {len(cells)} cells in a table of {len(header)} columns")
                pairs = zip(header, cells, strict=True)
                yield Kept(
                    {n: _from_cell(c, form.type_of(n), f"{place}, field {n}") for n, c in pairs if c != _ABSENT}, place
                )
        except (csv.Error, UnicodeDecodeError) as why:
            raise FileRefused(f"{path.name}, line {reader.line_num}: {why}") from None


_ABSENT = "<absent>"
"""The cell of a key that a typed dictionary does not have."""


def _cell(data: Any, form: Any) -> str:
    """JSON data as a cell: None is empty; a text stands as it is, but in quotes where it could be mistaken."""
    if data is None:
        return ""
    if isinstance(data, str) and is_text(form) and data and data[0] not in '"{<':
        return data
    return json.dumps(data, ensure_ascii=False)


def _from_cell(cell: str, form: Any, place: str) -> Any:
    if not cell:
        return None
    if is_text(form) and cell[0] not in '"{':
        return cell
    return _parsed(cell, place, of_line=True)


def _write_parquet(path: Path, rows: list[dict[str, Any]], form: Form) -> None:
    pyarrow, parquet = _pyarrow()
    columns = {}
    for name in form.fields:
        values = [row.get(name) for row in rows]
        kind = _arrow_kind({type(value) for value in values if value is not None}, values, pyarrow)
        if kind is None or not all(name in row for row in rows):
            told, kind = form.type_of(name), None
            cells = [_cell(row[name], told) if name in row else _ABSENT for row in rows]
            values = [cell or None for cell in cells]
        columns[name] = pyarrow.array(values, type=kind or pyarrow.string())
    unfinished = path.with_name(path.name + ".part")
    parquet.write_table(pyarrow.table(columns), unfinished)
    unfinished.replace(path)


def _arrow_kind(kinds: set[type], values: list[Any], pyarrow: Any) -> Any:
    """The column type that holds these values exactly; None where only a text does."""
    if kinds == {int} and all(value is None or -(2**63) <= value < 2**63 for value in values):
        return pyarrow.int64()
    return pyarrow.float64() if kinds == {float} else pyarrow.bool_() if kinds == {bool} else None


def _read_parquet(path: Path, form: Form) -> Iterator[Kept]:
    pyarrow, parquet = _pyarrow()
    try:
        table = parquet.read_table(path)
    except (pyarrow.ArrowException, OSError) as why:
        raise FileRefused(f"{path.name}: {str(why).splitlines()[0]}") from None
    for number, row in enumerate(table.to_pylist(), 1):
        place = f"{path.name}, row {number}"
        data = {
            name: _from_cell(value, form.type_of(name), f"{place}, field {name}") if isinstance(value, str) else value
            for name, value in row.items()
            if value != _ABSENT
        }
        yield Kept(data, place)


def _pyarrow() -> tuple[Any, Any]:
    try:
        import pyarrow
        import pyarrow.parquet
    except ImportError:
        raise FileRefused('a Parquet file needs pyarrow: pip install "urnshelf[data]"') from None
    return pyarrow, pyarrow.parquet


_FORMATS: dict[str, tuple[Write, Read]] = {
    ".csv": (_write_csv, _read_csv),
    ".jsonl": (_write_jsonl, _read_jsonl),
    ".parquet": (_write_parquet, _read_parquet),
}


# --- what all of them share -------------------------------------------------------------------------------------------


def _line(row: dict[str, Any]) -> str:
    return json.dumps(row, ensure_ascii=False, allow_nan=False)


def _replace(path: Path, text: str) -> None:
    """Write a file whole: an error leaves the old one as it was."""
    unfinished = path.with_name(path.name + ".part")
    unfinished.write_text(text, encoding="utf-8", newline="\n")
    unfinished.replace(path)


def _text(path: Path) -> str:
    try:
        return path.read_text(encoding="utf-8")
    except UnicodeDecodeError as why:
        raise FileRefused(f"{path.name}: it is no text in UTF-8 ({why.reason} at byte {why.start})") from None


def _parsed(text: str, where: str, of_line: bool = False) -> Any:
    try:
        return json.loads(text)
    except json.JSONDecodeError as why:
        place = f"{where}, column {why.colno}" if of_line else f"{where}, line {why.lineno}, column {why.colno}"
        raise FileRefused(f"{place}: it is no JSON: {why.msg}") from None


def _checked(data: Any, file: str) -> dict[str, Any]:
    if not isinstance(data, dict) or data.get("format") != FORMAT or not isinstance(data.get("tables"), dict):
        raise FileRefused(f'{file}: it is no file of records that shelf.save(…) wrote; those begin with "format"')
    if data.get("version") != VERSION:
        raise FileRefused(f"{file}: its version is {data.get('version')!r}; this release reads version {VERSION}")
    return dict(data["tables"])


def _check_types(tables: dict[str, Any], known: dict[str, type], file: str) -> None:
    lacking = [name for name in tables if name not in known]
    if lacking:
        raise FileRefused(
            f"{file} has records of {', '.join(lacking)}, too: give their types, shelf.load(…, {lacking[0]})"
        )
    foreign = [name for name in known if name not in tables]
    if foreign:
        raise FileRefused(f"{file} has no records of {', '.join(foreign)}; it has {', '.join(tables) or 'none'}")
