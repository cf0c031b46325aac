"""The urn: draws records and values, one or many, each a pure function of seed, type, field, index,
rule and inputs.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any, TypeVar, overload

from urnshelf.errors import RecordRefused
from urnshelf.near_names import nearest
from urnshelf.records.description import Description
from urnshelf.records.display import show
from urnshelf.types.forms import type_name
from urnshelf.types.nodes import Node, node_of
from urnshelf.urn.layouts import (
    CHUNK,
    DRAWER,
    MANY,
    Layout,
    drawable,
    layout_of,
    one,
    record_type,
    records,
)
from urnshelf.urn.mixing import Bits, key_of
from urnshelf.urn.rules.base import Rule
from urnshelf.urn.rules.given import as_rule
from urnshelf.urn.rules.links import Link

if TYPE_CHECKING:
    import pandas

T = TypeVar("T")
__tracebackhide__ = True  # a failing test shows its own lines, not ours


class Urn:
    """The seeded source of records and values.

    The same seed gives the same records, on every machine and in any order; ten and then ninety
    equal a hundred.

    Args:
        seed: any whole number.

    >>> from urnshelf.demo.harbour import Vessel
    >>> Urn(seed=7).draw(Vessel) == Urn(seed=7).draw(Vessel, 3)[0]
    True
    """

    def __init__(
        self,
        seed: int = 0,
        parents: Callable[[Any], Sequence[Any]] = lambda _: (),
        key_of_type: Callable[[Any], tuple[str, ...]] = lambda what: record_type(what).key,
    ) -> None:
        self.seed = seed
        self._parents = parents
        self._key_of_type = key_of_type
        self._rules: dict[Any, dict[str, Rule]] = {}
        self._layouts: dict[Any, Layout] = {}

    @overload
    def draw(self, what: type[T], n: None = None, **fields: object) -> T: ...
    @overload
    def draw(self, what: type[T], n: int | range, **fields: object) -> list[T]: ...
    @overload
    def draw(self, what: object, n: int | range | None = None, **fields: object) -> Any: ...
    def draw(self, what: Any, n: int | range | None = None, **fields: Any) -> Any:
        """Draw one record or value, a list of n, or the slice that a range names.

        Args:
            what: a record type, any other annotation, or a JSON Schema as a dictionary.
            n: None for one, a number for a list, a range of indexes for a slice.
            fields: for every record: a value, a rule, or a function of other fields.

        Raises:
            RecordRefused: a type that cannot be drawn, an unknown field, or rules that need each
                other.

        >>> Urn(7).draw(list[int]) == Urn(7).draw(list[int])
        True
        """
        indexes = _indexes(what, n)
        layout = self._layout(what, fields)
        if layout is None:
            rule, key = self._value_rule(what, fields)
            return (
                rule.one(Bits(key, 0)) if n is None else [rule.one(Bits(key, i)) for i in indexes]
            )
        return one(layout, 0) if n is None else list(records(layout, indexes))

    def set_rules(self, what: object, **rules: object) -> None:
        """Set rules for fields of a type: they hold for every draw of it after this, and overrides
        go before them.

        Args:
            what: the record type.
            rules: for each field a rule, a value, or a function of other fields.

        Raises:
            RecordRefused: an unknown field.

        >>> urn = Urn(seed=7)
        >>> urn.set_rules(Berth, harbour=rules.among("Ternhythe", "Curlhythe"), in_service=True)
        >>> [berth.harbour for berth in urn.draw(Berth, 3)]
        ['Curlhythe', 'Curlhythe', 'Curlhythe']
        """
        _refuse_unknown(record_type(what), rules)
        self._rules.setdefault(what, {}).update(
            {name: as_rule(value) for name, value in rules.items()}
        )
        self._layouts.clear()

    def stream(self, what: type[T], start: int = 0, **fields: object) -> Iterator[T]:
        """Draw records without end, from an index on.

        >>> from itertools import islice
        >>> [vessel.id for vessel in islice(Urn(seed=7).stream(Vessel, start=100), 3)]
        [101, 102, 103]
        """
        while True:
            yield from self.draw(what, range(start, start + MANY), **fields)
            start += MANY

    def chunks(self, what: object, n: int | range, **fields: object) -> Iterator[list[Any]]:
        """The first n records, or a slice, some thousands at a time, so that memory stays the same
        for any number.

        >>> [len(chunk) for chunk in Urn(seed=7).chunks(Vessel, 10_000)]
        [10000]
        """
        indexes = _indexes(what, n)
        for start in range(0, len(indexes), CHUNK):
            yield self.draw(what, indexes[start : start + CHUNK], **fields)

    def data_frame(self, what: object, n: int | range, **fields: object) -> pandas.DataFrame:
        """The records as a pandas data frame, a column for each field.

        Args:
            what: the record type.
            n: how many, or the slice.
            fields: as for `draw`.

        Raises:
            RecordRefused: pandas is not installed, or the records cannot be drawn.

        >>> Urn(seed=7).data_frame(Vessel, 3)[["id", "name"]]
           id            name
        0   1  Silent Breaker
        1   2     Noble Drift
        2   3    Eager Curlew
        """
        try:
            import pandas
        except ImportError:
            raise RecordRefused('data_frame() needs pandas: pip install "urnshelf[data]"') from None
        from urnshelf.urn.lanes import lanes

        layout = self._layout(what, fields)
        if layout is None:
            raise RecordRefused(f"data_frame() takes a record type, not {type_name(what)}")
        columns: dict[str, Any] = {}
        for column in layout.columns:
            inputs = [_listed(columns[name]) for name in column.rule.needs]
            columns[column.name] = column.rule.column(lanes(column.key, _indexes(what, n)), *inputs)
        return pandas.DataFrame({name: columns[name] for name in layout.record.given})

    def _layout(self, what: object, given: Mapping[str, Any]) -> Layout | None:
        """How the records of a type are drawn; None for what is no record type."""
        if isinstance(what, Mapping):
            return None
        known = None if given else self._layouts.get(what)
        if known is not None:
            return known
        record = drawable(what)
        if record is None:
            return None
        _refuse_unknown(record, given)
        rules = self._rules.get(what, {}) | {name: as_rule(value) for name, value in given.items()}
        layout = layout_of(
            record,
            self.seed,
            {name: self._linked(rule, record, name) for name, rule in rules.items()},
        )
        if not given:
            self._layouts[what] = layout
        return layout

    def _linked(self, rule: Rule, record: Description, name: str) -> Rule:
        """A link gets its parents from here; any other rule is as it is."""
        if not isinstance(rule, Link):
            return rule
        return rule.handed(self._parents_of(rule, record.given[name].node, f"{record.name}.{name}"))

    def _parents_of(self, rule: Link, node: Node, where: str) -> Callable[[], Sequence[Any]]:
        field = self._linked_field(rule, node, where)
        drawn: list[Any] = []

        def parents() -> Sequence[Any]:
            known = self._parents(rule.record_type)
            if not known and not drawn:
                drawn.extend(self.draw(rule.record_type, rule.count))
            found = known or drawn
            fetch = record_type(rule.record_type).fetch
            return found if field is None else [fetch(parent, field) for parent in found]

        return parents

    def _linked_field(self, rule: Link, node: Node, where: str) -> str | None:
        """The field of the parents that is taken; None where they are taken whole."""
        parent = record_type(rule.record_type)
        if rule.field is not None:
            if rule.field not in parent.fields:
                raise RecordRefused(
                    f"{where}: link({parent.name}, {rule.field!r}): {parent.name} has no such "
                    f"field; {nearest(rule.field, parent.names)}"
                )
            return rule.field
        if node.bare is rule.record_type:
            return None
        key = self._key_of_type(rule.record_type)
        if len(key) == 1:
            return key[0]
        if not node.is_known:
            return None
        what = f"its key has {len(key)} fields" if key else "it has no key"
        raise RecordRefused(
            f"{where}: link({parent.name}): {what}; name the field to take, link({parent.name}, "
            f"{parent.names[0]!r})"
        )

    def _value_rule(self, what: object, fields: Mapping[str, Any]) -> tuple[Rule, int]:
        if fields:
            raise RecordRefused(
                f"{show(what, 60)} has no fields, so none can be given: {', '.join(fields)}"
            )
        if isinstance(what, Mapping):
            from urnshelf.urn.json_schema import schema_rule

            return schema_rule(what), key_of(
                self.seed, "json schema", str(what.get("$id") or what.get("title") or "")
            )
        name = type_name(what)
        return DRAWER.value(node_of(what), name), key_of(self.seed, name)


def _indexes(what: object, n: object) -> range:
    if n is None:
        return range(1)
    if (
        isinstance(n, bool)
        or not isinstance(n, (int, range))
        or (n < 0 if isinstance(n, int) else n[:1] and n[0] < 0)
    ):
        raise RecordRefused(
            f"draw({_name(what)}, {n!r}): a whole number from 0, or a range of indexes from 0, is "
            "needed"
        )
    return n if isinstance(n, range) else range(n)


def _name(what: object) -> str:
    return "schema" if isinstance(what, Mapping) else type_name(what)


def _refuse_unknown(record: Description, given: Mapping[str, Any]) -> None:
    for name in given:
        if name not in record.given:
            hint = nearest(name, record.given)
            raise RecordRefused(f"{type_name(record.form)} has no field {name!r}; {hint}")


def _listed(column: Any) -> list[Any]:
    return column.tolist() if hasattr(column, "tolist") else list(column)
