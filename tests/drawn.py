"""What is drawn to see that drawn values stay as they are: every kind of record, type, name and
rule.
"""

import collections.abc as abc
import dataclasses
import json
import typing
from collections import OrderedDict, deque
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from enum import Enum
from hashlib import blake2b
from pathlib import Path, PurePath
from typing import Any
from uuid import UUID

import scipy.stats

import record_types as kinds
from record_types import SCHEMA
from urnshelf import Urn, rules
from urnshelf.demo.harbour import Berth, Mooring, QuayReport, Vessel

RECORDS = [
    Vessel,
    Berth,
    Mooring,
    QuayReport,
    kinds.Plain,
    kinds.Frozen,
    kinds.Base,
    kinds.Child,
    kinds.Box[int],
    kinds.Node,
    kinds.Nested,
    kinds.Point,
    kinds.Options,
    kinds.Loose,
    kinds.Limited,
    kinds.WithAttrs,
    kinds.FrozenAttrs,
    kinds.Address,
    kinds.Model,
    kinds.Struct,
    kinds.Row,
    kinds.ByConstructor,
]
VALUES = [
    bool,
    int,
    float,
    str,
    bytes,
    bytearray,
    complex,
    Decimal,
    date,
    datetime,
    time,
    timedelta,
    UUID,
    Path,
    PurePath,
    kinds.Flag,
    kinds.Light,
    kinds.Metres,
    int | None,
    typing.Literal["a", 3],
    list[int],
    tuple[int, str],
    tuple[float, ...],
    set[str],
    frozenset[int],
    dict[str, list[int]],
    abc.Sequence[str],
    abc.Mapping[str, int],
    deque[int],
    OrderedDict[str, int],
    typing.Any,
    int | str | kinds.Flag,
    list[kinds.Frozen],
    dict[str, Vessel],
    typing.Annotated[int, kinds.at.Ge(3), kinds.at.Lt(60)],
    typing.Annotated[str, kinds.at.Len(3, 5)],
    typing.Annotated[list[int], kinds.at.MinLen(2), kinds.at.MaxLen(4)],
    kinds.T,
    Vessel | None,
]
NAMES = """
first_name last_name middle_name full_name owner username company file_name host street_name name
title email phone ip ipv6 mac street address house_number postcode city harbour country_code flag
country department job url slug colour currency language timezone mime_type gtin sku code call_sign
version uuid token password status description note text plain_word
""".split()
NUMBERS = """
price total percentage latitude longitude quantity weight length width depth_m age year month day
days hour minutes rating score temperature speed port_number level id plain_number
""".split()
MOMENTS = """
created_at updated_at starts_on ends_on arrival departure birthday valid_from valid_until seen plain
""".split()
RULES = {
    "whole": rules.between(3, 9),
    "wide": rules.between(-(2**70), 2**70),
    "real": rules.between(1.0, 2.0),
    "tenths": rules.between(1, 9.5, decimals=1),
    "money": rules.between(Decimal("1.50"), Decimal("9.00")),
    "days": rules.between(date(2030, 1, 1), date(2030, 12, 31)),
    "moments": rules.between(datetime(2030, 1, 1, tzinfo=UTC), datetime(2030, 12, 31, tzinfo=UTC)),
    "spans": rules.between(timedelta(0), timedelta(days=3)),
    "choice": rules.among("a", "b", "c"),
    "weighted": rules.among("a", "b", "c", weights=[1, 5, 2]),
    "pattern": rules.pattern("[A-Z]{2}-[0-9]{4}"),
    "long_pattern": rules.pattern("(ab|c[d-f]{2,3})x?[0-9a-f]{12}"),
    "huge_pattern": rules.pattern("[A-Za-z0-9]{16}"),
    "template": rules.template("{whole}/{choice}"),
    "serial": rules.serial(),
    "serials": rules.serial("B-", start=7, digits=3),
    "constant": rules.constant(5),
    "seldom": rules.sometimes_none(rules.between(1, 9), 0.3),
    "different": rules.all_different(rules.between(1, 100_000)),
    "derived": rules.derived(lambda whole, real: whole * real),
    "drift": rules.drift(5.0, 0.5, 2),
    "normal": rules.distribution(scipy.stats.norm(5, 2), low=0, decimals=3),
    "clipped": rules.distribution(scipy.stats.expon(), high=1, outside="clip", decimals=3),
    "skewed": rules.between(1, 900, decimals=1, skewed=True),
    "after": rules.after("whole", (2, 5)),
    "formula": rules.formula("whole * 2.5 - 1", decimals=2),
    "known_by": rules.known_by("choice", {"a": "x", "b": "y"}, otherwise=rules.among("v", "w")),
    "quantiles": rules.quantiles([1.5, 2.0, 9.25], at=[0, 700, 1000]),
    "leaning": rules.quantiles([1, 20, 900], leans={"quantiles": 0.7, "whole": -0.4}),
    "grouped": rules.quantiles(
        {"a": [date(2030, 1, 1), date(2030, 2, 1)], "else": [date(2031, 1, 1), date(2031, 6, 1)]},
        by="choice",
    ),
    "banded": rules.among("s", "l", weights={"to 5": [3, 1], "above": [0, 1]}, by="whole"),
    "seldom_by": rules.sometimes_none("x", rate={"a": 0.9, "else": 0.1}, by="choice"),
    "later": rules.after("days", rules.quantiles([0, 40])),
    "called": rules.called("email"),
    "link": rules.link(Berth),
    "link_field": rules.link(Berth, "code", count=7),
}


def told(value: Any) -> str:
    """The value as a text that is the same in every process."""
    if isinstance(value, (set, frozenset)):
        return f"{{{', '.join(sorted(map(told, value)))}}}"
    if isinstance(value, Enum) or value is None or isinstance(value, (str, int, float)):
        return repr(value)
    if dataclasses.is_dataclass(value):
        parts = [
            f"{field.name}={told(getattr(value, field.name))}"
            for field in dataclasses.fields(value)
        ]
        return f"{type(value).__name__}({', '.join(parts)})"
    if hasattr(value, "get_secret_value"):
        return f"secret {value.get_secret_value()}"
    if isinstance(value, dict):
        return f"{{{', '.join(f'{told(k)}: {told(v)}' for k, v in value.items())}}}"
    if isinstance(value, (list, tuple, deque)):
        return f"{type(value).__name__}[{', '.join(map(told, value))}]"
    names = getattr(type(value), "__pydantic_fields__", None) or getattr(
        value, "__attrs_attrs__", None
    )
    if names is not None:
        parts = [n if isinstance(n, str) else n.name for n in names]
        return (
            f"{type(value).__name__}({', '.join(f'{n}={told(getattr(value, n))}' for n in parts)})"
        )
    if type(value).__module__ == "record_types" and hasattr(value, "__dict__"):
        shown = {k: told(v) for k, v in sorted(vars(value).items()) if not k.startswith("_")}
        return f"{type(value).__name__}({shown})"
    return repr(value)


def everything(n: int = 200) -> dict[str, list[str]]:
    """All that is drawn, by what it is."""
    urn = Urn(seed=7)
    found: dict[str, list[str]] = {}
    for form in RECORDS:
        name = getattr(form, "__name__", str(form))
        found[f"record {name}"] = [told(record) for record in urn.draw(form, n)]
        found[f"record {name} in columns"] = [
            told(record) for record in urn.draw(form, range(10, 10 + 520))
        ][-n:]
    for form in VALUES:
        found[f"type {form}".replace("pathlib._local.", "pathlib.")] = [
            told(value) for value in urn.draw(form, n)
        ]
    for form, names in (
        (str, NAMES),
        (int, NUMBERS),
        (float, NUMBERS),
        (Decimal, NUMBERS),
        (date, MOMENTS),
        (datetime, MOMENTS),
    ):
        for none in (False, True):
            made = dataclasses.make_dataclass(
                f"Named{form.__name__}{none}",
                [(name, form | None if none else form) for name in names],
            )
            made.__module__ = "named"
            records = urn.draw(made, n // 3)
            for name in names:
                found[f"name {name}: {form.__name__}{' | None' if none else ''}"] = [
                    told(getattr(record, name)) for record in records
                ]
    ruled = dataclasses.make_dataclass("Ruled", [(name, typing.Any) for name in RULES])
    ruled.__module__ = "ruled"
    for rows, label in (
        (urn.draw(ruled, n, **RULES), ""),
        (urn.draw(ruled, range(600), **RULES)[-n:], " in columns"),
    ):
        for name in RULES:
            found[f"rule {name}{label}"] = [told(getattr(record, name)) for record in rows]
    found["schema"] = [told(value) for value in urn.draw(SCHEMA, n)]
    return found


def digests(found: dict[str, list[str]]) -> dict[str, str]:
    """A digest and the first value of each."""
    return {
        name: f"{blake2b(chr(10).join(texts).encode(), digest_size=8).hexdigest()} {texts[0][:80]}"
        for name, texts in found.items()
    }


if __name__ == "__main__":
    print(json.dumps(digests(everything()), indent=1, ensure_ascii=False))
