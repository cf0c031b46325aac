"""The fields of an arrangement's records that are told, and those that the urn draws."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from urnshelf.drafting.arrangement import Arrangement
from urnshelf.drafting.trial import Trial
from urnshelf.drafting.values import NO_CODE, Drawn, Path, as_told
from urnshelf.records.recognising import describe


def told_in(arrangement: Arrangement) -> Iterator[tuple[Path, dict[str, Any]]]:
    """The records of an arrangement, and the fields that are told of each."""

    def inside(value: Any, at: Path) -> Iterator[tuple[Path, dict[str, Any]]]:
        if isinstance(value, Drawn):
            yield at, dict(value.told)
            for name, one in value.told.items():
                yield from inside(one, (*at, name))
        elif isinstance(value, (list, tuple)):
            for number, one in enumerate(value):
                yield from inside(one, (*at, number))
        elif isinstance(value, dict):
            for name, one in value.items():
                yield from inside(one, (*at, name))

    for number, record in enumerate(arrangement.records):
        yield from inside(record, ("records", number))
    for part in ("built", "given", "replies"):
        for name, value in getattr(arrangement, part).items():
            yield from inside(value, (part, name))


def value_at(arrangement: Arrangement, path: Path) -> Any:
    """The value at a place."""
    part, name, *rest = path
    value: Any = getattr(arrangement, part)[name]
    for one in rest:
        value = value.told[one] if isinstance(value, Drawn) else value[one]
    return value


def is_told(arrangement: Arrangement, path: Path) -> bool:
    """Whether a value is written in the arrangement."""
    value: Any = arrangement
    part, *rest = path
    value = getattr(arrangement, part)
    for one in rest:
        try:
            value = value.told[one] if isinstance(value, Drawn) else value[one]
        except (KeyError, IndexError, TypeError):
            return False
    return True


def is_key(arrangement: Arrangement, path: Path) -> bool:
    """Whether a value is the key of a record."""
    if len(path) < 3:
        return False
    around = value_at(arrangement, path[:-1])
    described = describe(around.form) if isinstance(around, Drawn) else None
    return described is not None and path[-1] in described.key


def retold(arrangement: Arrangement, at: Path, told: dict[str, Any]) -> Arrangement:
    """The same with other fields of one record told."""
    record = value_at(arrangement, at)
    return arrangement.put(at, Drawn(record.form, told))


def all_told(trial: Trial) -> Arrangement:
    """The arrangement with every plain field told as it was drawn."""
    arrangement = trial.arrangement
    for at, told in list(told_in(arrangement)):
        record = value_at(arrangement, at)
        described = describe(record.form)
        fields = trial.drawn.get(at, {})
        more = {
            name: value
            for name, value in fields.items()
            if name not in told and described is not None and name in described.given
            and name.isidentifier() and not (value is None and name in described.key)
        }  # fmt: skip
        shown = {name: as_told(value) for name, value in more.items()}
        kept = {name: value for name, value in shown.items() if value is not NO_CODE}
        arrangement = arrangement.put(at, Drawn(record.form, {**kept, **told}))
    return arrangement
