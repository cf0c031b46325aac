"""How the records of one type are stored: their key, what must be unique, what they refer to, and whose errors."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from functools import lru_cache
from typing import Any, get_args

from urnshelf.errors import RecordMissing, RecordOutdated, RecordRefused
from urnshelf.interfaces.hints import hints_of
from urnshelf.records.copies import copier_of, keep
from urnshelf.records.display import show
from urnshelf.records.keys import key_name, snake_case
from urnshelf.records.shapes import Shape, storage_shape

__tracebackhide__ = True  # a failing test shows its own lines, not ours

MakeError = Callable[[str], Exception]
_known_keys: dict[type, tuple[str, ...]] = {}


class Definition:
    """What was told of a record type, and what its shape tells.

    Args:
        record_type: the records' class.
        key: the field, or the fields, of the primary key; found by its name when not given.
        unique: fields, or groups of fields, that no two records may have the same.
        references: a field, and the type whose key it holds.
        version: a whole number that each saving counts up; saving a record with an older one is refused.
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
        missing: MakeError | None = None,
        duplicate: MakeError | None = None,
        outdated: MakeError | None = None,
    ) -> None:
        self.record_type = record_type
        self.shape = shape_to_store(record_type)
        self.name = record_type.__name__
        self.table_name = snake_case(record_type.__name__)
        self.key_fields = key_fields(record_type, self.shape) if key is None else self._group(key)
        self.unique = tuple(self._group(one) for one in ((unique,) if isinstance(unique, str) else unique))
        self.references = {self.known(field): parent for field, parent in (references or {}).items()}
        self.version = None if version is None else self.known(version)
        self.copy: Callable[[Any], Any] = _COPIERS.get(self.shape.kind) or copier_of(record_type)
        self._kinds: dict[str, str] = {}
        self.nothing = _falsy_default(record_type, self.key)
        """What stands for a key that is not there yet, besides None."""
        self.missing: MakeError = missing or RecordMissing
        self.duplicate: MakeError = duplicate or RecordRefused
        self.outdated: MakeError = outdated or RecordOutdated

    @property
    def key(self) -> str | None:
        """The field that is the primary key alone."""
        return self.key_fields[0] if len(self.key_fields) == 1 else None

    def kind_of(self, field: str) -> str:
        """What is assigned to a field of the key that is empty: a `uuid`, one as a `text`, or a `number`."""
        if field not in self._kinds:
            from uuid import UUID

            form = hints_of(self.record_type).get(field)
            forms = {form, *get_args(form)}
            self._kinds[field] = "uuid" if UUID in forms else "text" if str in forms else "number"
        return self._kinds[field]

    def known(self, field: str) -> str:
        """The field's name; raises RecordRefused for one that the records do not have."""
        if field not in self.shape.fields:
            raise RecordRefused(unknown_field(self.name, field, self.shape.fields))
        return field

    def _group(self, fields: str | Iterable[str]) -> tuple[str, ...]:
        return tuple(map(self.known, (fields,) if isinstance(fields, str) else fields))


@lru_cache(maxsize=1024)
def untold(record_type: Any) -> Definition:
    """How records are stored of which nothing was told; one for all shelves, for it does not change."""
    return Definition(record_type)


def shape_to_store(record_type: Any) -> Shape:
    """The shape of a type; raises RecordRefused for one whose records cannot be kept."""
    shape = storage_shape(record_type) if isinstance(record_type, type) else None
    if shape is None:
        raise RecordRefused(f"{show(record_type)} is no record type: a dataclass, for example, is one")
    return shape


def unknown_field(type_name: str, field: str, fields: Iterable[str]) -> str:
    """The words for a field that is not there, with the nearest that is."""
    import difflib  # only a mistake pays for it

    known = list(fields)
    near = difflib.get_close_matches(str(field), known, 2, 0.6)
    hint = f"did you mean {' or '.join(map(repr, near))}?" if near else f"it has {', '.join(known)}"
    return f"{type_name} has no field {field!r}; {hint}"


def key_fields(record_type: type, shape: Shape) -> tuple[str, ...]:
    """The primary key: a mapped class's own, the field `id` or `<type>_id`, or the only UUID; else none."""
    if record_type not in _known_keys:
        _known_keys[record_type] = _find_key(record_type, shape)
    return _known_keys[record_type]


def _find_key(record_type: Any, shape: Shape) -> tuple[str, ...]:
    if shape.kind == "mapped":
        mapper = record_type.__mapper__
        return tuple(mapper.get_property_by_column(column).key for column in mapper.primary_key)
    named = key_name(record_type.__name__, shape.fields)
    if named is not None:
        return (named,)
    from uuid import UUID  # asked for only where no name tells

    uuids = [name for name, form in hints_of(record_type).items() if form in (UUID, UUID | None)]
    return (uuids[0],) if len(uuids) == 1 and uuids[0] in shape.fields else ()


def _falsy_default(record_type: Any, key: str | None) -> tuple[Any, ...]:
    """A default such as 0 or an empty text stands for a key that is not there yet."""
    default = getattr(record_type, key, None) if key else None
    return (default,) if type(default) in (int, str) and not default else ()


def _copy_plain(record: Any) -> Any:
    copy = object.__new__(type(record))
    copy.__dict__.update({name: keep(value) for name, value in vars(record).items()})
    return copy


def _copy_mapped(record: Any) -> Any:
    """A new object of a mapped class with the same column values, in no session."""
    loaded = {name: value for name, value in vars(record).items() if not name.startswith("_")}
    return type(record)(**{name: keep(value) for name, value in loaded.items()})


_COPIERS: dict[str, Callable[[Any], Any]] = {"plain": _copy_plain, "mapped": _copy_mapped}
