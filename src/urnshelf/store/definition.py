"""How the records of one type are stored: their key, what must be unique, what they refer to, and
whose errors.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import TYPE_CHECKING, Any

from urnshelf.caches import remembered
from urnshelf.errors import RecordMissing, RecordOutdated, RecordRefused
from urnshelf.near_names import nearest
from urnshelf.records.copies import copier_of
from urnshelf.records.description import Description, snake_case
from urnshelf.records.display import show
from urnshelf.records.recognising import declare, description_of
from urnshelf.store.own_errors import OwnError, error_maker
from urnshelf.types.forms import full_name
from urnshelf.types.nodes import Node

if TYPE_CHECKING:
    from uuid import UUID

_LIKELY = ("reference", "code", "number", "name", "slug", "email")


class Definition:
    """What was told of a record type, and what its description tells.

    Args:
        record_type: the records' class.
        key: the field, or the fields, of the primary key; found by its name when not given.
        unique: fields, or groups of fields, that no two records may have the same.
        references: a field, and the type whose key it holds.
        version: a whole number that each saving counts up; saving a record with an older one is
            refused.
        missing: makes the exception for a key that no record has.
        duplicate: makes the exception for a key or a unique field that is taken.
        outdated: makes the exception for a record that was changed since it was read.
    """

    def __init__(
        self,
        record_type: type,
        *,
        key: str | Iterable[str] | None = None,
        unique: Iterable[str | Iterable[str]] = (),
        references: Mapping[str, type] | None = None,
        version: str | None = None,
        missing: OwnError | None = None,
        duplicate: OwnError | None = None,
        outdated: OwnError | None = None,
    ) -> None:
        self.record_type = record_type
        self.described = described_to_store(record_type)
        self.name = self.described.name
        self.word = snake_case(self.name)
        """What names in code call one of the records: `quay_report`."""
        self.table_name = self.described.table_name
        self.key_fields = self.described.key if key is None else self._group(key)
        told = tuple(map(self._group, self._listed("unique", unique)))
        self.unique = tuple(dict.fromkeys((*told, *self.described.unique)))
        if not isinstance(references or {}, Mapping):
            raise RecordRefused(
                f"define({self.name}, references={show(references, 40)}): give a field and the "
                "type that it refers to: references={…: …}"
            )
        self.references = {
            self.known(field): parent for field, parent in (references or {}).items()
        }
        self.links: dict[str, tuple[type, str | None]] = {
            **described_links(record_type),
            **{field: (parent, None) for field, parent in self.references.items()},
        }
        """The fields whose drawn values are those of other records, and of which field."""
        self.version = None if version is None else self.known(version)
        self.copies: Callable[[Iterable[Any]], list[Any]] = copier_of(self.described)
        """Copies of some records."""
        self.nothing = _falsy_default(self.described, self.key)
        """What stands for a key that is not there yet, besides None."""
        self.has_own_missing = missing is not None
        """Whether a missing key raises the user's own exception."""
        self.missing = error_maker(missing, RecordMissing, record_type, "define", "missing")
        self.duplicate = error_maker(duplicate, RecordRefused, record_type, "define", "duplicate")
        self.outdated = error_maker(outdated, RecordOutdated, record_type, "define", "outdated")

    @property
    def key(self) -> str | None:
        """The field that is the primary key alone."""
        return self.key_fields[0] if len(self.key_fields) == 1 else None

    @property
    def without_key(self) -> str:
        """The words for records without a key, and the line that gives them one."""
        names = self.described.names
        likely = next((name for name in _LIKELY if name in names), names[0] if names else "…")
        return f"{self.name} has no key: shelf.define({self.name}, key={likely!r})"

    def with_key(self, field: str) -> Definition:
        """The same, but for the field that is the key."""
        other = object.__new__(Definition)
        vars(other).update(vars(self))
        other.key_fields = self._group(field)
        other.nothing = _falsy_default(self.described, field)
        return other

    def kind_of(self, field: str) -> str:
        """What is assigned to a field of the key that is empty: a `uuid`, one as a `text`, a
        `number`, or `nothing`.
        """
        return _assigned_kind(self.described.node_of(field))

    def known(self, field: str) -> str:
        """The field's name; raises RecordRefused for one that the records do not have."""
        if field not in self.described.fields:
            raise RecordRefused(unknown_field(self.name, field, self.described.names))
        return field

    def _group(self, fields: str | Iterable[str]) -> tuple[str, ...]:
        return tuple(map(self.known, self._listed("key", fields)))

    def _listed(self, what: str, fields: Any) -> list[Any]:
        if isinstance(fields, str):
            return [fields]
        if not isinstance(fields, Iterable):
            raise RecordRefused(
                f"define({self.name}, {what}={show(fields, 40)}): give the names of fields"
            )
        return list(fields)


@remembered
def _assigned_kind(node: Node) -> str:
    types = (
        {member.bare for member in (node.args or (node,))}
        if node.kind.name == "UNION"
        else {node.bare}
    )
    if any(isinstance(form, type) and full_name(form) == "uuid.UUID" for form in types):
        return "uuid"
    # of several types that a key may have, the first that the shelf can make
    if str in types:
        return "text"
    return "number" if int in types or not node.is_known else "nothing"


def described_links(record_type: Any) -> Mapping[str, tuple[type, str | None]]:
    """The fields of which the class itself says that they refer to another type."""
    described = description_of(record_type)
    return {} if described is None else described.references


def of_version(drawn: UUID, node: Node) -> UUID:
    """A UUID of the version that a note of its type wants."""
    for note in node.notes:
        version = getattr(note, "uuid_version", None)
        if isinstance(version, int):
            bits = drawn.int & ~(0xF << 76)
            return type(drawn)(int=bits | version << 76)
    return drawn


@remembered
def plain_definition(record_type: Any) -> Definition:
    """How records are stored of which nothing was told; one for all shelves, for it does not
    change.
    """
    return Definition(record_type)


def described_to_store(record_type: Any) -> Description:
    """The description of a type; raises RecordRefused for one whose records cannot be stored.

    To store the records of a plain class says that it is a record type.
    """
    described = description_of(record_type) if isinstance(record_type, type) else None
    if described is None:
        raise RecordRefused(
            f"{show(record_type)} is no record type: a dataclass, for example, is one"
        )
    # from now on it is copied and compared by its fields, in the ledger, too
    if described.kind == "plain":
        declare(record_type)
    return described


def unknown_field(type_name: str, field: str, fields: Iterable[str]) -> str:
    """The words for a field that is not there, with the nearest that is."""
    return f"{type_name} has no field {field!r}; {nearest(field, fields)}"


def _falsy_default(described: Description, key: str | None) -> tuple[Any, ...]:
    """A default such as 0 or an empty text stands for a key that is not there yet."""
    default = described.fields[key].default if key else None
    return (default,) if type(default) in (int, str) and not default else ()
