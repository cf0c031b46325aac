"""Texts and TOML values made into values of a field's type, and tables of TOML into rules, and
back.
"""

from __future__ import annotations

import ast
import json
import re
from collections.abc import Callable, Mapping
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.near_names import nearest
from urnshelf.records.codec import Unfit, from_json
from urnshelf.records.display import show
from urnshelf.records.fit import misfit
from urnshelf.types.forms import type_name
from urnshelf.types.nodes import ANYTHING, Kind, Node
from urnshelf.urn.rules import planned_rules
from urnshelf.urn.rules.base import PlanRule, Rule
from urnshelf.urn.rules.given import constant

LinkTo = Callable[[str, str | None, Any], Rule]


def from_text(text: str, node: Node, where: str) -> Any:
    """A value given on the command line.

    Args:
        text: as typed.
        node: the field's type.
        where: for the message.

    >>> from urnshelf.types.nodes import node_of
    >>> from_text("1.50", node_of(Decimal), "rate")
    Decimal('1.50')
    """
    if node.bare in (str, Decimal):
        return as_typed(text, node, where)  # as it stands: a Decimal keeps its zeros
    try:
        value = ast.literal_eval(text)
    except (ValueError, SyntaxError):
        value = text
    return as_typed(value, node, where)


def as_typed(value: object, node: Node, where: str) -> Any:
    """A plain value as a value of the field's type; raises RecordRefused when it is none."""
    if value is None and node.optional:
        return None
    plain = _as_data(value, node)
    if type(plain) is node.bare or (isinstance(plain, datetime) and misfit(plain, node) is None):
        return plain
    try:
        made = plain if not node.is_known else from_json(plain, node)
    except Unfit:
        made = plain
    if misfit(made, node) is not None or made is None:
        raise RecordRefused(
            f"{where}: {show(value, 60)} is no {type_name(node.form)}{_choices(node)}"
        )
    return made


def _choices(node: Node) -> str:
    if not node.is_enum:
        return ""
    return f"; choose one of {', '.join(str(member.value) for member in node.bare)}"


def _as_data(value: Any, node: Node) -> Any:
    """What TOML has types for and JSON has not; numbers where a Decimal or a float is wanted; UTC
    where no zone is.
    """
    is_number = isinstance(value, (int, float)) and not isinstance(value, bool)
    if node.bare is Decimal and is_number:
        return str(value)
    if node.bare is float and is_number:
        return float(value)
    if node.bare is datetime:
        return _as_moment(value)
    if isinstance(value, list) and node.kind is Kind.ITEMS:
        return [_as_data(item, node.item) for item in value]
    return value


def _as_moment(value: object) -> Any:
    if isinstance(value, str):
        try:
            value = datetime.fromisoformat(value)
        except ValueError:
            return value
    elif isinstance(value, date) and not isinstance(value, datetime):
        value = datetime(value.year, value.month, value.day)
    return (
        value.replace(tzinfo=UTC) if isinstance(value, datetime) and value.tzinfo is None else value
    )


def rule_from(entry: object, node: Node, where: str, link_to: LinkTo) -> Rule:
    """A rule as a plan file tells it: a table with the rule's name, or a plain value.

    Args:
        entry: the TOML value.
        node: the field's type.
        where: file, table and field, for messages.
        link_to: gives the link to another table of the plan.
    """
    if not isinstance(entry, Mapping):
        return constant(as_typed(entry, node, where))
    known = planned_rules()
    names = [name for name in entry if name in known]
    if len(names) != 1:
        raise RecordRefused(
            f"{where}: a rule is a table with one of {', '.join(sorted(known))}, not "
            f"{show(dict(entry), 80)}"
        )
    name = names[0]
    options = {key: value for key, value in entry.items() if key != name}
    unknown = sorted(options.keys() - known[name].options)
    if unknown:
        hint = nearest(unknown[0], known[name].options)
        raise RecordRefused(f"{where}: the rule {name!r} has no option {unknown[0]!r}; {hint}")
    given = PlanRule(
        entry[name],
        options,
        node,
        where,
        typed=lambda value: as_typed(value, node, where),
        rule_of=lambda inner: rule_from(inner, node, where, link_to),
        link_to=link_to,
        number_rule=lambda inner: rule_from(inner, ANYTHING, where, link_to),
    )
    try:
        return known[name].make(given)
    except RecordRefused as refused:
        raise (
            refused if str(refused).startswith(where) else RecordRefused(f"{where}: {refused}")
        ) from None
    except (TypeError, ValueError) as why:
        raise RecordRefused(
            f"{where}: the rule {name!r} cannot be made of {show(entry[name], 60)} ({why})"
        ) from None


def written(rule: Rule) -> str:
    """A rule as an inline table of TOML, which `rule_from` reads again.

    Raises:
        RecordRefused: it is made of Python code.

    >>> from urnshelf import rules
    >>> written(rules.between(Decimal("1.50"), Decimal("9.00")))
    '{ between = ["1.50", "9.00"], decimals = 2 }'
    """
    return toml_of(rule.to_plan())


def toml_key(name: str) -> str:
    """A name as a key of TOML, in quotes where it must be."""
    return name if re.fullmatch(r"[A-Za-z0-9_-]+", name) else toml_of(name)


def toml_of(value: object) -> str:
    """A value as TOML has it, in one line."""
    if isinstance(value, Mapping):
        return f"{{ {', '.join(f'{toml_key(n)} = {toml_of(one)}' for n, one in value.items())} }}"
    if isinstance(value, list):
        return f"[{', '.join(map(toml_of, value))}]"
    if isinstance(value, (datetime, date)):
        return value.isoformat()
    if value is None:
        raise RecordRefused(
            "TOML has no None: use sometimes_none, or leave the field to its default"
        )
    # the one sign that JSON takes as it is, and TOML does not
    return json.dumps(value, ensure_ascii=False).replace("\x7f", "\\u007F")
