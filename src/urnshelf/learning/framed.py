"""Data frames as tables of a sample: what their columns are, and what texts tell."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, datetime
from decimal import Decimal
from enum import Enum
from typing import Any

import numpy as np
import pandas as pd

from urnshelf.errors import SampleRefused
from urnshelf.learning.sample import (
    NOTHING,
    Array,
    SampleColumn,
    SampleTable,
    of_days,
    of_labels,
    of_moments,
    of_numbers,
)
from urnshelf.records.display import show

WHOLE = r"-?(?:0|[1-9][0-9]{0,17})"
_REAL = r"-?(?:0|[1-9][0-9]*)(?:\.[0-9]+)?(?:[eE][+-]?[0-9]{1,3})?"
_DAY = r"[0-9]{4}-[0-9]{2}-[0-9]{2}"
_MOMENT = _DAY + r"[T ][0-9]{2}:[0-9]{2}(?::[0-9]{2}(?:\.[0-9]{1,9})?)?(Z|[+-][0-9]{2}:?[0-9]{2})?"
MIXED = 0.9
"""Where so great a part of a column is of one kind, what is of another is a mistake."""


def sample_table(
    name: str,
    frame: pd.DataFrame,
    origin: str,
    missing: Sequence[str] = (),
    without: Sequence[str] = (),
) -> SampleTable:
    """A data frame as a table of a sample.

    Args:
        name: of the table.
        frame: its rows.
        origin: where it is from, for messages.
        missing: texts that stand for nothing.
        without: columns that are left out.

    Raises:
        SampleRefused: no rows, no columns, two of one name, or one of mixed kinds.
    """
    if not len(frame.columns) or not len(frame):
        what = "no columns" if not len(frame.columns) else "no rows"
        raise SampleRefused(f"{origin}: it has {what}, so there is nothing to learn from")
    names = [str(one) for one in frame.columns]
    twice = [one for one in names if names.count(one) > 1]
    if twice:
        raise SampleRefused(f"{origin}: two columns are called {twice[0]!r}; rename one of them")
    table = SampleTable(name, {}, len(frame), origin)
    for column, one in zip(frame.columns, names, strict=True):
        if one in without:
            table.left_out[one] = "as was asked for"
            continue
        made = _column(one, frame[column], f"{origin}, column {one!r}", missing)
        if isinstance(made, str):
            table.left_out[one] = made
        else:
            table.columns[one] = made
    if not any(column.there.any() for column in table.columns.values()):
        why = "; ".join(f"{one}: {why}" for one, why in table.left_out.items())
        raise SampleRefused(
            f"{origin}: no column has any value that can be learnt{f' ({why})' if why else ''}"
        )
    return table


def _column(name: str, series: Any, where: str, missing: Sequence[str]) -> SampleColumn | str:
    """One column; a text that says why there is none."""
    kind = series.dtype
    if isinstance(kind, pd.CategoricalDtype):
        series = series.astype(object)
    elif pd.api.types.is_bool_dtype(kind):
        return of_labels(name, "bool", series.astype(object))
    elif pd.api.types.is_numeric_dtype(kind):
        numbers = series.to_numpy(dtype=np.float64, na_value=np.nan)
        _check_finite(numbers, where)
        return of_numbers(name, numbers, pd.api.types.is_integer_dtype(kind))
    elif pd.api.types.is_datetime64_any_dtype(kind):
        return of_moments(name, series)
    if {*map(type, series.tolist())} <= {str, type(None)}:
        return _of_texts(name, series, where, missing)
    values = [None if _is_missing(one, missing) else _plain(one) for one in series.tolist()]
    kinds = {type(one) for one in values} - {type(None)}
    if kinds & {list, dict, tuple, set, bytes}:
        return "its values have parts, or are bytes; give it a rule of its own"
    if kinds == {str}:
        return _of_texts(name, pd.Series(values, dtype=object), where, missing)
    if kinds <= {int, float} and kinds:
        told = np.array(values, dtype=np.float64)
        _check_finite(told, where)
        return of_numbers(name, told, kinds == {int})
    if kinds == {bool}:
        return of_labels(name, "bool", values)
    if kinds and kinds <= {date, datetime}:
        return of_moments(name, pd.to_datetime(pd.Series(values), utc=_is_zoned(values)))
    if not kinds:
        return SampleColumn(name, "text", NOTHING, np.full(len(values), -1), [])
    return _mixed(values, where)


def _check_finite(numbers: Array, where: str) -> None:
    endless = np.flatnonzero(np.isinf(numbers))
    if len(endless):
        raise SampleRefused(
            f"{where}: {len(endless)} of its values are infinite, the first in row "
            f"{int(endless[0]) + 1}; give them another value, none at all, or leave the column "
            "out, --without NAME"
        )


def _is_missing(value: Any, missing: Sequence[str]) -> bool:
    if isinstance(value, str):
        return value == "" or value in missing
    return bool(value is None or value is pd.NaT or value is pd.NA or value != value)


def _plain(value: Any) -> Any:
    """A value as one of a few types."""
    if isinstance(value, Enum):
        value = value.value
    if isinstance(value, np.generic):
        value = value.item()
    if isinstance(value, Decimal):
        return float(value)
    if isinstance(value, (bool, int, float, str, datetime, date, list, dict, tuple, set, bytes)):
        return value
    return str(value)


def _is_zoned(values: Sequence[Any]) -> bool:
    first = next(one for one in values if one is not None)
    return isinstance(first, datetime) and first.tzinfo is not None


def _mixed(values: list[Any], where: str) -> SampleColumn | str:
    kinds = [type(one).__name__ for one in values if one is not None]
    counts = pd.Series(kinds).value_counts()
    most = str(counts.index[0])
    n, other = next(
        (n, one) for n, one in enumerate(values) if one is not None and type(one).__name__ != most
    )
    raise SampleRefused(
        f"{where}: its values are of mixed kinds: {int(counts.iloc[0])} are {most}, and row "
        f"{n + 1} is {show(other, 40)}; make them alike, or leave the column out, --without NAME"
    )


def _of_texts(name: str, series: Any, where: str, missing: Sequence[str]) -> SampleColumn:
    """Texts, or what they all tell: numbers, days, moments, truth values."""
    found, told = pd.factorize(series, use_na_sentinel=True)
    codes, labels = _without_missing(np.asarray(found), [str(one) for one in told], missing)
    different = pd.Series(labels, dtype="str")
    ways = (
        (r"(?i:true|false)", _told_bools), (WHOLE, _told_numbers), (_REAL, _told_numbers),
        (_DAY, _told_days), (_MOMENT, _told_moments),
    )  # fmt: skip
    for pattern, make in ways:
        fits = different.str.fullmatch(pattern).to_numpy(dtype=bool)
        if not fits.any():
            continue
        rows = int(fits[codes[codes >= 0]].sum())
        of_all = int((codes >= 0).sum())
        if fits.all():
            made = make(name, different, codes)
            if made is not None:
                return made
        elif rows >= MIXED * of_all and _is_mistaken(pattern, different.loc[~fits]):
            other = int(np.flatnonzero(~fits)[0])
            row = int(np.flatnonzero(codes == other)[0]) + 1
            raise SampleRefused(
                f"{where}: {rows} of {of_all} values are alike, and row {row} is not: "
                f"{show(labels[other], 40)}; correct the sample, say what stands for nothing, "
                f"--missing {show(labels[other], 40)}, or leave the column out, --without {name}"
            )
    return SampleColumn(name, "text", NOTHING, codes, labels)


def _without_missing(
    codes: Array, labels: list[str], missing: Sequence[str]
) -> tuple[Array, list[str]]:
    """Texts without those that stand for nothing."""
    kept = [n for n, one in enumerate(labels) if not _is_missing(one, missing)]
    place = np.full(len(labels) + 1, -1)
    place[kept] = np.arange(len(kept))
    return place[codes], [labels[n] for n in kept]


def _is_mistaken(pattern: str, others: pd.Series) -> bool:
    """Whether so few others among numbers or days are mistakes: 007 tells that all are codes."""
    is_told = pattern in (_REAL, _DAY, _MOMENT)
    return is_told and not others.str.fullmatch(r"0[0-9]+").all()


def _spread(found: Array, codes: Array) -> Array:
    return np.asarray(np.where(codes >= 0, np.append(found, np.nan)[codes], np.nan))


def _told_numbers(name: str, different: pd.Series, codes: Array) -> SampleColumn | None:
    found = different.astype(np.float64).to_numpy()
    is_whole = bool(different.str.fullmatch(WHOLE).all())
    made = of_numbers(name, _spread(found, codes), is_whole)
    # a price of 12.00 has decimals, though none of them tells anything
    if not is_whole:
        made.form = "float"
    return made


def _told_bools(name: str, different: pd.Series, codes: Array) -> SampleColumn | None:
    told = (different.str.lower() == "true").to_numpy(dtype=bool)
    values = [None if code < 0 else bool(told[code]) for code in codes.tolist()]
    return of_labels(name, "bool", values)


def _told_days(name: str, different: pd.Series, codes: Array) -> SampleColumn | None:
    try:
        found = np.array(different.tolist(), dtype="datetime64[D]").astype(np.float64)
    except ValueError:  # the 31st of February is a text
        return None
    return of_days(name, _spread(found, codes))


def _told_moments(name: str, different: pd.Series, codes: Array) -> SampleColumn | None:
    zones = different.str.contains(r"(?:Z|[+-][0-9]{2}:?[0-9]{2})$", regex=True)
    if zones.any() != zones.all():
        return None
    made = pd.to_datetime(different, format="ISO8601", utc=bool(zones.all()), errors="coerce")
    if made.isna().any():
        return None
    column = of_moments(name, made)
    column.numbers = _spread(column.numbers, codes)
    return column


def frames_of(what: Any) -> Mapping[str, pd.DataFrame] | None:
    """Data frames by name; None for what are none."""
    if isinstance(what, pd.DataFrame):
        return {"records": what}
    if (
        isinstance(what, Mapping)
        and what
        and all(isinstance(v, pd.DataFrame) for v in what.values())
    ):
        return {str(name): frame for name, frame in what.items()}
    return None
