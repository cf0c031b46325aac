"""Readings of methods that look records up, count them, or ask whether there are any."""

from __future__ import annotations

import collections.abc as abc
from functools import partial
from typing import Any

from urnshelf.interfaces.members import Member
from urnshelf.readings.entities import Entity
from urnshelf.readings.names import Name
from urnshelf.readings.operations import (
    Access,
    NotCertain,
    Operation,
    Promised,
    Reading,
    Unread,
)
from urnshelf.readings.parameters import Asked
from urnshelf.readings.results import Result
from urnshelf.readings.roles import path_of_key
from urnshelf.readings.spans import PARTLY, Span, is_partly_in, span_of
from urnshelf.readings.subject import Subject
from urnshelf.readings.verbs import COUNTS
from urnshelf.readings.wanted import Wanted, wanted_by
from urnshelf.store.comparisons import Comparison
from urnshelf.store.paths import Placeholder, identifier, literal
from urnshelf.store.queries import Query
from urnshelf.store.views import View
from urnshelf.types.nodes import ANYTHING, Kind


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
    if run is _one:
        run = partial(_one, key_at=_place_of_key(wanted, about))
    span = span_of(member, about)
    if span is not None and span.is_pair:
        run = partial(_run_of_span, run=run, span=span, names=member.parameters)
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
    if is_partly_in(member, about):
        return Unread(PARTLY)

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
    by_key = _place_of_key(wanted, about) is not None
    return _one if by_key or wanted.is_first else None


def _place_of_key(wanted: Wanted, about: Entity) -> int | None:
    """Which argument is the key, where nothing but the key is asked for; None where more is."""
    if len(wanted.parts) != 1 or wanted.parts[0].make is None or wanted.flags or wanted.is_arranged:
        return None
    # made with a placeholder, only to see which field it compares
    asked = wanted.parts[0].make(Placeholder("key"))
    is_equal = isinstance(asked, Comparison) and asked.sign == "=" and not asked.fold
    is_key = is_equal and asked.fields == about.key_fields
    return wanted.parts[0].position if is_key else None


_PLAIN_KEYS = (int, str)
"""Of these a condition on the key finds what the key finds."""


def _one(
    access: Access,
    values: tuple[Any, ...],
    wanted: Wanted,
    result: Result,
    key_at: int | None = None,
) -> Any:
    table = access.table
    if key_at is not None and type(values[key_at]) in _PLAIN_KEYS:
        access.did(lambda: wanted.query(table, values))
        found = table.find(values[key_at])
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


def _run_of_span(
    access: Access,
    values: tuple[Any, ...],
    wanted: Wanted,
    result: Result,
    run: Any,
    span: Span,
    names: tuple[str, ...],
) -> Any:
    """As without, unless some records lie in the span only in part: whether those are meant is not
    told.
    """
    table, bounds = access.table, (span.start, span.end)
    others = wanted._replace(parts=tuple(part for part in wanted.parts if part.name not in bounds))
    start, end = (values[names.index(name)] for name in bounds)
    overlapping = [*others.conditions(values), *span.overlapping(start, end)]
    if table.where(*overlapping).count() != table.where(*wanted.conditions(values)).count():
        raise NotCertain(f"of the {table.name} records, {PARTLY}")
    return run(access, values, wanted=wanted, result=result)


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
