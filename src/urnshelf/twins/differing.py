"""How two results are compared, and what makes two differences one cause."""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from math import isclose
from typing import Any, NamedTuple

from urnshelf.errors import RecordRefused, ReferenceRefused
from urnshelf.records.description import Description
from urnshelf.records.equality import same
from urnshelf.twins.key_pairs import Keys
from urnshelf.twins.pools import Pools
from urnshelf.twins.surface import Offered
from urnshelf.twins.worlds import Outcome, described_as
from urnshelf.types.nodes import Kind

_LISTED = (list, tuple, deque)
_SETS = (set, frozenset)


class Unlike(NamedTuple):
    """In what two results differ.

    Args:
        kind: `field` of the same record, `found` another record, fewer or more, `order`, `value`,
            `raised`, `key` for one that was another record's, `handed` for a field of a record that
            the caller handed in.
        form: the record type that a field is of.
        field: its name.
        direction: `lacks` where the real one gives less, `more`, or `other`.
    """

    kind: str
    form: Any = None
    field: str = ""
    direction: str = ""


class Comparing:
    """Compares what both worlds gave.

    Args:
        pools: the record types.
        any_order: the methods whose records may come in any order.
        except_fields: fields that are not compared, as `arrival` or `Mooring.arrival`.
        tolerance: how far two floats may be apart, as a part of the greater.
    """

    def __init__(
        self,
        pools: Pools,
        any_order: frozenset[str],
        except_fields: frozenset[str],
        tolerance: float,
    ) -> None:
        self._pools = pools
        self._any_order = any_order
        self._except_fields = except_fields
        self._tolerance = tolerance

    def outcomes(self, offered: Offered, fake: Outcome, real: Outcome, keys: Keys) -> list[Unlike]:
        """In what two outcomes differ; nothing where they are alike."""
        if fake.raised or real.raised:
            if _raise_alike(fake.error, real.error):
                return []
            only = "more" if real.error is None else "lacks"
            both = fake.raised and real.raised
            return [Unlike("raised", direction="other" if both else only)]
        if offered.is_of_unit:  # it gives itself
            return []
        return self.results(offered, fake.value, real.value, keys)

    def results(self, offered: Offered, fake: Any, real: Any, keys: Keys) -> list[Unlike]:
        """In what two results differ."""
        expected = keys.translated(fake)
        if keys.are_same or offered.gives is not None:
            pass
        elif offered.adds and offered.record_type is not None:  # it gives a key
            expected = keys.key(offered.record_type, fake)
        if same(expected, real):
            return []
        if _is_other_collection(offered, expected, real):
            return [Unlike("value", direction="other")]
        return self._apart(expected, real, self.is_free(offered))

    def is_free(self, offered: Offered) -> bool:
        """Whether the order of its records does not count."""
        return bool({offered.label, offered.member.name} & self._any_order)

    def in_order_of(self, real: Sequence[Any], fake: Sequence[Any], keys: Keys) -> list[Any]:
        """The fake's records in the order of the real one's, where that does not count: what is
        taken out of either is the same record then.
        """
        left, found = list(fake), []
        for one in real:
            alike = (i for i, it in enumerate(left) if not self.records(it, one, keys))
            at = next(alike, None)
            if at is None:
                return list(fake)
            found.append(left.pop(at))
        return found

    def records(self, fake: Any, real: Any, keys: Keys) -> list[Unlike]:
        """In what two records differ, or two collections of such, that the caller holds."""
        expected = keys.translated(fake)
        return [] if same(expected, real) else self._apart(expected, real, is_free=True)

    def _apart(self, expected: Any, actual: Any, is_free: bool) -> list[Unlike]:
        if same(expected, actual) or self._is_near(expected, actual):
            return []
        if isinstance(expected, _LISTED) and isinstance(actual, _LISTED):
            return self._many(list(expected), list(actual), is_free)
        described = described_as(expected)
        if described is not None and type(expected) is type(actual):
            return self._of_one(described, expected, actual)
        if isinstance(expected, dict) and isinstance(actual, dict):
            return self._by_key(expected, actual)
        if isinstance(expected, _SETS) and isinstance(actual, (*_SETS, *_LISTED)):
            return self._many(list(expected), list(actual), is_free=True)
        if expected is None or actual is None:
            return [Unlike("found", direction="lacks" if actual is None else "more")]
        return [Unlike("value", direction=_direction(expected, actual))]

    def _is_near(self, expected: Any, actual: Any) -> bool:
        if not self._tolerance or type(expected) is not float or type(actual) is not float:
            return False
        return isclose(expected, actual, rel_tol=self._tolerance, abs_tol=self._tolerance)

    def _of_one(self, described: Description, expected: Any, actual: Any) -> list[Unlike]:
        form = described.origin
        pool = self._pools.of.get(form)
        unlike = [
            name
            for name in described.names
            if not self._is_excepted(form, name)
            and self._apart(described.fetch(expected, name), described.fetch(actual, name), False)
        ]
        if pool is not None and any(name in pool.key_fields for name in unlike):
            return [Unlike("found", form, direction="other")]
        return [Unlike("field", form, name) for name in unlike]

    def _is_excepted(self, form: Any, name: str) -> bool:
        return bool({name, f"{form.__name__}.{name}"} & self._except_fields)

    def _many(self, expected: list[Any], actual: list[Any], is_free: bool) -> list[Unlike]:
        if len(expected) != len(actual):
            return [Unlike("found", direction="lacks" if len(actual) < len(expected) else "more")]
        each = [self._apart(*pair, is_free) for pair in zip(expected, actual, strict=True)]
        if not any(each):
            return []
        if self._are_in_other_order(expected, actual):
            return [] if is_free else [Unlike("order")]
        paired = self._paired(expected, actual) if is_free else each
        found = [one for several in paired for one in several]
        # where another record came, what its fields are says nothing
        other = [one for one in found if one.kind in ("found", "value")]
        return other[:1] or list(dict.fromkeys(found))

    def _are_in_other_order(self, expected: list[Any], actual: list[Any]) -> bool:
        left = list(actual)
        for one in expected:
            at = next((i for i, it in enumerate(left) if not self._apart(one, it, True)), None)
            if at is None:
                return False
            del left[at]
        return True

    def _paired(self, expected: list[Any], actual: list[Any]) -> list[list[Unlike]]:
        """Compared by key, where no order counts."""
        left = list(actual)
        found = []
        for one in expected:
            each = [self._apart(one, it, True) for it in left]
            best = min(range(len(left)), key=lambda i: _weight(each[i]))
            found.append(each[best])
            del left[best]
        return found

    def _by_key(self, expected: dict[Any, Any], actual: dict[Any, Any]) -> list[Unlike]:
        if expected.keys() != actual.keys():
            lacks = len(actual) < len(expected)
            return [Unlike("found", direction="lacks" if lacks else "more")]
        found = [one for key in expected for one in self._apart(expected[key], actual[key], False)]
        return list(dict.fromkeys(found))


def _is_other_collection(offered: Offered, expected: Any, actual: Any) -> bool:
    """Whether a collection is of another kind than the promised: a tuple, where a list is."""
    promise = offered.member.promise
    if promise.node.kind is not Kind.ITEMS or promise.stream:
        return False
    origin = promise.node.origin
    return isinstance(expected, origin) and not isinstance(actual, origin)


def _direction(expected: Any, actual: Any) -> str:
    """Whether a number, or an answer to a question, is less or more on the real one."""
    if not isinstance(expected, (int, float)) or not isinstance(actual, (int, float)):
        return "other"
    return "lacks" if actual < expected else "more"


def _weight(found: Sequence[Unlike]) -> int:
    return 1000 if any(one.kind != "field" for one in found) else len(found)


def _raise_alike(fake: BaseException | None, real: BaseException | None) -> bool:
    if fake is None or real is None:
        return False
    mine, theirs = type(fake), type(real)
    # a fake cannot know what a database calls a reference to nothing
    if mine is ReferenceRefused:
        return True
    # whoever catches everything learns nothing from it
    if Exception in (mine, theirs):
        return mine is theirs
    return issubclass(mine, theirs) or (issubclass(theirs, mine) and mine is not RecordRefused)
