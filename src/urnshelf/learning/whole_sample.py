"""A whole sample learnt: table by table, parents first, and checked before it is given out."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from urnshelf.errors import RecordRefused, SampleRefused
from urnshelf.learning.belonging_tables import (
    LinkFound,
    children_rule,
    depths,
    gathered_rules,
    keys_of,
    links_of,
    popularity,
)
from urnshelf.learning.column_rule import ColumnRule, Settings
from urnshelf.learning.factors import Factor, banded
from urnshelf.learning.leaks import LeakCheck, leak_check
from urnshelf.learning.learnt import Learnt, drawn_table, read_text
from urnshelf.learning.one_table import TableLearner
from urnshelf.learning.plan_text import plan_text
from urnshelf.learning.sample import SampleTable
from urnshelf.learning.typed import closed_fields, fitted_to_type, type_of
from urnshelf.types.loading import load_type

_FEW, _MANY, _FROM = 5, 10, 1000
_ONLY = "records"
"""The name by which the type of the only table is told, whatever that is called."""
_SMALLEST_SAMPLE = 4
"""So many smallest groups a table has at the least."""


class WholeSample:
    """All tables of a sample.

    Args:
        tables: by name.
        smallest: what fewer rows share is not told; None for what is usual.
        relabel: columns whose labels are made anew.
        types: record types, by the names of tables.
    """

    def __init__(
        self,
        tables: dict[str, SampleTable],
        smallest: int | None,
        relabel: frozenset[str],
        types: Mapping[str, Any],
    ) -> None:
        self._tables, self._smallest, self._relabel = tables, smallest, relabel
        self._check_types(types)
        told = {name: types[name] for name in tables if name in types}
        if len(tables) == 1 and len(types) == 1 and not told:
            told = dict.fromkeys(tables, next(iter(types.values())))
        self._types = {
            name: one if isinstance(one, str) else type_of(one) for name, one in told.items()
        }
        self._forms = {
            name: load_type(one) if isinstance(one, str) else one for name, one in told.items()
        }
        self._check()

    def _check_types(self, types: Mapping[str, Any]) -> None:
        is_only = len(self._tables) == 1 == len(types)
        lacking = [
            one for one in types if one not in self._tables and not (is_only and one == _ONLY)
        ]
        if lacking:
            raise SampleRefused(
                f"a type for {lacking[0]!r}: the sample has the tables {', '.join(self._tables)}"
            )

    def _check(self) -> None:
        names = [column for table in self._tables.values() for column in table.columns]
        for one in self._relabel:
            if one not in names:
                raise SampleRefused(f"relabel {one!r}: no table of the sample has such a column")
        if self._smallest is not None and self._smallest < 2:
            raise SampleRefused(
                f"smallest group {self._smallest}: what one row alone has would be told; give 2 or "
                "more"
            )
        for table in self._tables.values():
            fewest = _SMALLEST_SAMPLE * self._settings(table).smallest
            if table.count < fewest:
                raise SampleRefused(
                    f"{table.origin}: {table.count} rows are too few to hide anybody in; "
                    f"{fewest} are needed with groups of {self._settings(table).smallest}, "
                    "--smallest-group K tells others"
                )

    def _settings(self, table: SampleTable) -> Settings:
        usual = _FEW if table.count < _FROM else _MANY
        closed = (
            closed_fields(self._forms[table.name]) if table.name in self._forms else frozenset()
        )
        return Settings(self._smallest or usual, self._relabel, closed)

    def learn(self, check_leaks: bool) -> Learnt:
        """The rules of all tables.

        Raises:
            SampleRefused: the check found that they would give the sample away.
        """
        keys = keys_of(self._tables) if len(self._tables) > 1 else {}
        links = links_of(self._tables, keys)
        depth = depths(self._tables, links)
        order = sorted(self._tables, key=lambda name: depth[name])
        columns = self._columns(order, keys, links)
        plan = self._plan(columns, links)
        leaks = []
        if check_leaks:
            leaks = [self._checked(self._tables[name]) for name in order]
        for one in leaks:
            if one.verdict == "refused":
                raise SampleRefused(
                    f"{one}: what was learnt would give the sample away, so nothing is written; "
                    "learn from more rows, with a greater --smallest-group, or without the columns "
                    "that name people"
                )
        return Learnt(plan, columns, links, {name: self._tables[name] for name in order}, leaks)

    def _columns(
        self, order: list[str], keys: Mapping[str, str], links: list[LinkFound]
    ) -> dict[str, list[ColumnRule]]:
        fixed: dict[str, dict[str, ColumnRule]] = {name: {} for name in order}
        for name in order:
            if name in keys and not any(
                one.child == name and one.column == keys[name] for one in links
            ):
                fixed[name][keys[name]] = self._key_rule(self._tables[name], keys[name])
        for link in links:
            fixed[link.child][link.column] = self._link_rule(link)
        for link in reversed(links):
            if link.dealt:
                parent, child = self._tables[link.parent], self._tables[link.child]
                for rule in gathered_rules(link, parent, child, fixed[link.parent]):
                    fixed[link.parent][rule.name] = rule
        factors: dict[str, list[Factor]] = {}
        found: dict[str, list[ColumnRule]] = {}
        for name in order:
            table = self._tables[name]
            given = [*_counts(name, links, self._tables), *_given(name, links, factors, fixed)]
            learner = TableLearner(table, fixed[name], given, self._settings(table))
            found[name] = learner.learn()
            factors[name] = learner.factors
            if name in self._forms:
                found[name] = fitted_to_type(found[name], table, self._forms[name])
        return found

    def _key_rule(self, table: SampleTable, key: str) -> ColumnRule:
        column = table.columns[key]
        if not column.is_labelled:
            rule: Any = {"serial": ""}
        else:
            from urnshelf.learning.text_forms import text_rule

            rule, _ = text_rule(column, self._settings(table).smallest)
            if "all_different" not in rule:
                rule = {"serial": f"{table.name[:1].upper()}-", "digits": 6}
        return ColumnRule(key, "key", rule, f"{table.count} different", "", "the key, made anew")

    def _link_rule(self, link: LinkFound) -> ColumnRule:
        parent = self._tables[link.parent]
        where = f"{link.parent}.{link.key}, on all {link.rows} rows"
        if link.dealt:
            children, told = children_rule(link, parent.count, self._settings(parent).smallest)
            rule: dict[str, Any] = {"dealt": link.parent, "children": children}
            told = f"a child of {where}; {told}"
        else:
            rule = {"link": link.parent}
            told = f"{popularity(link, parent.count)}; {where}"
        if link.key != "id":
            rule["field"] = link.key
        return ColumnRule(link.column, "link", rule, "", told)

    def _plan(self, columns: Mapping[str, list[ColumnRule]], links: list[LinkFound]) -> str:
        head = [
            "Learnt by urnshelf learn. What few rows share is not in it; labels of categories are,",
            "as they stand in the sample. It is yours to edit: counts, weights, quantiles, leans.",
        ]
        dealt = {link.child: link.column for link in links if link.dealt}
        counts = {name: self._tables[name].count for name in columns}
        return plan_text(columns, counts, self._types, dealt, head)

    def _checked(self, table: SampleTable) -> LeakCheck:
        """The check of one table, without what belongs to others."""
        settings = self._settings(table)

        def draw(half: SampleTable, count: int) -> SampleTable | None:
            rules = TableLearner(half, {}, [], settings).learn()
            text = plan_text({table.name: rules}, {table.name: count}, {}, {}, [])
            # what is drawn anew, whatever it was, tells nothing of closeness
            anew = [one.name for one in rules if not one.is_compared]
            try:
                return drawn_table(read_text(text)[table.name], count, anew)
            except RecordRefused:  # too few values for half of it
                return None

        return leak_check(table, draw)


def _counts(name: str, links: list[LinkFound], tables: Mapping[str, SampleTable]) -> list[Factor]:
    """How many children each row has, in bands."""
    found = []
    for link in links:
        if link.parent == name and link.dealt:
            count = np.bincount(link.parents, minlength=tables[name].count).astype(float)
            bands = banded(f"count {link.child}", count, 6, lambda one: str(int(one)))
            if bands is not None:
                found.append(bands)
    return found


def _given(
    name: str,
    links: list[LinkFound],
    factors: Mapping[str, list[Factor]],
    fixed: Mapping[str, Mapping[str, ColumnRule]],
) -> list[Factor]:
    """What the parents' columns divide a table's rows into, also two tables up."""
    found: list[Factor] = []
    for link in links:
        if link.child != name or not link.dealt:
            continue
        rows = link.parents
        for factor in factors[link.parent]:
            # what is gathered from the children cannot tell of them
            if any(one in fixed[link.parent] for one in factor.fields if "." not in one):
                continue
            fields = tuple(f"{link.column}.{one}" for one in factor.fields)
            may_tell = all(one.count(".") <= 2 and "count " not in one for one in fields)
            if may_tell:
                found.append(Factor(fields, factor.codes[rows], factor.keys))
    return found
