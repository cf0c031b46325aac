"""The urn: draws records and values, one or many, each a pure function of seed, type, field, index, rule and inputs."""

from __future__ import annotations

import difflib
import sys
from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import lru_cache
from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar, overload

from urnshelf.errors import RecordRefused
from urnshelf.interfaces.hints import type_name
from urnshelf.records.display import show
from urnshelf.records.keys import key_name
from urnshelf.urn.fields import RecordType, describe, describe_class
from urnshelf.urn.limits import Limits
from urnshelf.urn.mixing import Bits, key_of
from urnshelf.urn.rules import TRIES, Link, Rule, as_rule, constant
from urnshelf.urn.types import DEEPEST, Drawer

if TYPE_CHECKING:
    import pandas

T = TypeVar("T")
__tracebackhide__ = True  # a failing test shows its own lines, not ours

MANY = 500
"""From how many records on columns are drawn at once, where NumPy is installed."""
CHUNK = 20_000
"""How many records are drawn at a time where they are not all kept."""


class _Column(NamedTuple):
    name: str
    key: int
    rule: Rule


class Plan(NamedTuple):
    """How the records of one type are drawn: columns in an order in which each comes after those that it needs."""

    record: RecordType
    columns: tuple[_Column, ...]


class Urn:
    """The seeded source of records and values.

    The same seed gives the same records, on every machine and in any order; ten and then ninety equal a hundred.

    Args:
        seed: any whole number.

    >>> from urnshelf.demo.harbour import Vessel
    >>> Urn(seed=7).draw(Vessel) == Urn(seed=7).draw(Vessel, 3)[0]
    True
    """

    def __init__(self, seed: int = 0, parents: Callable[[Any], Sequence[Any]] = lambda _: ()) -> None:
        self.seed = seed
        self._parents = parents
        self._rules: dict[Any, dict[str, Rule]] = {}
        self._plans: dict[Any, Plan] = {}

    @overload
    def draw(self, what: type[T], n: None = None, **fields: Any) -> T: ...
    @overload
    def draw(self, what: type[T], n: int | range, **fields: Any) -> list[T]: ...
    @overload
    def draw(self, what: Any, n: Any = None, **fields: Any) -> Any: ...
    def draw(self, what: Any, n: int | range | None = None, **fields: Any) -> Any:
        """Draw one record or value, a list of n, or the slice that a range names.

        Args:
            what: a record type, any other annotation, or a JSON Schema as a dictionary.
            n: None for one, a number for a list, a range of indexes for a slice.
            fields: for every record: a value, a rule, or a function of other fields.

        Raises:
            RecordRefused: a type that cannot be drawn, an unknown field, or rules that need each other.

        >>> Urn(7).draw(list[int]) == Urn(7).draw(list[int])
        True
        """
        indexes = _indexes(what, n)
        plan = self._plan(what, fields)
        if plan is None:
            rule, key = self._value_rule(what, fields)
            return rule.one(Bits(key, 0)) if n is None else [rule.one(Bits(key, i)) for i in indexes]
        if n is None:
            return _one(plan, 0)
        return list(_records(plan, indexes))

    def set_rules(self, what: Any, **rules: Any) -> None:
        """Set rules for fields of a type: they hold for every draw of it after this, and overrides go before them.

        Args:
            what: the record type.
            rules: for each field a rule, a value, or a function of other fields.

        Raises:
            RecordRefused: an unknown field.
        """
        record = _record_type(what)
        _refuse_unknown(record, rules)
        self._rules.setdefault(what, {}).update({name: as_rule(value) for name, value in rules.items()})
        self._plans.clear()

    def stream(self, what: type[T], start: int = 0, **fields: Any) -> Iterator[T]:
        """Draw records without end, from an index on."""
        while True:
            yield from self.draw(what, range(start, start + MANY), **fields)
            start += MANY

    def chunks(self, what: Any, n: int | range, **fields: Any) -> Iterator[list[Any]]:
        """The first n records, or a slice, some thousands at a time, so that memory stays the same for any number."""
        indexes = _indexes(what, n)
        for start in range(0, len(indexes), CHUNK):
            yield self.draw(what, indexes[start : start + CHUNK], **fields)

    def data_frame(self, what: Any, n: int | range, **fields: Any) -> pandas.DataFrame:
        """The records as a pandas data frame, a column for each field.

        Args:
            what: the record type.
            n: how many, or the slice.
            fields: as for `draw`.

        Raises:
            RecordRefused: pandas is not installed, or the records cannot be drawn.
        """
        try:
            import pandas
        except ImportError:
            raise RecordRefused('data_frame() needs pandas: pip install "urnshelf[data]"') from None
        from urnshelf.urn.lanes import lanes

        plan = self._plan(what, fields)
        if plan is None:
            raise RecordRefused(f"data_frame() takes a record type, not {type_name(what)}")
        columns: dict[str, Any] = {}
        for column in plan.columns:
            inputs = [_listed(columns[name]) for name in column.rule.needs]
            columns[column.name] = column.rule.column(lanes(column.key, _indexes(what, n)), *inputs)
        return pandas.DataFrame({name: columns[name] for name in plan.record.fields})

    # --- plans ---

    def _plan(self, what: Any, given: Mapping[str, Any]) -> Plan | None:
        if isinstance(what, Mapping):
            return None
        plan = self._plans.get(what) if not given else None
        if plan is None:
            record = describe(what) or describe_class(what)
            if record is None:
                return None
            _refuse_unknown(record, given)
            plan = self._planned(what, record, {name: as_rule(value) for name, value in given.items()})
            if not given:
                self._plans[what] = plan
        return plan

    def _planned(self, what: Any, record: RecordType, given: dict[str, Rule]) -> Plan:
        told = self._rules.get(what, {}) | given
        drawn = _field_rules(what)
        columns = {}
        for name, field in record.fields.items():
            rule = told.get(name) or drawn[name]
            if isinstance(rule, RecordRefused):
                raise RecordRefused(str(rule))
            if isinstance(rule, Link):
                rule = rule.handed(self._parents_of(rule, field.form))
            rule = _SometimesAbsent(rule) if field.optional and name not in told else rule
            columns[name] = _Column(name, key_of(self.seed, record.name, name), rule)
        return Plan(record, tuple(_in_order(record, columns)))

    def _parents_of(self, rule: Link, form: Any) -> Callable[[], Sequence[Any]]:
        whole = rule.field is None and form is rule.record_type
        parent = _record_type(rule.record_type)
        field = rule.field or (None if whole else key_name(rule.record_type.__name__, parent.fields))
        drawn: list[Any] = []

        def parents() -> Sequence[Any]:
            known = self._parents(rule.record_type)
            if not known and not drawn:
                drawn.extend(self.draw(rule.record_type, rule.count))
            records = known or drawn
            return records if field is None else [_part(record, field) for record in records]

        return parents

    def _value_rule(self, what: Any, fields: Mapping[str, Any]) -> tuple[Rule, int]:
        if fields:
            raise RecordRefused(f"{show(what, 60)} has no fields, so none can be given: {', '.join(fields)}")
        if isinstance(what, Mapping):
            from urnshelf.urn.json_schema import schema_rule

            return schema_rule(what), key_of(self.seed, "json schema", str(what.get("$id") or what.get("title") or ""))
        name = type_name(what)
        return DRAWER.value(what, Limits(), name), key_of(self.seed, name)


def _indexes(what: Any, n: Any) -> range:
    if n is None:
        return range(1)
    if isinstance(n, bool) or not isinstance(n, (int, range)) or (n < 0 if isinstance(n, int) else n[:1] and n[0] < 0):
        raise RecordRefused(
            f"draw({_name(what)}, {n!r}): a whole number from 0, or a range of indexes from 0, is needed"
        )
    return n if isinstance(n, range) else range(n)


def _name(what: Any) -> str:
    return "schema" if isinstance(what, Mapping) else type_name(what)


def _record_type(what: Any) -> RecordType:
    record = describe(what) or describe_class(what)
    if record is None:
        raise RecordRefused(f"{_name(what)} is no record type: it has no fields to set rules for")
    return record


def _refuse_unknown(record: RecordType, given: Mapping[str, Any]) -> None:
    for name in given:
        if name not in record.fields:
            near = difflib.get_close_matches(name, record.fields, 1)
            hint = f"did you mean {near[0]!r}?" if near else f"it has {', '.join(record.fields)}"
            raise RecordRefused(f"{type_name(record.form)} has no field {name!r}; {hint}")


@lru_cache(maxsize=1024)
def _field_rules(what: Any) -> dict[str, Any]:
    """The rule of each field of a type, or why there is none, which matters only where no other is given."""
    record = _record_type(what)
    return _rules_of(record, type_name(what), 0)


def _rules_of(record: RecordType, path: str, depth: int) -> dict[str, Any]:
    siblings = {name: field.form for name, field in record.fields.items()}
    rules: dict[str, Any] = {}
    for name, field in record.fields.items():
        try:
            rules[name] = DRAWER.field(name, field.form, field.limits, f"{path}.{name}", siblings, depth)
        except RecordRefused as refusal:
            rules[name] = refusal
    return rules


def _in_order(record: RecordType, columns: dict[str, _Column]) -> list[_Column]:
    """The columns sorted so that each comes after those that it needs; raises RecordRefused for a circle."""
    ordered: dict[str, _Column] = {}

    def visit(name: str, waiting: tuple[str, ...]) -> None:
        if name in ordered:
            return
        if name in waiting:
            circle = " → ".join([*waiting[waiting.index(name) :], name])
            raise RecordRefused(f"{type_name(record.form)}: the rules need each other in a circle: {circle}")
        for needed in columns[name].rule.needs:
            if needed not in columns:
                raise RecordRefused(
                    f"{type_name(record.form)}.{name}: its rule needs the field {needed!r}, which there is not"
                    "; for a function as the value itself, give rules.constant(…)"
                )
            visit(needed, (*waiting, name))
        ordered[name] = columns[name]

    for name in columns:
        visit(name, ())
    return list(ordered.values())


# --- records of a plan ------------------------------------------------------------------------------------------------


def _one(plan: Plan, index: int) -> Any:
    if not plan.record.validates:
        return plan.record.build(_by_key(plan.record, _values(plan, index, 0)))
    why: Exception | None = None
    for attempt in range(TRIES):
        try:
            return plan.record.build(_by_key(plan.record, _values(plan, index, attempt)))
        except RecordRefused:
            raise
        except Exception as error:  # the record's own validation may raise anything
            why = error
    raise RecordRefused(
        f"{type_name(plan.record.form)} refused all {TRIES} records drawn for index {index}; the last time: {why}. "
        "Give rules for the fields that it checks."
    ) from why


def _values(plan: Plan, index: int, attempt: int) -> dict[str, Any]:
    values: dict[str, Any] = {}
    for name, key, rule in plan.columns:
        bits = Bits(key, index)
        values[name] = rule.one(bits.sub(attempt) if attempt else bits, *[values[n] for n in rule.needs])
    return values


def _by_key(record: RecordType, values: dict[str, Any]) -> dict[str, Any]:
    return {field.key: values[name] for name, field in record.fields.items() if values[name] is not ABSENT}


def _records(plan: Plan, indexes: range) -> Iterator[Any]:
    if len(indexes) < MANY or not _numpy_is_there():
        for index in indexes:
            yield _one(plan, index)
        return
    for start in range(0, len(indexes), CHUNK):
        yield from _column_wise(plan, indexes[start : start + CHUNK])


def _column_wise(plan: Plan, indexes: range) -> Iterator[Any]:
    from urnshelf.urn.lanes import lanes

    columns: dict[str, list[Any]] = {}
    for column in plan.columns:
        inputs = [columns[name] for name in column.rule.needs]
        columns[column.name] = column.rule.many(lanes(column.key, indexes), *inputs)
    names = list(plan.record.fields)
    rows = zip(*[columns[name] for name in names], strict=True)
    if plan.record.in_order and isinstance(plan.record.form, type):
        yield from map(plan.record.form, *[columns[name] for name in names])
        return
    for index, row in zip(indexes, rows, strict=True):
        try:
            yield plan.record.build(_by_key(plan.record, dict(zip(names, row, strict=True))))
        except Exception:  # the record's own validation: then one at a time, with further tries
            yield _one(plan, index)


def _numpy_is_there() -> bool:
    if "numpy" in sys.modules:
        return True
    from importlib.util import find_spec

    return find_spec("numpy") is not None


def _listed(column: Any) -> list[Any]:
    return column.tolist() if hasattr(column, "tolist") else list(column)


def _part(record: Any, field: str) -> Any:
    return record[field] if isinstance(record, Mapping) else getattr(record, field)


class _Absent:
    """Stands for a field that is left out of a typed dictionary."""


ABSENT = _Absent()


class _SometimesAbsent(Rule):
    """A field that one record in four does without."""

    vectorised = False

    def __init__(self, rule: Rule) -> None:
        self._rule = rule
        self.needs = rule.needs

    def one(self, bits: Bits, *inputs: Any) -> Any:
        return ABSENT if bits.below(4) == 0 else self._rule.one(bits.sub(0), *inputs)


class _Nested(Rule):
    """A record inside a record."""

    vectorised = False

    def __init__(self, record: RecordType, path: str, depth: int) -> None:
        self._record, self._path, self._depth = record, path, depth
        self._parts: Any = None

    def one(self, bits: Bits, *inputs: Any) -> Any:  # noqa: ARG002
        if self._parts is None:  # resolved late, for a type that holds itself
            self._parts = self._resolved()
        for attempt in range(TRIES):
            source = bits.sub(attempt)
            values: dict[str, Any] = {}
            for name, number, rule in self._parts:
                values[name] = rule.one(source.sub(number), *[values[n] for n in rule.needs])
            try:
                return self._record.build(_by_key(self._record, values))
            except Exception:
                if not self._record.validates or attempt == TRIES - 1:
                    raise
        return None

    def _resolved(self) -> list[tuple[str, int, Rule]]:
        rules = _rules_of(self._record, self._path, self._depth)
        columns = {}
        for name, rule in rules.items():
            if isinstance(rule, RecordRefused):
                raise rule
            columns[name] = _Column(name, 0, _SometimesAbsent(rule) if self._record.fields[name].optional else rule)
        return [(c.name, key_of(0, c.name) >> 1, c.rule) for c in _in_order(self._record, columns)]


def _nested(record: RecordType, path: str, depth: int) -> Rule:
    if depth > DEEPEST:
        return constant(None)
    return _Nested(record, path, depth)


DRAWER = Drawer(_nested)
