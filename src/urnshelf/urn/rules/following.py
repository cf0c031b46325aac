"""Rules that follow other fields: computed from them, known by them, gathered from the records
inside of them.
"""

from __future__ import annotations

import ast
from collections.abc import Callable, Mapping
from decimal import ROUND_HALF_UP, Context, Decimal
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show
from urnshelf.records.recognising import description_of
from urnshelf.urn.grouping import text_of
from urnshelf.urn.mixing import Bits
from urnshelf.urn.rules.base import Computed, Place, PlanRule, Rule, data_of, planned, table
from urnshelf.urn.rules.given import as_rule

_DAY = 86_400
_EXACT = Context(prec=60, rounding=ROUND_HALF_UP)
"""So many digits hold every sum, difference and product of what is drawn; a quotient that needs
more is no half, and is rounded rightly."""


# --- formulas -------------------------------------------------------------------------------------


class Formula(Computed):
    """A number computed from other fields, exactly.

    Args:
        text: as it was given.
        decimals: places that it is rounded to; as many as come of it, where none are told.
        form: the field's type.
    """

    def __init__(self, text: str, decimals: int | None, form: Any = None) -> None:
        self._text, self._decimals, self._form = text, decimals, form
        self._tree = _parsed(text)
        names = [node.id for node in ast.walk(self._tree) if isinstance(node, ast.Name)]
        self.needs = tuple(dict.fromkeys(names))

    @property
    def is_whole(self) -> bool:
        """Whether it makes whole numbers of whole numbers."""
        return self._decimals == 0 or not {"/", "÷", "."} & {*self._text}

    def placed(self, place: Place) -> Rule:
        """The same, for the field's type."""
        form = self._form or place.field.node.bare
        return Formula(self._text, self._decimals, form).standing(place)

    def computed(self, bits: Bits, *inputs: object) -> Any:  # noqa: ARG002
        """What comes of it; None where a field is None, or where nothing divides."""
        if any(value is None for value in inputs):
            return None
        values = {name: Decimal(str(value)) for name, value in zip(self.needs, inputs, strict=True)}
        try:
            found = _computed(self._tree, values)
        except ZeroDivisionError:
            return None
        return self._rounded(found)

    def _rounded(self, found: Decimal) -> Any:
        places = self._decimals
        if self._form is int:
            places = 0
        if places is None and -int(found.as_tuple().exponent) > 12:  # a quotient without an end
            places = 2
        if places is not None:
            found = found.quantize(Decimal(1).scaleb(-places), ROUND_HALF_UP, _EXACT)
        if self._form is int:
            return int(found)
        return float(found) if self._form is float else found

    def to_plan(self) -> dict[str, Any]:
        """Its text, and the places."""
        return table("formula", self._text, decimals=self._decimals)


def _parsed(text: str) -> ast.expr:
    plain = text.replace("×", "*").replace("÷", "/").replace("−", "-")
    try:
        tree = ast.parse(plain.strip(), mode="eval").body
        _check(tree)
    except (SyntaxError, ValueError):
        raise RecordRefused(
            f"formula({text!r}): it takes fields, numbers, + - * / and brackets"
        ) from None
    return tree


def _check(node: ast.expr) -> None:
    if isinstance(node, ast.BinOp) and type(node.op) in _OPERATIONS:
        _check(node.left)
        _check(node.right)
    elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub):
        _check(node.operand)
    elif not (
        isinstance(node, ast.Name)
        or (isinstance(node, ast.Constant) and type(node.value) in (int, float))
    ):
        raise ValueError


_OPERATIONS: dict[type[ast.operator], Callable[[Decimal, Decimal], Decimal]] = {
    ast.Add: _EXACT.add,
    ast.Sub: _EXACT.subtract,
    ast.Mult: _EXACT.multiply,
    ast.Div: _EXACT.divide,
}


def _computed(node: ast.expr, values: Mapping[str, Decimal]) -> Decimal:
    if isinstance(node, ast.BinOp):
        one, other = _computed(node.left, values), _computed(node.right, values)
        if isinstance(node.op, ast.Div) and not other:
            raise ZeroDivisionError
        return _OPERATIONS[type(node.op)](one, other)
    if isinstance(node, ast.UnaryOp):
        return -_computed(node.operand, values)
    if isinstance(node, ast.Name):
        return values[node.id]
    assert isinstance(node, ast.Constant)  # nothing else is let in
    return Decimal(str(node.value))


@planned("formula", "decimals")
def _formula_of(entry: PlanRule) -> Rule:
    return formula(entry.value, **entry.options)


def formula(text: str, decimals: int | None = None) -> Rule:
    """A number computed from other fields of the record, exactly, and rounded half up.

    Args:
        text: of fields, numbers, + - * / and brackets; × and ÷ are taken, too.
        decimals: places to round to; as many as come of it, where none are told.

    Raises:
        RecordRefused: anything else in the text; when it draws, a division by 0 or a field that is
            None, where this one takes no None.

    >>> from decimal import Decimal
    >>> dues = rules.formula("days * 12.5", decimals=2)
    >>> Urn(seed=7).draw(Mooring, days=3, dues=dues).dues
    Decimal('37.50')
    """
    if not isinstance(text, str):
        raise RecordRefused(f"formula({show(text, 40)}): it takes a text, 'quantity * unit_price'")
    return Formula(text, decimals)


# --- known by another field -----------------------------------------------------------------------


class _KnownBy(Rule):
    vectorised = False

    def __init__(self, field: str, known: Mapping[Any, Any], otherwise: Rule) -> None:
        self.needs = (field, *otherwise.needs)
        self._known, self._otherwise = dict(known), otherwise
        self._by_text: dict[str, Any] = {}
        # of what is not known there may be none
        self.gives_none = otherwise.size == 1 and otherwise.at(0) is None

    def one(self, bits: Bits, *inputs: object) -> Any:
        try:
            found = self._known.get(inputs[0], self)
        except TypeError:  # a value without a hash
            found = self
        if found is self and self._by_text:
            found = self._by_text.get(text_of(inputs[0]), self)
        return self._otherwise.one(bits, *inputs[1:]) if found is self else found

    def beside(self, rules: Mapping[str, Rule]) -> Rule:
        found = _KnownBy(self.needs[0], self._known, self._otherwise.beside(rules))
        found._by_text = self._by_text
        return found

    def by_text(self) -> Rule:
        """The same, its keys as a file has them: as texts."""
        self._by_text = {text_of(key): value for key, value in self._known.items()}
        return self

    def to_plan(self) -> dict[str, Any]:
        known = {text_of(key): data_of(value) for key, value in self._known.items()}
        found = {"known_by": self.needs[0], "is": known}
        other = self._otherwise
        is_none = not other.needs and other.size == 1 and other.at(0) is None
        return found if is_none else {**found, "else": other.to_plan()}


@planned("known_by", "is", "else")
def _known_by_of(entry: PlanRule) -> Rule:
    known = entry.options.get("is")
    if not isinstance(known, Mapping):
        raise RecordRefused(f"{entry.where}: known_by has a table of what is known, is = {{ … }}")
    found = {key: entry.typed(value) for key, value in known.items()}
    other = entry.options.get("else")
    rule = _KnownBy(entry.value, found, as_rule(None) if other is None else entry.rule_of(other))
    return rule.by_text()


def known_by(field: str, known: Mapping[Any, Any], otherwise: object = None) -> Rule:
    """A value that follows exactly from another field's.

    Args:
        field: the other one.
        known: the value for each of its values.
        otherwise: a value or a rule for all others.

    >>> flags = rules.known_by("name", {"Gray Heron": "SE"}, otherwise="NO")
    >>> [v.flag for v in Urn(seed=7).draw(Vessel, 2, name="Gray Heron", flag=flags)]
    ['SE', 'SE']
    """
    if not isinstance(known, Mapping):
        raise RecordRefused(f"known_by({field!r}, {show(known, 40)}): give a dictionary")
    return _KnownBy(field, known, as_rule(otherwise))


# --- gathered from the records inside -------------------------------------------------------------

_GATHERED: dict[str, Callable[[list[Any]], Any]] = {
    "sum": lambda values: _sum(values),
    "count": len,
    "least": lambda values: min(values, default=None),
    "greatest": lambda values: max(values, default=None),
}


def _sum(values: list[Any]) -> Any:
    """Exactly: of floats, as they are written."""
    if any(isinstance(one, float) for one in values):
        return sum((Decimal(str(one)) for one in values), Decimal(0))
    return sum(values[1:], values[0]) if values else 0


class Gathered(Computed):
    """What the records in another field come to: `sum lines.total`."""

    def __init__(self, text: str, form: Any = None) -> None:
        words = text.split() if isinstance(text, str) else []
        if len(words) != 2 or words[0] not in _GATHERED:
            raise RecordRefused(
                f"gathered({show(text, 40)}): it takes one of {', '.join(_GATHERED)}, and what: "
                "gathered('sum lines.total')"
            )
        self.text, self._form = text, form
        self._what = words[0]
        name, _, self._field = words[1].partition(".")
        self.needs = (name,)

    def placed(self, place: Place) -> Rule:
        """The same, for the field's type."""
        return Gathered(self.text, self._form or place.field.node.bare).standing(place)

    def computed(self, bits: Bits, *inputs: object) -> Any:  # noqa: ARG002
        """What they come to; None for a list that is None."""
        items: Any = inputs[0]
        if items is None:
            return None
        several = list(items.values() if isinstance(items, Mapping) else items)
        values = [self._of(item) for item in several] if self._field else several
        return self.come_to([value for value in values if value is not None])

    def come_to(self, values: list[Any]) -> Any:
        """What some values come to."""
        found = _GATHERED[self._what](values)
        if found is None or self._form not in (Decimal, float, int):
            return found
        return Decimal(str(found)) if self._form is Decimal else self._form(found)

    def _of(self, item: Any) -> Any:
        described = description_of(type(item)) if not isinstance(item, Mapping) else None
        return item.get(self._field) if described is None else described.fetch(item, self._field)

    def to_plan(self) -> dict[str, Any]:
        """Its text."""
        return table("gathered", self.text)


@planned("gathered")
def _gathered_of(entry: PlanRule) -> Rule:
    return gathered(entry.value)


def gathered(text: str) -> Rule:
    """What the records in another field of this one come to.

    Args:
        text: `sum`, `count`, `least` or `greatest`, then the field, and the field of its records:
            `"sum lines.total"`, `"count lines"`.

    Raises:
        RecordRefused: anything else.

    >>> rules.gathered("sum lines.total").needs
    ('lines',)
    """
    return Gathered(text)
