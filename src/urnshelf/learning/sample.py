"""A sample: tables whose columns are numbers, days, moments, truth values or texts."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from typing import Any, Literal

import numpy as np
import pandas as pd

Form = Literal["int", "float", "bool", "day", "moment", "text"]
Array = np.ndarray[Any, Any]
_MOST_DECIMALS = 8
_EXACT = 14
"""So many digits a number has for certain."""


@dataclass
class SampleColumn:
    """One column.

    Attributes:
        name: of it.
        form: of its values.
        numbers: of all but texts: the numbers, days by their ordinals, moments in seconds.
        codes: of texts and truth values: which label each has; -1 for none.
        labels: the different texts, or truth values.
        decimals: of numbers.
        zoned: whether moments have a zone.
    """

    name: str
    form: Form
    numbers: Array
    codes: Array
    labels: list[Any]
    decimals: int = 0
    zoned: bool = False

    @property
    def there(self) -> Array:
        """Where it has a value."""
        return self.codes >= 0 if self.is_labelled else ~np.isnan(self.numbers)

    @property
    def is_labelled(self) -> bool:
        """Whether its values are texts or truth values."""
        return self.form in ("text", "bool")

    def taken(self, rows: Array) -> SampleColumn:
        """The same of some rows."""
        numbers = self.numbers if self.is_labelled else self.numbers[rows]
        codes = self.codes[rows] if self.is_labelled else self.codes
        return SampleColumn(
            self.name, self.form, numbers, codes, self.labels, self.decimals, self.zoned
        )

    def keys(self) -> Array:
        """One number for each different value, -1 for none, for comparing and counting."""
        if self.is_labelled:
            return self.codes
        found, _ = pd.factorize(self.numbers, use_na_sentinel=True)
        return np.asarray(found)

    def values(self) -> list[Any]:
        """The values as Python has them; None for none."""
        if self.is_labelled:
            labels = [*self.labels, None]
            return [labels[code] for code in self.codes.tolist()]
        return [None if one != one else self.value(one) for one in self.numbers.tolist()]

    def value(self, number: float) -> Any:
        """The value that a number stands for."""
        if self.form == "day":
            return date.fromordinal(round(number))
        if self.form == "moment":
            zone = UTC if self.zoned else None
            return _EPOCH.replace(tzinfo=zone) + timedelta(seconds=round(number))
        if self.form == "int":
            return round(number)
        return round(number, max(self.decimals, 0))


_EPOCH = datetime(1970, 1, 1)
NOTHING = np.zeros(0)


@dataclass
class SampleTable:
    """One table.

    Attributes:
        name: of it, as a plan calls it.
        columns: by name.
        count: of its rows.
        origin: where it is from, for messages.
        left_out: the columns that are not learnt, and why.
    """

    name: str
    columns: dict[str, SampleColumn]
    count: int
    origin: str
    left_out: dict[str, str] = field(default_factory=dict)

    def taken(self, rows: Array) -> SampleTable:
        """The same of some rows."""
        columns = {name: one.taken(rows) for name, one in self.columns.items()}
        return SampleTable(self.name, columns, len(rows), self.origin, self.left_out)

    def without(self, names: Iterable[str]) -> SampleTable:
        """The same without some columns."""
        gone = {*names}
        columns = {name: one for name, one in self.columns.items() if name not in gone}
        return SampleTable(self.name, columns, self.count, self.origin, self.left_out)


def of_numbers(name: str, numbers: Array, is_whole: bool) -> SampleColumn:
    """A column of numbers; of those that are all whole ones, whole numbers.

    Args:
        name: of it.
        numbers: NaN for none.
        is_whole: whether they are of a type of whole numbers.
    """
    there = numbers[~np.isnan(numbers)]
    decimals = min(0 if is_whole else decimals_of(there), _most_places(there))
    # whole numbers some of which are missing come as floats
    numbers = np.round(numbers, decimals)
    was_whole = is_whole or (len(there) < len(numbers) and decimals <= 0)
    return SampleColumn(name, "int" if was_whole else "float", numbers, NOTHING, [], decimals)


def _most_places(numbers: Array) -> int:
    """So many decimals leave every number exact in units of the last one; of great numbers not even
    the last digits.
    """
    greatest = float(np.abs(numbers).max(initial=1.0))
    return int(_EXACT - np.floor(np.log10(max(greatest, 1.0))))


def decimals_of(numbers: Array) -> int:
    """The fewest decimals that hold numbers; of those that have more than eight, as many as tell
    four digits of their spread.
    """
    if not len(numbers):
        return 0
    near = 1e-9 * np.maximum(1.0, np.abs(numbers))
    for places in range(_MOST_DECIMALS + 1):
        if np.all(np.abs(np.round(numbers, places) - numbers) < near * 10**-places):
            return places
    spread = float(np.quantile(numbers, 0.95) - np.quantile(numbers, 0.05)) or 1.0
    return int(min(max(4 - np.floor(np.log10(spread)), 0), 10))


def of_moments(name: str, series: Any) -> SampleColumn:
    """A column of moments; of those that are all at midnight and have no zone, of days."""
    zoned = series.dt.tz is not None
    plain = series.dt.tz_convert("UTC").dt.tz_localize(None) if zoned else series
    seconds = (plain - pd.Timestamp(_EPOCH)).dt.total_seconds().to_numpy(dtype=np.float64)
    there = seconds[~np.isnan(seconds)]
    if not zoned and np.all(there % 86_400 == 0):
        return of_days(name, seconds / 86_400)
    return SampleColumn(name, "moment", np.floor(seconds), NOTHING, [], 0, zoned)


def of_days(name: str, since: Array) -> SampleColumn:
    """A column of days, told by how many there are since 1970."""
    return SampleColumn(name, "day", since + _EPOCH.toordinal(), NOTHING, [])


def of_labels(name: str, form: Form, values: Any) -> SampleColumn:
    """A column of texts, or of truth values."""
    codes, labels = pd.factorize(pd.Series(values, dtype=object), use_na_sentinel=True)
    plain = [bool(one) if form == "bool" else one for one in labels]
    return SampleColumn(name, form, NOTHING, np.asarray(codes), plain)
