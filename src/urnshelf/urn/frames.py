"""Data frames: the records of a layout as columns, value for value those that `draw` gives."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from urnshelf.errors import RecordRefused
from urnshelf.urn.building import records
from urnshelf.urn.layouts import Layout
from urnshelf.urn.rules.base import ABSENT

if TYPE_CHECKING:
    import pandas


def data_frame(layout: Layout, indexes: range) -> pandas.DataFrame:
    """The records with these indexes; raises RecordRefused where pandas is not installed."""
    try:
        import pandas
    except ImportError:
        raise RecordRefused('data_frame() needs pandas: pip install "urnshelf[data]"') from None
    # what a constructor refuses or changes, only the records themselves can tell
    columns = _of_records(layout, indexes) if layout.record.validates else _drawn(layout, indexes)
    return pandas.DataFrame(
        {name: _series(columns[name], pandas) for name in layout.record.given if name in columns}
    )


def _of_records(layout: Layout, indexes: range) -> dict[str, Any]:
    record = layout.record
    rows = [record.values(one) for one in records(layout, indexes)]
    return {name: [row.get(name) for row in rows] for name in record.fields}


def _drawn(layout: Layout, indexes: range) -> dict[str, Any]:
    from urnshelf.urn.lanes import lanes

    columns: dict[str, Any] = {}
    for column in layout.columns:
        inputs = [_there(columns[name]) for name in column.rule.needs]
        columns[column.name] = column.rule.column(lanes(column.key, indexes), *inputs)
    return columns


def _there(column: Any) -> list[Any]:
    listed = column.tolist() if hasattr(column, "tolist") else column
    return [None if value is ABSENT else value for value in listed]


def _series(column: Any, pandas: Any) -> Any:
    """A column; of whole numbers, some of which are not there, as nullable integers."""
    if not isinstance(column, list):
        return column
    there = [None if value is ABSENT else value for value in column]
    kinds = {type(value) for value in there}
    if kinds == {int, type(None)}:
        return pandas.array(there, dtype="Int64")
    if kinds == {bool, type(None)}:
        return pandas.array(there, dtype="boolean")
    # pandas would make NaN of None among texts and dates of other kinds
    return there if kinds <= {int, float, bool} else pandas.Series(there, dtype=_dtype(kinds))


def _dtype(kinds: set[type]) -> Any:
    from datetime import datetime

    return None if kinds == {datetime} else object
