"""Records of random types: what is drawn keeps its types and limits, many are the same as few, and
all of them come back from files and databases.
"""

from __future__ import annotations

import enum
import ipaddress
import os
import pathlib
from collections.abc import Callable
from dataclasses import make_dataclass
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from random import Random
from typing import Annotated, Any, Literal, Optional, Union, get_type_hints
from uuid import UUID

import annotated_types as at
import pydantic
import pytest

from urnshelf import RecordRefused, Shelf, Urn


class Mixed(enum.Enum):
    ONE = 1
    TWO = "b"


class Flags(enum.Flag):
    X = 1
    Y = 2


NAMES = """id name email phone price age month code created_at updated_at city url description
quantity ratio latitude status starts_on ends_on note tags seconds x""".split()
PLAIN: list[Any] = [
    int, int, float, str, str, Decimal, date, datetime, bool, time, timedelta, UUID, bytes, Mixed,
    Flags, ipaddress.IPv4Address, pathlib.Path,
]  # fmt: skip
REFUSALS = ("only", "can change", "be assigned", "belongs to nobody", "no new one came")
PATTERNS = [r"^[a-z]+$", r"^\d{3,30}$", r"^[A-Z]{2}"]


def limited(random: Random, form: Any) -> Any:
    """A plain type, some limits on it."""
    notes: list[Any] = []

    def maybe(share: float, make: Callable[[], Any]) -> None:
        if random.random() < share:
            notes.append(make())

    if form in (int, float, Decimal):
        number = (lambda n: Decimal(str(n))) if form is Decimal else lambda n: n
        low = random.choice([-10, 0, 1, 5, 100])
        span = random.choice([2, 10, 1000])
        maybe(0.4, lambda: random.choice([at.Ge, at.Gt])(number(low)))
        maybe(0.4, lambda: random.choice([at.Le, at.Lt])(number(low + span)))
        maybe(0.1, lambda: at.MultipleOf(number(random.choice([1, 2]))))
    elif form is str:
        maybe(0.3, lambda: at.MinLen(random.randint(0, 20)))
        maybe(0.3, lambda: at.MaxLen(random.randint(20, 60)))
        maybe(0.1, lambda: pydantic.Field(pattern=random.choice(PATTERNS)))
    elif form is date:
        maybe(0.3, lambda: at.Ge(date(2020 + random.randint(0, 20), 1, 1)))
    elif form is datetime:
        zone = random.choice([None, UTC])
        maybe(0.3, lambda: at.Lt(datetime(2020 + random.randint(0, 20), 1, 1, tzinfo=zone)))
    return Annotated[(form, *notes)] if notes else form


def any_type(random: Random, depth: int = 0) -> Any:
    """A type."""

    def inner() -> Any:
        return any_type(random, depth + 1)

    chance = random.random()
    makers: list[tuple[float, Callable[[], Any]]] = [
        (0.55 if depth < 3 else 1, lambda: limited(random, random.choice(PLAIN))),
        (0.65, lambda: Optional[inner()]),  # noqa: UP045
        (0.69, lambda: list[inner()]),  # type: ignore[misc]
        (
            0.73,
            lambda: Annotated[list[inner()], at.Len(random.randint(0, 2), random.randint(2, 5))],
        ),
        (0.78, lambda: dict[random.choice([str, int, Mixed]), inner()]),  # type: ignore[misc]
        (0.82, lambda: tuple[inner(), inner()]),  # type: ignore[misc]
        (0.86, lambda: set[random.choice([int, str, date])]),  # type: ignore[misc]
        (0.91, lambda: Union[inner(), inner()]),  # noqa: UP007
        (0.94, lambda: Literal["a", "b", 3, "3"]),
        (1, lambda: record(random, depth + 1)),
    ]
    return next(make for share, make in makers if chance <= share)()


def record(random: Random, depth: int = 0) -> Any:
    """A record type."""
    names = random.sample(NAMES, random.randint(1, 5))
    made = make_dataclass(
        f"Made{random.randrange(10**9)}", [(name, any_type(random, depth + 1)) for name in names]
    )
    made.__module__ = __name__
    return made


@pytest.mark.parametrize("seed", range(60 if "CI" in os.environ else 12))
def test_records_of_random_types(tmp_path: pathlib.Path, seed: int) -> None:
    random = Random(seed)
    served = 0
    for number in range(4):
        kind = record(random)
        try:
            drawn = Urn(7).draw(kind, 20)
            shelf = Shelf(seed=7)
            shelf.stock(kind, 15)
        except RecordRefused as refused:
            told = str(refused)
            assert any(word in told for word in REFUSALS), (told, kind)
            continue
        for name, form in get_type_hints(kind, include_extras=True).items():
            judge = pydantic.TypeAdapter(form)
            for one in drawn:
                judge.validate_python(getattr(one, name))
        assert repr(Urn(7).draw(kind, 600)[:20]) == repr(drawn)
        for place in ("json", "csv", "jsonl", "parquet", "sql"):
            other, path = Shelf(), tmp_path / f"{number}.{place}"
            if place == "sql":
                shelf.save_sql(f"sqlite:///{path}")
                other.load_sql(f"sqlite:///{path}", kind)
            elif place == "json":
                shelf.save(path)
                other.load(path, kind)
            else:
                shelf.save(tmp_path / f"{number}-{place}", place)
                other.load(tmp_path / f"{number}-{place}", kind)
            assert list(other.records(kind)) == list(shelf.records(kind)), (place, kind)
        served += 1
    assert served
