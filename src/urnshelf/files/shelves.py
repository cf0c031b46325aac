"""The shelf's records in files: one JSON file, a directory with a file a type, or one file of one
type's records.
"""

from __future__ import annotations

import json
import secrets
import shutil
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from itertools import accumulate
from os import PathLike
from pathlib import Path
from typing import Any

from urnshelf.errors import FileRefused, RecordRefused
from urnshelf.files.file_table import (
    FileTable,
    Found,
    file_table,
    line_of,
    parsed,
    plain_name,
    text_of,
)
from urnshelf.files.formats import formats
from urnshelf.files.formats.json import entries_of, lines_of_records
from urnshelf.files.whole import undisturbed, unfinished, why
from urnshelf.store.stored import Store
from urnshelf.store.views import View

FORMAT = "urnshelf records"
VERSION = 1
MANIFEST = "shelf.json"
"""The file of a directory that tells which tables it has."""
Tables = Iterator[tuple[str, list[Found]]]
"""The records of each type, by its name."""


def save(store: Store, path: str | PathLike[str], format: str) -> None:
    """Write every table of the store."""
    where = Path(path)
    views: dict[str, View[Any]] = {view.name: view for view in store.views()}
    if len(views) < len(store.views()):
        raise FileRefused(
            "two record types of one name cannot be saved together; rename one of them"
        )
    if where.suffix == ".json" and format:
        raise FileRefused(f"{where.name} is one JSON file; a format={format!r} is for a directory")
    try:
        if where.suffix == ".json":
            _replace(where, _json_text(views))
        else:
            _save_directory(where, views, format or "jsonl")
    except (OSError, UnicodeEncodeError) as error:
        raise FileRefused(f"{where.name} cannot be written: {why(error)}") from None


def load(store: Store, path: str | PathLike[str], record_types: Sequence[type]) -> None:
    """Put what was saved on the store: all of it, or nothing."""
    where = Path(path)
    known = {record_type.__name__: record_type for record_type in record_types}
    try:
        found = dict(_reader_of(where)(where, known))
    except OSError as error:
        raise FileRefused(f"{where.name} cannot be read: {why(error)}") from None
    put(store, {known[name]: records for name, records in found.items()})


def put(store: Store, found: dict[type, list[Found]]) -> None:
    """Add records, each with where it stands in a file; nothing is changed where one of them
    cannot be stored.
    """
    # all of it, or nothing: half a file on a shelf is worse than none
    with store.lock, store.journal.together(), _refused(store):
        for record_type, records in found.items():
            view: View[Any] = store.view(record_type)
            # where one cannot be stored, they are looked at one by one, to tell which
            if view.take_all([record for record, _, _ in records], is_own=True):
                continue
            for record, at, number in records:
                try:
                    view.take(record, is_own=True)
                except Exception as why:  # the user's own exception for a duplicate may be any
                    raise FileRefused(f"{at} {number}: {why}") from None


@contextmanager
def _refused(store: Store) -> Iterator[None]:
    """Where one record refers to another that is not there: whatever the order of the types."""
    try:
        with store.referring_in_any_order():
            yield
    except RecordRefused as why:
        raise FileRefused(str(why)) from None


def stored(view: View[Any]) -> list[Any]:
    """The stored records of one type, in order of key; not copies."""
    rows = view.stored
    return [rows.by_key[key] for key in rows.keys()]  # noqa: SIM118  # in order of key


def _reader_of(where: Path) -> Any:
    if where.is_dir():
        return _load_directory
    return _load_one_type if where.suffix in formats() and not _is_of_a_shelf(where) else _load_json


def _is_of_a_shelf(where: Path) -> bool:
    """Whether a JSON file has the records of a whole shelf, and not a list of one type's."""
    return where.suffix == ".json" and not text_of(where).lstrip().startswith("[")


def _load_one_type(where: Path, known: dict[str, type]) -> Tables:
    if len(known) != 1:
        listed = ", ".join(known) or "none"
        raise FileRefused(
            f"{where.name} has the records of one type: give that type alone, not {listed}"
        )
    [(name, record_type)] = known.items()
    shape = file_table(record_type)
    yield name, shape.records(formats()[where.suffix].read(where, shape))


# --- one file -------------------------------------------------------------------------------------


def _json_text(views: dict[str, View[Any]]) -> str:
    """One record a line, so that a difference between two versions is easy to read."""
    tables = []
    for name, view in views.items():
        shape = file_table(view.record_type)
        lines = ",".join(f"\n      {line_of(shape.data(row))}" for row in stored(view))
        tables.append(
            f"    {json.dumps(name)}: [{lines}\n    ]" if lines else f"    {json.dumps(name)}: []"
        )
    head = f'{{\n  "format": {json.dumps(FORMAT)},\n  "version": {VERSION},\n  "tables": {{\n'
    return head + ",\n".join(tables) + "\n  }\n}\n"


def _load_json(where: Path, known: dict[str, type]) -> Tables:
    text = text_of(where)
    tables = _checked(parsed(text, where.name), where.name)
    _check_types(tables, known, where.name)
    lines = _lines_of(text, tables)
    for name in known:
        rows = tables[name]
        if not isinstance(rows, list):
            raise FileRefused(f"{where.name}, table {name}: a list of records is wanted")
        shape = file_table(known[name])
        yield name, shape.records(entries_of(rows, where.name, name, lines.get(name, [])))


def _lines_of(text: str, tables: dict[str, Any]) -> dict[str, list[int]]:
    """The lines of each table's records, where nobody laid the file out anew."""
    lines = lines_of_records(text)
    lengths = [len(rows) if isinstance(rows, list) else 0 for rows in tables.values()]
    if len(lines) != sum(lengths):
        return {}
    ends = list(accumulate(lengths, initial=0))
    return {name: lines[ends[n] : ends[n + 1]] for n, name in enumerate(tables)}


# --- a directory ----------------------------------------------------------------------------------


def _save_directory(where: Path, views: dict[str, View[Any]], format: str) -> None:
    known = [ending[1:] for ending in formats() if ending != ".json"]
    if format not in known:
        raise FileRefused(f"format={format!r}: choose {', '.join(map(repr, known))}")
    where.mkdir(parents=True, exist_ok=True)
    names = {name: f"{plain_name(view.table_name)}.{format}" for name, view in views.items()}
    twice = [file for file in names.values() if list(names.values()).count(file) > 1]
    if twice:
        raise FileRefused(f"two record types would both be saved in {twice[0]}; rename a table")
    # the list of files is the moment at which the old ones give way: at first it names new copies,
    # and once these count, the files that are meant
    left = _left_by_a_kill(where)
    waiting = {name: f".{secrets.token_hex(8)}-{file}" for name, file in names.items()}
    with unfinished() as files:
        for name, view in views.items():
            shape = file_table(view.record_type)
            part = files.part(where / waiting[name])
            formats()[f".{format}"].write(part, [stored(view)], shape)
        with undisturbed():
            files.finish()
            _replace(where / MANIFEST, _manifest(views, waiting))
            for name, file in names.items():
                _replace_by(where / file, where / waiting[name])
            _replace(where / MANIFEST, _manifest(views, names))
            for file in (*waiting.values(), *left):
                (where / file).unlink(missing_ok=True)


def _left_by_a_kill(where: Path) -> list[str]:
    """The copies that a list of files still names, because a kill came before the last of it."""
    try:
        tables = _checked(parsed(text_of(where / MANIFEST), MANIFEST), MANIFEST)
        names = [plain_name(table["file"]) for table in tables.values()]
    except (OSError, FileRefused, TypeError, KeyError):  # there is none of ours
        return []
    return [name for name in names if name.startswith(".")]


def _replace_by(path: Path, other: Path) -> None:
    """Put a copy of a file in the place of another."""
    with unfinished() as files:
        part = files.part(path)
        part.unlink()
        try:
            part.hardlink_to(other)  # at once, however long it is
        except OSError:
            shutil.copyfile(other, part)


def _manifest(views: dict[str, View[Any]], names: dict[str, str]) -> str:
    tables = {
        name: {"file": names[name], "records": len(view.stored.by_key)}
        for name, view in views.items()
    }
    return json.dumps({"format": FORMAT, "version": VERSION, "tables": tables}, indent=2) + "\n"


def _load_directory(where: Path, known: dict[str, type]) -> Tables:
    manifest = where / MANIFEST
    if not manifest.is_file():
        raise FileRefused(
            f"{where.name} has no {MANIFEST}, so it is no directory that shelf.save(…) wrote"
        )
    tables = _checked(parsed(text_of(manifest), MANIFEST), MANIFEST)
    _check_types(tables, known, where.name)
    for name, record_type in known.items():
        file = where / plain_name(str(tables[name].get("file", "")))
        if file.suffix not in formats() or not file.is_file():
            raise FileRefused(
                f"{MANIFEST}, table {name}: there is no file {file.name!r} of a known format"
            )
        shape: FileTable = file_table(record_type)
        records = shape.records(formats()[file.suffix].read(file, shape))
        # a file that was cut off must not pass for a smaller shelf
        if len(records) != tables[name].get("records"):
            raise FileRefused(
                f"{file.name}: it has {len(records)} records, but {MANIFEST} speaks of "
                f"{tables[name].get('records')}"
            )
        yield name, records


# --- what both share ------------------------------------------------------------------------------


def _replace(path: Path, text: str) -> None:
    with unfinished() as files:
        files.part(path).write_text(text, encoding="utf-8", newline="\n")


def _checked(data: object, file: str) -> dict[str, Any]:
    if (
        not isinstance(data, dict)
        or data.get("format") != FORMAT
        or not isinstance(data.get("tables"), dict)
    ):
        raise FileRefused(
            f'{file}: it is no file of records that shelf.save(…) wrote; those begin with "format"'
        )
    if data.get("version") != VERSION:
        raise FileRefused(
            f"{file}: its version is {data.get('version')!r}; this release reads version {VERSION}"
        )
    return dict(data["tables"])


def _check_types(tables: dict[str, Any], known: dict[str, type], file: str) -> None:
    lacking = [name for name in tables if name not in known]
    if lacking:
        raise FileRefused(
            f"{file} has records of {', '.join(lacking)}, too: give their types, shelf.load(…, "
            f"{lacking[0]})"
        )
    foreign = [name for name in known if name not in tables]
    if foreign:
        raise FileRefused(
            f"{file} has no records of {', '.join(foreign)}; it has {', '.join(tables) or 'none'}"
        )
