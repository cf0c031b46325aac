"""Samples from files, saved shelves and databases, as data frames."""

from __future__ import annotations

import csv
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

from urnshelf.errors import SampleRefused
from urnshelf.files.file_table import parsed, parsed_line, text_of
from urnshelf.files.shelves import FORMAT, MANIFEST
from urnshelf.files.whole import why

ENDINGS = (".csv", ".json", ".jsonl", ".parquet")


def frames_in(path: Path) -> Iterator[tuple[str, Any, str]]:
    """The tables of a file, or of a saved shelf: name, data frame, and where it is from.

    Args:
        path: a CSV, JSON Lines, JSON or Parquet file, a shelf that was saved, or its folder.

    Raises:
        SampleRefused: it cannot be read, or is none of these.
    """
    if path.is_dir():
        manifest = path / MANIFEST
        names = sorted(one for one in path.iterdir() if one.suffix in ENDINGS and one != manifest)
        if not names:
            raise SampleRefused(f"{path}: no file in it ends in one of {', '.join(ENDINGS)}")
        for one in names:
            yield from frames_in(one)
        return
    if path.suffix not in ENDINGS:
        raise SampleRefused(f"{path.name}: a sample's file ends in one of {', '.join(ENDINGS)}")
    if not path.exists():
        raise SampleRefused(f"{path} cannot be read: there is no such file")
    try:
        yield from _READERS[path.suffix](path)
    except OSError as error:
        raise SampleRefused(f"{path} cannot be read: {why(error)}") from None


def _csv(path: Path) -> Iterator[tuple[str, Any, str]]:
    import pandas

    with path.open("rb") as file:
        encoding = "utf-8-sig" if file.read(3) == b"\xef\xbb\xbf" else "utf-8"
    try:
        _check_header(path, encoding)
        frame = pandas.read_csv(path, dtype=str, keep_default_na=False, encoding=encoding)
    except UnicodeDecodeError as error:
        raise SampleRefused(
            f"{path.name}: it is no text in UTF-8 ({error.reason} at byte {error.start}); write "
            "it anew in UTF-8"
        ) from None
    except pandas.errors.EmptyDataError:
        raise SampleRefused(
            f"{path.name}: it is empty, so there is nothing to learn from"
        ) from None
    except pandas.errors.ParserError as error:
        raise SampleRefused(f"{path.name}: it is no CSV: {str(error).strip()}") from None
    yield name_of(path.stem), frame, path.name


def _check_header(path: Path, encoding: str) -> None:
    """Two columns of one name would come as if one was called otherwise."""
    with path.open(newline="", encoding=encoding) as file:
        names = next(csv.reader(file), [])
    twice = [name for name in names if names.count(name) > 1]
    if twice:
        raise SampleRefused(f"{path.name}: two columns are called {twice[0]!r}; rename one of them")


def _jsonl(path: Path) -> Iterator[tuple[str, Any, str]]:
    lines = text_of(path).splitlines()
    at = f"{path.name}, line"
    rows = [parsed_line(line, at, n) for n, line in enumerate(lines, 1) if line.strip()]
    yield name_of(path.stem), _frame(rows, path.name), path.name


def _json(path: Path) -> Iterator[tuple[str, Any, str]]:
    data = parsed(text_of(path), path.name)
    if isinstance(data, dict) and data.get("format") == FORMAT:
        for name, rows in data["tables"].items():
            if rows:
                yield name_of(name), _frame(rows, path.name), f"{path.name}, {name}"
        return
    yield name_of(path.stem), _frame(data, path.name), path.name


def _frame(rows: Any, where: str) -> Any:
    import pandas

    if not isinstance(rows, list) or not all(isinstance(row, dict) for row in rows):
        raise SampleRefused(f"{where}: a list of objects is needed, one a record")
    names = dict.fromkeys(name for row in rows for name in row)
    return pandas.DataFrame(
        {name: pandas.Series([row.get(name) for row in rows], dtype=object) for name in names}
    )


def _parquet(path: Path) -> Iterator[tuple[str, Any, str]]:
    import pandas

    try:
        frame = pandas.read_parquet(path)
    except (OSError, ValueError) as error:
        raise SampleRefused(f"{path.name}: it is no Parquet file: {error}") from None
    yield name_of(path.stem), frame, path.name


_READERS = {".csv": _csv, ".jsonl": _jsonl, ".json": _json, ".parquet": _parquet}


def name_of(stem: str) -> str:
    """The name of a table, of that of a file or a type: small letters, digits and `_`."""
    plain = "".join(sign if sign.isalnum() and sign.isascii() else "_" for sign in stem)
    words = "".join(f"_{one.lower()}" if one.isupper() else one for one in plain)
    return "_".join(filter(None, words.split("_"))) or "records"


def frames_from(url: str, tables: Sequence[str]) -> Iterator[tuple[str, Any, str]]:
    """Tables of a database.

    Args:
        url: as SQLAlchemy has it.
        tables: their names; all, where none is given.

    Raises:
        SampleRefused: SQLAlchemy is not installed, the database cannot be opened, or there is no
            such table.
    """
    import pandas

    from urnshelf.files.databases import opened, shown_url, sqlalchemy_module
    from urnshelf.near_names import nearest

    sqlalchemy = sqlalchemy_module()
    with opened(sqlalchemy, url) as connection:
        known = sorted(sqlalchemy.inspect(connection).get_table_names())
        wanted = tables or known
        if not wanted:
            raise SampleRefused(f"{shown_url(url)}: the database has no tables")
        for name in wanted:
            if name not in known:
                raise SampleRefused(
                    f"{shown_url(url)}: the database has no table {name!r}; {nearest(name, known)}"
                )
            rows = connection.execute(sqlalchemy.select(sqlalchemy.text("*")).select_from(
                sqlalchemy.table(name)
            ))  # fmt: skip
            names = list(rows.keys())
            columns = list(zip(*rows.all(), strict=True)) or [()] * len(names)
            frame = pandas.DataFrame(
                {
                    one: pandas.Series(list(values), dtype=object)
                    for one, values in zip(names, columns, strict=True)
                }
            )
            yield name_of(name), frame, f"table {name}"
