"""Texts and TOML values made into values of a field's type, and tables of TOML into rules."""

from __future__ import annotations

import ast
from collections.abc import Callable, Mapping
from datetime import UTC, date, datetime
from decimal import Decimal
from enum import Enum
from pathlib import Path
from typing import Any, get_args, get_origin
from uuid import UUID

from urnshelf.errors import RecordRefused
from urnshelf.interfaces.hints import type_name
from urnshelf.interfaces.promises import misfit
from urnshelf.records.display import show
from urnshelf.urn import rules
from urnshelf.urn.types import without_none

LinkTo = Callable[[str, str | None], rules.Rule]


def from_text(text: str, form: Any, where: str) -> Any:
    """A value told on the command line.

    Args:
        text: as typed.
        form: the field's type.
        where: for the message.

    >>> from_text("1.50", Decimal, "rate")
    Decimal('1.50')
    """
    if without_none(form)[0] in (str, Decimal):
        return as_typed(text, form, where)  # as it stands: a Decimal keeps its zeros
    try:
        value = ast.literal_eval(text)
    except (ValueError, SyntaxError):
        value = text
    return as_typed(value, form, where)


def as_typed(value: Any, form: Any, where: str) -> Any:
    """A plain value as a value of the field's type; raises RecordRefused when it is none."""
    form, may_be_none = without_none(form)
    if value is None and may_be_none:
        return None
    try:
        made = _converted(value, form)
    except (ValueError, ArithmeticError, TypeError):
        made = value
    if misfit(made, form) is not None:
        raise RecordRefused(f"{where}: {show(value, 60)} is no {type_name(form)}{_choices(form)}")
    return made


def _choices(form: Any) -> str:
    if isinstance(form, type) and issubclass(form, Enum):
        return f"; choose one of {', '.join(str(member.value) for member in form)}"
    return ""


def _converted(value: Any, form: Any) -> Any:
    if isinstance(form, type) and issubclass(form, Enum):
        return form[value] if value in form.__members__ else form(value)
    if form is Decimal and isinstance(value, (int, float, str)) and not isinstance(value, bool):
        return Decimal(str(value))
    if form is float and isinstance(value, int) and not isinstance(value, bool):
        return float(value)
    if form is datetime:
        return _moment(value)
    if form is date and isinstance(value, str):
        return date.fromisoformat(value)
    if get_origin(form) is list and isinstance(value, list):
        return [_converted(item, get_args(form)[0]) for item in value]
    if isinstance(value, str) and (form is UUID or form is Path):
        return UUID(value) if form is UUID else Path(value)
    return value


def _moment(value: Any) -> Any:
    if isinstance(value, str):
        value = datetime.fromisoformat(value)
    elif isinstance(value, date) and not isinstance(value, datetime):
        value = datetime(value.year, value.month, value.day)
    return value.replace(tzinfo=UTC) if isinstance(value, datetime) and value.tzinfo is None else value


def rule_from(told: Any, form: Any, where: str, link_to: LinkTo) -> Any:
    """A rule as a plan file tells it: a table with the rule's name, or a plain value.

    Args:
        told: the TOML value.
        form: the field's type.
        where: file, table and field, for messages.
        link_to: gives the link to another table of the plan.
    """
    if not isinstance(told, Mapping):
        return rules.constant(as_typed(told, form, where))
    names = [name for name in told if name in _RULES]
    if len(names) != 1:
        raise RecordRefused(f"{where}: a rule is a table with one of {', '.join(_RULES)}, not {show(dict(told), 80)}")
    name = names[0]
    rest = {key: value for key, value in told.items() if key != name}
    unknown = sorted(rest.keys() - _OPTIONS.get(name, frozenset()))
    if unknown:
        raise RecordRefused(f"{where}: the rule {name!r} has no option {unknown[0]!r}")
    try:
        return _RULES[name](told[name], rest, form, where, link_to)
    except RecordRefused as refused:
        raise refused if str(refused).startswith(where) else RecordRefused(f"{where}: {refused}") from None
    except (TypeError, ValueError) as why:
        raise RecordRefused(f"{where}: the rule {name!r} cannot be made of {show(told[name], 60)} ({why})") from None


def _between(value: Any, rest: Any, form: Any, where: str, _: LinkTo) -> rules.Rule:
    if not isinstance(value, list) or len(value) != 2:
        raise RecordRefused(f"{where}: between is a list of the least and the greatest value")
    low, high = (as_typed(end, form, where) for end in value)
    return rules.between(low, high, **rest)


def _among(value: Any, rest: Any, form: Any, where: str, _: LinkTo) -> rules.Rule:
    return rules.among(*[as_typed(choice, form, where) for choice in value], **rest)


def _inner(make: Callable[..., rules.Rule]) -> Callable[..., rules.Rule]:
    def wrapped(value: Any, rest: Any, form: Any, where: str, link_to: LinkTo) -> rules.Rule:
        return make(rule_from(value, without_none(form)[0], where, link_to), **rest)

    return wrapped


def _distribution(value: Any, rest: Any, form: Any, where: str, _: LinkTo) -> rules.Rule:  # noqa: ARG001
    try:
        import scipy.stats
    except ImportError:
        raise RecordRefused(f'{where}: a distribution needs SciPy: pip install "urnshelf[data]"') from None
    options = dict(rest)
    kind = getattr(scipy.stats, value, None)
    if kind is None or not hasattr(kind, "ppf"):
        raise RecordRefused(f"{where}: scipy.stats has no distribution {value!r}")
    return rules.distribution(kind(*options.pop("args", [])), **options)


_RULES: dict[str, Callable[..., rules.Rule]] = {
    "between": _between,
    "among": _among,
    "pattern": lambda value, rest, *_: rules.pattern(value, **rest),
    "template": lambda value, rest, *_: rules.template(value, **rest),
    "serial": lambda value, rest, *_: rules.serial(value or None, **rest),
    "drift": lambda value, rest, *_: rules.drift(value, **rest),
    "constant": lambda value, rest, form, where, _: rules.constant(as_typed(value, form, where), **rest),
    "sometimes_none": _inner(rules.sometimes_none),
    "all_different": _inner(rules.all_different),
    "distribution": _distribution,
    "link": lambda value, rest, form, where, link_to: link_to(value, rest.get("field")),
}
_OPTIONS: dict[str, frozenset[str]] = {
    "between": frozenset({"places"}),
    "among": frozenset({"weights"}),
    "serial": frozenset({"start", "digits"}),
    "drift": frozenset({"step", "places"}),
    "sometimes_none": frozenset({"rate"}),
    "distribution": frozenset({"args", "low", "high", "outside", "places"}),
    "link": frozenset({"field"}),
}
