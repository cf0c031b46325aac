"""Readings of methods that look records up, count them, or ask whether there are any."""

from __future__ import annotations

import collections.abc as abc
from enum import Enum
from functools import partial
from typing import Any, NamedTuple

from urnshelf.interfaces.members import Member
from urnshelf.readings.entities import Entity
from urnshelf.readings.names import Name
from urnshelf.readings.operations import (
    Access,
    NotCertain,
    Operation,
    Promised,
    Reading,
    Role,
    Unread,
)
from urnshelf.readings.parameters import Asked, parts_of
from urnshelf.readings.results import Result
from urnshelf.readings.roles import path_of_key
from urnshelf.readings.subject import Subject
from urnshelf.readings.verbs import COUNTS
from urnshelf.store.comparisons import Comparison, equals
from urnshelf.store.conditions import AllOf, Condition, Not
from urnshelf.store.paths import Placeholder, identifier, literal
from urnshelf.store.queries import Query
from urnshelf.store.views import View
from urnshelf.types.nodes import ANYTHING, Kind

__tracebackhide__ = True  # a failing test shows its own lines, not ours


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


def read_look_up(subject: Subject) -> Reading | Unread | None:
    """A method that gives records."""
    member, about, name, result = subject.member, subject.about, subject.name, subject.result
    if isinstance(name, str):
        return Unread(name)
    wanted = wanted_by(member, about, name)
    if isinstance(wanted, str):
        return Unread(wanted)
    run = _RUNS.get(result.kind) or _run_untold(result, wanted, name, about)
    if run is None:
        return Unread(_wrong_promise(name.verb, result))
    if run is _by_key and not _is_by_key(result, about):
        return Unread(
            f"it promises a mapping by what is not the key of {about.record_type.__name__}"
        )
    if run is _one and not (wanted.parts or wanted.flags or wanted.is_first):
        return Unread("it promises one record, but says not which")
    gives_many = run is not _one
    asked = _asked_in_order(member, about, wanted, result) if run is _many else None
    if asked is not None:
        run = partial(_many_as_asked, asked=asked.position)
    return Reading(
        about.record_type,
        Operation.LOOK_UP,
        wanted.parts,
        lambda: wanted.shown(
            about,
            member.parameters,
            asked="" if asked is None else asked.name,
            in_order=gives_many,
        ),
        partial(run, wanted=wanted, result=result),
    )


_SEQUENCES = (list, tuple, abc.Sequence, abc.MutableSequence)


def _asked_in_order(member: Member, about: Entity, wanted: Wanted, result: Result) -> Asked | None:
    """The parameter of keys whose order is that of the records: a sequence is asked for, and a
    sequence promised.
    """
    if wanted.is_arranged or result.collect not in (list, tuple) or len(about.key_fields) != 1:
        return None
    for part in wanted.parts:
        parameter = member.signature.parameters[part.name]
        is_sequence = member.parameter_nodes[part.name].origin in _SEQUENCES
        if is_sequence or parameter.kind is parameter.VAR_POSITIONAL:
            read = part.read()
            if (read.field, read.sign) == (about.key_fields[0], "in"):
                return part
    return None


def _is_by_key(result: Result, about: Entity) -> bool:
    promised = ANYTHING if result.node is None else result.node.args[0]
    # a mapping by what is not said is taken to be by the key
    if not promised.is_known:
        return True
    if len(about.key_fields) > 1:
        wanted = [about.node_of(field).bare for field in about.key_fields]
        return promised.kind is Kind.TUPLE and [one.bare for one in promised.args] == wanted
    key = about.node_of(path_of_key(about))
    return not key.is_known or promised.bare == key.bare


def read_question(subject: Subject) -> Reading | Unread | None:
    """A method that counts records, or asks whether there are any."""
    member, about, name = subject.member, subject.about, subject.name
    if isinstance(name, str):
        return Unread(name)
    counts = name.verb in COUNTS
    wanted = wanted_by(member, about, name)
    if isinstance(wanted, str):
        return Unread(wanted)

    def answer(access: Access, values: tuple[Any, ...]) -> Any:
        query = wanted.query(access.table, values)
        access.did(
            lambda: (
                query.sql("SELECT count(*)")
                if counts
                else f"SELECT EXISTS ({query.sql('SELECT 1')})"
            )
        )
        found = query.count()
        return found if counts else bool(found)

    def tell() -> str:
        if counts:
            return wanted.shown(about, member.parameters, "SELECT count(*)")
        return f"SELECT EXISTS ({wanted.shown(about, member.parameters)})"

    return Reading(
        about.record_type,
        Operation.COUNT if counts else Operation.EXISTS,
        wanted.parts,
        tell,
        answer,
    )


def _run_untold(result: Result, wanted: Wanted, name: Name, about: Entity) -> Any:
    """How the records are given where nothing is promised in writing: the name must tell."""
    if result.kind is not Promised.UNKNOWN:
        return None
    if name.many:
        return _many
    by_key = (
        len(wanted.parts) == 1
        and wanted.parts[0].role is Role.CONDITION
        and _asks_for_key(wanted, about)
    )
    return _one if by_key or wanted.is_first else None


def _asks_for_key(wanted: Wanted, about: Entity) -> bool:
    # made with a placeholder, only to see which field it compares
    asked = wanted.conditions((Placeholder("key"),) * (wanted.parts[0].position + 1))[-1]
    return isinstance(asked, Comparison) and asked.sign == "=" and (asked.path,) == about.key_fields


def _one(access: Access, values: tuple[Any, ...], wanted: Wanted, result: Result) -> Any:
    table = access.table
    conditions = wanted.conditions(values)
    # by its key a record is found without a query
    key = conditions[0] if len(conditions) == 1 and not wanted.is_first else None
    if (
        isinstance(key, Comparison)
        and key.sign == "="
        and (key.path,) == table.key_fields
        and _is_hashable(key.value)
    ):
        access.did(lambda: Query(table, AllOf((key,))))
        found = table.find(key.value)
    else:
        query = wanted.query(table, values)
        access.did(query)
        found = query.first()
    if found is None and result.kind is Promised.ONE:
        raise table.missing_error(values[0] if len(values) == 1 else values)
    if found is None and result.kind is Promised.UNKNOWN:
        raise NotCertain(
            f"no {table.name} is found, and with no promised type it is not certain whether to "
            "raise or to give None"
        )
    return result.given(found)


def _many(access: Access, values: tuple[Any, ...], wanted: Wanted, result: Result) -> Any:
    query = wanted.query(access.table, values)
    access.did(query.in_order)
    found = query.all()
    return result.all_given(found)


def _many_as_asked(
    access: Access, values: tuple[Any, ...], wanted: Wanted, result: Result, asked: int
) -> Any:
    table = access.table
    query = wanted.query(table, values)
    places = {key: place for place, key in enumerate(values[asked])}
    if len(places) < len(values[asked]):
        raise NotCertain("a key is asked for twice, and whether its record comes twice is not told")
    access.did(lambda: _sql_as_asked(query, table, places))
    found = sorted(query.all(), key=lambda record: places[table.key_of(record)])
    return result.all_given(found)


def _sql_as_asked(query: Query[Any], table: View[Any], places: dict[Any, int]) -> str:
    key = identifier(table.key or "")
    cases = " ".join(f"WHEN {literal(one)} THEN {place}" for one, place in places.items())
    return f"{query} ORDER BY CASE {key} {cases} END" if places else str(query)


def _by_key(access: Access, values: tuple[Any, ...], wanted: Wanted, result: Result) -> Any:
    query = wanted.query(access.table, values)
    access.did(query.in_order)
    return {access.table.key_of(record): record for record in query}


def _page(access: Access, values: tuple[Any, ...], wanted: Wanted, result: Result) -> Any:
    query = wanted.query(access.table, values)
    access.did(query.in_order)
    # the total is that of all pages
    whole = access.table.where(*wanted.conditions(values))
    return result.all_given(query.all()), whole.count()


_RUNS = {
    Promised.ONE: _one,
    Promised.ONE_OR_NONE: _one,
    Promised.MANY: _many,
    Promised.BY_KEY: _by_key,
    Promised.PAGE: _page,
}


def _wrong_promise(verb: str, result: Result) -> str:
    if result.kind is Promised.UNKNOWN:
        return (
            "it promises nothing in writing, and its name does not tell whether it gives one "
            "record or many"
        )
    return f"{verb!r} is read where it promises a record, a record or None, or many records"


def _is_hashable(value: object) -> bool:
    try:
        hash(value)
    except TypeError:
        return False
    return True
