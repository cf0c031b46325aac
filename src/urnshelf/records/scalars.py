"""Values without parts that JSON has no type for: each as a text, and as SQL columns hold it.

They are known by their classes' names, so that a module is loaded only by those who use it.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from contextlib import suppress
from importlib import import_module
from typing import Any, NamedTuple

from urnshelf.types.forms import full_name


class Scalar(NamedTuple):
    """How the values of one type are written, and read again."""

    to_text: Callable[[Any], str]
    from_text: Callable[[str], Any]
    to_sql: Callable[[Any], Any] = str
    from_sql: Callable[[Any], Any] | None = None
    """From what a database gives, which may be of the type already; from its text, where there is
    no other.
    """


def _made(name: str) -> Callable[[Any], Any]:
    """The class itself, loaded when it is first needed."""
    module, _, word = name.rpartition(".")
    found: list[Any] = []

    def made(value: Any) -> Any:
        if not found:
            found.append(getattr(import_module(module), word))
        return found[0](value)

    return made


def _method(name: str, method: str) -> Callable[[str], Any]:
    module, _, word = name.rpartition(".")
    found: list[Any] = []

    def made(text: str) -> Any:
        if not found:
            found.append(getattr(getattr(import_module(module), word), method))
        return found[0](text)

    return made


def _moment_text(moment: Any) -> str:
    """ISO 8601; a named time zone as RFC 9557 has it, and a `~` for the second of two equal
    hours.
    """
    zone = getattr(moment.tzinfo, "key", None)
    second = "~" if moment.fold else ""
    return f"{moment.isoformat()}[{zone}]{second}" if zone else f"{moment.isoformat()}{second}"


def _moment_of(text: str) -> Any:
    from datetime import datetime

    if text[-1:] not in ("~", "]"):
        return datetime.fromisoformat(text)
    text, fold = text.removesuffix("~"), int(text.endswith("~"))
    match = re.fullmatch(r"(.+)\[(.+)\]", text)
    if match is None:
        return datetime.fromisoformat(text).replace(fold=fold)
    from zoneinfo import ZoneInfo

    return datetime.fromisoformat(match[1]).replace(tzinfo=ZoneInfo(match[2]), fold=fold)


def _moment_sql(moment: Any) -> str:
    """In UTC where it has a zone, so that texts sort as moments do."""
    if moment.utcoffset():
        from datetime import UTC

        with suppress(OverflowError):  # at the ends of time it stays where it is
            moment = moment.astimezone(UTC)
    return str(moment.isoformat(" ", "microseconds"))


def _span_text(span: Any) -> str:
    """ISO 8601."""
    days = f"{span.days}D" if span.days else ""
    fraction = f".{span.microseconds:06}" if span.microseconds else ""
    return f"P{days}T{span.seconds}{fraction}S"


def _span_of(text: str) -> Any:
    from datetime import timedelta

    match = re.fullmatch(r"P(?:(-?\d+)D)?(?:T(\d+)(?:\.(\d{6}))?S)?", text)
    if match is None:
        raise ValueError("a span is written as P1DT3600S")
    return timedelta(
        days=int(match[1] or 0), seconds=int(match[2] or 0), microseconds=int(match[3] or 0)
    )


def _day_from_sql(value: Any) -> Any:
    from datetime import date, datetime

    if isinstance(value, datetime):
        return value.date()
    return value if isinstance(value, date) else date.fromisoformat(value)


def _span_from_sql(value: Any) -> Any:
    from datetime import timedelta

    if isinstance(value, str):
        return _span_of(value)
    return value if isinstance(value, timedelta) else timedelta(seconds=value)


def _bytes_text(raw: bytes) -> str:
    import base64

    return base64.b64encode(raw).decode()


def _as_bytes(text: str) -> bytes:
    import base64

    return base64.b64decode(text, validate=True)


_BYTES = Scalar(_bytes_text, _as_bytes, bytes, bytes)
_BYTE_ARRAY = _BYTES._replace(from_text=lambda text: bytearray(_as_bytes(text)), from_sql=bytearray)
_SPAN = Scalar(_span_text, _span_of, lambda span: span.total_seconds(), _span_from_sql)

SCALARS: dict[str, Scalar] = {
    "decimal.Decimal": Scalar(
        str,
        _made("decimal.Decimal"),
        # one that signals cannot be made a float
        lambda value: float("nan") if value.is_nan() else float(value),
    ),
    "datetime.datetime": Scalar(_moment_text, _moment_of, _moment_sql),
    "datetime.date": Scalar(
        lambda day: str(day.isoformat()),
        _method("datetime.date", "fromisoformat"),
        lambda day: day.isoformat(),
        _day_from_sql,
    ),
    "datetime.time": Scalar(
        lambda hour: str(hour.isoformat()),
        _method("datetime.time", "fromisoformat"),
        lambda hour: hour.isoformat("microseconds"),
    ),
    "datetime.timedelta": _SPAN,
    "uuid.UUID": Scalar(str, _made("uuid.UUID")),
    "builtins.bytes": _BYTES,
    "builtins.bytearray": _BYTE_ARRAY,
    "builtins.complex": Scalar(str, complex),
    "pathlib.Path": Scalar(str, _made("pathlib.Path")),
    "pathlib.PurePath": Scalar(str, _made("pathlib.PurePath")),
    **{
        f"ipaddress.{name}": Scalar(str, _made(f"ipaddress.{name}"))
        for name in ("IPv4Address", "IPv6Address", "IPv4Network", "IPv6Network")
    },
}
_BY_SHORT_NAME = {name.rpartition(".")[2]: one for name, one in SCALARS.items()}
_BY_SHORT_NAME |= dict.fromkeys(("PosixPath", "WindowsPath"), SCALARS["pathlib.Path"])


def scalar_of(cls: object) -> Scalar | None:
    """How the values of a class are written; None for classes whose values have parts, or that JSON
    knows.
    """
    if not isinstance(cls, type):
        return None
    found = SCALARS.get(full_name(cls))
    if found is None and cls.__module__.startswith("pathlib"):
        return SCALARS["pathlib.Path" if hasattr(cls, "cwd") else "pathlib.PurePath"]
    return found


def scalar_named(name: str) -> Scalar | None:
    """The same, by the class's own name."""
    return _BY_SHORT_NAME.get(name)
