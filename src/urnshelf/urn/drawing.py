"""The urn: draws records and values, one or many, each a pure function of seed, type, field, index,
rule and inputs.
"""

from __future__ import annotations

import threading
from collections.abc import Iterable, Iterator, Mapping
from typing import TYPE_CHECKING, Any, Literal, TypeVar, overload

from urnshelf.errors import RecordRefused
from urnshelf.records.description import Description
from urnshelf.records.display import show
from urnshelf.types.forms import type_name
from urnshelf.types.nodes import node_of
from urnshelf.urn.around import NOWHERE, Around, Into
from urnshelf.urn.building import CHUNK, MANY
from urnshelf.urn.field_rules import FieldRules, key_rule
from urnshelf.urn.layouts import Layout, drawable, layout_of, record_type
from urnshelf.urn.linking import Linking
from urnshelf.urn.mixing import key_of
from urnshelf.urn.rules.base import Place, Rule
from urnshelf.urn.rules.choices import sometimes_none
from urnshelf.urn.rules.links import link
from urnshelf.urn.sources import (
    Records,
    Source,
    Values,
    all_given,
    count_of,
    indexes_of,
    name_of,
    sequence_of,
)
from urnshelf.urn.variants import Variant, untold

if TYPE_CHECKING:
    import pandas

    from urnshelf.urn.edges import Edges

T = TypeVar("T")


class Urn:
    """The seeded source of records and values.

    It goes on: each drawing gives the next ones, so ten and then ninety equal a hundred. The same
    seed gives the same records, on every machine.

    Args:
        seed: any whole number.
        defaults: whether fields that have one are `"drawn"` as all others, or kept as their type
            has `"declared"` them.

    >>> from urnshelf.demo.harbour import Vessel
    >>> urn = Urn(seed=7)
    >>> [vessel.id for vessel in (urn.draw(Vessel), *urn.draw(Vessel, 2))]
    [1, 2, 3]
    >>> urn.draw(Vessel, range(0, 3))[0] == Urn(seed=7).draw(Vessel)
    True
    """

    def __init__(
        self,
        seed: int = 0,
        *,
        defaults: Literal["drawn", "declared"] = "drawn",
        _around: Around = NOWHERE,
    ) -> None:
        if defaults not in ("drawn", "declared"):
            raise RecordRefused(f"Urn(defaults={defaults!r}): choose 'drawn' or 'declared'")
        self.seed = seed
        self._around = _around
        self._links = Linking(_around, self.draw)
        self._rules = FieldRules(self._links.parents_of, defaults == "declared")
        self._layouts: dict[Any, Layout] = {}
        self._version = 0
        self._values: dict[Any, Values] = {}
        self._drawn: dict[Any, int] = {}
        self._lock = threading.Lock()

    @overload
    def draw(self, what: type[T] | Variant[T], n: None = None, /, **fields: object) -> T: ...
    @overload
    def draw(self, what: type[T] | Variant[T], n: int | range, /, **fields: object) -> list[T]: ...
    @overload
    def draw(self, what: object, n: int | range | None = None, /, **fields: object) -> Any: ...
    def draw(self, what: Any, n: int | range | None = None, /, **fields: Any) -> Any:
        """Draw the next record or value, a list of the next n, or the slice that a range names.

        Args:
            what: a record type, a variant of one, any other annotation, or a JSON Schema as a
                dictionary.
            n: None for one, a number for a list; a range of indexes for a slice, after which the
                urn goes on from where it was.
            fields: for every record: a value, a rule, or a function of other fields; for a field
                inside another one `home__city=…`, or `**{"home.city": …}`.

        Raises:
            RecordRefused: a type that cannot be drawn, an unknown field, a value of another type
                than the field's, or rules that need each other.

        >>> urn = Urn(seed=7)
        >>> urn.draw(list[int], 2) == Urn(seed=7).draw(list[int], range(2))
        True
        """
        what, fields = untold(what, fields)
        source = self._source(what, fields)
        if isinstance(n, range):
            return list(source.some(indexes_of(what, n)))
        found = self._next(what, source, 1 if n is None else count_of(what, n), fields)
        return found[0] if n is None else found

    def set_rules(self, what: object, /, **rules: object) -> None:
        """Set rules for fields of a type: they hold for every draw of it after this, also inside
        other records, and overrides go before them.

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
        self._rules.put(record_type(what), rules)
        self._layouts.clear()
        self._values.clear()

    def stream(
        self, what: type[T] | Variant[T], start: int = 0, /, **fields: object
    ) -> Iterator[T]:
        """Draw records without end, from an index on; `draw` goes on from where it was.

        >>> from itertools import islice
        >>> [vessel.id for vessel in islice(Urn(seed=7).stream(Vessel, 100), 3)]
        [101, 102, 103]
        """
        while True:
            yield from self.draw(what, range(start, start + MANY), **fields)
            start += MANY

    def edges(self, what: type[T] | Variant[T], /, **fields: object) -> Edges[T]:
        """The few records at which code breaks: in each one field is at an edge, and the others are
        drawn. Shortest, longest, empty; limits and one inside; None, zero, negative, very great; a
        leap day, the last moment of a year, a change of clocks; other letters, quotes, lines.

        `pytest.mark.parametrize` takes them, and names each test by what its record is.

        Args:
            what: a record type, or a variant of one.
            fields: for every record: as for `draw`; these are left as they are told.

        Returns:
            A sequence of records; `told` says what each is.

        Raises:
            RecordRefused: no record type, or one that cannot be drawn.

        >>> edges = Urn(seed=7).edges(Berth, harbour="Ternhythe")
        >>> edges.told[:3], edges[1].id
        (('id is zero', 'id is negative', 'id is very great'), -1)
        """
        from urnshelf.urn.edges import edges_of

        what, fields = untold(what, fields)
        left = [*fields, *self._around.links(what)]
        return edges_of(record_type(what), left, lambda one: self.draw(what, **{**fields, **one}))

    def chunks(self, what: object, n: int | range, /, **fields: object) -> Iterator[list[Any]]:
        """The first n records, or a slice, some thousands at a time, so that memory stays the same
        for any number; `draw` goes on from where it was.

        >>> [len(chunk) for chunk in Urn(seed=7).chunks(Vessel, 10_000)]
        [10000]
        """
        indexes = indexes_of(what, n)
        for start in range(0, len(indexes), CHUNK):
            yield self.draw(what, indexes[start : start + CHUNK], **fields)

    def field(
        self, what: object, name: str, n: int | range | list[int], /, **fields: object
    ) -> list[Any]:
        """One field of the records, without drawing those that it does not need; `draw` goes on
        from where it was.

        Args:
            what: the record type.
            name: of the field.
            n: how many, the slice, or the indexes.
            fields: as for `draw`.

        Raises:
            RecordRefused: there is no such field, or the records cannot be drawn.

        >>> Urn(seed=7).field(Vessel, "name", 2)
        ['Silent Breaker', 'Noble Drift']
        """
        what, fields = untold(what, fields)
        source = self._source(what, fields)
        if not isinstance(source, Records):
            raise RecordRefused(f"field() takes a record type, not {name_of(what)}")
        return source.values_of(name, n if isinstance(n, list) else indexes_of(what, n))

    def data_frame(self, what: object, n: int | range, /, **fields: object) -> pandas.DataFrame:
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
        from urnshelf.urn.frames import data_frame

        what, fields = untold(what, fields)
        source = self._source(what, fields)
        if not isinstance(source, Records):
            raise RecordRefused(f"data_frame() takes a record type, not {name_of(what)}")
        return data_frame(source.layout, indexes_of(what, n))

    def dask_frame(
        self, what: object, n: int, /, npartitions: int | None = None, **fields: object
    ) -> Any:
        """The records as a Dask data frame: each partition is drawn where it is needed, and the
        same rows come as on one machine.

        Args:
            what: the record type.
            n: how many.
            npartitions: how many parts; one for each 100,000 records, where it is None.
            fields: as for `draw`.

        Raises:
            RecordRefused: Dask is not installed, the urn belongs to a shelf, or the records cannot
                be drawn.

        >>> frame = Urn(seed=7).dask_frame(Vessel, 1000, npartitions=4)
        >>> frame.npartitions, int(frame["id"].max().compute())
        (4, 1000)
        """
        from urnshelf.urn.dask_frames import dask_frame

        if self._around is not NOWHERE:
            raise RecordRefused(
                "dask_frame(): the urn of a shelf draws by what is on it, which other processes do "
                "not see: use Urn(seed=…)"
            )
        what, fields = untold(what, fields)
        source = self._source(what, fields)
        if not isinstance(source, Records):
            raise RecordRefused(f"dask_frame() takes a record type, not {name_of(what)}")
        several = count_of(what, n)
        return dask_frame(self, what, several, npartitions, fields, source.layout.record)

    def __reduce__(self) -> tuple[Any, ...]:
        """A copy in another process draws the same; that of a shelf has none."""
        if self._around is not NOWHERE:
            raise TypeError("the urn of a shelf cannot be copied to another process")
        return _again, (self.seed, self._rules.keeps_defaults, self._rules.all_told)

    def _stocked(self, what: object, n: int, fields: Mapping[str, Any], into: Into) -> list[Any]:
        """The next n records, each stored before the next is looked at: one that would meet another
        on the shelf is passed over.
        """
        return self._next(what, self._source(what, fields), n, fields, into)

    def _referring(self, what: object, fields: Mapping[str, Any]) -> dict[str, Any]:
        """The fields that link to another type's records, of which nobody said otherwise."""
        links = self._around.links(what)
        told = {*self._rules.told(record_type(what)), *fields} if links else set()
        return {name: parent for name, (parent, _) in links.items() if name not in told}

    def _next(
        self, what: Any, source: Source, n: int, fields: Mapping[str, Any], into: Into | None = None
    ) -> list[Any]:
        """The next n; one that would meet another on the shelf is passed over."""
        found: list[Any] = []
        misses = 0
        may_meet = self._around is not NOWHERE and isinstance(source, Records)
        while len(found) < n:
            many = min(n - len(found), source.step)
            start = self._advance(what, many)
            batch: Iterable[Any] = source.some(range(start, start + many))
            if into is not None and source.step > 1:
                batch = list(batch)
                if into.take_all(batch):
                    found += batch
                    continue
            for made in batch:
                taken = self._around.taken(what, made) if may_meet else ()
                # what was asked for is not passed over: the store says that it is taken
                if taken and not all_given(taken, fields):
                    misses += 1
                    source.check_room(taken, misses, self._around.count(what))
                    continue
                misses = 0
                found.append(made if into is None else into.take(made))
        return found

    def _advance(self, what: Any, n: int) -> int:
        """Where the next n begin; several threads may ask."""
        sequence = sequence_of(what)
        with self._lock:
            start = self._drawn.get(sequence, 0)
            self._drawn[sequence] = start + n
        return start

    def _source(self, what: Any, fields: Mapping[str, Any]) -> Source:
        record = None if isinstance(what, Mapping) else drawable(what)
        if record is not None:
            return Records(self._layout(record, fields), self._links.refers_to_itself(record.form))
        if fields:
            raise RecordRefused(
                f"{show(what, 60)} has no fields, so none can be given: {', '.join(fields)}"
            )
        if isinstance(what, Mapping):
            return self._of_schema(what)
        if isinstance(what, str):
            raise RecordRefused(f"draw({what!r}): a type is needed, and not its name")
        sequence = sequence_of(what)
        if sequence not in self._values:
            name = type_name(what)
            rule = self._rules.drawer.value(node_of(what), name)
            self._values[sequence] = Values(rule, key_of(self.seed, name))
        return self._values[sequence]

    def _layout(self, record: Description, given: Mapping[str, Any]) -> Layout:
        """How the records of a type are drawn."""
        if self._around.version != self._version:  # keys and references were told since
            self._version = self._around.version
            self._layouts.clear()
        known = self._layouts.get(record.form)
        if known is None:
            known = self._layouts[record.form] = layout_of(record, self.seed, self._base(record))
        return known.with_rules(self._rules.over(record, given)) if given else known

    def _base(self, record: Description) -> dict[str, Rule]:
        """The rules of a type's fields, where none is given with the draw."""
        rules = dict(self._rules.of(record, record.name, 0, {}))
        told = self._rules.told(record)
        for name, (parent, field) in self._around.links(record.form).items():
            if name in rules and name not in told:
                place = Place(f"{record.name}.{name}", record.given[name], self._links.parents_of)
                rule = link(parent, field).placed(place)
                rules[name] = sometimes_none(rule) if place.field.node.optional else rule
        key = self._around.key_of(record.form)
        if len(key) == 1 and key[0] in rules and key[0] not in told:
            place = Place(f"{record.name}.{key[0]}", record.given[key[0]], self._links.parents_of)
            rules[key[0]] = key_rule(rules[key[0]], place)
        return rules

    def _of_schema(self, schema: Mapping[str, Any]) -> Values:
        from urnshelf.urn.schemas.drawing_schemas import schema_rule

        name = str(schema.get("$id") or schema.get("title") or "")
        return Values(schema_rule(schema), key_of(self.seed, "json schema", name))


def _again(seed: int, keeps_defaults: bool, told: dict[Any, dict[str, Any]]) -> Urn:
    """An urn as it was, but for where it is."""
    urn = Urn(seed, defaults="declared" if keeps_defaults else "drawn")
    for form, rules in told.items():
        urn.set_rules(form, **rules)
    return urn
