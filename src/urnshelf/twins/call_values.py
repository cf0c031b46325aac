"""Arguments, by what each parameter stands for: a drawn record, a part of one, the key of a result,
nothing that is known, an edge.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from datetime import timedelta
from inspect import Parameter
from random import Random
from typing import Any, NamedTuple

from urnshelf.readings.operations import Operation, ReadParameter, Role
from urnshelf.records.copies import keep
from urnshelf.records.description import Description
from urnshelf.records.fit import misfit
from urnshelf.records.recognising import describe
from urnshelf.twins import steps
from urnshelf.twins.pools import Pool, Pools
from urnshelf.twins.surface import Offered
from urnshelf.types.nodes import ITEM_TYPES, Kind, Node

DRAFTS = 4
"""So many records of each type has a sequence."""
_KEYS = ["a", "b", "c"]
_UNKNOWN_NUMBER = 999
_EXPIRIES = (20, 60, 3600)
"""Seconds."""


class NotDrawn(Exception):
    """A parameter for which no value can be drawn; its name."""


class Asked(NamedTuple):
    """A parameter that wants an argument."""

    offered: Offered
    parameter: ReadParameter
    node: Node


class Arguments:
    """Draws the arguments of one sequence.

    Args:
        pools: what is drawn from.
        random: decides.
    """

    def __init__(self, pools: Pools, random: Random) -> None:
        self._pools = pools
        self._random = random
        self.keyed: dict[Any, bool] = {}
        """Whether the records of a type have their keys from the start."""
        self.gave: list[steps.Call] = []
        """Calls that give records."""
        self._count = 0
        """How many keys were given last."""

    def value(self, offered: Offered, parameter: ReadParameter) -> steps.Value:
        """An argument, by what its parameter stands for.

        Raises:
            NotDrawn: none can be drawn.
        """
        node = offered.member.parameter_nodes[parameter.name]
        if node.optional and parameter.role is not Role.RECORD and self._random.random() < 0.1:
            return steps.Literal(None)
        make = _BY_ROLE.get(parameter.role, Arguments._any)
        return make(self, Asked(offered, parameter, node))

    def _pool_of(self, asked: Asked) -> Pool:
        pool = self._pools.of.get(asked.offered.record_type)
        if pool is None:
            raise NotDrawn(asked.parameter.name)
        return pool

    def _record(self, asked: Asked) -> steps.Value:
        form = asked.offered.record_type
        if self._random.random() < 0.25 and not asked.offered.adds_only:
            for call in reversed(self.gave):
                gives = call.offered.gives
                if gives is not None and gives.form is form and not gives.is_many:
                    return steps.Got(call.number)
        return steps.Drawn(form, self._random.randrange(DRAFTS))

    def _records(self, asked: Asked) -> steps.Value:
        form = asked.offered.record_type
        several = self._random.sample(range(DRAFTS), self._random.randint(0, 3))
        return _items(asked.node, [steps.Drawn(form, n) for n in several])

    def _key(self, asked: Asked) -> steps.Value:
        pool = self._pools.of.get(asked.offered.record_type)
        if pool is None:
            return self._key_of_value(asked)
        field = asked.parameter.field or pool.key
        if not field:  # a key of several fields, as a tuple
            return self._whole_key(pool)
        return self._one_key(pool, field, asked.node)

    def _whole_key(self, pool: Pool) -> steps.Value:
        n = self._random.randrange(DRAFTS)
        parts = [steps.Part(pool.form, n, field) for field in pool.key_fields]
        return steps.Items(tuple, tuple(parts))

    def _one_key(self, pool: Pool, field: str, node: Node) -> steps.Value:
        random = self._random
        chance = random.random()
        if chance < 0.08:
            return steps.Literal(self._unknown(field, node))
        if self.gave and chance < 0.3:
            call = random.choice(self.gave)
            gives = call.offered.gives
            if gives is not None and gives.form is pool.form:
                return steps.Got(call.number, 0 if gives.is_many else None, field)
        n = random.randrange(DRAFTS)
        if self.keyed[pool.form]:
            return steps.Part(pool.form, n, field)
        return steps.Now(pool.form, n, field)

    def _keys(self, asked: Asked) -> steps.Value:
        count = self._random.choice((0, 1, 1, 1, 2, 3))
        one = asked.node.item if asked.node.kind is Kind.ITEMS else asked.node
        keys = _different(self._key(asked._replace(node=one)) for _ in range(count))
        self._count = len(keys)
        return _items(asked.node, keys)

    def _condition(self, asked: Asked) -> steps.Value:
        pool = self._pool_of(asked)
        if not asked.parameter.field:
            return self._filters(asked, pool)
        if asked.node.kind is Kind.ITEMS or asked.parameter.sign in ("in", "not in"):
            several = [self._compared(asked.parameter, asked.node.item, pool) for _ in range(2)]
            return _items(asked.node, _different(several))
        return self._compared(asked.parameter, asked.node, pool)

    def _compared(self, parameter: ReadParameter, node: Node, pool: Pool) -> steps.Value:
        field, inner, rest = parameter.field.partition(".")
        if inner or field not in pool.described.names:
            return self._any_value(rest or field, node)
        if (field,) == pool.key_fields:
            return self._one_key(pool, field, node)
        chance = self._random.random()
        if chance < 0.08:
            return steps.Literal(self._unknown(field, node))
        turn = "other case" if chance < 0.16 else ""
        if any(word in parameter.sign for word in ("starts", "contains", "ends", "like")):
            turn = self._random.choice(("beginning", "middle", ""))
        is_text = pool.described.node_of(field).bare is str
        return self.part(pool, field, turn if is_text else "")

    def part(self, pool: Pool, field: str, turn: str = "") -> steps.Value:
        """A field of some drawn record, or an edge."""
        edges = pool.edges.get(field)
        if edges and not turn and self._random.random() < 0.1:
            return steps.Literal(self._random.choice(edges))
        return steps.Part(pool.form, self._random.randrange(DRAFTS), field, turn)

    def _filters(self, asked: Asked, pool: Pool) -> steps.Value:
        """Conditions by the names of fields, where a mapping takes them or `**filters`."""
        described = describe(asked.node.bare)
        if described is not None and asked.node.kind is Kind.CLASS:
            return self._specification(pool, described)
        kind = asked.offered.member.signature.parameters[asked.parameter.name].kind
        if asked.node.kind is not Kind.MAPPING and kind is not Parameter.VAR_KEYWORD:
            return self._any(asked)
        names = [name for name in pool.described.names if name not in pool.key_fields]
        chosen = self._random.sample(names, min(len(names), self._random.randint(0, 2)))
        return steps.Pairs(tuple((name, self.part(pool, name)) for name in chosen))

    def _specification(self, pool: Pool, described: Description) -> steps.Value:
        """A record of conditions: what is called like a field of the records is that of one."""
        pairs: list[tuple[str, steps.Value]] = []
        for name, field in described.given.items():
            may_lack = field.has_default or field.is_optional
            if may_lack and self._random.random() < 0.4:
                continue
            meant = _field_meant(name, pool.described.names)
            value = self.part(pool, meant) if meant else self._any_value(name, field.node)
            pairs.append((name, value))
        return steps.Built(described.form, tuple(pairs))

    def _of_field(self, asked: Asked) -> steps.Value:
        pool = self._pool_of(asked)
        name = asked.parameter.field or asked.parameter.name
        if name not in pool.described.names:
            return self._any(asked)
        if name in pool.key_fields:
            return self._one_key(pool, name, asked.node)
        return self.part(pool, name)

    def _some_fields(self, asked: Asked) -> steps.Value:
        """Values of fields: of all but the key for a new record, of some for a change."""
        pool = self._pools.of.get(asked.offered.record_type)
        if pool is None:
            return self._given_values(asked)
        names = [name for name in pool.described.names if name not in pool.key_fields]
        if asked.node.kind is Kind.TYPED_DICT or describe(asked.node.bare) is not None:
            return self._patch(pool, asked.node)
        if asked.offered.operation is not Operation.MAKE:
            names = self._random.sample(names, min(len(names), self._random.randint(1, 2)))
        n = self._random.randrange(DRAFTS)
        return steps.Pairs(tuple((name, steps.Part(pool.form, n, name)) for name in names))

    def _patch(self, pool: Pool, node: Node) -> steps.Value:
        described: Any = describe(node.bare)
        n = self._random.randrange(DRAFTS)
        pairs: list[tuple[str, steps.Value]] = []
        for name, field in described.given.items():
            if name not in pool.described.names:
                raise NotDrawn(name)
            may_lack = field.has_default or field.is_optional
            if not may_lack or self._random.random() < 0.5:
                pairs.append((name, steps.Part(pool.form, n, name)))
        return steps.Built(described.form, tuple(pairs))

    def _number(self, asked: Asked) -> steps.Value:
        least = 1 if asked.parameter.role in (Role.PAGE, Role.PAGE_SIZE) else 0
        declared = asked.offered.member.signature.parameters[asked.parameter.name].default
        least = 0 if asked.parameter.role is Role.PAGE and declared == 0 else least
        return steps.Literal(self._random.choice((least, 1, 2, 3)))

    def _order(self, asked: Asked) -> steps.Value:
        if asked.node.is_enum or asked.node.kind is Kind.LITERAL:
            return self._any(asked)
        pool = self._pool_of(asked)
        return steps.Literal(self._random.choice(pool.described.names))

    # --- values by key ----------------------------------------------------------------------------

    def _key_of_value(self, asked: Asked) -> steps.Value:
        # by whatever name a method has it, it is the same key; one of several is told by its name
        keys = [one for one in asked.offered.parameters if one.role is Role.KEY]
        name = asked.parameter.name if len(keys) > 1 else "key"
        # what is no text may be no key: of a file, say
        known = self._pools.values(name, asked.node)[:3] if asked.node.is_known else _KEYS
        if not known:
            raise NotDrawn(asked.parameter.name)
        if self._random.random() < 0.1:
            return steps.Literal(self._unknown(name, asked.node))
        return steps.Literal(self._random.choice(known))

    def _given_values(self, asked: Asked) -> steps.Value:
        """Values for many keys: by key, or beside the keys, one for each."""
        node = asked.node
        if any(one.role is Role.KEYS for one in asked.offered.parameters):
            known = self._pools.values("value", node.item)
            each = [keep(self._random.choice(known)) for _ in range(self._count if known else 0)]
            return _items(node, [steps.Literal(one) for one in each])
        is_listed = node.kind is Kind.ITEMS and node.item.kind is Kind.TUPLE
        both = node.item.args if is_listed else node.args
        if len(both) != 2 or not (is_listed or node.kind is Kind.MAPPING):
            raise NotDrawn(asked.parameter.name)
        keys, values = (
            self._pools.values(*pair) for pair in zip(("key", "value"), both, strict=True)
        )
        chosen = self._random.sample(keys[:3], min(len(keys[:3]), self._random.randint(0, 2)))
        pairs = [(key, steps.Literal(keep(self._random.choice(values)))) for key in chosen]
        if is_listed:
            each = [steps.Items(tuple, (steps.Literal(key), value)) for key, value in pairs]
            return _items(node, each)
        return steps.Pairs(tuple(pairs))

    def _expiry(self, asked: Asked) -> steps.Value:
        # a moment would be told by the real one's clock, which is another
        if asked.node.bare is timedelta:
            return steps.Literal(timedelta(seconds=self._random.choice(_EXPIRIES)))
        if misfit(_EXPIRIES[0], asked.node) is None:
            return steps.Literal(self._random.choice(_EXPIRIES))
        raise NotDrawn(asked.parameter.name)

    def _prefix(self, asked: Asked) -> steps.Value:
        known = self._pools.values("key", asked.node)[:3]
        text = str(self._random.choice(known))
        return steps.Literal(self._random.choice(("", text[:2], text, "zz")))

    # --- anything ---------------------------------------------------------------------------------

    def _any(self, asked: Asked) -> steps.Value:
        declared = asked.offered.member.signature.parameters[asked.parameter.name]
        if asked.offered.is_of_unit:  # a unit that is left without an error
            return steps.Literal(None) if declared.kind not in _MORE else _empty(declared)
        if asked.parameter.name in ("key", "k"):
            return self._key_of_value(asked)
        if declared.kind is Parameter.VAR_KEYWORD:
            return steps.Pairs(())
        if declared.kind is Parameter.VAR_POSITIONAL:
            return steps.Items(list, ())
        return self._any_value(asked.parameter.name, asked.node)

    def _any_value(self, name: str, node: Node) -> steps.Value:
        pool = self._pools.of.get(node.bare) if isinstance(node.bare, type) else None
        if pool is not None:
            return steps.Drawn(node.bare, self._random.randrange(DRAFTS))
        known = self._pools.values(name, node)
        if not known:
            raise NotDrawn(name)
        return steps.Literal(keep(self._random.choice(known)))

    def _unknown(self, name: str, node: Node) -> Any:
        """A value that no record has."""
        if node.bare is int:
            return _UNKNOWN_NUMBER
        known = self._pools.values(name, node)
        # the last of those drawn is no record's
        return known[min(5, len(known) - 1)] if known else None


_BOUNDS = ("min", "max", "least", "most", "from", "to", "after", "before", "gte", "lte")


def _field_meant(name: str, fields: Sequence[str]) -> str:
    """The field that a condition is about: `depth_m` for `min_depth_m`; empty for none."""
    first, _, rest = name.partition("_")
    whole, _, last = name.rpartition("_")
    meant = [name, rest if first in _BOUNDS else "", whole if last in _BOUNDS else ""]
    return next((one for one in meant if one in fields), "")


def _different(values: Iterable[steps.Value]) -> list[steps.Value]:
    """Each once; some hold what cannot be hashed."""
    found: list[steps.Value] = []
    for one in values:
        if one not in found:
            found.append(one)
    return found


def _items(node: Node, values: Sequence[steps.Value]) -> steps.Items:
    make = ITEM_TYPES.get(node.origin, list) if node.kind is Kind.ITEMS else list
    return steps.Items(make, tuple(values))


def _empty(declared: Parameter) -> steps.Value:
    if declared.kind is Parameter.VAR_KEYWORD:
        return steps.Pairs(())
    # `*error` of an `__exit__`: its three parts
    return steps.Items(list, (steps.Literal(None),) * 3)


_MORE = (Parameter.VAR_POSITIONAL, Parameter.VAR_KEYWORD)
_Make = Callable[[Arguments, Asked], steps.Value]
_BY_ROLE: dict[Role, _Make] = {
    Role.RECORD: Arguments._record,
    Role.RECORDS: Arguments._records,
    Role.KEY: Arguments._key,
    Role.KEYS: Arguments._keys,
    Role.CONDITION: Arguments._condition,
    Role.FIELD: Arguments._of_field,
    Role.VALUES: Arguments._some_fields,
    Role.LIMIT: Arguments._number,
    Role.OFFSET: Arguments._number,
    Role.PAGE: Arguments._number,
    Role.PAGE_SIZE: Arguments._number,
    Role.ORDER: Arguments._order,
    Role.DESCENDING: lambda of, asked: steps.Literal(of._random.random() < 0.5),
    Role.EXPIRES: Arguments._expiry,
    Role.AMOUNT: lambda of, asked: steps.Literal(of._random.choice((1, 2, 5))),
    Role.PREFIX: Arguments._prefix,
}
