"""Plan files: TOML that says which tables of records to draw, by which rules, from which seed."""

from __future__ import annotations

import json
import tomllib
from collections.abc import Iterator, Mapping
from decimal import Decimal
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple, TypedDict

from urnshelf.errors import RecordRefused
from urnshelf.files.file_table import plain_name
from urnshelf.files.plan_checks import refuse_unknown, rules_told, whole_number
from urnshelf.files.plan_gathered import (
    Forms,
    GatheredBelow,
    WithCounts,
    gathered_forms,
    innermost,
)
from urnshelf.files.plan_values import rule_from
from urnshelf.files.plan_variants import variants_told, whole_table
from urnshelf.files.planned_table import PlannedTable, columns_of, link_to
from urnshelf.files.whole import why
from urnshelf.near_names import nearest
from urnshelf.records.display import show
from urnshelf.types.forms import type_name
from urnshelf.types.loading import load_type
from urnshelf.types.nodes import Kind, Node, node_of
from urnshelf.urn.dealing import Dealing
from urnshelf.urn.drawing import Urn
from urnshelf.urn.layouts import drawable
from urnshelf.urn.mixing import key_of
from urnshelf.urn.rules.base import Computed, Rule
from urnshelf.urn.rules.dealt import Dealt
from urnshelf.urn.rules.following import Formula, Gathered

if TYPE_CHECKING:
    pass

FORMAT = 1
_SAMPLE = 40
_TOP = frozenset({"format", "seed", "tables", "kiosk", "variants"})
_TABLE = frozenset({"type", "schema", "variant", "count", "start", "rules"})


class PlannedKiosk(NamedTuple):
    """One kiosk of a plan, as the file has it."""

    name: str
    data: Mapping[str, Any]
    where: str
    """File and name, for messages."""
    path: Path
    """Of the plan."""
    lines: list[int]
    """Where each of its routes stands."""


class Plan(NamedTuple):
    """What a plan file says."""

    tables: dict[str, PlannedTable]
    kiosks: list[PlannedKiosk]
    seed: int


def read_plan(path: Path, seed: int | None = None, records: int | None = None) -> Plan:
    """The tables and kiosks of a plan file, in the file's order.

    Args:
        path: the TOML file.
        seed: goes before the seed that the file tells.
        records: how many each collection of a kiosk has; goes before what the file tells.

    Raises:
        RecordRefused: it cannot be read, or says something unknown; the message tells where.
    """
    try:
        text = path.read_text(encoding="utf-8")
        plan = tomllib.loads(text)
    except (OSError, UnicodeDecodeError) as error:
        raise RecordRefused(f"{path} cannot be read: {why(error)}") from None
    except tomllib.TOMLDecodeError as error:
        raise RecordRefused(f"{path.name} is no TOML: {error}") from None
    refuse_unknown(plan, _TOP, path.name)
    if plan.get("format") != FORMAT:
        raise RecordRefused(
            f"{path.name}: format = {plan.get('format')!r}, but this version reads format = "
            f"{FORMAT}"
        )
    variants = variants_told(plan.get("variants", {}), path.name)
    kiosks = list(_kiosks(path, plan.get("kiosk", []), text))
    told = plan.get("tables", {} if kiosks else None)
    if not isinstance(told, Mapping) or not (told or kiosks):
        raise RecordRefused(f"{path.name}: there are no tables; begin one with [tables.vessels]")
    found = seed if seed is not None else whole_number(plan, "seed", 0, path.name)
    counts = _counts(kiosks, records)
    whole: dict[str, Any] = {}
    for name, table in told.items():
        table = whole_table(table, variants, f"{path.name}, table {name!r}")
        is_counted = name in counts and isinstance(table, Mapping)
        whole[name] = {**table, "count": counts[name]} if is_counted else table
    return Plan(_tables(path, whole, found), kiosks, found)


def _tables(path: Path, told: Mapping[str, Any], seed: int) -> dict[str, PlannedTable]:
    """The tables of a plan; read again as long as those below tell what those above gather."""
    forms: Forms = {}
    tables = _read(path, told, seed, forms)
    for _ in told:
        known = gathered_forms(tables)
        if known == forms:
            break
        forms, tables = known, _read(path, told, seed, known)
    return tables


def _read(path: Path, told: Mapping[str, Any], seed: int, forms: Forms) -> dict[str, PlannedTable]:
    """The tables of a plan, the types of what they gather known."""
    tables: dict[str, PlannedTable] = {}
    for name, table in told.items():
        tables[name] = _table(path, name, table, Urn(seed), tables, forms.get(name, {}))
    for one in (one for table in tables.values() for one in table.gathered):
        one.check()
    return tables


def _kiosks(path: Path, told: object, text: str) -> Iterator[PlannedKiosk]:
    if not isinstance(told, list):
        raise RecordRefused(f"{path.name}: kiosk = {show(told, 40)}, but [[kiosk]] is needed")
    names: set[str] = set()
    for number, data in enumerate(told):
        name = data.get("name") if isinstance(data, Mapping) else None
        if not isinstance(name, str) or not name:
            raise RecordRefused(f'{path.name}, kiosk {number + 1}: give it a name, name = "tides"')
        if name in names:
            raise RecordRefused(f"{path.name}: there are two kiosks {name!r}")
        names.add(name)
        lines = _lines(text, number)
        yield PlannedKiosk(name, data, f"{path.name}, kiosk {name!r}", path, lines)


def _lines(text: str, number: int) -> list[int]:
    """The lines on which the routes of a kiosk begin."""
    found: list[int] = []
    at = -1
    for line, words in enumerate(text.splitlines(), 1):
        told = "".join(words.partition("#")[0].split())
        at += told == "[[kiosk]]"
        if at == number and told == "[[kiosk.routes]]":
            found.append(line)
    return found


def _counts(kiosks: list[PlannedKiosk], records: int | None) -> dict[str, int]:
    """How many records a table has because a collection says so."""
    found: dict[str, int] = {}
    for kiosk in kiosks:
        several = kiosk.data.get("collections", [])
        for one in several if isinstance(several, list) else []:
            if isinstance(one, Mapping) and isinstance(one.get("table"), str):
                told = whole_number(one, "records", -1, kiosk.where) if "records" in one else None
                count = told if records is None else records
                if count is not None:
                    found[one["table"]] = count
    return found


def _table(
    path: Path,
    name: str,
    table: object,
    urn: Urn,
    before: dict[str, PlannedTable],
    forms: Mapping[str, Any],
) -> PlannedTable:
    where = f"{path.name}, table {name!r}"
    plain_name(name)
    if not isinstance(table, Mapping):
        raise RecordRefused(f"{where}: a table is needed, [tables.{name}]")
    refuse_unknown(table, _TABLE, where)
    if "type" in table and "schema" in table:
        raise RecordRefused(f"{where}: either a type or a schema is needed")
    if "type" not in table and "schema" not in table:
        return _of_rules(name, table, where, urn, before, forms)
    for word in ("type", "schema"):
        if not isinstance(table.get(word, ""), str):
            raise RecordRefused(f"{where}: {word} = {show(table[word], 40)}, but a text is needed")
    what = (
        _typed(where, table["type"])
        if "type" in table
        else _schema(path.parent / table["schema"], where)
    )
    columns = columns_of(what)
    rules: dict[str, Rule] = {}
    for field, rule in rules_told(table, name, where).items():
        if isinstance(what, Mapping):
            raise RecordRefused(
                f"{where}: a JSON Schema has no rules beside it; say it in the schema"
            )
        if field not in columns:
            raise RecordRefused(
                f"{where}: {type_name(what)} has no field {field!r}; {nearest(field, columns)}"
            )
        rules[field] = rule_from(
            rule,
            columns[field],
            f"{where}, field {field!r}",
            lambda to, key, children: link_to(where, to, key, children, before),
        )
    _gather(rules, columns, name, where, before)
    return _counted(name, table, where, what, urn, rules, before)


def _gather(
    rules: dict[str, Rule],
    columns: Mapping[str, Node],
    name: str,
    where: str,
    tables: dict[str, PlannedTable],
) -> None:
    """What is gathered from no field of the table is gathered from another table, below it."""
    for field, rule in rules.items():
        if isinstance(rule, Gathered) and not _holds_records(columns.get(rule.needs[0])):
            at = f"{where}, field {field!r}"
            rules[field] = GatheredBelow(rule.text, columns[field].bare, name, tables, at)
        counts = {one for one in rule.needs if one.startswith("count ") and one not in columns}
        if counts:
            at = f"{where}, field {field!r}"
            rules[field] = WithCounts(
                rule, {one: GatheredBelow(one, int, name, tables, at) for one in counts}
            )


def _holds_records(node: Node | None) -> bool:
    """Whether a field may be a list of records; that of a table without a type is none."""
    return node is not None and node.kind in (Kind.ITEMS, Kind.MAPPING, Kind.TUPLE)


def _of_rules(
    name: str,
    table: Mapping[str, Any],
    where: str,
    urn: Urn,
    before: dict[str, PlannedTable],
    gathered: Mapping[str, Any],
) -> PlannedTable:
    """A table without a record type: its rules tell the columns, and their kinds; of what is
    gathered the tables below do.
    """
    told = rules_told(table, name, where)
    if not told:
        raise RecordRefused(
            f"{where}: a type or a schema is needed, or rules that tell its columns"
        )

    def read(nodes: Mapping[str, Node]) -> dict[str, Rule]:
        return {
            field: rule_from(
                rule,
                nodes[field],
                f"{where}, field {field!r}",
                lambda to, key, children: link_to(where, to, key, children, before),
            )
            for field, rule in told.items()
        }

    loose = _typed_dict(name, dict.fromkeys(told, Any))
    nodes = {field: node_of(gathered.get(field, Any)) for field in told}
    first = read(nodes)
    _gather(first, nodes, name, where, before)
    sample = urn.draw(loose, range(_SAMPLE), **first)
    empty = _sometimes_none(first)
    forms = {field: _form_of([row[field] for row in sample], field in empty) for field in told}
    forms = _as_inputs({**forms, **gathered}, first)
    what = _typed_dict(name, forms)
    columns = {field: node_of(form) for field, form in forms.items()}
    rules = read(columns)
    _gather(rules, columns, name, where, before)
    return _counted(name, table, where, what, urn, rules, before)


_typed_dict: Any = TypedDict
"""Called with names that only a file tells."""


def _counted(
    name: str,
    table: Mapping[str, Any],
    where: str,
    what: Any,
    urn: Urn,
    rules: dict[str, Rule],
    before: dict[str, PlannedTable],
) -> PlannedTable:
    """A table; where its records are dealt to parents, these tell how many there are."""
    count = whole_number(table, "count", 10, where)
    dealt = [(field, rule) for field, rule in rules.items() if isinstance(rule, Dealt)]
    if dealt and "count" not in table:
        count = _children(dealt[0][1], dealt[0][0], what, urn, before)
    return PlannedTable(name, what, count, whole_number(table, "start", 0, where), urn, rules)


def _sometimes_none(rules: Mapping[str, Rule]) -> set[str]:
    """The columns that are None in some records, whether a few show it or not."""
    found = {field for field, rule in rules.items() if rule.gives_none}
    while more := {
        field
        for field, rule in rules.items()
        if isinstance(rule, Computed) and found & {*rule.needs} and field not in found
    }:
        found |= more
    return found


def _form_of(values: list[Any], is_sometimes_none: bool) -> Any:
    """The type of a column, by some of its values."""
    kinds = {type(value) for value in values} - {type(None)}
    form: Any = kinds.pop() if len(kinds) == 1 else Any
    has_none = is_sometimes_none or None in values
    return form | None if form is not Any and has_none else form


def _as_inputs(forms: dict[str, Any], rules: Mapping[str, Rule]) -> dict[str, Any]:
    """The types of columns: what a formula computes exactly, in Decimals, is a number like those it
    comes of.
    """
    found = dict(forms)
    for field in _in_turn(rules):
        rule, form = innermost(rules[field]), found[field]
        if not isinstance(rule, Formula) or node_of(form).bare is not Decimal:
            continue
        kinds = {node_of(found.get(name, Any)).bare for name in rule.needs}
        if Decimal not in kinds:
            made: Any = int if kinds <= {int} and rule.is_whole else float
            found[field] = made | None if node_of(form).optional else made
    return found


def _in_turn(rules: Mapping[str, Rule]) -> list[str]:
    """The fields, each after those that it comes of."""
    found: dict[str, None] = {}

    def visit(field: str, waiting: tuple[str, ...]) -> None:
        for needed in rules[field].needs:
            if needed in rules and needed not in (*waiting, *found):
                visit(needed, (*waiting, field))
        found[field] = None

    for field in rules:
        visit(field, ())
    return list(found)


def _children(rule: Any, field: str, what: Any, urn: Urn, before: dict[str, PlannedTable]) -> int:
    """How many children the parents of a table have together."""
    record = drawable(what)
    parents = next(one for one in before.values() if one.what is rule.record_type)
    assert record is not None  # a schema has no rules
    dealing: Dealing = rule.dealing(key_of(urn.seed, record.full_name, field))
    return dealing.total(parents.count)


def _typed(where: str, words: object) -> Any:
    try:
        return load_type(str(words))
    except RecordRefused as refused:
        raise RecordRefused(f"{where}: {refused}") from None


def _schema(path: Path, where: str) -> Any:
    try:
        schema = json.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise RecordRefused(
            f"{where}: the schema {path.name} cannot be read: {why(error)}"
        ) from None
    except ValueError as error:
        raise RecordRefused(f"{where}: the schema {path.name} is no JSON: {error}") from None
    if not isinstance(schema, Mapping):
        raise RecordRefused(f"{where}: {path.name} is no JSON Schema, but {show(schema, 40)}")
    return schema
