"""JSON data as the cells of a table, and back."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from urnshelf.records.codec import member_data
from urnshelf.records.scalars import scalar_of
from urnshelf.types.nodes import Node

ABSENT = "<absent>"
"""The cell of a key that a typed dictionary does not have."""


_UNSAFE = re.compile(
    r'["{<]|[^\x00-\x08\x0b-\x1f\x7f\x85\u2028\u2029]*[\x00-\x08\x0b-\x1f\x7f\x85\u2028\u2029]'
).match
"""What begins like JSON, or like the mark of an absent key, and what has signs that readers of
tables take for the end of a line.
"""


def cell_writer(node: Node) -> Callable[[Any], str]:
    """What makes cells of a field's JSON data: None is empty; a text stands as it is, but in quotes
    where it could be mistaken.

    >>> from urnshelf.types.nodes import node_of
    >>> write = cell_writer(node_of(str))
    >>> write("B-01"), write(""), cell_writer(node_of(list[int]))([1])
    ('B-01', '""', '[1]')
    """
    import json  # only files pay for it

    encode = json.JSONEncoder(ensure_ascii=False).encode
    texts = is_text(node)

    def write(data: Any) -> str:
        if data is None:
            return ""
        cls = type(data)
        if cls is str and texts and data and not _UNSAFE(data):
            return data  # type: ignore[no-any-return]
        return str(data) if cls is int else encode(data)

    return write


def from_cell(cell: str, node: Node) -> Any:
    """The JSON data of a cell; raises json.JSONDecodeError for one that is neither a text nor
    JSON.
    """
    return cell_reader(node)(cell)


_NUMBER = re.compile(r"-?(?:0|[1-9][0-9]*)(\.[0-9]+)?\Z", re.ASCII).match


def cell_reader(node: Node) -> Callable[[str], Any]:
    """What makes JSON data of a field's cells; raises json.JSONDecodeError for one that is neither
    a text nor JSON.
    """
    import json

    texts = is_text(node)
    number = {int: int, float: float}.get(node.bare)

    def read(cell: str) -> Any:
        if not cell:
            return None
        if texts:
            return cell if cell[0] not in '"{' else json.loads(cell)
        # by far the most numbers: the rest of the way is longer
        if cell.isdigit() and cell.isascii() and cell[0] != "0" and number is not None:
            return int(cell)
        found = None if number is None else _NUMBER(cell)
        # a whole number is one for JSON, whatever the field's type
        return json.loads(cell) if found is None else (float if found[1] else int)(cell)

    return read


def is_text(node: Node) -> bool:
    """Whether the values of a type are always written as texts."""
    if node.is_enum:
        return all(isinstance(member_data(member), str) for member in node.bare)
    return node.bare is str or scalar_of(node.bare) is not None
