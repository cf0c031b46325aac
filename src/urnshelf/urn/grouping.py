"""Groups of records by the values of other fields: by one field, by two, by bands of a number."""

from __future__ import annotations

import re
from bisect import bisect_left
from collections.abc import Callable, Iterable, Sequence
from datetime import date, datetime
from decimal import Decimal
from enum import Enum
from types import ModuleType
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.near_names import nearest
from urnshelf.records.display import show

ELSE, NONE, ABOVE, BETWEEN = "else", "none", "above", " / "
"""The words of keys: for all others, where there is none, above the last band, between two."""
_BAND = re.compile(r"to (-?[0-9][0-9.]*|[0-9]{4}-[0-9]{2}-[0-9]{2}(?:[T ][0-9:.+Z-]+)?)")
_KEPT = 20_000
"""So many different values are remembered."""


class Groups:
    """Which group a record is in.

    Args:
        by: the other field, or two of them.
        keys: one a group, in order: a value, `"to 30"` and `"above"` for bands, a pair of such for
            two fields, `"else"`.
        where: for messages.

    Raises:
        RecordRefused: no fields, or keys that do not go with them.

    >>> groups = Groups("draught_m", ["to 2.5", "to 5", "above"], "")
    >>> groups.of(2.5), groups.of(4), groups.of(9)
    (0, 1, 2)
    """

    def __init__(self, by: Any, keys: Iterable[Any], where: str) -> None:
        self.fields = fields_of(by, where)
        self.where = where
        self.keys = [key_of_group(key, len(self.fields), where) for key in keys]
        self._group = {key: number for number, key in enumerate(self.keys)}
        self._other = self._group.get((ELSE,))
        whole = [key for key in self.keys if key != (ELSE,)]
        self._labels = [
            _label_maker([key[place] for key in whole]) for place in range(len(self.fields))
        ]
        self._known: dict[Any, int] = {}

    def of(self, *values: Any) -> int:
        """The group of a record with these values.

        Raises:
            RecordRefused: it is in none, and nothing is told for all others.
        """
        # equal values of other types are other ones: True is not 1
        told = tuple([(type(one), one) for one in values])
        try:
            found = self._known.get(told)
        except TypeError:  # a value without a hash
            return self._looked_up(values)
        if found is None:
            found = self._looked_up(values)
            if len(self._known) < _KEPT:
                self._known[told] = found
        return found

    def all_of(self, columns: Sequence[Sequence[Any]], numpy: ModuleType) -> Any:
        """The groups of many records, as an array."""
        of = self.of
        if len(columns) == 1:
            kinds = {*map(type, columns[0])}
            if len(kinds) == 1 and (made := self._quickly(columns[0], kinds.pop())) is not None:
                return numpy.array(made, dtype=numpy.int64)
        return numpy.array([of(*row) for row in zip(*columns, strict=True)], dtype=numpy.int64)

    def _quickly(self, column: Sequence[Any], kind: type) -> list[int] | None:
        """Of values of one type, few of which differ: each is looked up once."""
        try:
            different = {*column}
        except TypeError:
            return None
        if len(different) > len(column) // 2:
            return None
        known = {one: self.of(one) for one in different if type(one) is kind}
        return [known[one] for one in column]

    def _looked_up(self, values: tuple[Any, ...]) -> int:
        labels = tuple(label(one) for label, one in zip(self._labels, values, strict=True))
        found = self._group.get(labels, self._other)
        if found is None:
            told = ", ".join(
                f"{name} = {show(one, 40)}" for name, one in zip(self.fields, values, strict=True)
            )
            names = [BETWEEN.join(key) for key in self.keys]
            raise RecordRefused(
                f"{self.where}: nothing is told for {told}; "
                f'{nearest(BETWEEN.join(labels), names)} Give it a group, or "else" for all others'
            )
        return found


def fields_of(by: Any, where: str) -> tuple[str, ...]:
    """The fields that groups go by; raises RecordRefused for what are no fields."""
    told = [by] if isinstance(by, str) else by
    fields = tuple(told) if isinstance(told, (list, tuple)) else ()
    if not all(isinstance(one, str) for one in fields) or len(fields) not in (1, 2):
        raise RecordRefused(
            f"{where}: by = {show(by, 60)}, but the name of another field is needed, or two of them"
        )
    return fields


def key_of_group(key: Any, count: int, where: str) -> tuple[str, ...]:
    """A key as its parts, each as a text.

    Args:
        key: as it is told.
        count: of the fields.
        where: for messages.
    """
    if key == ELSE:
        return (ELSE,)
    if count == 1:
        return (text_of(key),)
    parts = key.split(BETWEEN) if isinstance(key, str) else key
    if not isinstance(parts, (tuple, list)) or len(parts) != count:
        raise RecordRefused(
            f"{where}: a group is told as {show(key, 60)}, but there are {count} fields: write it "
            'as "lamp / gold"'
        )
    return tuple(map(text_of, parts))


def text_of(value: Any) -> str:
    """A value as the text of a key: `true`, `30`, `lamp`.

    >>> text_of(True), text_of(30.0), text_of(None)
    ('true', '30', 'none')
    """
    if value is None:
        return NONE
    if isinstance(value, Enum):
        return text_of(value.value)
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, (float, Decimal)):
        return f"{int(value)}" if value == value // 1 else f"{Decimal(str(value)).normalize():f}"
    return value.isoformat() if isinstance(value, date) else str(value)


def _label_maker(parts: list[str]) -> Callable[[Any], str]:
    """What makes the text of a key of a value: itself, or its band."""
    bands = [found for part in parts if (found := _BAND.fullmatch(part))]
    if not bands or any(part not in (ABOVE, NONE) and not _BAND.fullmatch(part) for part in parts):
        return text_of
    ends = sorted({band[1]: _place_of(band[1]) for band in bands}.items(), key=lambda one: one[1])
    names = [*[f"to {text}" for text, _ in ends], ABOVE]
    limits = [limit for _, limit in ends]

    def label(value: Any) -> str:
        place = number_of(value)
        return NONE if place is None else names[bisect_left(limits, place)]

    return label


def _place_of(text: str) -> float:
    if re.fullmatch(r"-?[0-9.]+", text):
        return float(text)
    found = number_of(datetime.fromisoformat(text))
    assert found is not None  # a moment is one
    return found


def number_of(value: Any) -> float | None:
    """The number that a band looks at: of a day its ordinal; None for what has none."""
    if isinstance(value, Enum):
        value = value.value
    if isinstance(value, datetime):
        since = value.replace(tzinfo=None) - datetime(1, 1, 1)
        return 1 + since.days + since.seconds / 86_400
    if isinstance(value, date):
        return float(value.toordinal())
    return float(value) if isinstance(value, (int, float, Decimal)) else None
