"""Classes that SQLAlchemy maps to tables, by the columns of their mappers."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal, cast

from urnshelf.records.description import NOT_THERE, Description, Field, Fill, Part
from urnshelf.records.recognising import filled_hints
from urnshelf.types.nodes import node_of


class _Mapped(Description):
    kind = "mapped"

    def _find_key(self) -> tuple[str, ...]:
        mapper = self.origin.__mapper__
        return tuple(mapper.get_property_by_column(column).key for column in mapper.primary_key)

    @property
    def table_name(self) -> str:
        return str(self.origin.__mapper__.local_table.name)

    @property
    def unique(self) -> tuple[tuple[str, ...], ...]:
        """The columns, and groups of columns, that the table calls unique."""
        table = self.origin.__mapper__.local_table
        groups = [(column,) for column in table.columns if column.unique]
        for constraint in getattr(table, "constraints", ()):
            if type(constraint).__name__ == "UniqueConstraint":
                groups.append(tuple(constraint.columns))
        return tuple(dict.fromkeys(tuple(map(self._name, group)) for group in groups))

    @property
    def references(self) -> dict[str, tuple[type, str | None]]:
        """The columns that are a foreign key alone, the class that is mapped to the other table,
        and the field of it that they hold.
        """
        mappers = {
            mapper.local_table.key: mapper.class_
            for mapper in self.origin.__mapper__.registry.mappers
        }
        found: dict[str, tuple[type, str | None]] = {}
        for column in self.origin.__mapper__.local_table.columns:
            for foreign in column.foreign_keys:
                # by the table's name: to ask the key itself would fail while a class is not
                # mapped yet
                table, _, target = foreign.target_fullname.rpartition(".")
                parent: Any = mappers.get(table)
                # of a key of several columns, each chosen alone, no parent would have the whole
                if parent is not None and len(foreign.constraint.columns) == 1:
                    named = parent.__mapper__.local_table.columns[target]
                    field = parent.__mapper__.get_property_by_column(named).key
                    found[self._name(column)] = (parent, str(field))
        return found

    def fetch(self, record: object, name: str) -> Any:
        return vars(record).get(name)

    def values(self, record: object) -> dict[str, Any]:
        """What is loaded: asking for more would send the object to its database."""
        return {name: vars(record)[name] for name in self.names if name in vars(record)}

    def restored(self, values: Mapping[str, Any]) -> Any:
        """An object in no session, its columns set."""
        record = self.origin.__mapper__.class_manager.new_instance()
        for name, value in values.items():
            setattr(record, name, value)
        return record

    def copy(self, record: Any, part: Part) -> tuple[Any, Fill | None]:
        """Without the related objects: to take them along would move them from one owner to the
        other.
        """
        return type(record).__mapper__.class_manager.new_instance(), self._fill

    def _fill(self, copy: object, record: object, part: Part) -> None:
        for name, value in self.values(record).items():
            setattr(copy, name, part(value))

    def _name(self, column: object) -> str:
        return str(self.origin.__mapper__.get_property_by_column(column).key)


class _ColumnNotes:
    """The limits that a column's type sets."""

    def __init__(self, column: Any) -> None:
        self.max_length = getattr(column.type, "length", None)
        precision, scale = (
            getattr(column.type, "precision", None),
            getattr(column.type, "scale", None),
        )
        self.max_digits = precision if isinstance(scale, int) else None
        self.decimal_places = scale if isinstance(scale, int) else None


def describe(form: Any, origin: Any) -> Description | None:
    """A mapped class that is no model of another library besides."""
    if not hasattr(origin, "__mapper__") or hasattr(origin, "__pydantic_validator__"):
        return None
    hints = _annotated(form, origin)
    fields = [
        _field(prop.key, prop.columns[0], origin, hints)
        for prop in origin.__mapper__.column_attrs
        # what SQL computes is no column of the table
        if hasattr(prop.columns[0], "nullable")
    ]
    return _Mapped(form, fields, has_plain_equality=origin.__eq__ is object.__eq__)


def _annotated(form: object, origin: object) -> dict[str, Any]:
    """What the class says of its attributes; columns of JSON tell no more of themselves."""
    try:
        return filled_hints(form, cast(type, origin))
    except Exception:  # an annotation that only a checker resolves
        return {}


def _field(name: str, column: Any, origin: object, hints: Mapping[str, Any]) -> Field:
    default = getattr(column.default, "arg", NOT_THERE) if column.default is not None else NOT_THERE
    declared = getattr(origin, "__dataclass_fields__", {}).get(name)
    return Field(
        name,
        node_of(_column_type(column, hints.get(name))),
        name,
        notes=(_ColumnNotes(column),),
        default=NOT_THERE if callable(default) else default,
        is_made=callable(default) or column.server_default is not None,
        is_given=declared is None or declared.init,
        is_shown=declared is None or declared.repr,
    )


def _column_type(column: Any, hint: Any) -> Any:
    is_json = type(column.type).__name__ in ("JSON", "JSONB", "ARRAY", "PickleType")
    if is_json and hint is not None:
        return hint
    members = getattr(column.type, "enum_class", None)
    if members is not None:
        return members
    if getattr(column.type, "enums", None):
        return Literal[tuple(column.type.enums)]
    try:
        form = column.type.python_type
    except NotImplementedError:
        # a column type of one's own may not say what its values are
        form = Any
    return form | None if column.nullable and not column.primary_key and form is not Any else form
