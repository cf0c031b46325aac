"""Field names that mean something: the rule that a name, a type and the fields beside it suggest
together.
"""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from decimal import Decimal
from typing import Any

from urnshelf.urn.amounts import amount_rule, span_rule
from urnshelf.urn.life_lines import time_rule, when
from urnshelf.urn.marks import mark_rule
from urnshelf.urn.number_names import number_rule
from urnshelf.urn.pairs import pair_rule
from urnshelf.urn.persons import person_rule
from urnshelf.urn.rules.base import Composed, Rule
from urnshelf.urn.siblings import Siblings, beside, plain, split
from urnshelf.urn.standings import Where, standing_rule
from urnshelf.urn.text_names import text_rule_of
from urnshelf.urn.trees import tree_rule
from urnshelf.urn.whereabouts import place_rule, position_rule

_BIRTH = ("birth_date", "date_of_birth", "birthdate", "birthday", "born", "born_on", "dob")
TODAY = date(2030, 6, 1)
"""The urn's own, by which ages are told."""


def rule_for(name: str, form: object, siblings: Siblings) -> Rule | None:
    """The rule that a field's name suggests for its type; None when it says nothing.

    Args:
        name: the field's name.
        form: its bare type.
        siblings: the names and types of all fields of the record; none for a name alone.
    """
    mark = mark_rule(name, form, siblings) if form in (bool, int, str) else None
    if mark is not None:
        return mark
    if form is str:
        return (
            person_rule(name, siblings)
            or place_rule(name, siblings)
            or text_rule_of(name, siblings)
        )
    if form in (datetime, date, time):
        return _moment(name, form, siblings)
    if form in (int, float, Decimal):
        return _number(name, form, siblings)
    return span_rule(name, form, siblings) if form is timedelta else None


def _moment(name: str, form: Any, siblings: Siblings) -> Rule | None:
    rule = time_rule(name, form, siblings)
    found = when(name)
    node = siblings.get(name)
    if rule is None or found is None or node is None or not node.optional:
        return rule
    return standing_rule(found, siblings, rule) or rule


def _number(name: str, form: Any, siblings: Siblings) -> Rule | None:
    if name in siblings:
        found = (
            _age(name, form, siblings)
            or tree_rule(name, form, siblings)
            or position_rule(name, form, siblings)
            or amount_rule(name, form, siblings)
            or pair_rule(name, form, siblings)
        )
        rule = found or number_rule(name, form, siblings)
        return rule if rule is None else _where_it_is(name, rule, siblings)
    return number_rule(name, form, siblings)


def _where_it_is(name: str, rule: Rule, siblings: Siblings) -> Rule:
    """A price of what was sold is there where it is sold, or where its day is there."""
    if not siblings[name].optional:
        return rule
    first = plain(name).split("_")[0]
    for other, node in siblings.items():
        found = when(other) if node.optional and node.bare in (date, datetime) else None
        if found is not None and found.word in (first, f"{first}ed", f"{first}d"):
            return Where(other, None, rule)
    event = when(plain(name).split("_")[0])
    if event is None or event.stage in ("born", "made"):
        return rule
    return standing_rule(event, siblings, rule) or rule


def _age(name: str, form: Any, siblings: Siblings) -> Rule | None:
    """Whole years since the day of birth."""
    parts = split(name, ("age",))
    if parts is None or form is not int or plain(name) == "average_age":
        return None
    born = beside(siblings, _BIRTH, parts[0])
    if born is None or siblings[born].bare not in (date, datetime) or siblings[born].optional:
        return None
    return Composed(_years, needs=(born,))


def _years(born: date) -> int:
    return TODAY.year - born.year - ((TODAY.month, TODAY.day) < (born.month, born.day))
