"""The one description of a record type: its fields and key, and how its records are read, made,
changed and copied.

Copies, equality, display, the ledger, the store, the urn, the readings and the files all ask it,
and none of them looks at a class itself. Each library of records has its own file under
`libraries`, which is all that knows of it.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import cached_property
from typing import Any, NamedTuple, get_origin

from urnshelf.types.forms import full_name
from urnshelf.types.limits import Limits, limits_of
from urnshelf.types.nodes import ANYTHING, Kind, Node

NOT_THERE: Any = type("NotThere", (), {"__repr__": lambda _: "nothing there"})()
"""A field that has no default, and a value that was never set."""

Part = Callable[[Any], Any]
"""Copies a part of a value that is being copied."""
Fill = Callable[[Any, Any, Part], None]
"""Fills an empty copy with copies of the original's parts."""


class Field(NamedTuple):
    """One field of a record.

    Attributes:
        name: what the records call it.
        node: its type.
        key: what the constructor calls it.
        notes: what limits it besides the annotation: a validator, a column, a model's metadata.
        default: `NOT_THERE` for none, or for one that must be made.
        is_made: whether it has a default that must be made.
        factory: what makes it; None where only the constructor can.
        is_converted: whether the constructor takes other values and makes them fit.
        is_optional: whether a record may do without it (a key of a typed dictionary).
        is_given: whether the constructor takes it.
        is_held: whether the record has it; a parameter that only the constructor knows is not held.
        is_compared: whether it counts for equality.
        is_shown: whether messages may show its value.
    """

    name: str
    node: Node
    key: str
    notes: tuple[Any, ...] = ()
    default: Any = NOT_THERE
    is_made: bool = False
    factory: Callable[[], Any] | None = None
    is_converted: bool = False
    is_optional: bool = False
    is_given: bool = True
    is_held: bool = True
    is_compared: bool = True
    is_shown: bool = True

    @property
    def has_default(self) -> bool:
        """Whether its type declares what it is where nobody says so."""
        return self.is_made or self.default is not NOT_THERE

    @property
    def limits(self) -> Limits:
        """What its type and its notes limit."""
        return limits_of([*self.node.notes, *self.notes])


class Description:
    """What is known of a record type; a library of records overrides what it does its own way.

    Args:
        form: the type as it was given, type arguments and all.
        fields: in order; `fields` has those that the records have, `given` those that the
            constructor takes.
        is_frozen: whether its records cannot be changed.
        has_plain_equality: whether two records are equal when their fields are.
    """

    kind = ""
    validates = False
    """Whether the constructor may refuse values, so that others must be tried."""
    in_order = False
    """Whether the constructor takes all fields by position, which is quicker."""

    def __init__(
        self,
        form: object,
        fields: Iterable[Field],
        *,
        is_frozen: bool = False,
        has_plain_equality: bool = False,
    ) -> None:
        self.form: Any = form
        self.origin: Any = get_origin(form) or form
        every = list(fields)
        self.fields = {field.name: field for field in every if field.is_held}
        self.given = {field.name: field for field in every if field.is_given}
        self.names = tuple(self.fields)
        self.is_frozen = is_frozen
        self.has_plain_equality = has_plain_equality

    @property
    def takes_more(self) -> bool:
        """Whether a record may have attributes that are no fields."""
        return hasattr(self.origin, "__getattr__")

    @property
    def name(self) -> str:
        """The class's name."""
        return str(self.origin.__name__)

    @property
    def full_name(self) -> str:
        """The qualified name, of which the keys of drawn columns are made."""
        return full_name(self.origin)

    @cached_property
    def compared(self) -> tuple[str, ...]:
        """The fields that count for equality."""
        return tuple(field.name for field in self.fields.values() if field.is_compared)

    @cached_property
    def hidden(self) -> frozenset[str]:
        """The fields whose values are not shown."""
        return frozenset(field.name for field in self.fields.values() if not field.is_shown)

    @cached_property
    def key(self) -> tuple[str, ...]:
        """The fields of the primary key."""
        return self._find_key()

    def _find_key(self) -> tuple[str, ...]:
        """The field `id` or `<type>_id`, or the only UUID; else none."""
        named = key_name(self.name, self.names)
        if named is not None:
            return (named,)
        uuids = [name for name, field in self.fields.items() if _is_uuid(field.node)]
        return (uuids[0],) if len(uuids) == 1 else ()

    @property
    def table_name(self) -> str:
        """What SQL calls the table of its records."""
        return snake_case(self.name)

    @property
    def unique(self) -> tuple[tuple[str, ...], ...]:
        """Groups of fields that the class itself says no two records may have the same."""
        return ()

    @property
    def references(self) -> dict[str, tuple[type, str | None]]:
        """Fields of which the class itself says that they hold a field of another type, mostly its
        key.
        """
        return {}

    def node_of(self, name: str) -> Node:
        """The type of a field; of anything for a name that is none."""
        field = self.fields.get(name)
        return ANYTHING if field is None else field.node

    # --- reading ----------------------------------------------------------------------------------

    def fetch(self, record: object, name: str) -> Any:
        """The value of a field; None where it was never set."""
        return getattr(record, name, None)

    def values(self, record: object) -> dict[str, Any]:
        """The values by name; a field that was never set is left out."""
        found = {name: getattr(record, name, NOT_THERE) for name in self.names}
        return {name: value for name, value in found.items() if value is not NOT_THERE}

    def fits(self, record: object) -> bool:
        """Whether a value is a record of this type."""
        return isinstance(record, self.origin)

    # --- making -----------------------------------------------------------------------------------

    def build(self, values: Mapping[str, Any]) -> Any:
        """A new record, by the constructor; it may refuse.

        Args:
            values: by the fields' names.
        """
        return self.origin(**self.arguments_of(values))

    def arguments_of(self, values: Mapping[str, Any]) -> dict[str, Any]:
        """The values under the names that the constructor has for them; what it does not take is
        left out.
        """
        given = self.given
        return {given[name].key: value for name, value in values.items() if name in given}

    def restored(self, values: Mapping[str, Any]) -> Any:
        """A record with just these values, as it was saved."""
        return self.build(values)

    def changed(self, record: object, values: Mapping[str, Any]) -> Any:
        """The record with other values: itself, or where it is frozen a copy."""
        if self.is_frozen:
            return self.restored({**self.values(record), **values})
        for name, value in values.items():
            setattr(record, name, value)
        return record

    def numbered(self, records: list[Any], name: str, values: Sequence[Any]) -> list[Any]:
        """The records with another value of one field each; where they are frozen copies."""
        pairs = zip(records, values, strict=True)
        if self.is_frozen or type(self).changed is not Description.changed:
            return [self.changed(record, {name: value}) for record, value in pairs]
        for record, value in pairs:
            setattr(record, name, value)
        return records

    # --- copying ----------------------------------------------------------------------------------

    def copy(self, record: object, part: Part) -> tuple[Any, Fill | None]:
        """A copy, and what fills it with copies of the parts; None for one that is whole already.

        Args:
            record: one of this type, or of a class that inherits from it.
            part: copies a part.
        """
        raise NotImplementedError


class ByAttributes(Description):
    """Records that are made without their constructor, and filled attribute by attribute."""

    @cached_property
    def _is_open(self) -> bool:
        """Whether a record's fields are all kept in its dictionary, and nowhere else."""
        own = [vars(cls).get(name) for cls in self.origin.__mro__ for name in self.names]
        return bool(self.origin.__dictoffset__) and not any(hasattr(one, "__set__") for one in own)

    def values(self, record: object) -> dict[str, Any]:
        """The values by name; a field that was never set is left out."""
        if self._is_open:
            state = record.__dict__
            try:
                return {name: state[name] for name in self.names}
            except KeyError:
                pass
        return super().values(record)

    def restored(self, values: Mapping[str, Any]) -> Any:
        """What a constructor would add or change is left out."""
        record = object.__new__(self.origin)
        if self._is_open:
            record.__dict__.update(values)
            return record
        for name, value in values.items():
            object.__setattr__(record, name, value)
        return record

    def copy(self, record: object, part: Part) -> tuple[Any, Fill | None]:
        """A new object with copies of all attributes, those among them that are no fields."""
        return object.__new__(type(record)), self._fill

    def _fill(self, copy: object, record: object, part: Part) -> None:
        state = getattr(record, "__dict__", None)
        if state:
            copy.__dict__.update({name: part(value) for name, value in state.items()})
        for name in self.names:
            if not state or name not in state:
                value = getattr(record, name, NOT_THERE)
                if value is not NOT_THERE:
                    object.__setattr__(copy, name, part(value))


class PlainClass(ByAttributes):
    """A class of no library, by its annotated constructor."""

    kind = "plain"
    validates = True

    def restored(self, values: Mapping[str, Any]) -> Any:
        """By the constructor: only it knows what else an object needs."""
        return self.build(values)


# --- keys ---------------------------------------------------------------------------------------


def key_name(type_name: str, fields: Iterable[str]) -> str | None:
    """The field that is the primary key by its name: `id`, or `<type>_id`.

    >>> key_name("QuayReport", ["note", "quay_report_id"])
    'quay_report_id'
    """
    known = set(fields)
    for name in ("id", f"{snake_case(type_name)}_id"):
        if name in known:
            return name
    return None


def snake_case(name: str) -> str:
    """`QuayReport` → `quay_report`."""
    return re.sub(r"(?<=[a-z0-9])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])", "_", name).lower()


def _is_uuid(node: Node) -> bool:
    return (
        node.kind is Kind.CLASS
        and isinstance(node.bare, type)
        and full_name(node.bare) == "uuid.UUID"
    )
