"""Which records a method asks for: conditions, an order, a page, as a query and as SQL."""

from __future__ import annotations

from enum import Enum
from typing import Any, NamedTuple

from urnshelf.interfaces.members import Member
from urnshelf.readings.entities import Entity
from urnshelf.readings.names import Name
from urnshelf.readings.operations import Role
from urnshelf.readings.parameters import Asked, parts_of
from urnshelf.store.comparisons import equals
from urnshelf.store.conditions import AllOf, Condition, Not
from urnshelf.store.paths import Placeholder, identifier
from urnshelf.store.queries import Query
from urnshelf.store.views import View


class Wanted(NamedTuple):
    """Which records a method asks for."""

    parts: tuple[Asked, ...]
    flags: tuple[Condition, ...]
    order: tuple[str, ...]
    is_first: bool
    is_arranged: bool
    """Whether it says an order, or how many."""

    def query(self, table: View[Any], values: tuple[Any, ...]) -> Query[Any]:
        """The query that a call's arguments make."""
        if not self.is_arranged:  # by far the most
            return Query(table, AllOf(self.conditions(values)))
        query = table.where(*self.conditions(values))
        order = [*self._order(values), *self.order]
        query = query.order_by(*order) if order else query
        return self._paged(query, values)

    def conditions(self, values: tuple[Any, ...]) -> list[Condition]:
        """What the arguments ask of the records."""
        found = list(self.flags)
        for part in self.parts:
            value = values[part.position]
            if part.make is not None and not (part.optional and value is None):
                one = part.make(value)
                # as parts of one list, each can be looked up in an index
                found += one.parts if isinstance(one, AllOf) else (one,)
        return found

    def given(self, role: Role, values: tuple[Any, ...]) -> Any:
        """The argument of one role; None where there is none."""
        return next((values[part.position] for part in self.parts if part.role == role), None)

    def shown(
        self,
        about: Entity,
        names: tuple[str, ...],
        what: str = "SELECT *",
        asked: str = "",
        in_order: bool = False,
    ) -> str:
        """The query as SQL, a placeholder for each argument.

        Args:
            about: the records.
            names: of the parameters.
            what: what stands before FROM.
            asked: the parameter whose order is that of the records.
            in_order: whether it gives many, so that their order is told.
        """
        marks = tuple(map(Placeholder, names))
        conditions = AllOf(self.conditions(marks))
        text = f"{what} FROM {identifier(about.table_name)}" + (
            f" WHERE {conditions}" if conditions.parts else ""
        )
        if in_order or self.is_first:
            text += f" ORDER BY {self._order_shown(about, marks, asked)}"
        limit = (
            self.given(Role.LIMIT, marks)
            or self.given(Role.PAGE_SIZE, marks)
            or (1 if self.is_first else None)
        )
        text += f" LIMIT {limit}" if limit else ""
        skipped = self.given(Role.OFFSET, marks)
        page = next((part for part in self.parts if part.role is Role.PAGE), None)
        if page is not None:
            skipped = (
                f":{page.name} * {limit}" if page.default == 0 else f"(:{page.name} - 1) * {limit}"
            )
        return text + (f" OFFSET {skipped}" if skipped else "")

    def _order_shown(self, about: Entity, marks: tuple[Placeholder, ...], asked: str) -> str:
        told = self.given(Role.ORDER, marks)
        fields = [str(told)] if told else []
        fields += map(_order_text, self.order)
        if asked:
            return f"its place in :{asked}"
        named = {field.partition(" ")[0] for field in self.order}
        ties = [identifier(f) for f in about.key_fields or ("rowid",) if f not in named]
        return ", ".join([*fields, *ties])

    def _order(self, values: tuple[Any, ...]) -> list[str]:
        asked = self.given(Role.ORDER, values)
        asked = [] if asked is None else asked
        fields = [asked] if isinstance(asked, (str, Enum)) else list(asked)
        texts = [str(field.value if isinstance(field, Enum) else field) for field in fields]
        # `-price`: as many services write the greatest first
        turned = [f"{text[1:]} desc" if text.startswith("-") else text for text in texts]
        return (
            [f"{text} desc" for text in turned] if self.given(Role.DESCENDING, values) else turned
        )

    def _paged(self, query: Query[Any], values: tuple[Any, ...]) -> Query[Any]:
        limit, offset, size = (
            self.given(role, values) for role in (Role.LIMIT, Role.OFFSET, Role.PAGE_SIZE)
        )
        most = limit if size is None else size
        most = 1 if self.is_first else most
        page = next((part for part in self.parts if part.role is Role.PAGE), None)
        number = None if page is None else values[page.position]
        if page is not None and number is not None and most is not None:
            # pages are counted from 1, unless the default says that they are counted from 0
            offset = (number - (0 if page.default == 0 else 1)) * most
        query = query if most is None else query.limit(most)
        return query.offset(offset) if offset else query


def wanted_by(member: Member, about: Entity, name: Name) -> Wanted | str:
    """Which records the method asks for, or why that is not certain."""
    # `all_by_id()` has no parameter for an id: it gives a mapping by it
    by = [] if not member.parameters and len(name.by) == 1 and about.is_key(name.by[0]) else name.by
    parts = parts_of(member, about, by)
    if isinstance(parts, str):
        return parts
    flags: tuple[Condition, ...] = ()
    for field, value, negated in name.flags:
        flags += (Not(equals(field, value)) if negated else equals(field, value),)
    arranged = bool(name.order) or name.is_first
    for part in parts:
        arranged = arranged or part.role is not Role.CONDITION
    return Wanted(tuple(parts), flags, tuple(name.order), name.is_first, arranged)


def _order_text(field: str) -> str:
    name, _, word = field.partition(" ")
    return f"{identifier(name)} DESC" if word else identifier(name)
