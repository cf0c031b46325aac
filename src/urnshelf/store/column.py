"""Columns: what conditions are made of."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show
from urnshelf.store.comparisons import Between, Comparison, IsNone, OneOf, TextPart, equals
from urnshelf.store.conditions import Condition, Not


class Column:
    """A field of the records, to be compared; made by `column(…)`.

    >>> print((column("depth_m") >= 4) & (column("harbour") == "Ternhythe"))
    depth_m >= 4 AND harbour = 'Ternhythe'
    """

    __slots__ = ("_fold", "_path")

    def __init__(self, path: str, fold: bool = False) -> None:
        self._path = path
        self._fold = fold

    def __eq__(self, value: object) -> Condition:  # type: ignore[override]
        return equals(self._path, value, self._fold)

    def __ne__(self, value: object) -> Condition:  # type: ignore[override]
        return (
            Not(IsNone(self._path))
            if value is None
            else Comparison(self._path, "<>", value, self._fold)
        )

    def __lt__(self, value: object) -> Condition:
        return self._ordered("<", value)

    def __le__(self, value: object) -> Condition:
        return self._ordered("<=", value)

    def __gt__(self, value: object) -> Condition:
        return self._ordered(">", value)

    def __ge__(self, value: object) -> Condition:
        return self._ordered(">=", value)

    __hash__ = None  # type: ignore[assignment]  # its == makes a condition

    def one_of(self, values: Iterable[Any]) -> Condition:
        """The field has one of these values; None among them means that it may be None.

        Args:
            values: any number of values; with none of them, no record fulfils this.

        >>> print(column("id").one_of([1, 2, 3]))
        id IN (1, 2, 3)
        """
        if isinstance(values, (str, bytes)) or not isinstance(values, Iterable):
            raise RecordRefused(
                f'column("{self._path}").one_of({show(values, 40)}): give a list of values'
            )
        return OneOf(self._path, values, self._fold)

    def between(self, low: object, high: object) -> Condition:
        """The field is from `low` to `high`, both included.

        >>> print(column("depth_m").between(4, 6))
        depth_m BETWEEN 4 AND 6
        """
        return Between(self._path, low, high)

    def is_none(self) -> Condition:
        """The field is None.

        >>> print(column("defect").is_none(), "|", ~column("defect").is_none())
        defect IS NULL | defect IS NOT NULL
        """
        return IsNone(self._path)

    def contains(self, part: str) -> Condition:
        """The text has this text in it.

        >>> print(column("code").contains("B-"))
        instr(code, 'B-') > 0
        """
        return self._text("contains", part)

    def starts_with(self, part: str) -> Condition:
        """The text begins with this one.

        >>> print(column("code").starts_with("B-"))
        substr(code, 1, 2) = 'B-'
        """
        return self._text("starts", part)

    def ends_with(self, part: str) -> Condition:
        """The text ends with this one.

        >>> print(column("code").ends_with("7"))
        substr(code, -1) = '7'
        """
        return self._text("ends", part)

    @property
    def ignoring_case(self) -> Column:
        """The same column, its texts compared in small letters: `column("name").ignoring_case ==
        "gray heron"`.

        >>> print(column("harbour").ignoring_case == "TERNHYTHE")
        lower(harbour) = lower('TERNHYTHE')
        """
        return Column(self._path, fold=True)

    def __repr__(self) -> str:
        return f'column("{self._path}")' + ".ignoring_case" * self._fold

    def _ordered(self, sign: str, value: object) -> Condition:
        if value is None:
            raise RecordRefused(
                f'column("{self._path}") {sign} None is never true; for no value, use .is_none()'
            )
        return Comparison(self._path, sign, value, self._fold)

    def _text(self, where: str, part: str) -> Condition:
        if not isinstance(part, str):
            raise RecordRefused(f'column("{self._path}"): a text is needed, not {show(part, 40)}')
        return TextPart(self._path, where, part, self._fold)


def column(path: str) -> Column:
    """A field of the records, to be compared in a query.

    Args:
        path: the field's name; a field of a record inside is `"owner.city"`.

    Raises:
        RecordRefused: not a name.

    >>> (column("depth_m") >= 4.0) & ~column("harbour").one_of(["Ternhythe", "Curlhythe"])
    depth_m >= 4.0 AND NOT (harbour IN ('Ternhythe', 'Curlhythe'))
    """
    if not isinstance(path, str) or not path:
        raise RecordRefused(f"column({path!r}): the name of a field is needed")
    return Column(path)
