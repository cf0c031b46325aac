"""What an interface keeps by key: told by a getter and a setter that mirror each other."""

from __future__ import annotations

from inspect import Parameter
from typing import Any, NamedTuple

from urnshelf.caches import remembered
from urnshelf.interfaces.members import Interface, Member
from urnshelf.readings.acts import SETTING, Act, Told, told_by
from urnshelf.readings.entities import record_types_of
from urnshelf.readings.results import is_row_type
from urnshelf.records.recognising import describe
from urnshelf.store.definition import plain_definition
from urnshelf.types.nodes import Kind, Node

KEYS = frozenset({"key", "k", "name", "id", "token", "item_key", "cache_key"})
VALUES = frozenset(
    {"value", "val", "v", "data", "obj", "item", "payload", "content", "default_value", "amount"}
)
AMOUNTS = frozenset({"amount", "delta", "by", "n", "value", "step"})
MOMENTS = frozenset({"expires_at", "expire_at", "expires_on", "until", "deadline"})
EXPIRING = MOMENTS | frozenset(
    """
    expires expires_in expire expire_in ttl ttl_seconds ttl_s timeout timeout_seconds ex seconds
    max_age lifetime expiry expiration
    """.split()
)
_OF_VALUES = SETTING | {Act.GET, Act.POP}
_SEVERAL = frozenset({Kind.ITEMS, Kind.STREAM, Kind.ASYNC_STREAM})
_VARIADIC = (Parameter.VAR_POSITIONAL, Parameter.VAR_KEYWORD)


class Kept(NamedTuple):
    """One thing that an interface keeps by key."""

    nouns: frozenset[str]
    """What names call it; an empty one where a name does not say."""
    keys: tuple[str, ...]
    """The parameters that are its key."""
    value: Node
    is_plain: bool
    """Whether it goes by the usual names: `get(key)` and `set(key, value)`."""
    is_typed: bool = True
    """Whether getter and setter agree on the type of the values."""
    own: str = ""
    """What sets it apart, where it was declared."""

    @property
    def space(self) -> str:
        """Where its values are."""
        return self.own or self.name

    @property
    def name(self) -> str:
        """What its values are called; empty where nothing says."""
        return min(self.nouns)


@remembered
def kept_by(interface: Interface) -> tuple[Kept, ...]:
    """What the interface keeps by key.

    A getter `G(P…) -> V | None` and a setter `S(P…, value: V)` that share their parameters P by
    name, the type V, and what their names speak of, are two ends of one thing.
    """
    methods = [
        member
        for member in interface.members.values()
        if member.kind == "method"
        and (not member.name.startswith("_") or _is_of_mapping(member, interface))
    ]
    told = [(member, told_by(member.name, interface.members)) for member in methods]
    getters = [(member, one) for member, one in told if one and one.act is Act.GET]
    # what cannot be set leaves nothing to be got
    setters = [
        (member, one) for member, one in told if one and one.act in SETTING and _may_say(member)
    ]
    counting = [(member, one) for member, one in told if one and one.act is Act.COUNT_UP]
    pairs = [
        kept
        for getter in getters
        for setter in setters
        if (kept := _pair(getter, setter, interface)) is not None
    ]
    certain = [pair for pair in pairs if len(pair.nouns) == 1]
    if not certain and len(pairs) == 1 and pairs[0].is_typed:
        # of two names that speak of different things, only where nothing else can be meant
        certain = pairs
    single = tuple({pair.nouns: pair for pair in reversed(certain)}.values())
    plain = [one.keys for one in single if not one.name]
    # `get_body(key)` beside `get(key)` may be a part of the same value, or the same otherwise
    apart = tuple(one for one in single if not one.name or one.keys not in plain)
    return apart or _kept_many(getters, setters) or _kept_counts(getters, counting)


def is_said(node: Node) -> bool:
    """Whether a promise is one by which a method says that it did what it was called for."""
    return node.kind in (Kind.NONE, Kind.ANY, Kind.UNKNOWN) or node.bare is bool


def _may_say(setter: Member) -> bool:
    told = told_by(setter.name, {})
    gives_back = told is not None and told.act is Act.SET_DEFAULT
    return gives_back or is_said(setter.promise.node)


def _is_of_mapping(member: Member, interface: Interface) -> bool:
    """Whether it gets or sets an item by a key, as a mapping does; an item by a number may be that
    of a list.
    """
    if member.name not in ("__getitem__", "__setitem__") or "insert" in interface.members:
        return False
    keys = list(member.parameter_nodes.values())
    return bool(keys) and isinstance(keys[0].bare, type) and keys[0].bare not in (int, slice)


def place_of(told: Told, kept: tuple[Kept, ...]) -> Kept | None:
    """Which of the things that are kept a method is about; None where that is not certain."""
    for one in kept:
        if told.noun in one.nouns:
            return one
    # what is counted may be kept apart from what has a name
    is_counting = told.act in (Act.COUNT_UP, Act.COUNT_DOWN)
    return kept[0] if len(kept) == 1 and not told.noun and not is_counting else None


@remembered
def is_only_kept(record_type: object, interface: Interface) -> bool:
    """Whether records of a type occur only in values that are kept by key: then the interface is
    about the values.
    """
    kept = kept_by(interface)
    if not kept:
        return False
    for member in interface.members.values():
        told = told_by(member.name, interface.members) if member.kind == "method" else None
        place = None if told is None or told.act not in _OF_VALUES else place_of(told, kept)
        is_of_values = place is not None and record_type in _classes_in(place.value)
        nodes = [*member.parameter_nodes.values(), member.promise.node]
        if not is_of_values and any(record_type in _classes_in(node) for node in nodes):
            return False
    return any(record_type in _classes_in(one.value) for one in kept)


def _classes_in(node: Node) -> set[Any]:
    """The classes that a type is made of."""
    parts = [_classes_in(part) for part in node.args]
    return {node.origin, *(one for part in parts for one in part)}


Named = tuple[Member, Told]


def _pair(getter: Named, setter: Named, interface: Interface) -> Kept | None:
    """The thing that both are about, if they mirror each other."""
    keys = _keys_of(getter[0])
    given_as = None if keys is None else _value_of(setter[0], keys)
    if keys is None or given_as is None:
        return None
    promised, given = getter[0].promise.node, setter[0].parameter_nodes[given_as]
    is_plain = len(keys) == 1 and keys[0] in KEYS and given_as in VALUES
    same_types = all(
        _agree(getter[0].parameter_nodes[key], setter[0].parameter_nodes[key]) for key in keys
    )
    is_typed = promised.is_known and given.is_known and _is_same(promised, given)
    # an item is set and got in one manner, or both manners are told apart
    are_items = [one[0].name.startswith("__") for one in (getter, setter)]
    if are_items[0] != are_items[1]:
        return None
    is_plain = is_typed if are_items[0] else is_plain
    keeps_many = promised.kind in _SEVERAL and given.is_known and promised.item.bare == given.bare
    if not same_types or keeps_many or not (is_typed or is_plain):
        return None
    if not is_plain and _is_of_records(promised, setter[1], keys, interface):
        return None
    nouns = frozenset({getter[1].noun, setter[1].noun})
    if len(nouns) > 1 and not _is_told_by(nouns, {*keys, given_as}):
        return None
    value = promised if promised.is_known else given
    return Kept(nouns, keys, value, is_plain, is_typed)


def _is_told_by(nouns: frozenset[str], parameters: set[str]) -> bool:
    """Whether the only noun says no more than a parameter: `store_token(token, …)`."""
    told = {word for name in parameters for word in name.split("_")}
    return "" in nouns and set(max(nouns).split("_")) <= told


def _keys_of(getter: Member) -> tuple[str, ...] | None:
    """The parameters of a getter, where all of them are its key."""
    if getter.promise.is_nothing or getter.promise.stream:
        return None
    names = []
    for name, parameter in getter.signature.parameters.items():
        if name == "default":
            continue
        several = parameter.kind in _VARIADIC or getter.parameter_nodes[name].kind in _SEVERAL
        if several or name in EXPIRING:
            return None
        names.append(name)
    return tuple(names)


def _value_of(setter: Member, keys: tuple[str, ...]) -> str | None:
    """The only parameter of a setter that is neither the key nor an expiry."""
    parameters = setter.signature.parameters
    if tuple(name for name in parameters if name in keys) != keys:
        return None
    rest = [name for name in parameters if name not in keys and name not in EXPIRING]
    is_one = len(rest) == 1 and parameters[rest[0]].kind not in _VARIADIC
    return rest[0] if is_one else None


def _agree(mine: Node, theirs: Node) -> bool:
    return not (mine.is_known and theirs.is_known) or mine.bare == theirs.bare


def _is_same(got: Node, given: Node) -> bool:
    """Whether values of one type are got and given: a dict may be given as any mapping."""
    if got.bare == given.bare:
        return True
    is_one_kind = got.kind is given.kind and got.kind in (Kind.MAPPING, Kind.ITEMS)
    return is_one_kind and [a.bare for a in got.args] == [a.bare for a in given.args]


def _is_of_records(value: Node, setter: Told, keys: tuple[str, ...], interface: Interface) -> bool:
    """Whether the pair speaks of the shelf's records: their fields, their rows, or themselves."""
    if not keys:
        return not _is_one_cell(value, setter)
    # `update(id, values)` may put the old values beside the new ones
    is_row = is_row_type(value) or value.kind is Kind.TYPED_DICT
    if setter.act is Act.UPDATE and is_row:
        return True
    described = describe(value.bare) if isinstance(value.bare, type) else None
    if described is not None and described.key:
        return True
    records = record_types_of(interface)
    if is_row and records:
        return True
    return any(setter.noun in plain_definition(one).described.fields for one in records)


def _is_one_cell(value: Node, setter: Told) -> bool:
    """Whether what is set without a key is one value: many may be added to, a text written on."""
    if value.kind in _SEVERAL or setter.is_all or setter.act is not Act.SET:
        return False
    described = describe(value.bare) if isinstance(value.bare, type) else None
    is_whole = value.kind in (Kind.MAPPING, Kind.TYPED_DICT) or described is not None
    return is_whole and not (described is not None and described.key)


def _kept_many(getters: list[Named], setters: list[Named]) -> tuple[Kept, ...]:
    """What is kept by an interface that speaks of many keys at once only."""
    for getter, one in getters:
        for setter, other in setters:
            value = _value_of_many(getter, setter)
            if one.noun == other.noun and value is not None:
                return (Kept(frozenset({one.noun}), ("key",), value, is_plain=True),)
    return ()


def _kept_counts(getters: list[Named], counting: list[Named]) -> tuple[Kept, ...]:
    """What is kept by an interface that counts by key, and gives the number."""
    for getter, one in getters:
        keys = _keys_of(getter)
        for counter, other in counting:
            known = {*(keys or ()), *EXPIRING, *AMOUNTS}
            is_number = getter.promise.node.bare in (int, float)
            if keys and one.noun == other.noun and is_number and known >= set(counter.parameters):
                nouns = frozenset({one.noun})
                return (Kept(nouns, keys, getter.promise.node, keys[0] in KEYS),)
    return ()


def _value_of_many(getter: Member, setter: Member) -> Node | None:
    """The type of the values, where one gives those of some keys and the other sets pairs."""
    keys = list(getter.parameter_nodes.values())
    pairs = [node for name, node in setter.parameter_nodes.items() if name not in EXPIRING]
    if len(keys) != 1 or len(pairs) != 1 or keys[0].kind is not Kind.ITEMS:
        return None
    given = value_of_pairs(pairs[0])
    promised = getter.promise.node
    by_key = promised.kind is Kind.MAPPING and len(promised.args) == 2
    if given is None or not (by_key or promised.kind is Kind.ITEMS):
        return None
    got = promised.args[1] if by_key else promised.item
    return given if _agree(got, given) else None


def value_of_pairs(node: Node) -> Node | None:
    """The type of the values of a mapping, or of a sequence of pairs; None for anything else."""
    if node.kind is Kind.MAPPING and len(node.args) == 2:
        return node.args[1]
    item = node.item if node.kind is Kind.ITEMS else None
    return item.args[1] if item is not None and _is_pair(item) else None


def _is_pair(node: Any) -> bool:
    return node.kind is Kind.TUPLE and len(node.args) == 2
