"""A value that the pattern of a case takes."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from typing import Any

from urnshelf.drafting.arrangement import Arrangement
from urnshelf.drafting.carrying import carried
from urnshelf.drafting.decisions import Decision, Way
from urnshelf.drafting.trial import Trial
from urnshelf.drafting.usual_values import NO_VALUE, others, usual
from urnshelf.drafting.values import Drawn, Leaf, is_plain, node_for
from urnshelf.records.recognising import describe
from urnshelf.types.nodes import node_of

_ANYTHING: Any = object()


def by_case(
    trial: Trial, decision: Decision, way: Way, leaves: list[Leaf], space: dict[str, Any]
) -> Iterator[Arrangement]:
    """Arrangements in which what is looked at fits a case; for none of them, something else.

    Args:
        trial: that reached the decision.
        decision: a `match`.
        way: the number of the case, or -1.
        leaves: the trial's.
        space: the names of the module.
    """
    node = decision.node
    if not isinstance(node, ast.Match):
        return
    for subject, _ in trial.operands.get(way.site, [])[:6]:
        if way.outcome == -1:
            for other in others(subject, node_for(subject)):
                yield from carried(trial, subject, other, leaves)
            continue
        for example in _examples(node.cases[int(way.outcome)].pattern, space):
            yield from _all_parts(trial, subject, example, leaves)
            yield from carried(trial, subject, _filled(example, subject), leaves)


def wanted_by(decision: Decision, way: Way, space: dict[str, Any]) -> list[Any]:
    """The plain values that a case takes."""
    node = decision.node
    if not isinstance(node, ast.Match) or way.outcome == -1:
        return []
    return [one for one in _examples(node.cases[int(way.outcome)].pattern, space) if is_plain(one)]


def _examples(pattern: ast.pattern, space: dict[str, Any]) -> Iterator[Any]:
    """Values that a pattern takes; `_ANYTHING` where any will do."""
    if isinstance(pattern, ast.MatchValue):
        yield _evaluated(pattern.value, space)
    elif isinstance(pattern, ast.MatchSingleton):
        yield pattern.value
    elif isinstance(pattern, ast.MatchOr):
        for one in pattern.patterns:
            yield from _examples(one, space)
    elif isinstance(pattern, ast.MatchSequence):
        parts = [one for one in pattern.patterns if not isinstance(one, ast.MatchStar)]
        yield tuple(next(_examples(one, space)) for one in parts)
    elif isinstance(pattern, ast.MatchMapping):
        keys = [_evaluated(key, space) for key in pattern.keys]
        yield {k: next(_examples(p, space)) for k, p in zip(keys, pattern.patterns, strict=True)}
    elif isinstance(pattern, ast.MatchClass):
        yield from _of_class(pattern, space)
    elif isinstance(pattern, ast.MatchAs) and pattern.pattern is not None:
        yield from _examples(pattern.pattern, space)
    else:
        yield _ANYTHING


def _of_class(pattern: ast.MatchClass, space: dict[str, Any]) -> Iterator[Any]:
    cls = _evaluated(pattern.cls, space)
    if not isinstance(cls, type):
        return
    if describe(cls) is None:
        value = usual(node_of(cls))
        if value is not NO_VALUE:
            yield value
        return
    names = [*getattr(cls, "__match_args__", ())[: len(pattern.patterns)], *pattern.kwd_attrs]
    parts = [next(_examples(one, space)) for one in (*pattern.patterns, *pattern.kwd_patterns)]
    told = {n: one for n, one in zip(names, parts, strict=False) if one is not _ANYTHING}
    yield Drawn(cls, told)


def _evaluated(node: ast.expr, space: dict[str, Any]) -> Any:
    try:
        return eval(compile(ast.Expression(node), "<case>", "eval"), dict(space))
    except Exception:
        return _ANYTHING


def _filled(example: Any, subject: Any) -> Any:
    """An example, with what any value will do for taken from the subject."""
    if example is _ANYTHING:
        return subject
    if isinstance(example, tuple):
        items = list(subject) if isinstance(subject, (list, tuple)) else []
        items += ["ahoy"] * len(example)
        found = [_filled(one, items[n]) for n, one in enumerate(example)]
        return tuple(found) if isinstance(subject, tuple) else found
    if isinstance(example, dict):
        old = subject if isinstance(subject, dict) else {}
        return {**old, **{k: _filled(v, old.get(k, "ahoy")) for k, v in example.items()}}
    return example


def _all_parts(
    trial: Trial, subject: Any, example: Any, leaves: list[Leaf]
) -> Iterator[Arrangement]:
    """All parts of a tuple changed at once, each where it came from."""
    if not isinstance(example, tuple) or not isinstance(subject, tuple):
        return
    if len(example) != len(subject):
        return
    found = trial.arrangement
    for old, new in zip(subject, example, strict=True):
        if new is _ANYTHING or old == new:
            continue
        changed = next(carried(trial, old, new, leaves), None)
        if changed is None:
            return
        found = _merged(trial.arrangement, changed, found)
    yield found


def _merged(base: Arrangement, changed: Arrangement, found: Arrangement) -> Arrangement:
    """One more change on top of others."""
    for part in ("given", "built", "replies"):
        old, new = getattr(base, part), getattr(changed, part)
        for name, value in new.items():
            if name not in old or old[name] is not value:
                found = found.put((part, name), value)
    records = [
        new if n >= len(base.records) or base.records[n] is not new else found.records[n]
        for n, new in enumerate(changed.records)
    ]
    for number, record in enumerate(records):
        if found.records[number] is not record:
            found = found.put(("records", number), record)
    return found
